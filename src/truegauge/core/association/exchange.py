"""The linear minimax problem by exchanges of contacts (compiled).

Minimise over x, |x_k| <= bound, the largest of ``s (f_i + J_i x)`` over points i and sides s. Points with a `share` of
0 instead of 1 do not raise the level: theirs must not be above 0. The dual simplex method:
a vertex is held by as many functions or bounds as there are unknowns and one more; the function that reaches highest
over it enters, the one whose multiplier would become negative first leaves (Stiefel's exchange, with bounds).
"""

import numpy as np
from numba import njit

from truegauge.core.association.small_algebra import solve_linear

_MOST = 400


@njit(cache=True, nogil=True)
def exchange(f, jacobian, sides, bound, share_of):  # type: ignore[no-untyped-def]
    """Return status, x (m,), the level, contacts (k,), their sides (k,) and multipliers (k,).

    The status is 0 when done, 1 without a vertex, 2 when stopped on the way (points of share 0 that contradict).
    """
    n, m = jacobian.shape
    worst, first, first_side = -np.inf, 0, 1.0
    for s in sides:
        for i in range(n):
            if share_of[i] > 0.0 and s * f[i] > worst:
                worst, first, first_side = s * f[i], i, s
    # What holds the vertex: (point, side), or (-1 - k, sign) for the bound of the unknown k.
    held = np.empty(m + 1, dtype=np.int64)
    sign = np.empty(m + 1)
    multipliers = np.empty(m + 1)
    held[0], sign[0], multipliers[0] = first, first_side, 1.0
    for k in range(m):
        slope = first_side * jacobian[first, k]
        held[k + 1] = -1 - k
        sign[k + 1] = -1.0 if slope > 0.0 else 1.0
        multipliers[k + 1] = abs(slope)
    matrix, right = np.empty((m + 1, m + 1)), np.empty(m + 1)
    x, level = np.zeros(m), worst
    entering, turned = np.empty(m + 1), np.empty((m + 1, m + 1))
    status = 2
    # Below this a violation is rounding: exchanging for it would never end. Newton's method brings the last digits.
    tolerance = 1e-10 * bound + 4e-16 * np.abs(f).max()
    for _ in range(_MOST):
        for r in range(m + 1):
            _row(held[r], sign[r], jacobian, share_of, matrix[r])
            right[r] = -sign[r] * f[held[r]] if held[r] >= 0 else bound
        regular, vertex = solve_linear(matrix, right)
        if not regular:
            status = 1
            break
        x, level = vertex[:m].copy(), vertex[m]
        over, point, side = tolerance, 0, 0.0
        for k in range(m):
            beyond = abs(x[k]) - bound
            if beyond > over:
                over, point, side = beyond, -1 - k, (1.0 if x[k] > 0.0 else -1.0)
        for i in range(n):
            value = f[i]
            for k in range(m):
                value += jacobian[i, k] * x[k]
            for s in sides:
                if s * value - share_of[i] * level > over:
                    over, point, side = s * value - share_of[i] * level, i, s
        if side == 0.0:
            status = 0
            break
        _row(point, side, jacobian, share_of, entering)
        for r in range(m + 1):
            for k in range(m + 1):
                turned[k, r] = matrix[r, k]
        _, share = solve_linear(turned, entering)
        best, leaving = np.inf, -1
        for r in range(m + 1):
            if share[r] > 1e-12:
                ratio = multipliers[r] / share[r]
                if ratio < best or (ratio == best and held[r] < 0):
                    best, leaving = ratio, r
        if leaving < 0:
            break
        for r in range(m + 1):
            multipliers[r] = max(multipliers[r] - best * share[r], 0.0)
        held[leaving], sign[leaving], multipliers[leaving] = point, side, best
    contacts, count = np.empty(m + 1, dtype=np.int64), 0
    contact_sides, contact_multipliers = np.empty(m + 1), np.empty(m + 1)
    for r in range(m + 1):
        if held[r] >= 0:
            contacts[count], contact_sides[count], contact_multipliers[count] = held[r], sign[r], multipliers[r]
            count += 1
    return status, x, level, contacts[:count], contact_sides[:count], contact_multipliers[:count]


@njit(cache=True, nogil=True)
def _row(point, side, jacobian, share_of, out):  # type: ignore[no-untyped-def]
    """Fill in the row of a function (side * J, -share) or of a bound (unit vector, 0)."""
    m = jacobian.shape[1]
    if point >= 0:
        for k in range(m):
            out[k] = side * jacobian[point, k]
        out[m] = -share_of[point]
    else:
        for k in range(m + 1):
            out[k] = 0.0
        out[-1 - point] = side
