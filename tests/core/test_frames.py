import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.testing import assert_allclose

from truegauge.core.arrays import as_points, unit
from truegauge.core.frames import apply, as_rigid, from_rotation_vector, invert, random_rigid, rotate, rotation_to_z


@given(st.integers(0, 10_000))
def test_inverse_after_transform_is_the_identity(seed):
    rng = np.random.default_rng(seed)
    part_from_scan = as_rigid(random_rigid(rng, 500))
    points = rng.normal(size=(10, 3)) * 100
    assert_allclose(apply(invert(part_from_scan), apply(part_from_scan, points)), points, atol=1e-10)


@given(st.integers(0, 10_000))
def test_directions_turn_and_do_not_shift(seed):
    rng = np.random.default_rng(seed)
    move = random_rigid(rng, 500)
    direction = unit(rng.normal(size=3))
    assert_allclose(rotate(move, direction), apply(move, direction) - apply(move, np.zeros(3)), atol=1e-9)
    assert_allclose(rotate(rotation_to_z(direction), direction), [0, 0, 1], atol=1e-12)


def test_a_rotation_vector_turns_about_its_direction():
    quarter = from_rotation_vector(np.array([0, 0, np.pi / 2]), np.array([1.0, 2, 3]))
    assert_allclose(apply(quarter, np.array([1.0, 0, 0])), [1, 3, 3], atol=1e-12)
    assert_allclose(from_rotation_vector(np.zeros(3), np.array([1.0, 2, 3]))[:3, 3], [1, 2, 3])


@pytest.mark.parametrize(
    "matrix",
    [
        np.eye(3),
        2 * np.eye(4),
        np.diag([1.0, 1, -1, 1]),
        np.full((4, 4), np.nan),
        np.vstack([np.eye(4)[:3], [[0, 0, 1, 1]]]),
    ],
)
def test_what_is_no_rigid_transform_is_refused(matrix):
    with pytest.raises(ValueError, match="rigid transform"):
        as_rigid(matrix)


def test_points_are_checked_at_the_door():
    with pytest.raises(ValueError, match="n, 3"):
        as_points([[1, 2]])
    with pytest.raises(ValueError, match="finite"):
        as_points([[1, 2, np.inf]])
