from itertools import pairwise

import numpy as np
import pytest
from numpy.testing import assert_allclose

from truegauge.core.association.features import Cylinder, Plane, Sphere
from truegauge.core.cad.recognition import Nominal
from truegauge.core.frames import apply, random_rigid, rotate
from truegauge.core.probing.clearance import first_meeting, gap, probe_shape
from truegauge.core.probing.compensation import compensated_by_approach, compensated_by_feature
from truegauge.core.probing.obstacles import PartObstacle, SphereObstacle
from truegauge.core.probing.pointing import pointing_at
from truegauge.core.probing.sphere import ReferenceSphere
from truegauge.core.probing.suggest import suggest
from truegauge.core.probing.travel import NoWay, Surroundings, find_way
from truegauge.core.routes.places import FeatureToTouch, Surface
from truegauge.demo.cmm_plan import demo_probing
from truegauge.demo.faces import housing_faces

RNG = np.random.default_rng(8)


def hole(count=8, radius=10.0, depth=12.0):
    """Return tip centres in a hole along z, their approaches slightly askew, and the tip's radii."""
    angle = np.linspace(0, 2 * np.pi, count, endpoint=False)
    out = np.column_stack([np.cos(angle), np.sin(angle), np.zeros(count)])
    centers = (radius - 2.0) * out + np.column_stack([np.zeros((count, 2)), np.linspace(0, depth, count)])
    approach = out + RNG.normal(0, 0.08, (count, 3))
    return centers, approach / np.linalg.norm(approach, axis=1)[:, None], np.full(count, 2.0)


def test_compensation_by_the_features_own_normals_is_exact():
    centers, approach, radii = hole(12)
    nominal = Nominal(Cylinder(np.zeros(3), np.array([0, 0, 1.0]), 10.05), -1, 12.0, np.zeros(3))
    points = compensated_by_feature(nominal, centers, approach, radii)
    assert_allclose(np.hypot(points[:, 0], points[:, 1]), 10.0, rtol=0, atol=1e-7)
    by_approach = compensated_by_approach(centers, approach, radii)
    assert np.abs(np.hypot(by_approach[:, 0], by_approach[:, 1]) - 10.0).max() > 1e-3


def test_too_few_touches_for_the_feature_are_not_compensated_by_it():
    nominal = Nominal(Plane(np.zeros(3), np.array([0, 0, 1.0])), 1, 10.0, np.zeros(3))
    centers = np.array([[0, 0, 2.0], [5, 0, 2.0]])
    assert compensated_by_feature(nominal, centers, np.array([[0, 0, -1.0]] * 2), np.full(2, 2.0)) is None


@pytest.mark.parametrize("kind", ["plane", "hole", "ball"])
def test_the_kind_of_a_feature_is_suggested_from_its_touches(kind):
    if kind == "hole":
        centers, approach, radii = hole(8)
    elif kind == "plane":
        centers = np.column_stack([RNG.uniform(-20, 20, (5, 2)), np.full(5, 2.0)])
        approach, radii = np.tile([0.05, 0, -1.0], (5, 1)) / np.hypot(1, 0.05), np.full(5, 2.0)
    else:
        out = np.array([[0, 0, 1.0], [1, 0, 0.3], [0, 1, 0.3], [-1, 0, 0.3], [0, -1, 0.3], [0.7, 0.7, 0.7]])
        out /= np.linalg.norm(out, axis=1)[:, None]
        centers, approach, radii = 14.5 * out, -out, np.full(6, 2.0)
    pose = random_rigid(RNG, 100.0)
    found = suggest(apply(pose, centers), rotate(pose, approach), radii)[0]
    if kind == "plane":
        assert isinstance(found.feature, Plane)
    elif kind == "hole":
        assert isinstance(found.feature, Cylinder)
        assert found.inside
        assert abs(found.feature.radius - 10.0) < 0.1
        assert found.text.startswith("hole Ø")
    else:
        assert isinstance(found.feature, Sphere)
        assert not found.inside
        assert_allclose(found.feature.radius, 12.5, atol=1e-6)


def test_two_touches_suggest_nothing():
    assert suggest(np.zeros((2, 3)), np.tile([0, 0, -1.0], (2, 1)), np.ones(2)) == []


@pytest.fixture
def probe():
    own = demo_probing().assembly("p1")
    return probe_shape(own.bodies(), own.styli()), own.styli()[0].center


def test_a_way_over_the_part_meets_nothing(model, evaluator, probe):
    shape, tip = probe
    part = PartObstacle(evaluator.projector, model.box, np.eye(4))
    around = Surroundings((part,), 300.0)
    start, end = np.array([-20.0, 30, 20]) - tip, np.array([58.0, 45, 30]) - tip  # beside the part, and in its bore
    way = find_way(shape, start, end, around)
    assert_allclose(way[-1], end)
    assert way[:, 2].max() == pytest.approx(300.0)
    for a, b in zip([start, *way[:-1]], way, strict=True):
        assert first_meeting(shape, a, b, (part,)) is None
    assert first_meeting(shape, start, end, (part,)).obstacle == "the part"


def test_a_place_inside_the_material_has_no_way(model, evaluator, probe):
    shape, tip = probe
    part = PartObstacle(evaluator.projector, model.box, np.eye(4))
    with pytest.raises(NoWay, match="no free way to the next touch: the part"):
        find_way(shape, np.array([0, 0, 400.0]), np.array([30.0, 30, 20]) - tip, Surroundings((part,), 300.0))


def test_what_meets_the_sphere_is_found_by_brute_force_too(probe):
    shape, _ = probe
    sphere = SphereObstacle(ReferenceSphere(), np.zeros(3))
    for _ in range(12):
        start, end = RNG.uniform(-120, 120, (2, 3)) + np.array([0, 0, 142])
        met = first_meeting(shape, start, end, (sphere,))
        steps = start + np.linspace(0, 1, 1500)[:, None] * (end - start)
        room = min(float((sphere.distances(shape.centers + at) - shape.radii).min()) for at in steps)
        assert (met is not None) == (room < 0) or abs(room) < 0.1


@pytest.mark.parametrize("pressed", [-0.02, 0.0, 0.05, 0.3])
@pytest.mark.parametrize("ways", [(), (np.array([0, 0, 1.0]),)])
@pytest.mark.parametrize("name", ["main-bore", "top"])
def test_a_probe_that_was_stopped_while_it_touched_gets_off(model, evaluator, probe, pressed, ways, name):
    """By a little it may stand in what is believed to be the surface: nothing is where it is believed to be."""
    shape, tip = probe
    radius = demo_probing().assembly("p1").styli()[0].radius
    part = PartObstacle(evaluator.projector, model.box, np.eye(4))
    faces = (housing_faces(model)[name],)
    feature = FeatureToTouch(name, name, faces, evaluator.nominal(faces))
    places, _ = Surface(model, evaluator.projector, feature).candidates(radius + 4.0)
    high = places.at(np.argsort(places.points[:, 2])[-40:])  # in the bore, the rest of the probe must be free too
    for k in range(0, len(high), 13):
        start = high.points[k] + (radius - pressed) * high.normals[k] - tip
        end = np.array([40.0, 70.0, 80.0]) - tip
        assert gap(shape, start, (part,))[0] == pytest.approx(-pressed, abs=0.01)
        way = find_way(shape, start, end, Surroundings((part,), 300.0), ways)
        assert_allclose(way[-1], end)
        rooms = [gap(shape, at, (part,))[0] for at in start + np.linspace(0, 1, 30)[:, None] * (way[0] - start)]
        assert np.diff(rooms).min() > -0.05  # off the surface, not along it nor into it
        for a, b in pairwise(way):
            assert first_meeting(shape, a, b, (part,)) is None


def test_the_stylus_that_points_best_is_chosen_and_the_rack_only_where_nothing_on_the_machine_points():
    probing, rng = demo_probing(), np.random.default_rng(4)
    every = probing.uses()
    asked = set()
    for _ in range(200):
        out = rng.normal(size=3)
        out /= np.linalg.norm(out)
        usable = [u for u in every if rng.uniform() < 0.6]
        mounted = str(rng.choice(["Short 4", "Long 3", ""]))
        found = pointing_at(probing, usable, out, mounted)
        # By what it means: the angle between the shaft, from tip to machine, and the way out of the surface.
        angles = {}
        for u in usable:
            stylus = probing.assembly(u.assembly).stylus(u.stylus, u.pose)
            there = probing.assembly(u.assembly).name == mounted
            if there or any(p.assembly == u.assembly for p in probing.rack):
                angles[u] = (there, float(np.arccos(np.clip(-stylus.direction @ out, -1, 1))))
        on = {u: a for u, (there, a) in angles.items() if there and a < np.arccos(0.3)}
        left = on or {u: a for u, (_, a) in angles.items()}
        if not left:
            assert found is None
            continue
        assert found is not None
        assert left[found] == pytest.approx(min(left.values()), abs=1e-9)
        asked.add(bool(on))
    assert asked == {True, False}
