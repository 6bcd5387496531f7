"""Distances of places to features: by closed forms, whatever the pose."""

from dataclasses import replace
from types import SimpleNamespace

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from truegauge.core.association.features import Circle, Cone, Cylinder, Line, Plane, Point, Sphere, Torus
from truegauge.core.evaluation.located import Lie
from truegauge.core.evaluation.surface_distances import distance_to, feature_distances
from truegauge.core.frames import apply, invert
from truegauge.core.nodes.graph import NotComputed

Z = np.array([0.0, 0.0, 1.0])


@pytest.mark.parametrize("seed", range(6))
def test_distances_are_those_of_the_definition(seed):
    rng = np.random.default_rng(seed)
    turn, shift = Rotation.random(random_state=seed).as_matrix(), rng.uniform(-50, 50, 3)
    place = rng.uniform(-30, 30, 3)
    beside = np.hypot(place[0], place[1])
    o, z, at = shift, turn @ Z, turn @ place + shift
    for feature, words, wanted in (
        (Plane(o, z), "from the plane", abs(place[2])),
        (Cylinder(o, z, 4.0), "from the axis", beside),
        (Cone(o, z, 0.3), "from the axis", beside),
        (Line(o, z), "from the axis", beside),
        (Torus(o, z, 9.0, 2.0), "from the axis", beside),
        (Sphere(o, 3.0), "from the middle", np.linalg.norm(place)),
        (Point(o), "from the middle", np.linalg.norm(place)),
        (Circle(o, z, 5.0), "from the middle", np.linalg.norm(place)),
    ):
        assert distance_to(feature, at) == (words, pytest.approx(float(wanted), abs=1e-9))


def test_the_deepest_place_is_taken_to_the_part_first_and_what_was_not_measured_is_said():
    pose = np.eye(4)
    pose[:3, :3], pose[:3, 3] = Rotation.from_euler("xyz", [20, 30, 40], degrees=True).as_matrix(), (5, 6, 7)
    lie = Lie(pose, 1.001)
    scanned = apply(invert(pose), np.array([[10.0, 20.0, 30.0]]))[0] / 1.001
    names = {"top": "top face", "bore": "bore"}
    plan = SimpleNamespace(has_feature=names.__contains__, feature=lambda k: SimpleNamespace(name=names[k]))
    features = {"top": SimpleNamespace(feature=Plane(np.zeros(3), Z)), "bore": NotComputed("no points")}
    evaluation = SimpleNamespace(plan=plan, features=features)
    one = SimpleNamespace(deepest=tuple(scanned))
    top, bore = feature_distances(("top", "gone", "bore"), evaluation, lie, one)
    assert (top.feature, top.words) == ("top face", "from the plane")
    assert top.value == pytest.approx(30.0)
    assert (bore.feature, bore.words, bore.value) == ("bore", "was not measured", None)
    moved = replace(lie, growth=1.0)
    assert feature_distances(("top",), evaluation, moved, one)[0].value != pytest.approx(30.0)
