"""Least squares of every shape on constructed sets: short arcs, far away, few and many points, tiny form."""

import numpy as np
import pytest
from constructed import FLAT, least_squares_case

from truegauge.core.association.by_criterion import associate
from truegauge.core.association.features import Shape

EASY = ["plane", "circle", "sphere", "cylinder", "cone20", "torus", "ellipse", "slot", "square_slot", "width"]
WAYS = {
    "plain": {},
    "far": {"far": 1e5},
    "nanometre": {"noise": 1e-6},
    "many": {"n": 20_000},
    "large": {"size": 5000.0},
    "small": {"size": 0.5, "noise": 1e-4},
    "few": {"n": 9},
}
SHORT = [("circle", 0.35), ("sphere", 0.5), ("cylinder", 0.5), ("torus", 0.8), ("cone20", 0.6), ("cone1", 6.28),
         ("cone60", 1.0), ("cone1", 1.5)]  # fmt: skip


def assert_found(shape, case, normal):
    name = shape.rstrip("0123456789")
    fit = associate(Shape(name), case.points, plane_normal=normal if shape in FLAT else None)
    for key, want in case.feature.parameters.items():
        got = fit.feature.parameters[key]
        if key in ("direction", "normal"):
            along = float(got @ want) if name == "cone" else abs(float(got @ want))
            assert np.arctan2(np.linalg.norm(np.cross(got, want)), along) <= case.angle, key
        elif key == "half_angle_rad":
            assert abs(got - want) <= case.angle, key
        elif key == "point":  # of a plane or an axis any point will do
            assert abs(case.feature.pose.axes[2] @ (got - want)) <= case.length if name == "plane" else (
                np.linalg.norm(np.cross(got - want, case.feature.direction)) <= case.length), key  # fmt: skip
        elif key == "center" and name == "width":
            assert abs(case.feature.normal @ (got - want)) <= case.length, key
        else:
            assert np.linalg.norm(np.subtract(got, want)) <= case.length, key


@pytest.mark.parametrize("way", WAYS)
@pytest.mark.parametrize("shape", EASY)
def test_the_constructed_feature_is_found(shape, way):
    for seed in range(3):
        assert_found(shape, *least_squares_case(shape, seed, **WAYS[way]))


@pytest.mark.parametrize(("shape", "arc"), SHORT)
def test_the_constructed_feature_is_found_on_a_short_arc(shape, arc):
    for seed in range(3):
        assert_found(shape, *least_squares_case(shape, seed, arc=arc, noise=0.002))
        assert_found(shape, *least_squares_case(shape, seed, arc=arc, size=2000.0, noise=0.002))
