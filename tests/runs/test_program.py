"""The program of a plan on the stand-in: located again, gone on with from any touch, in part, and stopped safely."""

from dataclasses import replace

import numpy as np
import pytest
from tests.runs.shop import FEW, confirms, places

from truegauge.core.errors import Cancelled, DeviceError, FormatError
from truegauge.core.evaluation.choice import Choice
from truegauge.core.frames import apply, invert
from truegauge.core.routes.document import NoteStep, TemperatureStep
from truegauge.core.routes.original import accepted
from truegauge.core.routes.pieces import Pieces
from truegauge.core.samples.document import SampleData
from truegauge.core.samples.sample import Sample
from truegauge.jobs.plan_run import PlanRun, place_known
from truegauge.runs.events import NoteWanted, PartLocated, StepEnded, TemperatureRead
from truegauge.runs.journal import Journal
from truegauge.runs.program import Lie


def test_the_part_is_located_again_and_everything_is_touched_once(shop, tmp_path):
    here, told = shop(), []
    run = confirms(here.begin(tmp_path / "run.tgrun", tell=told.append))
    sample = run.go()
    by_targets, by_datums = (e for e in told if isinstance(e, PartLocated))
    assert by_targets.moved == pytest.approx(0.43, abs=0.2)  # what the operator was wrong by
    assert by_datums.moved < 0.1
    truth = here.world.part.machine_from_part
    assert np.abs(run.state.machine_from_part - truth).max() < 0.1
    assert np.abs(run.state.machine_from_part - truth)[:3, 3].max() < np.abs(here.about - truth)[:3, 3].max()
    assert {t.feature for t in sample.probed} == set(FEW)
    assert len({t.place for t in sample.probed}) == len(sample.probed) == 9 * 3 + 8
    assert len(sample.touches) == 6
    assert [e.step for e in told if isinstance(e, StepEnded)][-1] == "m-main-bore"
    assert [e.temperature_c for e in told if isinstance(e, TemperatureRead)] == [pytest.approx(20.0, abs=0.5)]
    found = here.evaluator.evaluate(here.plan, sample)
    bore = next(r for r in found.results if r.characteristic.features == ("main-bore",) and not r.characteristic.datums)
    assert bore.measured == pytest.approx(42.012, abs=0.006)
    run.journal.end()
    assert not (tmp_path / "run.tgrun").exists()


def test_the_next_part_in_the_fixture_starts_by_itself(shop, tmp_path):
    here = shop()
    first = confirms(here.begin(tmp_path / "1.tgrun"))
    first.go()
    here.record = first.record
    there = place_known(here.plan, here.record)
    assert np.abs(there - first.state.machine_from_part).max() == 0
    second = confirms(here.begin(tmp_path / "2.tgrun", pose=there))
    assert len(second.go().touches) == 6
    other = here.plan.replace(name="another fixture")
    assert place_known(other, here.record) is None


def test_a_choice_touches_only_what_it_needs_and_says_so(shop, tmp_path):
    here = shop()
    size = next(c for c in here.plan.characteristics if c.features == ("main-bore",) and not c.datums)
    whole = confirms(here.begin(tmp_path / "1.tgrun"))
    before = whole.go()
    choice = Choice(characteristics=(size.id,), subset="the bore", align="as before")
    run = confirms(here.begin(tmp_path / "2.tgrun", choice, before=before, pose=whole.state.machine_from_part))
    sample = run.go()
    assert {t.touch.feature for t in run.state.taken} == {"main-bore"}
    assert len(run.state.taken) == 8
    found = here.evaluator.evaluate(here.plan, sample)
    assert [r.characteristic.id for r in found.results] == [size.id]
    assert found.results[0].measured == pytest.approx(42.012, abs=0.006)
    assert found.partial == f"partial run (the bore): 1 of {len(here.plan.characteristics)} characteristics"
    over = [t for t in sample.probed if t.feature == "base"]
    assert over
    assert all(t.warning.startswith("taken over from x") for t in over)


@pytest.mark.parametrize("k", [1, 5, 6, 7, 16, 24, 33, 34, 37, 40])
def test_a_run_that_was_cut_off_goes_on_with_the_next_touch(shop, tmp_path, k):
    """By another process, which knows only the journal: no touch is lost, none is made twice."""
    here, path = shop(), tmp_path / "run.tgrun"

    class Gone(BaseException):
        pass

    def until(entry):
        run.journal.keep(entry)
        if len(run.state.taken) == k and entry.entry == "taken":
            raise Gone

    run = confirms(here.begin(path))
    run.program._keep = until
    with pytest.raises(Gone):
        run.program.run()
    run.journal.close()
    there = places(run)
    assert len(there) == k
    again = confirms(PlanRun.go_on(here.setting(), path))
    sample = again.go()
    assert np.array_equal(places(again)[:k], there)
    assert len(again.state.taken) == 6 + 9 * 3 + 8
    assert len(np.unique(places(again).round(2), axis=0)) == len(again.state.taken)
    assert {t.feature for t in sample.probed} == set(FEW)


@pytest.mark.parametrize("original", [False, True])
def test_the_order_before_it_was_made_shorter_is_run_once_also_after_a_kill(shop, tmp_path, original):
    here, ended = shop(), []
    steps = here.plan.route.steps
    turned = here.plan.route.replace(steps=(*steps[:2], steps[3], steps[2], *steps[4:]))
    plan = here.plan.replace(route=accepted(here.plan.route, turned))
    run = confirms(here.begin(tmp_path / "run.tgrun", plan=plan, original=original))
    told = run.program.tell

    def until(event):
        told(event)
        if isinstance(event, StepEnded):
            ended.append(event.step)
            if event.step == "m-base":
                raise Cancelled

    run.program.tell = until
    with pytest.raises(Cancelled):
        run.program.run()
    run.journal.close()
    again = confirms(PlanRun.go_on(here.setting(plan), tmp_path / "run.tgrun", lambda e: None))
    told_then = again.program.tell
    again.program.tell = lambda e: (told_then(e), isinstance(e, StepEnded) and ended.append(e.step))
    again.go()
    sides = [s for s in ended if s.startswith("m-side")]
    assert sides == (["m-side-b", "m-side-c"] if original else ["m-side-c", "m-side-b"])
    assert plan.route.original  # what the plan says stays


def test_a_note_waits_and_the_probe_is_out_of_the_way(shop, tmp_path):
    here, seen = shop(), []

    def told(event):
        if isinstance(event, NoteWanted):
            seen.append((event.text, float(here.cmm.where()[2])))
            if event.text:
                run.program.confirmed.add(event.step)

    run = here.begin(tmp_path / "run.tgrun", tell=told)
    run.go()
    assert [text for text, _ in seen] == ["Wipe the bore", ""]
    assert seen[0][1] > places(run)[:, 2].max() + 20.0


def test_the_temperature_stops_the_run_until_it_is_within_its_limits(shop, tmp_path):
    here = shop()
    step = TemperatureStep(id="warm", lowest=19.0, highest=21.0)
    plan = here.plan.replace(route=here.plan.route.with_step(step))
    here.world.temperature_c = 24.0
    plan = plan.replace(probing=plan.probing.replace(due=plan.probing.due.replace(temperature=None)))
    run = confirms(here.begin(tmp_path / "run.tgrun", plan=plan))
    with pytest.raises(DeviceError, match=r"24.0 °C, allowed is 19 to 21 °C: wait until it is, then go on"):
        run.go()
    assert {t.touch.feature[:6] for t in run.state.taken} == {"target"}
    run.program.skip()
    run.go()
    assert run.state.over["warm"].state == "skipped"


def test_a_stylus_that_is_due_stops_once_and_measures_with_a_warning_then(shop, tmp_path):
    here = shop()
    due = here.plan.probing.due.replace(days=1e-9)
    plan = here.plan.replace(probing=here.plan.probing.replace(due=due))
    run = confirms(here.begin(tmp_path / "run.tgrun", plan=plan))
    stops = 0
    while True:
        try:
            sample = run.go()
            break
        except DeviceError as error:
            assert "is due: qualified" in str(error)
            stops += 1
    assert stops == len({t.stylus for t in sample.probed} | {t.touch.stylus for t in run.state.taken})
    assert all("due" in t.warning for t in sample.probed)


def test_a_step_is_skipped_and_one_is_done_again(shop, tmp_path):
    here, told = shop(), []
    run = confirms(here.begin(tmp_path / "run.tgrun", tell=told.append))

    def stop(fraction, text="", /):
        if run.program.now_at is not None and run.program.now_at.id == "m-main-bore":
            raise Cancelled

    with pytest.raises(Cancelled):
        run.program.run_with(stop)
    run.program.skip()
    run.program.again("m-side-c")
    sample = run.go()
    assert run.state.over["m-main-bore"].state == "skipped"
    assert sum(t.feature == "side-c" for t in sample.probed) == 9
    assert [e.step for e in told if isinstance(e, StepEnded)].count("m-side-c") == 2
    assert "main-bore" not in {t.feature for t in sample.probed}


@pytest.mark.parametrize(
    ("doubts", "moved", "words"),
    [(("the targets do not tell which way it lies",), 0.0, "doubtful: the targets do not tell which way it lies"),
     ((), 60.0, "doubtful: it lies 60.0 mm from where it was taken to lie")],
)  # fmt: skip
def test_a_doubtful_place_stops_it_once_and_is_believed_when_it_goes_on(shop, tmp_path, doubts, moved, words):
    here = shop()
    run = confirms(here.begin(tmp_path / "run.tgrun", pose=here.world.part.machine_from_part))
    truly = run.program.work.locate

    def doubtful(alignment, *touched):
        lie = truly(alignment, *touched)
        pose = lie.machine_from_part.copy()
        pose[0, 3] += moved
        return Lie(pose, doubts)

    run.program.work = replace(run.program.work, locate=doubtful)
    with pytest.raises(DeviceError, match=words):
        run.go()
    taken, lies = len(run.state.taken), run.state.machine_from_part
    assert taken == 6  # nothing was touched after it
    assert np.array_equal(lies, here.world.part.machine_from_part)
    run.program.work = replace(run.program.work, locate=lambda *given: Lie(truly(*given).machine_from_part, doubts))
    stops = 0
    while True:
        try:
            run.go()
            break
        except DeviceError as error:  # the other alignment is doubtful for itself
            assert "doubtful" in str(error)
            stops += 1
    assert stops == (1 if doubts else 0)
    assert len(run.state.taken) == taken + 9 * 3 + 8


def test_touches_of_a_skipped_feature_do_not_count(shop, tmp_path):
    """Half of the touches of a bore would pass for the bore."""
    here, path = shop(), tmp_path / "run.tgrun"
    run = confirms(here.begin(path))

    def stop(fraction, text="", /):
        if sum(t.step == "m-main-bore" for t in run.state.taken) == 5:
            raise Cancelled

    with pytest.raises(Cancelled):
        run.program.run_with(stop)
    run.program.skip()
    sample = run.go()
    assert {t.feature for t in sample.probed} == set(FEW) - {"main-bore"}
    run.journal.close()
    again = PlanRun.go_on(here.setting(), path)
    assert again.sample().probed == sample.probed
    assert again.state.over["m-main-bore"].state == "skipped"


def test_the_temperature_that_was_read_is_that_of_the_sample_also_after_a_kill(shop, tmp_path):
    here, path = shop(), tmp_path / "run.tgrun"
    here.world.temperature_c = 21.3
    run = confirms(here.begin(path))
    here.world.temperature_c = 20.8  # it has changed since it began
    sample = run.go()
    assert sample.about.temperature_c == pytest.approx(20.8, abs=0.1)
    run.journal.close()
    assert PlanRun.go_on(here.setting(), path).sample().about.temperature_c == sample.about.temperature_c


def test_another_plan_or_machine_does_not_go_on_with_a_run(shop, tmp_path):
    here, path = shop(), tmp_path / "run.tgrun"
    run = here.begin(path)
    with pytest.raises(FormatError, match="another program goes on with this run just now"):
        PlanRun.go_on(here.setting(), path)
    run.journal.close()
    note = NoteStep(id="wipe", text="Wipe all of it")
    other = here.plan.replace(route=here.plan.route.with_step(note))
    with pytest.raises(DeviceError, match="the plan was changed since the run stopped"):
        PlanRun.go_on(here.setting(other), path)
    elsewhere = shop(seed=4)
    with pytest.raises(DeviceError, match="begun on another machine"):
        PlanRun.go_on(elsewhere.setting(), path)
    assert len(Journal.go_on(path).state.taken) == 0


def test_a_place_that_nothing_leads_to_is_told_before_anything_moves(shop, tmp_path):
    here, told = shop(), []
    few = here.plan.probing.assembly("p1").with_poses(here.plan.probing.assembly("p1").poses[:1])
    probing = here.plan.probing.replace(assemblies=(few,))
    plan = here.plan.replace(probing=probing)
    run = confirms(here.begin(tmp_path / "run.tgrun", plan=plan, tell=told.append))
    left = [f"m-{left.feature.id}" for left in run.program.left]
    assert left
    assert all(x.why for x in run.program.left)
    assert not run.state.taken
    with pytest.raises(DeviceError, match="cannot be located: A, B, C: base A: not touched yet"):
        run.go()
    run.program.skip()
    run.go()
    failed = [e for e in told if isinstance(e, StepEnded) and e.state == "failed"]
    assert [e.step for e in failed] == left
    assert all(e.why for e in failed)


def test_one_of_several_pieces_is_gone_on_with_and_tells_where_the_first_lies(shop, tmp_path):
    here, path = shop(), tmp_path / "run.tgrun"
    pieces = Pieces(columns=2, column_pitch=300.0)
    here.plan = here.plan.replace(route=here.plan.route.replace(pieces=pieces))
    here.world.others = here.world.part.beside(pieces, here.world.seed)
    there = here.world.others[0].machine_from_part
    own = Sample.of(SampleData(name="second"))
    run = confirms(PlanRun.begin(here.setting(), path, Choice(), own, there, piece=1))

    def stop(fraction, text="", /):
        if len(run.state.taken) == 20:
            raise Cancelled

    with pytest.raises(Cancelled):
        run.program.run_with(stop)
    run.journal.close()
    again = confirms(PlanRun.go_on(here.setting(), path))
    assert again.piece == 1
    sample = again.go()
    local = apply(invert(there), np.array([t.place for t in sample.probed if t.feature == "main-bore"]))
    assert np.abs(np.linalg.norm(local[:, :2] - [58, 45], axis=1) - 19).max() < 0.3
    here.record = again.record
    first = here.world.part.machine_from_part
    assert np.abs(place_known(here.plan, here.record) - first).max() < 0.5
    assert np.abs(place_known(here.plan, here.record, 1) - there).max() < 0.2
