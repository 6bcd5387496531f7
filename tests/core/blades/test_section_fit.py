"""Fits of sections against the smallest that a search by brute force finds."""

import numpy as np
import pytest
from scipy.optimize import minimize
from tests.core.blades.shapes import naca, two_circles

from truegauge.core.blades.profile import Profile
from truegauge.core.blades.section_fit import Freedom, feet_on, fit_section
from truegauge.core.errors import EvaluationError


def measured(nominal, seed, count=300, noise=0.01):
    """Points of a wavy copy of a section, turned and shifted."""
    rng = np.random.default_rng(seed)
    s = rng.uniform(0, nominal.length, count)
    off = rng.normal(0, noise, count) + 0.03 * np.sin(s / 9)
    a, shift = rng.uniform(-0.03, 0.03), rng.uniform(-0.5, 0.5, 2)
    turn = np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]])
    return (nominal.at(s) - off[:, None] * nominal.inward(s)) @ turn.T + shift


def moved(points, fit, x):
    c, s = np.cos(x[2]), np.sin(x[2])
    return (points - fit.pivot) @ np.array([[c, -s], [s, c]]).T + fit.pivot + x[:2]


def straight_distance(profile, points):
    """Return distances to a profile by very many of its places."""
    places = profile.at(np.linspace(0, profile.length, 40_001))
    return np.array([np.sqrt(np.square(places - p).sum(axis=1).min()) for p in points])


SECTIONS = [naca("4415", 500)[0], two_circles(40, 3.0, 0.5)]


@pytest.mark.parametrize("section", [0, 1])
def test_distances_are_those_to_all_of_the_profile(section):
    nominal = Profile.through(SECTIONS[section])
    rng = np.random.default_rng(1)
    low, high = SECTIONS[section].min(axis=0) - 2, SECTIONS[section].max(axis=0) + 2
    points = rng.uniform(low, high, (60, 2))
    found = feet_on(nominal, points)
    others = straight_distance(nominal, points) - np.abs(found.distance)
    assert others.min() > -1e-9  # no place is nearer, and some of so many nearly as near
    assert others.max() < 2e-5
    place = nominal.at(found.s)
    assert np.allclose(points - place, found.distance[:, None] * found.outward, atol=1e-9)


@pytest.mark.parametrize("criterion", ["least squares", "minimax"])
@pytest.mark.parametrize("seed", range(3))
@pytest.mark.parametrize("section", [0, 1])
def test_no_other_motion_is_better(section, seed, criterion):
    nominal = Profile.through(SECTIONS[section])
    points = measured(nominal, seed)
    fit = fit_section(nominal, points, criterion=criterion)
    assert fit.undetermined == ()
    assert np.allclose(feet_on(nominal, fit.moved(points)).distance, fit.after, atol=1e-12)

    def worth(x):
        d = feet_on(nominal, moved(points, fit, x)).distance
        return np.abs(d).max() if criterion == "minimax" else float(d @ d)

    best = np.append(fit.shift, fit.turn)
    start = best + np.random.default_rng(seed).normal(0, [0.004, 0.004, 2e-4])
    other = minimize(worth, start, method="Nelder-Mead",
                     options={"xatol": 1e-9, "fatol": 1e-14, "maxiter": 4000, "maxfev": 6000})  # fmt: skip
    assert worth(best) <= other.fun + 1e-9
    if criterion == "least squares":
        assert best[:2] == pytest.approx(other.x[:2], abs=1e-6)


def test_freedoms_and_limits_are_kept():
    nominal = Profile.through(SECTIONS[1])
    points = measured(nominal, 7)
    free = fit_section(nominal, points)
    only = fit_section(nominal, points, Freedom(np.array([[0.0, 1.0]]), turns=False))
    assert (only.shift[0], only.turn) == (0.0, 0.0)
    assert only.shift[1] != 0.0
    assert only.limited is False
    none = fit_section(nominal, points, Freedom(np.zeros((0, 2)), turns=False))
    assert np.array_equal(none.after, none.before)
    held = fit_section(nominal, points, Freedom(np.eye(2), shift_limit=0.05, turn_limit=np.radians(0.1)))
    assert np.abs(held.shift).max() <= 0.05 + 1e-12
    assert abs(held.turn) <= np.radians(0.1) + 1e-12
    assert held.limited
    assert np.sum(held.after**2) >= np.sum(free.after**2)
    about = fit_section(nominal, points, Freedom(np.zeros((0, 2)), pivot=np.array([40.0, 0.0])))
    assert about.moved(np.array([[40.0, 0.0]]))[0] == pytest.approx([40.0, 0.0])
    assert np.linalg.det(about.matrix) == pytest.approx(1.0)


def test_what_counts_more_is_met_more_closely():
    nominal = Profile.through(SECTIONS[1])
    points = measured(nominal, 3)
    front = points[:, 0] < 10
    weights = np.where(front, 100.0, 1.0)
    plain, weighted = fit_section(nominal, points), fit_section(nominal, points, weights=weights)
    assert np.sum(weighted.after[front] ** 2) < np.sum(plain.after[front] ** 2)
    assert np.sum(weighted.after**2) > np.sum(plain.after**2)
    with pytest.raises(EvaluationError, match="too few"):
        fit_section(nominal, points, weights=np.append(np.ones(3), np.zeros(len(points) - 3)))


def test_what_points_do_not_determine_is_said():
    nominal = Profile.through(two_circles(40, 2.0, 2.0))
    points = measured(nominal, 2, noise=0.002)
    sides = np.abs(nominal.at(feet_on(nominal, points).s)[:, 0] - 20) < 12  # along straight sides it may slide
    assert fit_section(nominal, points[sides]).undetermined == ("the shift",)
    a = np.linspace(0, 2 * np.pi, 400, endpoint=False)
    ball = Profile.through(5.0 * np.column_stack([np.cos(a), np.sin(a)]))
    assert fit_section(ball, 5.1 * np.column_stack([np.cos(a), np.sin(a)])).undetermined == ("the turn",)
