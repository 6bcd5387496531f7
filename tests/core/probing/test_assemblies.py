import json

import numpy as np
import pytest
from numpy.testing import assert_allclose
from pydantic import ValidationError

from truegauge.core.commands.history import History
from truegauge.core.commands.probing import SetProbing, new_assembly, with_assembly, with_port, without_assembly
from truegauge.core.errors import FormatError
from truegauge.core.frames import apply
from truegauge.core.plan.document import Plan
from truegauge.core.probing.assembly import STRAIGHT, HeadPose, ProbeAssembly
from truegauge.core.probing.components import Component
from truegauge.core.probing.pose_choice import direction_of, nearest_pose, poses_for
from truegauge.core.probing.probing import RackPort, StylusUse
from truegauge.demo.cmm_plan import demo_probe, demo_probing
from truegauge.formats.catalogue import own_catalogue, read_catalogue

CATALOGUE = own_catalogue()
STRAIGHT_PARTS = ("head-indexed", "trigger-m2", "ball-m2-4-20")


@pytest.fixture
def star():
    made = demo_probe(CATALOGUE, "s", "Star", ("head-indexed", "trigger-m2", "star-m2"))
    for on, end, _ in made.free_ends():
        made = made.with_component(CATALOGUE.component("ball-m2-2-20"), on, end)
    return made


def test_only_what_fits_can_be_joined():
    made = ProbeAssembly(id="a", name="A").with_component(CATALOGUE.component("head-fixed"), "", 0)
    with pytest.raises(ValueError, match="does not fit probe mount"):
        made.with_component(CATALOGUE.component("ball-m2-4-20"), "c1", 0)
    assert {c.base for c in CATALOGUE.fitting("probe mount")} == {"probe mount"}
    with pytest.raises(ValueError, match="no end 2"):
        made.with_component(CATALOGUE.component("trigger-m2"), "c1", 1)


def test_a_straight_probe_is_as_long_as_its_components():
    (tip,) = demo_probe(CATALOGUE, "a", "A", STRAIGHT_PARTS).styli()
    assert_allclose(tip.center, [0, 0, -(84 + 38 + 20)], atol=1e-12)
    assert_allclose(tip.direction, [0, 0, -1], atol=1e-12)


def test_a_pose_turns_the_tip_about_the_pivot():
    (tip,) = demo_probe(CATALOGUE, "a", "A", STRAIGHT_PARTS).styli(HeadPose(tilt_deg=90.0, turn_deg=-90.0))
    reach = 142.0 - 56.0
    assert_allclose(tip.center, [reach, 0, -56], atol=1e-9)
    assert_allclose(tip.direction, direction_of(HeadPose(tilt_deg=90.0, turn_deg=-90.0)), atol=1e-12)


def test_the_styli_of_a_star_point_five_ways(star):
    directions = np.array([s.direction for s in star.styli()])
    assert_allclose(np.sort(directions @ [0, 0, -1]), [0, 0, 0, 0, 1], atol=1e-12)
    assert len({s.name for s in star.styli()}) == 5


def test_a_turned_component_turns_what_hangs_on_it(star):
    turned = star.replace(parts=tuple(p.replace(turn=np.pi / 2) if p.id == "c3" else p for p in star.parts))
    before, after = star.styli()[1].center, turned.styli()[1].center
    quarter = np.array([[0, -1, 0, 0], [1, 0, 0, 0], [0, 0, 1, 0], [0, 0, 0, 1.0]])
    assert_allclose(after, apply(quarter, before), atol=1e-9)


def test_taking_a_component_off_takes_what_hangs_on_it(star):
    assert [p.id for p in star.without("c3").parts] == ["c1", "c2"]


@pytest.mark.parametrize("change", [
    lambda a: a.replace(parts=(*a.parts[:-1], a.parts[-1].replace(turn=0.1))),
    lambda a: a.without("c3").with_component(CATALOGUE.component("ball-m2-3-20"), "c2", 0),
    lambda a: a.replace(parts=(*a.parts[:-1], a.parts[-1].replace(
        component=a.parts[-1].component.replace(tips=(a.parts[-1].component.tips[0].replace(diameter=4.001),))))),
])  # fmt: skip
def test_changing_anything_that_is_built_changes_what_qualifications_belong_to(change):
    made = demo_probe(CATALOGUE, "a", "A", STRAIGHT_PARTS)
    assert change(made).content_key != made.content_key


def test_names_and_poses_do_not_matter_to_qualifications():
    made = demo_probe(CATALOGUE, "a", "A", STRAIGHT_PARTS)
    other = made.replace(name="B").with_poses((STRAIGHT, HeadPose(tilt_deg=45.0, turn_deg=15.0)))
    assert other.content_key == made.content_key


@pytest.mark.parametrize(("pose", "reason"), [
    ((110.0, 0.0), "tilt 110° is beyond its head, which reaches 0° to 105°"),
    ((10.0, 0.0), "tilt 10° is between two steps of its head: take 7.5° or 15°"),
    ((90.0, 190.0), "turn 190° is beyond"),
])  # fmt: skip
def test_poses_that_the_head_cannot_take_are_explained(pose, reason):
    made = demo_probe(CATALOGUE, "a", "A", STRAIGHT_PARTS)
    assert reason in made.why_unreachable(HeadPose(tilt_deg=pose[0], turn_deg=pose[1]))
    with pytest.raises(ValidationError, match=r"tilt|turn"):
        made.with_poses((HeadPose(tilt_deg=pose[0], turn_deg=pose[1]),))


def test_the_nearest_pose_points_where_it_is_asked_to():
    own = demo_probe(CATALOGUE, "a", "A", STRAIGHT_PARTS).articulation
    rng = np.random.default_rng(3)
    for direction in rng.normal(size=(50, 3)):
        direction = direction / np.linalg.norm(direction)
        if direction[2] > 0:
            continue
        pose, off = nearest_pose(own, direction)
        assert off < np.radians(5.4)  # half a step both ways
        assert_allclose(np.arccos(direction_of(pose) @ direction), off, atol=1e-9)


def test_poses_for_a_plan_serve_every_feature_or_say_why_not(model, evaluator, plan):
    made = demo_probe(CATALOGUE, "a", "A", STRAIGHT_PARTS)
    features = tuple((f.name, f.faces, evaluator.nominal(f.faces)) for f in plan.features if f.name != "shroud")
    answers = {a.feature: a for a in poses_for(made, model, features, None)}
    assert answers["top face"].pose == STRAIGHT
    assert answers["base A"].pose is None
    assert "turn the part over" in answers["base A"].why
    side = answers["side B"].pose
    assert direction_of(side) @ [0, 1, 0] > np.cos(np.radians(8))  # the stylus points at the face, against its normal


def test_a_catalogue_of_the_user_adds_to_the_own(tmp_path):
    path = tmp_path / "mine.json"
    mine = CATALOGUE.component("ball-m2-4-20").replace(id="mine", name="Mine")
    path.write_text(json.dumps({"components": [mine.model_dump(mode="json")]}))
    more = CATALOGUE.extended(read_catalogue(path))
    assert more.component("mine").name == "Mine"
    assert len(more.components) == len(CATALOGUE.components) + 1


@pytest.mark.parametrize(("text", "reason"), [
    ("no json", "this catalogue of components is damaged"),
    ("[1, 2]", "it is no JSON object"),
    ('{"schema_version": 9, "components": []}', "newer"),
    ('{"components": [{"id": "x", "name": "X", "kind": "stylus", "base": "M2"}]}', "component 1 X.*without a tip"),
    ('{"components": [{"id": "x", "name": "X", "kind": "rocket", "base": "M2"}]}', "component 1 X: kind"),
    ('{"components": [{"id": "x", "name": "X", "kind": "stylus", "base": "M2",'
     ' "tips": [{"diameter": -1, "place": [0, 0, -5]}]}]}', "component 1 X: tips.0.diameter"),
])  # fmt: skip
def test_a_bad_catalogue_is_refused_with_what_and_where(tmp_path, text, reason):
    path = tmp_path / "bad.json"
    path.write_text(text)
    with pytest.raises(FormatError, match=reason):
        read_catalogue(path)


def test_every_component_of_the_catalogue_can_be_used():
    made = [c for c in CATALOGUE.components if c.kind in ("head", "sensor", "extension", "stylus")]
    assert made
    for c in CATALOGUE.components:
        assert isinstance(Component.model_validate_json(c.model_dump_json()), Component)
        assert any(c.base == end.joint for other in CATALOGUE.components for end in other.ends) or c.base == "quill"


def test_probing_commands_can_be_undone_and_forget_what_is_gone():
    probing = demo_probing()
    history = History(Plan(probing=probing))
    history.run(SetProbing(without_assembly(probing, "p1"), "remove"))
    changed = history.plan.probing
    assert changed.master is None
    assert [p.assembly for p in changed.rack] == ["", "p2"]
    history.undo()
    assert history.plan.probing == probing


def test_an_assembly_hangs_in_one_port_only():
    probing = demo_probing()
    changed = with_port(probing, RackPort(name="Port 3", assembly="p1"), 2)
    assert [p.assembly for p in changed.rack] == ["", "p2", "p1"]
    assert with_assembly(probing, new_assembly(probing)).assemblies[-1].name == "Probe 3"


def test_a_master_that_is_no_stylus_of_the_plan_is_refused():
    with pytest.raises(ValidationError, match="master stylus is not a stylus"):
        demo_probing().replace(master=StylusUse(assembly="p1", stylus="c9"))


def feeling(made, degrees):
    """The same probe with a sensor that feels touches only so far off its axis."""
    parts = tuple(
        p.replace(component=p.component.replace(feels_deg=degrees)) if p.component.kind == "sensor" else p
        for p in made.parts
    )
    return made.replace(parts=parts)


@pytest.mark.parametrize("pose", [STRAIGHT, HeadPose(tilt_deg=60.0, turn_deg=37.5)])
def test_a_sensor_feels_touches_up_to_an_angle_off_its_axis(star, pose):
    """Its axis is that of the straight stylus below it; the way of a touch is against the surface's normal."""
    axis = next(s.direction for s in feeling(star, 100.0).styli(pose) if abs(s.direction @ direction_of(pose)) > 0.99)
    normals = np.random.default_rng(5).normal(size=(400, 3))
    normals /= np.linalg.norm(normals, axis=1)[:, None]
    angle = np.degrees(np.arccos(np.clip(-normals @ axis, -1, 1)))
    assert np.array_equal(feeling(star, 100.0).feels(pose, normals), angle <= 100.0)
    assert star.feels(pose, normals).all()


def test_what_a_sensor_feels_is_no_reason_to_qualify_again_and_only_sensors_say_it(star):
    assert feeling(star, 100.0).content_key == star.content_key
    with pytest.raises(ValidationError, match="must be sensor"):
        CATALOGUE.component("ball-m2-4-20").replace(feels_deg=90.0)
