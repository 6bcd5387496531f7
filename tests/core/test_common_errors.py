"""Errors that features share: a length in any direction has its stated error, right angles have their squareness."""

import numpy as np
from numpy.random import default_rng

from truegauge.core.uncertainty.common_errors import common_errors
from truegauge.core.uncertainty.stated_errors import StatedErrors

DEVICE = StatedErrors(name="long", probing=0.004, constant=0.0, per_metre=0.020)


def test_a_length_in_any_direction_has_its_stated_error() -> None:
    draws = [common_errors(k, DEVICE) for k in range(4000)]
    for toward in default_rng(7).normal(size=(5, 3)):
        ends = np.array([100.0, -40.0, 7.0]) + np.outer([0, 500], toward / np.linalg.norm(toward))
        off = [np.linalg.norm(np.subtract(*d.strained(ends))) - 500 for d in draws]
        assert 0.95 < np.std(off) / DEVICE.of_length(500) < 1.05
        assert abs(np.mean(off)) < 0.1 * DEVICE.of_length(500)


def test_right_angles_have_an_error_of_squareness() -> None:
    corner = np.array([[0, 0, 0], [1.0, 0, 0], [0, 1.0, 0]])
    cosines = []
    for k in range(4000):
        at, x, y = common_errors(k, DEVICE).strained(corner)
        cosines.append((x - at) @ (y - at))
    assert 0.95 < np.std(cosines) / (np.sqrt(2) * DEVICE.of_scale) < 1.05


def test_every_feature_of_a_trial_has_the_same_errors_and_none_without_a_statement() -> None:
    assert np.array_equal(common_errors(3, DEVICE).strain, common_errors(3, DEVICE).strain)
    assert common_errors(3, DEVICE).probing == common_errors(3, DEVICE).probing != common_errors(4, DEVICE).probing
    points = default_rng(1).normal(size=(5, 3))
    assert np.array_equal(common_errors(3, StatedErrors()).strained(points), points)
