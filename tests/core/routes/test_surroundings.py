"""What stands beside the part: probes in the rack, high things where the head turns, clamps beside traced places."""

from dataclasses import replace

import numpy as np
import pytest
from tests.core.routes.routing import ON_ITS_BACK, made

from truegauge import demo
from truegauge.core.cad.recognition import whole_surface
from truegauge.core.evaluation.evaluator import Evaluator
from truegauge.core.evaluation.touch_needs import features_to_touch
from truegauge.core.meeting.swept import Around, ball, box
from truegauge.core.plan.features import NominalFeature
from truegauge.core.probing.assembly import STRAIGHT
from truegauge.core.probing.probing import StylusUse
from truegauge.core.routes.candidates import with_pose
from truegauge.core.routes.checking import ENVELOPE, check
from truegauge.core.routes.document import MeasureStep, Placement, Route
from truegauge.core.routes.kinematics import Kinematics
from truegauge.core.routes.planning import Planner
from truegauge.core.routes.reach import at_places, reached
from truegauge.core.routes.scene import make_scene, probe_solids
from truegauge.core.routes.strategies import Grid, Rings, Trace, Usual
from truegauge.demo.cmm_plan import cmm_plan, demo_probe, demo_probing
from truegauge.formats.catalogue import own_catalogue
from truegauge.formats.part import read_part
from truegauge.formats.plan_file import read_plan


@pytest.fixture(scope="module")
def housing(evaluator):
    return made(evaluator)


def with_rack(found, evaluator, place):
    """The same, located on a machine whose long probe hangs in the rack with its quill's end at a place."""
    own = found.plan.probing
    probing = own.replace(rack=(own.rack[0], own.rack[1].replace(place=tuple(float(v) for v in place))))
    scene = make_scene(evaluator.model, probing, found.route, found.scene.machine_from_part, table_z=0.0)
    return scene, Planner(evaluator.model, evaluator.projector, scene, Kinematics())


@pytest.mark.parametrize("seed", range(4))
def test_a_probe_in_the_rack_is_met_by_what_passes_it(housing, evaluator, seed):
    rng = np.random.default_rng([seed, 90])
    legs = [x for x in housing.planned.legs if x.kind == "travel" and x.use.assembly == "p1"]
    leg = legs[int(rng.integers(len(legs)))]
    at = housing.scene.quill(leg.use, leg.start + rng.uniform(0.2, 0.8) * (leg.end - leg.start))
    scene, _ = with_rack(housing, evaluator, at + rng.uniform(-10, 10, 3))
    alone = replace(housing.planned, legs=(leg,))
    assert "Long 3, in the rack," in {m.obstacle for m in check(scene, alone, 0.2, inside=True).meetings}
    # The probe itself is not in its port while it is on the machine.
    own = replace(leg, use=next(u for u in scene.probing.uses() if u.assembly == "p2"))
    told = check(scene, replace(housing.planned, legs=(own,)), 0.2, inside=True).meetings
    assert not any("Long 3" in m.obstacle for m in told)


def test_a_route_goes_round_a_probe_in_the_rack(housing, evaluator):
    """It hangs where the ways of the route without it lead: they go elsewhere, as points on its surface say too."""
    side = housing.scene.envelope[1] + np.array([60.0, -60.0, 150.0])
    scene, planner = with_rack(housing, evaluator, side)
    planned = planner.plan(housing.route, housing.features)
    assert planned.touches >= 0.9 * housing.planned.touches
    assert check(scene, planned, 0.5).meetings == ()
    parked = probe_solids(scene.probing, StylusUse(assembly="p2", stylus="c4", pose=STRAIGHT)).solids
    nearest = np.inf
    for leg in planned.legs:
        if leg.use.assembly != "p1" or leg.kind == "change":
            continue
        for t in np.linspace(0, 1, 6):
            at = scene.quill(leg.use, leg.start + t * (leg.end - leg.start))
            nearest = min(nearest, rods_apart(scene.probe(leg.use).solids, at, parked, side))
    assert nearest > 0


def rods_apart(own, at, others, there):
    """The least distance of solids by points along their middles: less than the true one, by rods with round ends."""
    least = np.inf
    t = np.linspace(0, 1, 9)[:, None]
    for a in own:
        p = a[2:5] + at + t * (a[5:8] - a[2:5])
        for b in others:
            q = b[2:5] + there + t * (b[5:8] - b[2:5])
            apart = np.linalg.norm(p[:, None] - q[None], axis=2).min()
            least = min(least, apart - max(a[1], a[8]) - max(b[1], b[8]))
    return least


def test_the_head_turns_only_where_all_that_turns_is_free(housing, evaluator):
    """A tower beside the part, higher than the envelope: the head turns above it, and turning beside it is told."""
    turn = next(x for x in housing.planned.legs if x.kind == "turn" and x.seconds > 0)
    pivot, radius = housing.scene.probing.assembly(turn.use.assembly).sweep()
    at = housing.scene.quill(turn.use, turn.start) + pivot
    low, high = at + np.array([0.9 * radius, -20, -400]), at + np.array([0.9 * radius + 30, 20, 40])
    tower = Around.of_solids("the tower", [box(low, high)])
    scene = replace(housing.scene, around=(*housing.scene.around, tower), _probes={}, _hanging={})
    told = check(scene, housing.planned, 0.5).meetings
    assert ("the head while it turns", "the tower") in {(m.part, m.obstacle) for m in told}
    planned = replace(housing.planner, scene=scene).plan(housing.route, housing.features)
    assert check(scene, planned, 0.5).meetings == ()
    turns = 0
    for leg in planned.legs:
        if leg.kind != "turn" or not leg.seconds:
            continue
        middle = scene.quill(leg.use, leg.start) + scene.probing.assembly(leg.use.assembly).sweep()[0]
        gap = np.linalg.norm(np.maximum(np.maximum(low - middle, middle - high), 0.0))
        assert gap > radius
        turns += 1
    assert turns


def test_where_no_head_can_turn_it_is_told(housing):
    lid = Around.of_solids("the lid", [box(np.array([-900.0, -900.0, 350.0]), np.array([900.0, 900.0, 2000.0]))])
    scene = replace(housing.scene, around=(*housing.scene.around, lid), _probes={}, _hanging={})
    planned = replace(housing.planner, scene=scene).plan(housing.route, housing.features)
    assert planned.unreached
    assert check(scene, planned, 0.5).meetings == ()
    assert all(u.reason for u in planned.unreached)


def test_travel_through_the_envelope_is_told_though_both_its_ends_are_outside(housing):
    low, high = housing.scene.envelope
    leg = next(x for x in housing.planned.legs if x.kind == "travel")
    leg = replace(leg, use=next(u for u in housing.scene.probing.uses() if u.pose == STRAIGHT))
    own = housing.scene.probe(leg.use)
    y = (low[1] + high[1]) / 2
    ends = [np.array([low[0] - 300, y, high[2] - own.low[2] + own.place.center[2] - 5]),
            np.array([high[0] + 300, y, high[2] - own.low[2] + own.place.center[2] - 5])]  # fmt: skip
    alone = replace(leg, start=ends[0], end=ends[1], seconds=4.0, start_s=0.0, step="m")
    told = check(housing.scene, replace(housing.planned, legs=(alone,)), 0.2).meetings
    assert [m.obstacle for m in told] == [ENVELOPE]
    up = np.array([0, 0, 5.5])
    over = replace(alone, start=ends[0] + up, end=ends[1] + up)
    assert check(housing.scene, replace(housing.planned, legs=(over,)), 0.2).meetings == ()


@pytest.fixture(scope="module")
def traced(evaluator):
    strategy = Rings(touches=4, rows=2, first=4.0, last=12.0, trace=Trace(spacing=1.0, speed=20.0))
    return made(evaluator, ON_ITS_BACK.replace(steps=(MeasureStep(id="m", feature="main-bore", strategy=strategy),)))


def test_a_tip_that_traces_meets_what_stands_in_its_way(traced):
    legs = [k for k, x in enumerate(traced.planned.legs) if x.kind == "trace"]
    leg = traced.planned.legs[legs[len(legs) // 2]]
    bead = Around.of_solids("the bead", [ball((leg.start + leg.end) / 2, 0.3)])
    scene = replace(traced.scene, around=(*traced.scene.around, bead), _probes={})
    told = check(scene, traced.planned, 0.2).meetings
    assert any(m.part.startswith("tip") and m.obstacle == "the bead" for m in told)


def test_a_trace_is_broken_off_where_the_face_is_missing(evaluator):
    """Rings over the whole height of the bore run over the mouths of what opens into it."""
    rows = 12
    strategy = Rings(touches=4, rows=rows, trace=Trace(spacing=1.0, speed=20.0))
    route = ON_ITS_BACK.replace(steps=(MeasureStep(id="m", feature="main-bore", strategy=strategy),))
    found = made(evaluator, route)
    legs = [x for x in found.planned.legs if x.kind == "trace"]
    assert legs
    tip = found.scene.probe(legs[0].use).place.radius
    radius = found.features["main-bore"].nominal.feature.radius
    assert max(np.linalg.norm(x.end - x.start) for x in legs) < 1.75 * (radius - tip) / radius
    assert check(found.scene, found.planned, 1.0).meetings == ()


def test_a_tip_too_big_for_the_edge_of_a_sheet_leaves_it_to_a_smaller_one():
    evaluator = Evaluator(read_part(demo.COVER_PART))
    own = read_plan(demo.COVER_PLAN).plan
    groups = [whole_surface(evaluator.model, f) for f in (1, 4, 5, 8)]  # the straight edges
    features = tuple(NominalFeature(id=f"f{k}", name=f"face {k}", faces=g) for k, g in enumerate(groups))
    plan = own.replace(features=features, characteristics=(), alignments=own.alignments[:1], datums=(),
                       in_force=own.alignments[0].id)  # fmt: skip
    catalogue, probing = own_catalogue(), demo_probing()
    big, small = (
        demo_probe(catalogue, key, key, ("head-indexed", "trigger-m2", tip)).with_poses(probing.assemblies[0].poses)
        for key, tip in (("big", "ball-m2-6-10"), ("small", "ball-m2-1-20"))
    )
    upright = Route(placement=Placement(up=(0.0, 0.0, 1.0)))
    alone = made(evaluator, upright, probing.replace(assemblies=(big,), rack=(), master=None), plan)
    narrow = {u.feature.name for u in alone.planned.unreached if "too narrow" in u.reason}
    assert len(narrow) == 4
    both = made(evaluator, upright, probing.replace(assemblies=(big, small), rack=(), master=None), plan)
    by = {s.visits[0].feature.name: {v.use.assembly for v in s.visits} for s in both.planned.steps if s.visits}
    assert len(narrow & set(by)) == 4
    assert all(by[name] == {"small"} for name in narrow & set(by))


def test_what_would_reach_more_reaches_as_much_as_is_said_and_more_than_what_is_there(evaluator):
    plan = cmm_plan(evaluator.model)
    features = features_to_touch(evaluator.context(plan, None))
    seen = 0
    for k, name in enumerate(("shroud", "side-b", "main-bore")):
        rng = np.random.default_rng([k, 91])
        few = plan.probing.assemblies[0]
        few = few.with_poses(tuple(few.poses[int(j)] for j in rng.choice(len(few.poses), 2, replace=False)))
        probing = plan.probing.replace(assemblies=(few,), rack=(), master=None)
        step = MeasureStep(id="m", feature=name, strategy=Grid(along=4, across=4) if name != "main-bore" else Usual())
        found = made(evaluator, ON_ITS_BACK.replace(steps=(step,)), probing=probing)

        def share(own, use, step=step, name=name):
            planner = Planner(evaluator.model, evaluator.projector, make_scene(evaluator.model, own, ON_ITS_BACK),
                              Kinematics())  # fmt: skip
            wanted = planner.places_of(step, features[name]).wanted(use)[0]
            return reached(at_places(planner.scene, use, wanted, own.moves.approach)).mean()

        there = max(share(probing, u) for u in probing.uses())
        for lost in (u for u in found.planned.unreached if u.step == "m"):
            for c in lost.candidates:
                assert c.share == pytest.approx(share(with_pose(probing, c.use), c.use))
                assert c.share > there
                seen += 1
    assert seen


def test_touches_that_a_sensor_does_not_feel_are_not_planned(housing, evaluator):
    """With a sensor that feels nothing beyond 60 degrees a straight stylus touches what faces it, and no walls."""
    probing = housing.plan.probing
    deaf = tuple(
        a.replace(parts=tuple(p.replace(component=p.component.replace(feels_deg=60.0))
                              if p.component.kind == "sensor" else p for p in a.parts))
        for a in probing.assemblies
    )  # fmt: skip
    found = made(evaluator, probing=probing.replace(assemblies=deaf))
    seen = 0
    for s in found.planned.steps:
        for v in s.visits:
            own = found.scene.probing.assembly(v.use.assembly)
            sensor = next(p for p in own.parts if p.component.kind == "sensor")
            axis = -own.frames(v.use.pose)[sensor.id][1][:3, 2]
            assert (-v.places.normals @ axis >= 0.5 - 1e-6).all()
            seen += len(v.places)
    assert 0 < seen < housing.planned.touches
    whys = {why for u in found.planned.unreached for _, why in u.of_styli}
    assert "its sensor does not feel touches of that direction" in whys
