"""Least squares with non-negative unknowns (Lawson and Hanson, Solving least squares problems, 1974, chapter 23).

Our own, because that of SciPy 1.17.1 frees memory twice on some rank-deficient systems, which ends the process.
"""

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats


def nonnegative_least_squares(system: NDArray[np.float64], right: Floats) -> tuple[Floats, float]:
    """Return x >= 0 with the least ``|system @ x - right|``, and that length.

    Parameters
    ----------
    system : (m, n) float64
        A few rows, perhaps many columns.
    right : (m,) float64
    """
    n = system.shape[1]
    x = np.zeros(n)
    chosen = np.zeros(n, dtype=bool)
    lengths = np.linalg.norm(system, axis=0)
    tolerance = 1e-14 * float(lengths.max(initial=0.0)) * max(float(np.linalg.norm(right)), 1e-300)
    for _ in range(3 * n + 10):
        gain = system.T @ (right - system @ x)
        gain[chosen] = -np.inf
        best = int(np.argmax(gain)) if n else 0
        if n == 0 or gain[best] <= tolerance:
            break
        chosen[best] = True
        trial = _solved(system, right, chosen)
        if trial[best] <= 0:  # rounding: this column adds nothing
            chosen[best] = False
            break
        while chosen.any() and trial[chosen].min() <= 0:
            blocking = chosen & (trial <= 0)
            share = float(np.min(x[blocking] / (x[blocking] - trial[blocking])))
            x = x + share * (trial - x)
            chosen &= x > 1e-15 * max(float(x.max()), 1e-300)
            x[~chosen] = 0.0
            trial = _solved(system, right, chosen)
        x = trial
    return x, float(np.linalg.norm(system @ x - right))


def _solved(system: NDArray[np.float64], right: Floats, chosen: NDArray[np.bool_]) -> Floats:
    out = np.zeros(system.shape[1])
    if chosen.any():
        out[chosen] = np.linalg.lstsq(system[:, chosen], right, rcond=1e-14)[0]
    return out
