"""Points as they should not be: every shape and criterion answers, or says in words why not. Nothing else comes out."""

import numpy as np
import pytest

from truegauge.core.association.by_criterion import associate, criteria_for
from truegauge.core.association.features import Shape
from truegauge.core.errors import AssociationError

_RNG = np.random.default_rng(3)
_GRID = np.stack(np.meshgrid(np.arange(4.0), np.arange(4.0)), axis=-1).reshape(-1, 2)
BAD = {
    "none": np.zeros((0, 3)),
    "one place": np.ones((20, 3)),
    "two places": np.repeat([[0.0, 0, 0], [1.0, 2, 3]], 10, axis=0),
    "one line": np.outer(np.arange(20.0), [1.0, 2, 3]),
    "one plane": np.column_stack([_RNG.normal(size=(40, 2)), np.zeros(40)]),
    "a ring": np.column_stack([np.cos(np.arange(30.0)), np.sin(np.arange(30.0)), np.zeros(30)]),
    "a grid": np.column_stack([_GRID, np.zeros(16)]),
    "a box of noise": _RNG.uniform(-1, 1, (50, 3)),
    "noise far away": 1e7 + _RNG.uniform(-1e-3, 1e-3, (50, 3)),
    "doubles": np.repeat(_RNG.normal(size=(8, 3)), 5, axis=0),
    "cube corners": np.array([[x, y, z] for x in (0.0, 1) for y in (0.0, 1) for z in (0.0, 1)]),
    "tiny": 1e-12 * _RNG.normal(size=(30, 3)),
    "huge": 1e12 * _RNG.normal(size=(30, 3)),
    "seven": _RNG.normal(size=(7, 3)),
}


@pytest.mark.parametrize("shape", list(Shape))
@pytest.mark.parametrize("name", BAD)
def test_an_answer_or_a_reason(shape, name):
    points = BAD[name]
    for criterion in criteria_for(shape):
        for normal in (None, np.array([0, 0, 1.0])):
            try:
                fit = associate(shape, points, criterion, plane_normal=normal)
            except AssociationError as error:
                assert 10 < len(str(error)) < 250
                continue
            assert np.isfinite(fit.residuals).all()
            assert len(fit.residuals) == len(points)
            assert fit.form >= 0
            covariance = fit.covariance
            assert covariance is None or np.isfinite(covariance).all()
