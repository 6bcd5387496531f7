import numpy as np
import pytest

from truegauge.core.deviations.spots import read_extreme, read_spot
from truegauge.core.errors import EvaluationError

UP = np.array([0.0, 0.0, 1.0])


def disc(rng, count, radius=1.0):
    r, a = radius * np.sqrt(rng.random(count)), 2 * np.pi * rng.random(count)
    return np.column_stack([r * np.cos(a), r * np.sin(a), np.zeros(count)])


def test_a_slope_does_not_falsify_the_value_at_the_place(rng):
    feet = disc(rng, 300)
    feet = feet[feet[:, 0] > -0.2]  # points on one side mostly, as beside an edge
    found = read_spot(feet, 0.05 + 0.02 * feet[:, 0] - 0.01 * feet[:, 1], np.zeros(3), UP)
    assert found.value == pytest.approx(0.05, abs=3e-4)
    assert found.measured == pytest.approx([0, 0, found.value])


def test_noise_averages_out_and_its_uncertainty_is_told(rng):
    values = []
    for _ in range(60):
        feet = disc(rng, 80)
        values.append(read_spot(feet, 0.03 + rng.normal(0, 0.01, 80), np.zeros(3), UP))
    off = np.array([v.value for v in values]) - 0.03
    told = np.mean([v.random for v in values])
    assert np.std(off) == pytest.approx(told, rel=0.4)
    assert abs(off.mean()) < 4 * told / np.sqrt(60)


def test_strays_are_left_out(rng):
    feet = disc(rng, 60)
    deviations = 0.02 + rng.normal(0, 0.002, 60)
    deviations[:5] += 0.8
    found = read_spot(feet, deviations, np.zeros(3), UP)
    assert found.value == pytest.approx(0.02, abs=0.002)
    assert found.points == 55


def test_along_a_direction_the_surface_is_met_farther_away(rng):
    slanted = np.array([np.sin(0.5), 0.0, np.cos(0.5)])
    found = read_spot(disc(rng, 50), np.full(50, 0.1), np.zeros(3), UP, slanted)
    assert found.value == pytest.approx(0.1 / np.cos(0.5))
    assert found.measured[2] == pytest.approx(0.1)
    with pytest.raises(EvaluationError, match="runs along the surface"):
        read_spot(disc(rng, 50), np.full(50, 0.1), np.zeros(3), UP, np.array([1.0, 0.0, 0.0]))


@pytest.mark.parametrize("count", [0, 1, 2])
def test_too_few_points_are_refused(count):
    with pytest.raises(EvaluationError, match=f"{count} points near the place"):
        read_spot(np.zeros((count, 3)), np.zeros(count), np.zeros(3), UP)


@pytest.mark.parametrize(("highest", "expected"), [(True, 0.3), (False, -0.2)])
def test_extremes_are_those_of_the_surface_and_not_of_noise_or_strays(rng, highest, expected):
    feet = np.column_stack([rng.uniform(-30, 30, (60_000, 2)), np.zeros(60_000)])
    bump = 0.3 * np.exp(-((feet[:, 0] - 10) ** 2 + feet[:, 1] ** 2) / 50)
    dent = -0.2 * np.exp(-((feet[:, 0] + 10) ** 2 + feet[:, 1] ** 2) / 50)
    deviations = bump + dent + rng.normal(0, 0.01, len(feet))
    deviations[rng.integers(0, len(feet), 60)] += rng.choice([-2.0, 2.0], 60)
    found = read_extreme(feet, np.tile(UP, (len(feet), 1)), deviations, 1.5, highest=highest)
    assert found.value == pytest.approx(expected, abs=0.015)
    assert found.place[0] == pytest.approx(10 if highest else -10, abs=3)


def test_an_extreme_without_averaging_is_that_of_the_points():
    feet = np.column_stack([np.arange(5.0), np.zeros((5, 2))])
    found = read_extreme(feet, np.tile(UP, (5, 1)), np.array([0.0, 0.4, -0.1, 0.2, 0.1]), 0.0, highest=True)
    assert (found.value, found.place[0]) == (0.4, 1.0)
