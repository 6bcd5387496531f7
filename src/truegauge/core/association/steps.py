"""Compiled: the unknowns as motions of the shape, a step along them, and Gauss-Newton on the points.

The normal equations only steer; where the iteration ends is decided by the gradient, which is summed from the
residuals themselves. So no digits are lost against an orthogonal factorisation, unless the condition is so bad that
the steps lose their way: then `orthogonal` asks for the factorisation.
"""

import numpy as np
from numba import njit

from truegauge.core.association.kernels import (
    ACTIVE,
    CONE,
    COUNT,
    CYLINDER,
    FLAT_LINE,
    LINE,
    PLANE,
    WIDTH,
    linearised,
    normal_equations,
    stacked,
)
from truegauge.core.association.small_algebra import solve_positive, symmetric_eigen

DONE, ILL, DIVERGED, UNENDED = range(4)


@njit(cache=True, nogil=True)
def basis(origin, axes, motions, free_sizes):  # type: ignore[no-untyped-def]
    """Return (8, q): the motions in the shape's own frame, and the free sizes, one column an unknown."""
    k = motions.shape[0]
    out = np.zeros((8, k + free_sizes[0] + free_sizes[1]))
    for j in range(k):
        kind = motions[j, 0]
        if kind == 0.0:
            out[:6, j] = motions[j, 1:]
            continue
        v0, v1, v2 = motions[j, 1], motions[j, 2], motions[j, 3]
        w0, w1, w2 = motions[j, 4], motions[j, 5], motions[j, 6]
        if kind == 1.0:  # about the origin of the points: the shape's origin moves along
            v0 += w1 * origin[2] - w2 * origin[1]
            v1 += w2 * origin[0] - w0 * origin[2]
            v2 += w0 * origin[1] - w1 * origin[0]
        for r in range(3):
            out[r, j] = axes[r, 0] * v0 + axes[r, 1] * v1 + axes[r, 2] * v2
            out[3 + r, j] = axes[r, 0] * w0 + axes[r, 1] * w1 + axes[r, 2] * w2
    for s in range(2):
        if free_sizes[s]:
            out[6 + s, k] = 1.0
            k += 1
    return out


@njit(cache=True, nogil=True)
def active_rows(code, full):  # type: ignore[no-untyped-def]
    """Return the rows (p, q) of the basis that change the shape."""
    p = COUNT[code]
    out = np.empty((p, full.shape[1]))
    for k in range(p):
        out[k] = full[ACTIVE[code, k]]
    return out


@njit(cache=True, nogil=True)
def stepped(code, origin, axes, sizes, full, step):  # type: ignore[no-untyped-def]
    """Return origin, axes and sizes after the rigid motion and the change of sizes that the step means."""
    m = np.zeros(8)
    for r in range(8):
        for c in range(len(step)):
            m[r] += full[r, c] * step[c]
    v, w = m[:3], m[3:6]
    angle2 = w[0] * w[0] + w[1] * w[1] + w[2] * w[2]
    angle = np.sqrt(angle2)
    if angle < 1e-4:  # series, which keep all digits
        a, b, c = 1.0 - angle2 / 6.0, 0.5 - angle2 / 24.0, 1.0 / 6.0 - angle2 / 120.0
    else:
        a, b = np.sin(angle) / angle, (1.0 - np.cos(angle)) / angle2
        c = (1.0 - a) / angle2
    turn, shift, new_axes = np.empty((3, 3)), np.zeros(3), np.zeros((3, 3))
    cross = np.array([[0.0, -w[2], w[1]], [w[2], 0.0, -w[0]], [-w[1], w[0], 0.0]])
    for i in range(3):
        for j in range(3):
            square = w[i] * w[j] - (angle2 if i == j else 0.0)
            one = 1.0 if i == j else 0.0
            turn[i, j] = one + a * cross[i, j] + b * square
            shift[i] += (one + b * cross[i, j] + c * square) * v[j]
    for i in range(3):
        for j in range(3):
            for r in range(3):
                new_axes[i, j] += turn[r, i] * axes[r, j]
    z = new_axes[2] / np.sqrt(np.sum(new_axes[2] ** 2))
    x = new_axes[0] - np.sum(new_axes[0] * z) * z
    x /= np.sqrt(np.sum(x**2))
    new_axes[0], new_axes[2] = x, z
    new_axes[1, 0] = z[1] * x[2] - z[2] * x[1]
    new_axes[1, 1] = z[2] * x[0] - z[0] * x[2]
    new_axes[1, 2] = z[0] * x[1] - z[1] * x[0]
    new_origin = origin.copy()
    for j in range(3):
        for r in range(3):
            new_origin[j] += axes[r, j] * shift[r]
    new_sizes = np.array([sizes[0] + m[6], sizes[1] + m[7]])
    _settle(code, new_origin, new_axes, new_sizes)
    return new_origin, new_axes, new_sizes


@njit(cache=True, nogil=True)
def _settle(code, origin, axes, sizes):  # type: ignore[no-untyped-def]
    """Slide the origin, where the shape allows it, next to the centroid of the points (the zero)."""
    z = axes[1] if code == FLAT_LINE else axes[2]
    along = origin[0] * z[0] + origin[1] * z[1] + origin[2] * z[2]
    if code == LINE or code == CYLINDER or code == CONE:
        for k in range(3):
            origin[k] -= along * z[k]
        if code == CONE:
            sizes[0] -= along * np.tan(sizes[1])
    elif code == PLANE or code == WIDTH or code == FLAT_LINE:
        for k in range(3):
            origin[k] = along * z[k]


@njit(cache=True, nogil=True)
def through_rows(code, origin, axes, sizes, through, rows):  # type: ignore[no-untyped-def]
    """Return values and derivatives of the distances of the points to pass through; two for a line in space."""
    return stacked(code, origin, axes, sizes, through, np.empty(0))


@njit(cache=True, nogil=True)
def _solved(matrix, right, redundant):  # type: ignore[no-untyped-def]
    """Solve matrix x = -right by its eigenvalues, columns scaled; also the condition and the weakest direction."""
    q = matrix.shape[0]
    norms = np.sqrt(np.maximum(np.diag(matrix), 0.0))
    top = norms.max()
    if not top > 0.0:
        return np.zeros(q), np.inf, np.zeros(q)
    for k in range(q):
        if norms[k] <= 1e-14 * top:
            if not redundant:
                weakest = np.zeros(q)
                weakest[k] = 1.0
                return np.zeros(q), np.inf, weakest
            norms[k] = top
    scaled = np.empty((q, q))
    for j in range(q):
        for k in range(q):
            scaled[j, k] = matrix[j, k] / (norms[j] * norms[k])
    if not redundant:
        sound, x, least_pivot = solve_positive(scaled, right / norms)
        if sound and least_pivot > 1e-6:  # far from singular: no more need be known
            return -x / norms, 1.0 / np.sqrt(least_pivot), x
    values, vectors = symmetric_eigen(scaled)
    least = 1e-12 * values[-1] if redundant else 0.0
    smallest = -1.0
    x = np.zeros(q)
    for k in range(q):
        if values[k] > least:
            share = 0.0
            for j in range(q):
                share += vectors[j, k] * right[j] / norms[j]
            for j in range(q):
                x[j] -= vectors[j, k] * (share / values[k])
            if smallest < 0.0:
                smallest = values[k]
    if not smallest > 0.0 or (values[0] < -1e-13 * values[-1] and not redundant):
        return np.zeros(q), np.inf, vectors[:, 0].copy()
    return x / norms, np.sqrt(values[-1] / smallest), vectors[:, 0].copy()


@njit(cache=True, nogil=True)
def _orthogonal_step(jacobian, d):  # type: ignore[no-untyped-def]
    """Solve the linear least-squares problem by factorisation; also condition and weakest direction."""
    q = jacobian.shape[1]
    norms = np.sqrt(np.sum(jacobian**2, axis=0))
    for k in range(q):
        if not norms[k] > 1e-13 * norms.max():
            weakest = np.zeros(q)
            weakest[k] = 1.0
            return np.zeros(q), np.inf, weakest
    u, values, vt = np.linalg.svd(jacobian / norms, full_matrices=False)
    if len(values) < q or values[-1] <= 1e-14 * values[0]:
        return np.zeros(q), np.inf, vt[-1].copy()
    return -(vt.T @ ((u.T @ d) / values)) / norms, values[0] / values[-1], vt[-1].copy()


@njit(cache=True, nogil=True)
def null_space(rows, values):  # type: ignore[no-untyped-def]
    """Return the least step that makes linearised values zero, and a basis of the steps that keep them so."""
    q = rows.shape[1]
    u, s, vt = np.linalg.svd(rows, full_matrices=True)
    rank = 0
    first = np.zeros(q)
    share = u.T @ values
    for k in range(len(s)):
        if s[k] > 1e-12 * s[0]:
            first -= vt[k] * (share[k] / s[k])
            rank += 1
    return first, np.ascontiguousarray(vt[rank:].T)


@njit(cache=True, nogil=True)
def congruent(rows, matrix):  # type: ignore[no-untyped-def]
    """Return rows^T matrix rows."""
    p, q = rows.shape
    half, out = np.zeros((p, q)), np.zeros((q, q))
    for i in range(p):
        for k in range(p):
            for j in range(q):
                half[i, j] += matrix[i, k] * rows[k, j]
    for i in range(q):
        for k in range(p):
            for j in range(q):
                out[i, j] += rows[k, i] * half[k, j]
    return out


@njit(cache=True, nogil=True)
def transposed_times(rows, vector):  # type: ignore[no-untyped-def]
    """Return rows^T vector."""
    out = np.zeros(rows.shape[1])
    for k in range(rows.shape[0]):
        for j in range(rows.shape[1]):
            out[j] += rows[k, j] * vector[k]
    return out


@njit(cache=True, nogil=True)
def gauss_newton(code, origin, axes, sizes, motions, free_sizes, through, redundant, points, weights, most, orthogonal):  # type: ignore[no-untyped-def]
    """Minimise the sum of squared (weighted) distances.

    Returns status, iterations, sum of squares, condition, weakest direction (own columns), origin, axes, sizes.
    """
    last, before, share = np.inf, np.inf, 1.0
    first, free = np.zeros(0), np.zeros((0, 0))
    condition = np.inf
    weakest = np.zeros(8)
    kept_origin, kept_axes, kept_sizes, kept_step = origin, axes, sizes, np.zeros(0)
    kept_full = np.zeros((8, 0))
    square = np.inf
    for turn in range(most):
        full = basis(origin, axes, motions, free_sizes)
        rows = active_rows(code, full)
        if orthogonal:
            d, jacobian = stacked(code, origin, axes, sizes, points, weights)
            square = np.sum(d * d)
        else:
            matrix, right, square = normal_equations(code, origin, axes, sizes, points, weights)
        if not np.isfinite(square):
            return DIVERGED, turn, square, condition, weakest, origin, axes, sizes
        if square > before * (1 + 1e-9) and last > 1e-7 and len(through) == 0:
            # Too far: half of the last step, from where it began.
            share *= 0.5
            last *= 0.5
            if share < 1e-9:
                return DIVERGED, turn, square, condition, weakest, origin, axes, sizes
            origin, axes, sizes = stepped(code, kept_origin, kept_axes, kept_sizes, kept_full, share * kept_step)
            continue
        before, share = square, 1.0
        if len(through) > 0:
            values, gradient = through_rows(code, origin, axes, sizes, through, rows)
            first, free = null_space(gradient @ rows, values)
        elif turn == 0:
            first, free = np.zeros(rows.shape[1]), np.eye(rows.shape[1])
        if free.shape[1] == 0:
            step, condition, weak = first, 1.0, np.zeros(0)
        elif orthogonal:
            reduced = jacobian @ rows
            step, condition, weak = _orthogonal_step(reduced @ free, d + reduced @ first)
            step = first + free @ step
        else:
            small, gradient_small = congruent(rows, matrix), transposed_times(rows, right)
            if len(through) == 0:
                step, condition, weak = _solved(small, gradient_small, redundant)
            else:
                gradient_small += small @ first
                step, condition, weak = _solved(
                    congruent(free, small), transposed_times(free, gradient_small), redundant
                )
                step = first + free @ step
        if len(weak) > 0 and condition == np.inf:
            weakest = full @ (free @ weak)
        if condition > (1e13 if orthogonal else 3e6):
            if len(weak) > 0:
                weakest = full @ (free @ weak)
            return ILL, turn, square, condition, weakest, origin, axes, sizes
        size = np.abs(step).max()
        if size > 0.5:
            step *= 0.5 / size
        kept_origin, kept_axes, kept_sizes, kept_step, kept_full = origin, axes, sizes, step, full
        done = size < 1e-15 or (size < 1e-9 and (size >= 0.9 * last or size < 2e-16 * condition))
        if done and turn > 0:
            return DONE, turn, square, condition, weakest, origin, axes, sizes
        origin, axes, sizes = stepped(code, origin, axes, sizes, full, step)
        if code == CONE and not 0.0 < sizes[1] < 0.5 * np.pi:
            return DIVERGED, turn, square, condition, weakest, origin, axes, sizes
        if turn > 0 and size < 1e-6 and size * (size / last) < 1e-17:  # quadratic: the next step would be nothing
            return DONE, turn + 1, square, condition, weakest, origin, axes, sizes
        last = size
    return UNENDED, most, square, condition, weakest, origin, axes, sizes


@njit(cache=True, nogil=True)
def reduced(code, origin, axes, sizes, motions, free_sizes, points, weights):  # type: ignore[no-untyped-def]
    """Return weighted distances (n,) and their derivatives for the unknowns (n, q)."""
    d, jacobian = linearised(code, origin, axes, sizes, points)
    rows = active_rows(code, basis(origin, axes, motions, free_sizes))
    jacobian = jacobian @ rows
    if len(weights) > 0:
        for i in range(len(d)):
            d[i] *= weights[i]
            jacobian[i] *= weights[i]
    return d, jacobian


@njit(cache=True, nogil=True)
def solve_from(code, origin, axes, sizes, motions, free_sizes, through, redundant, points, weights, most):  # type: ignore[no-untyped-def]
    """As `gauss_newton`, by normal equations and, where their condition is bad, by factorisation."""
    settled_origin, settled_sizes = origin.copy(), sizes.copy()
    _settle(code, settled_origin, axes, settled_sizes)
    for way in range(2):  # a literal True or False would have everything compiled twice
        found = gauss_newton(code, settled_origin, axes, settled_sizes, motions, free_sizes, through, redundant, points,
                             weights, most, way == 1)  # fmt: skip
        if found[0] != ILL or redundant:
            break
    return found


@njit(cache=True, nogil=True)
def cofactors(code, origin, axes, sizes, motions, free_sizes, points, weights):  # type: ignore[no-untyped-def]
    """Return the motions and sizes for each unknown (8, q), the inverse of J^T J (q, q), and the condition of J."""
    full = basis(origin, axes, motions, free_sizes)
    matrix = congruent(active_rows(code, full), normal_equations(code, origin, axes, sizes, points, weights)[0])
    inverse, condition = inverted(matrix)
    return full, inverse, condition


@njit(cache=True, nogil=True)
def inverted(matrix):  # type: ignore[no-untyped-def]
    """Return the (pseudo-)inverse of J^T J and the condition of J with columns of unit length."""
    q = matrix.shape[0]
    norms, scaled, out = np.empty(q), np.empty((q, q)), np.zeros((q, q))
    for k in range(q):
        norms[k] = np.sqrt(matrix[k, k]) if matrix[k, k] > 0.0 else 1.0
    for j in range(q):
        for k in range(q):
            scaled[j, k] = matrix[j, k] / (norms[j] * norms[k])
    values, vectors = symmetric_eigen(scaled)
    smallest = -1.0
    for r in range(q):
        if values[r] > 1e-14 * values[q - 1]:
            if smallest < 0.0:
                smallest = values[r]
            for j in range(q):
                for k in range(q):
                    out[j, k] += vectors[j, r] * vectors[k, r] / (values[r] * norms[j] * norms[k])
    return out, np.sqrt(values[q - 1] / smallest) if smallest > 0.0 else 1.0
