"""Routes by the command line, by Python, and on the stand-in: rehearsed and run are the same."""

import json

import numpy as np
import pytest
from tests.test_cli import run

import truegauge as tg
from truegauge import demo
from truegauge.core.commands.features import RemoveFeature
from truegauge.core.commands.probing import SetProbing
from truegauge.core.probing.records import MachineRecord
from truegauge.core.routes.document import PartFixture, Route
from truegauge.core.routes.strategies import Grid, Rings
from truegauge.demo.cmm_plan import cover_on_fixture
from truegauge.devices.cmm_sim.settings import MachineSettings
from truegauge.formats.plan_file import read_plan, write_plan
from truegauge.runs import touching


def test_a_route_is_made_and_checked_by_a_command(tmp_path):
    file = read_plan(demo.CMM_PLAN)
    bare = tmp_path / "bare.tgplan"
    write_plan(bare, file.plan.replace(route=Route(placement=file.plan.route.placement)), file.part)
    assert run("route", bare).returncode == 2
    out = tmp_path / "made.tgplan"
    done = run("route", bare, "--make", "--out", out, "--json")
    assert done.returncode == 0, done.stderr
    said = json.loads(done.stdout)
    assert (said["meetings"], said["unreached"]) == ([], [])
    assert said["touches"] == sum(len(r.get("places", ())) for r in said["route"])
    assert {r["feature"] for r in said["route"] if r["feature"]} == {f.name for f in file.plan.features}
    assert read_plan(out).plan.route == file.plan.route  # as the demo has it
    listed = run("route", out, "--check", "--list")
    assert listed.returncode == 0
    assert len([line for line in listed.stdout.splitlines() if line[:4].strip().isdigit()]) == said["steps"]
    assert json.loads(run("route", out, "--json").stdout) == said


def test_what_collides_or_is_not_reached_ends_with_one(tmp_path):
    plan = tg.open_plan(demo.CMM_PLAN)
    plan.measure_by("shroud", Grid(along=4, across=4))
    plan.save(tmp_path / "far.tgplan")
    done = run("route", tmp_path / "far.tgplan", "--json")
    assert done.returncode == 1
    lost = json.loads(done.stdout)["unreached"]
    assert [u["feature"] for u in lost] == ["shroud"]
    assert lost[0]["candidates"][0]["share"] == 1.0
    assert "gets at 100 % of it" in run("route", tmp_path / "far.tgplan").stderr


def test_poses_that_are_missing_are_added_by_a_command(tmp_path):
    plan, out = tg.open_plan(demo.CMM_PLAN), tmp_path / "shorter.tgplan"
    plan.measure_by("shroud", Grid(along=4, across=4))
    plan.save(tmp_path / "far.tgplan")
    assert run("route", tmp_path / "far.tgplan", "--poses").returncode == 2
    done = run("route", tmp_path / "far.tgplan", "--shorten", "--poses", "--out", out)
    assert done.returncode == 0, done.stderr
    made, before = read_plan(out).plan, plan.document
    new = {p for a in made.probing.assemblies for p in a.poses} - {
        p for a in before.probing.assemblies for p in a.poses
    }
    assert len(new) == 1
    assert f"added: Short 4, stylus 1, {next(iter(new))}" in done.stdout
    assert {s.id for s in made.route.steps} == {s.id for s in before.route.steps}


def test_a_plan_without_probes_says_so():
    done = run("route", demo.PLAN, "--make")
    assert done.returncode == 2
    assert "no probe" in done.stderr


def test_places_are_in_part_coordinates_on_their_faces():
    plan = tg.open_plan(demo.CMM_PLAN)
    done = plan.route(check=False)
    from truegauge.jobs.routing import as_json

    for entry in as_json(done)["route"]:
        if not entry["places"]:
            continue
        places = np.array(entry["places"])
        found = plan.evaluator.projector.deviations(np.ascontiguousarray(places[:, :3]))
        assert np.abs(found.distance).max() < 1e-5
        assert set(found.face) <= set(plan.feature(entry["feature"]).faces)
        assert np.allclose(found.normals, places[:, 3:], atol=1e-5)


def test_python_changes_a_route_and_takes_it_back():
    plan = tg.open_plan(demo.CMM_PLAN)
    before = plan.document
    plan.measure_by("main bore", Rings(touches=6, rows=2, first=4.0, last=20.0))
    plan.add_fixture(PartFixture(name="stop", low=(-40.0, 20.0, 0.0), high=(-6.0, 60.0, 14.0)))
    done = plan.route()
    assert done.planned.seconds > 60
    assert [f.name for f in plan.document.route.fixtures] == ["stop"]
    assert "stop" in {around.name for around in done.scene.around}
    assert plan.undo()
    assert plan.undo()
    assert plan.document == before


@pytest.mark.parametrize(("seed", "inside"), [(3, False), (5, False), (3, True)])
def test_a_run_takes_as_long_as_it_was_rehearsed_and_meets_nothing(monkeypatch, seed, inside):
    """On the stand-in, whose part lies askew: every feature by the stand-in's own clock, beside what was planned."""
    plan = tg.open_plan(demo.CMM_PLAN)
    route = plan.document.route
    plan.set_route(route.replace(envelope=route.envelope.replace(inside=inside)))
    record = MachineRecord(travel=MachineSettings().travel)
    with (
        tg.stand_in(plan, seed=seed, pace=0, up=(0, -1, 0)) as stand_in,
        tg.connect(port=stand_in.port, record=record) as machine,
    ):
        machine.qualify(plan, ask=stand_in.touch_sphere)
        drive, took, stated = stand_in._world.drive, [], []
        do = touching.FeatureStep.do

        def timed(step):
            begun = drive.spent
            do(step)
            took.append(drive.spent - begun)
            stated.append(step._run.planned.seconds_of(step.plan.step.id))

        monkeypatch.setattr(touching.FeatureStep, "do", timed)
        sample = machine.touch(plan, stand_in.machine_from_part)
        assert not stand_in._world.fault_text
    assert len(machine.left) <= 1
    assert len(sample.probed) > 190
    # To the first one leads the way through the rack.
    assert sum(took[1:]) == pytest.approx(sum(stated[1:]), rel=0.05)
    assert np.allclose(took[1:], stated[1:], rtol=0.05, atol=0.3)


def test_the_thin_cover_on_its_fixture_is_made_without_a_collision():
    plan = tg.open_plan(demo.COVER_PLAN)
    wanted = cover_on_fixture(plan.document)
    plan.run(SetProbing(wanted.probing, "probes"))
    plan.set_route(wanted.route)
    done = plan.route(make=True)
    assert done.is_good
    assert {s.visits[0].feature.id for s in done.planned.steps if s.visits} == {f.id for f in plan.document.features}
    names = {a.name for a in done.scene.around}
    assert {"post 1", "post 4", "clamp 1", "clamp 2"} <= names
    # A clamp over hole 1: it is not reached, and the clamp is said to be why.
    over = PartFixture(name="third clamp", low=(2.0, 0.0, 1.0), high=(22.0, 20.0, 12.0))
    plan.add_fixture(over)
    lost = plan.route().planned.unreached
    assert [u.feature.name for u in lost] == ["hole 1"]
    assert any("third clamp" in why for _, why in lost[0].of_styli)


def test_a_route_is_kept_up_when_features_come_and_go():
    plan = tg.open_plan(demo.CMM_PLAN)
    before = plan.document
    new = plan.feature("rib", near=(70, 90, 7))
    steps = plan.document.route.steps
    assert [s.feature for s in steps[-1:]] == [new.id]
    assert steps[:-1] == before.route.steps
    plan.run(RemoveFeature("boss"))
    assert [s.id for s in plan.document.route.steps] == [s.id for s in steps if s.id != "m-boss"]
    assert plan.undo()
    assert plan.undo()
    assert plan.document == before
