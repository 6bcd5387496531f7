"""What touches hold of a feature, and what is missing, in words."""

import numpy as np
import pytest
from tests.core.tolerancing.made import of

from truegauge.core.association.features import Cone, Cylinder, Plane, Sphere
from truegauge.core.cad.recognition import Nominal
from truegauge.core.characteristics.registry import KINDS
from truegauge.core.errors import AssociationError, EvaluationError
from truegauge.core.features.held_by_points import held_by, need_held

Z = np.array([0.0, 0.0, 1.0])
HOLE = Nominal(Cylinder(np.zeros(3), Z, 10.0), -1, 20.0, np.zeros(3))


def touches(angles_deg, heights):
    return np.array([(10 * np.cos(np.radians(a)), 10 * np.sin(np.radians(a)), z) for z in heights for a in angles_deg])


def test_eight_touches_at_one_height_over_105_degrees_hold_neither_direction_nor_place():
    points = touches(np.linspace(0, 105, 8), [3.0])
    held = held_by(HOLE, points)
    assert "8 touches at one height" in held.direction
    assert "at least 4.00 mm apart along the axis" in held.direction
    assert "8 touches over 105 degrees; at least 180 of its 360" in held.place
    measured = of(HOLE, points)
    for kind in ("diameter", "perpendicularity", "position", "coordinate_x", "cylindricity"):
        with pytest.raises(EvaluationError, match="8 touches"):
            need_held(KINDS[kind].needs, (measured,))


@pytest.mark.parametrize("heights", [(-8, 8), (-8, 0, 8), (-3, 3)])
@pytest.mark.parametrize("angles", [(0, 120, 240), (0, 90, 180, 270), (0, 90, 180)])
def test_rings_at_two_heights_hold_all(angles, heights):
    held = held_by(HOLE, touches(angles, heights))
    assert (held.direction, held.place) == ("", "")


def test_a_ring_and_one_touch_more_do_not_hold_the_direction():
    points = np.vstack([touches((0, 60, 120, 180, 240, 300), [-8]), touches((0,), [8])])
    assert "leave its direction open" in held_by(HOLE, points).direction


def test_a_rounded_corner_is_held_by_touches_over_most_of_its_arc():
    corner = Nominal(Cylinder(np.zeros(3), Z, 10.0), -1, 20.0, np.zeros(3), arc=np.pi / 2)
    assert held_by(corner, touches((0, 20, 45, 70, 90), (-8, 0, 8))).place == ""
    assert "at least 45 of its 90" in held_by(corner, touches((0, 10, 20, 30), (-8, 8))).place


def test_planes_need_touches_spread_over_their_face():
    square = np.array([(x, y, 0.0) for x in (-50, 50) for y in (-50, 50)])
    face = Nominal(Plane(np.zeros(3), Z), 1, 141.0, np.zeros(3), corners=square)
    spread = np.array([(-40, -40, 0), (40, -40, 0), (0, 40, 0.01)])
    assert held_by(face, spread).direction == ""
    assert "close together or on one line" in held_by(face, spread * 0.05).direction
    line = np.column_stack([np.linspace(-40, 40, 6), np.zeros(6), np.zeros(6)])
    assert "3 touches" not in held_by(face, line).direction
    assert "6 touches that lie close together or on one line" in held_by(face, line).place
    strip = Nominal(Plane(np.zeros(3), Z), 1, 100.0, np.zeros(3), corners=square * [1, 0.02, 1])
    assert held_by(strip, np.array([(-40, -0.5, 0), (40, 0.5, 0), (0, -0.5, 0), (20, 0.8, 0)])).direction == ""


def test_balls_and_cones():
    ball = Nominal(Sphere(np.zeros(3), 10.0), 1, 20.0, np.zeros(3))
    angle = np.arange(6) * np.pi / 3
    cap = np.vstack([[0, 0, 10.0], np.column_stack([np.cos(angle), np.sin(angle), np.full(6, 9.95)])])
    assert "too small a part of the ball" in held_by(ball, cap).place
    assert held_by(ball, 10 * np.vstack([np.eye(3), -np.eye(3)])).place == ""
    cone = Nominal(Cone(np.array([0, 0, -20.0]), Z, np.radians(20)), -1, 20.0, np.zeros(3))
    with pytest.raises(AssociationError, match="at one height"):
        of(cone, touches((0, 60, 120, 180, 240, 300), [2.0]))


@pytest.mark.parametrize("seed", range(20))
def test_what_is_held_is_found_well_and_what_is_not_is_not(seed):
    """Errors of 0.001 of single touches: held ends move by some hundredths at most, those not held by far more."""
    rng = np.random.default_rng(seed)
    angles = np.sort(rng.uniform(0, rng.uniform(40, 360), int(rng.integers(3, 9))))
    heights = rng.uniform(-9, 9, int(rng.integers(1, 4)))
    points = touches(angles, heights)
    if len(points) < 6:
        return
    held = held_by(HOLE, points)
    rows = np.column_stack([points[:, 0] / 10, points[:, 1] / 10, points[:, 0] * points[:, 2] / 10,
                            points[:, 1] * points[:, 2] / 10, np.ones(len(points))])  # fmt: skip
    if not held.direction:
        cofactor = np.linalg.inv(rows.T @ rows)
        end = np.array([1, 0, 10.0, 0, 0])
        assert np.sqrt(end @ cofactor @ end) < 8.5
    elif np.linalg.matrix_rank(rows, tol=1e-6) == 5:
        assert np.ptp(heights) < 4.0 or np.ptp(angles) < 180 or np.linalg.cond(rows) > 30
