"""Known collisions are found, each by its kind, and nothing where there is none: by another library's distances."""

from dataclasses import replace
from pathlib import Path

import fcl
import numpy as np
import pytest
from tests.core.routes.routing import made

from truegauge.core.arrays import unit
from truegauge.core.cad.recognition import whole_surface
from truegauge.core.evaluation.evaluator import Evaluator
from truegauge.core.frames import invert, rotation_to_z
from truegauge.core.meeting.swept import Around, ball, box, cylinder
from truegauge.core.plan.document import Plan
from truegauge.core.plan.features import NominalFeature
from truegauge.core.routes.checking import ENVELOPE, check
from truegauge.core.routes.document import Placement, Route
from truegauge.demo.cmm_plan import demo_probing
from truegauge.formats.part import read_part

ROUTES, _PLACES = 100, 20
FOREIGN = Path(__file__).parents[2] / "data" / "foreign"
BODIES = {"head": "Indexed head", "sensor": "Touch-trigger sensor", "stem": "Ball Ø4"}


@pytest.fixture(scope="module")
def housing(evaluator):
    return made(evaluator)


def some_legs(found, rng, kinds=("travel", "touch", "retract"), count=12):
    """A short route: some legs of the whole one, with their times."""
    legs = [x for x in found.planned.legs if x.kind in kinds and np.linalg.norm(x.end - x.start) > 1.0]
    chosen = [legs[int(k)] for k in rng.choice(len(legs), count, replace=False)]
    return replace(found.planned, legs=tuple(chosen))


def rows_of(probe, what):
    if what == "tip":
        return [k for k, name in enumerate(probe.names) if name.startswith("tip")]
    return [k for k, name in enumerate(probe.names) if name.startswith(BODIES[what])]


def middle_of(row):
    return (row[2:5] + row[5:8]) / 2


@pytest.mark.parametrize("what", ["tip", "stem", "sensor", "head"])
@pytest.mark.parametrize("seed", range(ROUTES // 5 // 4 * 2))
def test_something_put_in_the_way_of_a_part_of_the_probe_is_met(housing, what, seed):
    """A bead is put where a solid of the probe is at some instant of a leg: that part meets it, then and there."""
    rng = np.random.default_rng([seed, 80, len(what)])
    short = some_legs(housing, rng, ("travel",))
    k = int(rng.integers(len(short.legs)))
    leg, t = short.legs[k], rng.uniform(0.2, 0.8)
    probe = housing.scene.probe(leg.use)
    at = housing.scene.quill(leg.use, leg.start + t * (leg.end - leg.start))
    row = probe.solids[rng.choice(rows_of(probe, what))]
    reach = max(row[1], row[8])
    bead = Around.of_solids("the bead", [ball(middle_of(row) + at, 0.1 * max(reach, 0.5))])
    scene = replace(housing.scene, around=(*housing.scene.around, bead))
    found = [m for m in check(scene, short, 0.2, inside=True).meetings if m.obstacle == "the bead" and m.leg == k]
    assert found
    assert leg.start_s <= found[0].seconds <= leg.start_s + leg.seconds
    # Of the instant itself: another part may have been there before it.
    tip = leg.start + t * (leg.end - leg.start)
    met = replace(scene, around=(bead,)).nearest(leg.use, tip, tip, 1e-3)
    assert probe.names[met.solid].startswith("tip" if what == "tip" else BODIES[what])


@pytest.mark.parametrize("seed", range(ROUTES // 5))
def test_a_fixture_across_a_way_is_met_though_both_its_ends_are_free(housing, seed):
    """Thinner than any step between places: what is looked at only here and there goes through it."""
    rng = np.random.default_rng([seed, 81])
    short = some_legs(housing, rng, ("travel",))
    long = max(range(len(short.legs)), key=lambda k: np.linalg.norm(short.legs[k].end - short.legs[k].start))
    leg = short.legs[long]
    way = leg.end - leg.start
    probe = housing.scene.probe(leg.use)
    at = leg.start + rng.uniform(0.4, 0.6) * way
    across = unit(np.cross(way, rng.normal(size=3)))
    wire = Around.of_solids("the wire", [cylinder(at - 3 * across, at + 3 * across, 0.02)])
    scene = replace(housing.scene, around=(*housing.scene.around, wire))
    found = [m for m in check(scene, short, 0.1, inside=True).meetings if m.obstacle == "the wire" and m.leg == long]
    assert found
    # When the tip's surface gets there, or another part of the probe before it.
    alone = found[0].seconds - leg.start_s
    assert 0 <= alone <= leg.seconds
    assert probe.place.radius > 0


@pytest.mark.parametrize("seed", range(ROUTES // 5))
def test_a_touch_too_deep_and_a_way_through_the_part_are_met(housing, seed):
    rng = np.random.default_rng([seed, 82])
    legs = list(some_legs(housing, rng, ("touch",)).legs)
    k = int(rng.integers(len(legs)))
    leg = legs[k]
    into = unit(leg.end - leg.start)
    legs[k] = replace(leg, end=leg.end + rng.uniform(0.3, 1.5) * into)
    if seed % 2:  # on to the other side of what was touched
        legs[k] = replace(leg, kind="travel", start=leg.start, end=leg.end + 6.0 * into)
    found = check(housing.scene, replace(housing.planned, legs=tuple(legs)), 0.2, inside=True).meetings
    assert [m.obstacle for m in found if m.leg == k]
    assert {m.leg for m in found} == {k}


@pytest.mark.parametrize("seed", range(ROUTES // 5))
def test_a_step_that_ends_within_the_envelope_is_told(housing, seed):
    rng = np.random.default_rng([seed, 83])
    steps = [s for s in housing.planned.steps if s.visits]
    s = steps[int(rng.integers(len(steps) - 1))]
    mine = [k for k, x in enumerate(housing.planned.legs) if x.step == s.step.id]
    # What leads out of it is left away, and the next step begins where it stands then.
    last = max(k for k in mine if housing.planned.legs[k].kind == "retract")
    legs = [x for k, x in enumerate(housing.planned.legs) if not (k in mine and k > last)]
    found = check(housing.scene, replace(housing.planned, legs=tuple(legs)), 0.2)
    assert [(m.step, m.obstacle) for m in found.meetings if m.obstacle == ENVELOPE] == [(s.step.id, ENVELOPE)]


@pytest.mark.parametrize("seed", range(ROUTES))
def test_nothing_is_told_where_there_is_nothing(housing, seed):
    """Boxes stand about at random, but (by the other library, in many places of each way) clear of all of it."""
    rng = np.random.default_rng([seed, 84])
    short = some_legs(housing, rng, count=5)
    middle, half = housing.scene.envelope.mean(axis=0) + rng.normal(size=3) * 120, rng.uniform(1, 15, 3)
    clamp = box(middle - half, middle + half)
    other = fcl.CollisionObject(fcl.Box(*(2 * half)), fcl.Transform(middle))
    nearest = min(_distance(housing.scene, leg, other) for leg in short.legs)
    scene = replace(housing.scene, around=(*housing.scene.around, Around.of_solids("the clamp", [clamp])))
    found = check(scene, short, 3.0, inside=True)
    met = [m for m in found.meetings if m.obstacle == "the clamp"]
    near = [n.distance for n in found.near if n.obstacle == "the clamp"]
    # Between two of those places it may come nearer, by what it moves: half of a step.
    step = max(float(np.linalg.norm(leg.end - leg.start)) for leg in short.legs) / (_PLACES - 1) / 2
    if nearest > step:
        assert met == []
        assert [m for m in found.meetings if m.obstacle == "the part"] == []
    if step < nearest < 3.0 - 1e-3:
        assert nearest - step < min(near) < nearest + 0.02
    if nearest <= 0:
        assert met


def _distance(scene, leg, other, count=_PLACES):
    """The least distance of the probe's solids to something, in many places of a leg, by the other library."""
    least = np.inf
    for t in np.linspace(0, 1, count):
        at = scene.quill(leg.use, leg.start + t * (leg.end - leg.start))
        least = min(least, *(_solid_distance(row, at, other) for row in scene.probe(leg.use).solids))
    return least


@pytest.mark.parametrize("seed", range(4))
def test_near_misses_of_the_part_are_as_far_as_another_library_says(housing, model, seed):
    """Still probes beside the housing: mesh to mesh within 0.1 mm."""
    rng = np.random.default_rng([seed, 85])
    pose = housing.scene.machine_from_part
    mesh = fcl.BVHModel()
    mesh.beginModel(len(model.mesh.triangles), len(model.mesh.vertices))
    mesh.addSubModel(model.mesh.vertices, model.mesh.triangles)
    mesh.endModel()
    part = fcl.CollisionObject(mesh, fcl.Transform(pose[:3, :3], pose[:3, 3]))
    only = replace(housing.scene, around=housing.scene.around[:1])
    assert np.allclose(invert(pose) @ pose, np.eye(4))
    legs = [x for x in housing.planned.legs if x.kind == "travel"]
    for k in rng.choice(len(legs), 8, replace=False):
        leg = replace(legs[int(k)], end=legs[int(k)].start)
        expected = _distance(housing.scene, leg, part, count=1)
        found = only.nearest(leg.use, leg.start, leg.end, 500.0)
        assert found.distance == pytest.approx(expected, abs=0.1)


@pytest.mark.parametrize(("name", "up"), [("rounded-cube", (0.3, -0.8, 0.5)), ("conical-surface", (0.0, 0.0, 1.0)),
                                          ("screw", (-0.4, 0.2, 0.9))])  # fmt: skip
def test_routes_over_foreign_parts_meet_nothing_by_another_library_either(name, up):
    """Awkwardly placed parts that were not made for this: the probe in some places of each leg, and the facets."""
    foreign = read_part(FOREIGN / f"{name}.step")
    evaluator, rng = Evaluator(foreign), np.random.default_rng([86, len(name)])
    groups = dict.fromkeys(tuple(sorted(whole_surface(foreign, f))) for f in range(min(len(foreign.faces), 8)))
    features = tuple(NominalFeature(id=f"f{k}", name=f"f{k}", faces=g) for k, g in enumerate(groups))
    route = Route(placement=Placement(up=up, turn_deg=float(rng.uniform(0, 90)), height=120.0))
    found = made(evaluator, route, plan=Plan(probing=demo_probing(), features=features))
    assert check(found.scene, found.planned, 0.3).meetings == ()
    assert found.planned.touches > 20
    mesh = fcl.BVHModel()
    mesh.beginModel(len(foreign.mesh.triangles), len(foreign.mesh.vertices))
    mesh.addSubModel(foreign.mesh.vertices, foreign.mesh.triangles)
    mesh.endModel()
    pose = found.scene.machine_from_part
    part = fcl.CollisionObject(mesh, fcl.Transform(pose[:3, :3], pose[:3, 3]))
    legs = [x for x in found.planned.legs if x.kind not in ("turn", "change")]
    for leg in (legs[int(k)] for k in rng.choice(len(legs), 40, replace=False)):
        probe = found.scene.probe(leg.use)
        touches = leg.kind in ("touch", "retract")
        for row, tip in zip(probe.solids, probe.is_tip, strict=True):
            # A tip at its contact touches: there it is looked at up to a little before that.
            span = np.linspace(0, 1, 5)
            if tip and touches:
                span = np.linspace(0.0, 0.9, 4) if leg.kind == "touch" else np.linspace(0.1, 1.0, 4)
            for t in span:
                at = found.scene.quill(leg.use, leg.start + t * (leg.end - leg.start))
                assert _solid_distance(row, at, part) > 0, (leg, probe.names)


def _solid_distance(row, at, other):
    if np.allclose(row[2:5], row[5:8]):
        own = fcl.CollisionObject(fcl.Sphere(row[1]), fcl.Transform(row[2:5] + at))
    else:
        along = row[5:8] - row[2:5]
        turn = rotation_to_z(unit(along))[:3, :3].T
        shape = fcl.Cylinder(row[8], float(np.linalg.norm(along)))
        own = fcl.CollisionObject(shape, fcl.Transform(turn, middle_of(row) + at))
    return fcl.distance(own, other, fcl.DistanceRequest(gjk_solver_type=1), fcl.DistanceResult())
