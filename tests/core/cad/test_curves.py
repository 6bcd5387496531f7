"""Nearest places on edge curves against brute force over dense places."""

import numpy as np
import pytest
from scipy.interpolate import BSpline

from truegauge.core.cad.curves import evaluate_curve, nearest_on_curve, packed_curves, polyline_curve
from truegauge.core.cad.model import BSplineCurve


def random_curve(rng, degree, *, closed=False):
    count = int(rng.integers(degree + 2, 12))
    poles = np.cumsum(rng.normal(size=(count, 3)) * [4, 2, 1], axis=0)
    if closed:
        angle = np.linspace(0, 2 * np.pi, count)
        poles = np.column_stack([10 * np.cos(angle), 6 * np.sin(angle), np.sin(3 * angle)])
        poles[-1] = poles[0]
    inner = np.sort(rng.uniform(0, 1, count - degree - 1))
    knots = np.concatenate([np.zeros(degree + 1), inner, np.ones(degree + 1)])
    weights = rng.uniform(0.4, 2.5, count) if rng.uniform() < 0.7 else np.full(count, 3.0)
    weights[-1] = weights[0]
    return BSplineCurve(degree, knots, poles, weights)


def places_by_scipy(curve, at):
    whole = BSpline(curve.knots, np.column_stack([curve.poles * curve.weights[:, None], curve.weights]), curve.degree)
    values = whole(at)
    return values[:, :3] / values[:, 3:]


@pytest.mark.parametrize("closed", [False, True])
@pytest.mark.parametrize("degree", [1, 2, 3, 5])
def test_nearest_places_are_those_of_brute_force(rng, degree, closed):
    for _ in range(6):
        curve = random_curve(rng, degree, closed=closed)
        packed = packed_curves([random_curve(rng, 3), curve])  # not the first one: ranges count
        dense = np.linspace(0, 1, 20_001)
        places = places_by_scipy(curve, dense)
        out = np.empty(9)
        for k in rng.integers(0, len(dense), 20 if degree > 1 else 0):  # weights of straight pieces shift nothing
            evaluate_curve(packed.info, packed.breaks, packed.coefficients, 1, float(dense[k]), out)
            assert out[:3] == pytest.approx(places[k], abs=1e-10)
        for _ in range(40):
            point = places[rng.integers(len(dense))] + rng.normal(size=3) * 10.0 ** rng.uniform(-6, 0.5)
            squares = ((places - point) ** 2).sum(axis=1)
            begin = places[np.argmin(squares)]
            squared, _, _ = nearest_on_curve(
                packed.info, packed.breaks, packed.coefficients, packed.samples, 1, *begin, *point, out
            )
            # Brute force is a little too far, by the sag between its places.
            assert np.sqrt(squared) <= np.sqrt(squares.min()) + 1e-9
            assert np.sqrt(squared) >= np.sqrt(squares.min()) - 2e-3
            assert np.linalg.norm(out[:3] - point) == pytest.approx(np.sqrt(squared), abs=1e-9)


def test_ends_of_open_curves_are_told_and_closed_ones_have_none(rng):
    line = packed_curves([polyline_curve(np.array([[0.0, 0, 0], [10, 0, 0]]))])
    out = np.empty(9)
    parts = line.info, line.breaks, line.coefficients, line.samples
    for x, end in ((-3.0, True), (4.0, False), (12.0, True)):
        squared, _, held = nearest_on_curve(*parts, 0, min(max(x, 0.0), 10.0), 0.0, 0.0, x, 1.0, 0.0, out)
        assert held == end
        assert squared == pytest.approx(1 + (x - min(max(x, 0.0), 10.0)) ** 2)
    # A circle in nine poles: a place beside its seam is found across it, and is no end.
    s = np.sqrt(0.5)
    poles = np.array([[1, 0], [1, 1], [0, 1], [-1, 1], [-1, 0], [-1, -1], [0, -1], [1, -1], [1, 0]], dtype=float)
    circle = BSplineCurve(
        2, np.array([0, 0, 0, 1, 1, 2, 2, 3, 3, 4, 4, 4], dtype=float), np.column_stack([5 * poles, np.zeros(9)]),
        np.array([1, s, 1, s, 1, s, 1, s, 1]),
    )  # fmt: skip
    parts = packed_curves([circle])
    for angle in rng.uniform(0, 2 * np.pi, 50):
        point = np.array([7 * np.cos(angle), 7 * np.sin(angle), 1.0])
        begin = 5 * np.array([np.cos(angle + 0.4), np.sin(angle + 0.4), 0])  # beside, sometimes beyond the seam
        squared, _, held = nearest_on_curve(*parts, 0, *begin, *point, out)
        assert squared == pytest.approx(4 + 1, abs=1e-10)
        assert not held
