"""Distances of solids, still and swept, beside another library's, closed forms, and what sampling says."""

import fcl
import numpy as np
import pytest

from truegauge.core.arrays import unit
from truegauge.core.cad.bvh import nearest_on_triangle
from truegauge.core.frames import random_rigid, rotation_to_z
from truegauge.core.meeting.swept import Around, ball, box, cylinder, moved, nearest, rod

FAR = 1e6
STILL = np.zeros(3)


def distance(own, other, way=STILL):
    found = nearest(np.array([own]), STILL, way, (other,), FAR)
    assert found is not None
    return found.distance


def as_fcl(solid):
    """The same solid in the other library."""
    if solid[0] == 2.0:
        half = solid[5:14].reshape(3, 3)
        sizes = np.linalg.norm(half, axis=1)
        turn = (half / sizes[:, None]).T
        return fcl.CollisionObject(fcl.Box(*(2 * sizes)), fcl.Transform(turn, solid[2:5]))
    start, end = solid[2:5], solid[5:8]
    if np.allclose(start, end):
        return fcl.CollisionObject(fcl.Sphere(solid[1]), fcl.Transform(start))
    along = end - start
    length = float(np.linalg.norm(along))
    turn = rotation_to_z(unit(along))[:3, :3].T
    shape = fcl.Cylinder(solid[8], length) if solid[0] == 1.0 else fcl.Capsule(solid[1], length)
    return fcl.CollisionObject(shape, fcl.Transform(turn, (start + end) / 2))


def of_fcl(a, b):
    result = fcl.DistanceResult()
    return fcl.distance(a, b, fcl.DistanceRequest(gjk_solver_type=1), result)


def some_solid(rng, near=0.0):
    kind, at = rng.integers(4), rng.normal(size=3) * 15 + near
    other = at + rng.normal(size=3) * rng.choice([0.5, 6.0, 40.0])
    if kind == 0:
        return ball(at, rng.uniform(0.2, 6))
    if kind == 1:
        return rod(at, other, rng.uniform(0.2, 6))
    if kind == 2:
        return cylinder(at, other, rng.uniform(0.2, 12))
    half = rng.uniform(0.5, 15, 3)
    return moved(np.array([box(-half, half)]), random_rigid(rng, 20.0) @ np.eye(4))[0]


@pytest.mark.parametrize("seed", range(4))
def test_convex_solids_are_as_far_apart_as_another_library_says(seed):
    rng = np.random.default_rng([seed, 70])
    apart = 0
    for _ in range(150):
        a, b = some_solid(rng), some_solid(rng, near=rng.uniform(0, 40))
        expected, found = of_fcl(as_fcl(a), as_fcl(b)), distance(a, Around.of_solids("it", [b]))
        if expected > 0.01:
            # What is found lies between two points of the solids: less than the other's is nearer to the truth.
            assert expected - 0.02 < found < expected + 1e-3
            apart += 1
        else:
            assert found < 0.02
    assert apart > 60


@pytest.mark.parametrize("seed", range(3))
def test_solids_beside_the_housing_are_as_far_from_it_as_another_library_says(model, seed):
    rng = np.random.default_rng([seed, 71])
    mesh = fcl.BVHModel()
    mesh.beginModel(len(model.mesh.triangles), len(model.mesh.vertices))
    mesh.addSubModel(model.mesh.vertices, model.mesh.triangles)
    mesh.endModel()
    part = fcl.CollisionObject(mesh, fcl.Transform())
    around = Around.of_mesh("the part", model.mesh.vertices, model.mesh.triangles)
    apart = 0
    for _ in range(60):
        at = rng.uniform(model.box[0] - 30, model.box[1] + 40)
        other = at + rng.normal(size=3) * 30
        a = ball(at, rng.uniform(0.3, 3)) if rng.random() < 0.4 else cylinder(at, other, rng.uniform(0.4, 8))
        expected, found = of_fcl(as_fcl(a), part), distance(a, around)
        if expected > 0.01:
            assert found == pytest.approx(expected, abs=5e-3)
            apart += 1
        else:
            assert found < 0.02
    assert apart > 25


@pytest.mark.parametrize("seed", range(3))
def test_a_swept_solid_comes_as_near_as_the_nearest_of_many_places_on_its_way(seed):
    rng = np.random.default_rng([seed, 72])
    for _ in range(60):
        a, b = some_solid(rng), some_solid(rng, near=rng.uniform(0, 40))
        way = rng.normal(size=3) * 20
        other = Around.of_solids("it", [b])
        steps = np.linspace(0, 1, 200)
        sampled = min(nearest(np.array([a]), s * way, s * way, (other,), FAR).distance for s in steps)
        swept = distance(a, other, way)
        most = np.linalg.norm(way) / 199  # between two of the places it may come nearer by half of a step
        assert swept <= sampled + 1e-6
        assert swept >= sampled - most or sampled <= most


def test_closed_forms():
    floor = Around.of_solids("floor", [box(np.array([-100, -100, -1.0]), np.array([100.0, 100, 0]))])
    assert distance(ball(np.array([3.0, 4, 12]), 5.0), floor) == pytest.approx(7.0, abs=1e-9)
    assert distance(ball(np.array([3.0, 4, 4]), 5.0), floor) == pytest.approx(-1.0, abs=1e-9)
    # A cylinder that leans: its lowest place is on the rim of its lower end.
    lean = np.radians(30.0)
    along = np.array([np.sin(lean), 0, np.cos(lean)])
    leaning = cylinder(np.array([0, 0, 10.0]), np.array([0, 0, 10.0]) + 20 * along, 4.0)
    assert distance(leaning, floor) == pytest.approx(10.0 - 4.0 * np.sin(lean), abs=1e-6)
    # On its whole way, not at its ends: a ball thrown past a pin.
    pin = Around.of_solids("pin", [cylinder(np.array([0, 0, 0.0]), np.array([0, 0, 50.0]), 2.0)])
    thrown = nearest(np.array([ball(np.zeros(3), 1.0)]), np.array([-30.0, 5, 20]), np.array([30.0, 5, 20]), (pin,), FAR)
    assert thrown.distance == pytest.approx(2.0, abs=1e-6)
    assert np.allclose(thrown.at, [0, 2, 20], atol=1e-3)


def test_nothing_is_told_beyond_the_limit_and_everything_within():
    floor = Around.of_solids("floor", [box(np.array([-9, -9, -1.0]), np.array([9.0, 9, 0]))])
    own = np.array([ball(np.array([0.0, 0, 6]), 1.0)])
    assert nearest(own, STILL, STILL, (floor,), 4.99) is None
    assert nearest(own, STILL, STILL, (floor,), 5.01).distance == pytest.approx(5.0)
    assert nearest(own, STILL, np.array([0, 0, -6.0]), (floor,), 0.0).distance <= 0


def test_slivers_and_points_that_coincide_are_no_fault():
    rng = np.random.default_rng(73)
    for _ in range(200):
        corner = rng.normal(size=3) * 5
        triangle = np.array(
            [corner, corner + rng.normal(size=3) * 1e-9, corner + rng.normal(size=3) * 10.0 ** rng.integers(-9, 2)]
        )
        around = Around.of_mesh("sliver", triangle, np.array([[0, 1, 2]]))
        at = rng.normal(size=3) * 10
        expected = nearest_on_triangle(triangle.reshape(1, 9), 0, *at)[0] ** 0.5 - 0.1
        if expected > 0:
            assert distance(ball(at, 0.1), around) == pytest.approx(expected, abs=1e-6)
