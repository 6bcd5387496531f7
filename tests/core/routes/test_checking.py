"""Known collisions are found, each by its kind, and nothing where there is none: by another library's distances."""

from dataclasses import replace

import fcl
import numpy as np
import pytest
from tests.core.routes.routing import made

from truegauge.core.arrays import unit
from truegauge.core.frames import invert, rotation_to_z
from truegauge.core.meeting.swept import Around, ball, box, cylinder
from truegauge.core.routes.checking import ENVELOPE, check

ROUTES = 100
BODIES = {"head": "Indexed head", "sensor": "Touch-trigger sensor", "stem": "Ball Ø4"}


@pytest.fixture(scope="module")
def housing(evaluator):
    return made(evaluator)


def some_legs(found, rng, kinds=("travel", "touch", "retract")):
    """A short route: some legs of the whole one, with their times."""
    legs = [x for x in found.planned.legs if x.kind in kinds and np.linalg.norm(x.end - x.start) > 1.0]
    chosen = [legs[int(k)] for k in rng.choice(len(legs), 12, replace=False)]
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
    short = some_legs(housing, rng, ("travel", "touch", "retract"))
    middle, half = housing.scene.envelope.mean(axis=0) + rng.normal(size=3) * 120, rng.uniform(1, 15, 3)
    clamp = box(middle - half, middle + half)
    other = fcl.CollisionObject(fcl.Box(*(2 * half)), fcl.Transform(middle))
    nearest = min(_distance(housing.scene, leg, other) for leg in short.legs)
    scene = replace(housing.scene, around=(*housing.scene.around, Around.of_solids("the clamp", [clamp])))
    found = check(scene, short, 3.0, inside=True)
    met = [m for m in found.meetings if m.obstacle == "the clamp"]
    near = [n.distance for n in found.near if n.obstacle == "the clamp"]
    if nearest > 0.6:  # more than the probe moves between two of those places, halved
        assert met == []
        assert [m for m in found.meetings if m.obstacle == "the part"] == []
    if 0.6 < nearest < 2.5:
        assert min(near) == pytest.approx(nearest, abs=0.6)
    if nearest <= 0:
        assert met


def _distance(scene, leg, other, count=30):
    """The least distance of the probe's solids to something, in many places of a leg, by the other library."""
    probe = scene.probe(leg.use)
    least = np.inf
    made = []
    for row in probe.solids:
        if np.allclose(row[2:5], row[5:8]):
            made.append((fcl.Sphere(row[1]), np.eye(3), row[2:5]))
            continue
        along = row[5:8] - row[2:5]
        turn = rotation_to_z(unit(along))[:3, :3].T
        made.append((fcl.Cylinder(row[8], float(np.linalg.norm(along))), turn, middle_of(row)))
    for t in np.linspace(0, 1, count):
        at = scene.quill(leg.use, leg.start + t * (leg.end - leg.start))
        for shape, turn, place in made:
            own = fcl.CollisionObject(shape, fcl.Transform(turn, place + at))
            least = min(least, fcl.distance(own, other, fcl.DistanceRequest(gjk_solver_type=1), fcl.DistanceResult()))
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
