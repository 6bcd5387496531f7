"""The quick sums for clouds give the digits of the general ones."""

import numpy as np
import pytest
from constructed import least_squares_case
from numpy.testing import assert_allclose

from truegauge.core.association.by_criterion import associate
from truegauge.core.association.features import Shape
from truegauge.core.association.fit import Criterion


@pytest.mark.parametrize("shape", ["plane", "circle", "sphere", "cylinder", "cone", "torus"])
def test_quick_and_general_sums_agree(shape, monkeypatch):
    case, _ = least_squares_case(shape, 9, n=50_000, far=1000)
    fast = associate(Shape(shape), case.points)
    monkeypatch.setattr("truegauge.core.association.squares.MANY", 10**9)
    # Weights, though all alike, take the general way.
    slow = associate(Shape(shape), case.points, weights=np.full(len(case.points), 2.0))
    for name, value in slow.feature.parameters.items():
        got = fast.feature.parameters[name]
        if name in ("direction", "normal"):
            assert np.linalg.norm(np.cross(value, got)) < 1e-11
        else:
            assert_allclose(got, value, rtol=0, atol=1e-9)


@pytest.mark.parametrize("shape", ["plane", "circle", "cylinder", "sphere"])
def test_zones_of_clouds_hold_every_point(shape):
    """The solver works on the points that can matter; the answer must hold for all of them."""
    case, _ = least_squares_case(shape, 3, n=60_000)
    fit = associate(Shape(shape), case.points, Criterion.MINIMUM_ZONE)
    sides = np.array(fit.certificate.sides)
    middle = 0.5 * (fit.residuals.max() + fit.residuals.min())
    assert_allclose((fit.residuals[list(fit.certificate.contacts)] - middle) * sides, fit.form / 2, rtol=0, atol=1e-9)
    assert fit.form <= associate(Shape(shape), case.points).form
