import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from numpy.testing import assert_allclose

from truegauge.core.association.nonnegative import nonnegative_least_squares


@given(st.integers(0, 10_000), st.integers(1, 7), st.integers(1, 30), st.booleans())
def test_the_answer_meets_the_conditions_of_an_optimum(seed, m, n, deficient):
    rng = np.random.default_rng(seed)
    system, right = rng.normal(size=(m, n)), rng.normal(size=m)
    if deficient:
        system[:, n // 2 :] = system[:, :1]
    x, length = nonnegative_least_squares(system, right)
    gradient = system.T @ (system @ x - right)
    assert x.min() >= 0
    assert gradient.min() >= -1e-9
    assert_allclose(gradient[x > 1e-12], 0, atol=1e-9)
    assert_allclose(length, np.linalg.norm(system @ x - right), atol=1e-12)
