"""Times of a machine against the motion itself, stepped through in small steps."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from truegauge.core.routes.kinematics import Kinematics

LENGTHS = st.floats(0.01, 3000.0)
SPEEDS = st.floats(0.5, 600.0)
RATES = st.floats(50.0, 6000.0)


def driven(length, speed, acceleration, steps=200_000):
    """Times and places of a machine that is nowhere faster than it could have become, or could still stop, or may be.

    Its speed at a place follows from energy alone; time is the integral of way over speed.
    """
    edges = length * (1 - np.cos(np.linspace(0, np.pi, steps + 1))) / 2  # fine at both ends, where it is slow
    middle = (edges[:-1] + edges[1:]) / 2
    fast = np.minimum(speed, np.sqrt(2 * acceleration * np.minimum(middle, length - middle)))
    return np.concatenate([[0.0], np.cumsum(np.diff(edges) / fast)]), edges


@given(length=LENGTHS, speed=SPEEDS, acceleration=RATES)
def test_ways_take_as_long_as_the_motion(length, speed, acceleration):
    k = Kinematics(acceleration)
    times, places = driven(length, speed, acceleration)
    assert k.moving(length, speed) == pytest.approx(times[-1], rel=1e-4)
    assert np.abs(k.share_of_way(times, length, speed) - places / length).max() < 1e-3


@given(length=LENGTHS, speed=SPEEDS, acceleration=RATES)
def test_the_share_of_a_way_is_continuous_and_ends_at_its_end(length, speed, acceleration):
    k = Kinematics(acceleration)
    total = k.moving(length, speed)
    shares = k.share_of_way(np.linspace(-0.1 * total, 1.1 * total, 500), length, speed)
    assert shares[0] == 0.0
    assert shares[-1] == pytest.approx(1.0)
    assert (np.diff(shares) >= -1e-12).all()
    assert np.diff(shares).max() < 0.01


def test_no_way_takes_no_time_and_corners_are_stops():
    k = Kinematics(1000.0)
    assert k.moving(0.0, 100.0) == 0.0
    assert k.share_of_way(np.array([0.0, 1.0]), 0.0, 100.0).tolist() == [1.0, 1.0]
    corner = np.array([[0.0, 0, 0], [30, 0, 0], [30, 40, 0]])
    assert k.along(corner, 100.0) == pytest.approx(k.moving(30, 100) + k.moving(40, 100))
    assert k.along(corner, 100.0) > k.moving(70, 100)
    assert k.along(corner[:1], 100.0) == 0.0
    assert k.touching(4.0, 4.0, 5.0, 150.0) == pytest.approx(k.moving(4.0, 5.0) + k.moving(4.0, 150.0))
