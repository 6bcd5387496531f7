"""Compiled linear algebra for a handful of unknowns, where calling LAPACK costs more than the work.

Golub and Van Loan, Matrix Computations: cyclic Jacobi for symmetric matrices, one-sided Jacobi for singular values,
Gaussian elimination with partial pivoting.
"""

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def symmetric_eigen(matrix):  # type: ignore[no-untyped-def]
    """Return eigenvalues (n,), ascending, and eigenvectors (n, n) in columns."""
    n = matrix.shape[0]
    a, v = matrix.copy(), np.eye(n)
    for _ in range(60):
        off, on = 0.0, 0.0
        for i in range(n):
            on += a[i, i] * a[i, i]
            for j in range(i):
                off += a[i, j] * a[i, j]
        if off <= 1e-36 * on or off == 0.0:
            break
        for p in range(n - 1):
            for q in range(p + 1, n):
                if a[p, q] == 0.0:
                    continue
                theta = (a[q, q] - a[p, p]) / (2.0 * a[p, q])
                t = (1.0 if theta >= 0.0 else -1.0) / (abs(theta) + np.sqrt(theta * theta + 1.0))
                c = 1.0 / np.sqrt(t * t + 1.0)
                s = t * c
                for k in range(n):
                    x, y = a[k, p], a[k, q]
                    a[k, p], a[k, q] = c * x - s * y, s * x + c * y
                for k in range(n):
                    x, y = a[p, k], a[q, k]
                    a[p, k], a[q, k] = c * x - s * y, s * x + c * y
                for k in range(n):
                    x, y = v[k, p], v[k, q]
                    v[k, p], v[k, q] = c * x - s * y, s * x + c * y
    values = np.empty(n)
    for i in range(n):
        values[i] = a[i, i]
    order = np.argsort(values)
    vectors = np.empty((n, n))
    for j in range(n):
        vectors[:, j] = v[:, order[j]]
    return values[order], vectors


@njit(cache=True, nogil=True)
def singular_axes(points):  # type: ignore[no-untyped-def]
    """Return singular values (3,), falling, and right singular vectors in rows (3, 3), of points (n, 3)."""
    n = points.shape[0]
    u, v = points.copy(), np.eye(3)
    for _ in range(40):
        turned = False
        for p in range(2):
            for q in range(p + 1, 3):
                pp = qq = pq = 0.0
                for i in range(n):
                    pp += u[i, p] * u[i, p]
                    qq += u[i, q] * u[i, q]
                    pq += u[i, p] * u[i, q]
                if abs(pq) <= 1e-17 * np.sqrt(pp * qq) or pq == 0.0:
                    continue
                turned = True
                theta = (qq - pp) / (2.0 * pq)
                t = (1.0 if theta >= 0.0 else -1.0) / (abs(theta) + np.sqrt(theta * theta + 1.0))
                c = 1.0 / np.sqrt(t * t + 1.0)
                s = t * c
                for i in range(n):
                    x, y = u[i, p], u[i, q]
                    u[i, p], u[i, q] = c * x - s * y, s * x + c * y
                for k in range(3):
                    x, y = v[k, p], v[k, q]
                    v[k, p], v[k, q] = c * x - s * y, s * x + c * y
        if not turned:
            break
    values = np.empty(3)
    for k in range(3):
        values[k] = np.sqrt(np.sum(u[:, k] ** 2))
    order = np.argsort(-values)
    axes = np.empty((3, 3))
    for k in range(3):
        axes[k] = v[:, order[k]]
    return values[order], axes


@njit(cache=True, nogil=True)
def solve_linear(matrix, right):  # type: ignore[no-untyped-def]
    """Return whether the matrix is regular, and x with ``matrix @ x = right``."""
    n = matrix.shape[0]
    a, x = matrix.copy(), right.copy()
    for k in range(n):
        pivot = k
        for i in range(k + 1, n):
            if abs(a[i, k]) > abs(a[pivot, k]):
                pivot = i
        if not abs(a[pivot, k]) > 0.0:
            return False, x
        if pivot != k:
            for j in range(n):
                a[k, j], a[pivot, j] = a[pivot, j], a[k, j]
            x[k], x[pivot] = x[pivot], x[k]
        for i in range(k + 1, n):
            factor = a[i, k] / a[k, k]
            if factor != 0.0:
                for j in range(k + 1, n):
                    a[i, j] -= factor * a[k, j]
                x[i] -= factor * x[k]
    for k in range(n - 1, -1, -1):
        for j in range(k + 1, n):
            x[k] -= a[k, j] * x[j]
        x[k] /= a[k, k]
    return True, x


@njit(cache=True, nogil=True)
def solve_positive(matrix, right):  # type: ignore[no-untyped-def]
    """Solve by Cholesky: whether positive definite, x with ``matrix @ x = right``, and the least pivot."""
    n = matrix.shape[0]
    a, x, least = matrix.copy(), right.copy(), np.inf
    for k in range(n):
        pivot = a[k, k]
        least = min(least, pivot)
        if not pivot > 0.0:
            return False, x, least
        root = np.sqrt(pivot)
        for i in range(k, n):
            a[i, k] /= root
        for j in range(k + 1, n):
            for i in range(j, n):
                a[i, j] -= a[i, k] * a[j, k]
    for k in range(n):
        for j in range(k):
            x[k] -= a[k, j] * x[j]
        x[k] /= a[k, k]
    for k in range(n - 1, -1, -1):
        for j in range(k + 1, n):
            x[k] -= a[j, k] * x[j]
        x[k] /= a[k, k]
    return True, x, least


@njit(cache=True, nogil=True)
def axes_along(direction):  # type: ignore[no-untyped-def]
    """Return rows x, y, z of a right-handed frame whose z is the unit direction."""
    k = 0
    for j in range(1, 3):
        if abs(direction[j]) < abs(direction[k]):
            k = j
    helper = np.zeros(3)
    helper[k] = 1.0
    out = np.empty((3, 3))
    out[2] = direction
    out[0, 0] = direction[1] * helper[2] - direction[2] * helper[1]
    out[0, 1] = direction[2] * helper[0] - direction[0] * helper[2]
    out[0, 2] = direction[0] * helper[1] - direction[1] * helper[0]
    out[0] /= np.sqrt(out[0, 0] ** 2 + out[0, 1] ** 2 + out[0, 2] ** 2)
    x, z = out[0], out[2]
    out[1, 0] = z[1] * x[2] - z[2] * x[1]
    out[1, 1] = z[2] * x[0] - z[0] * x[2]
    out[1, 2] = z[0] * x[1] - z[1] * x[0]
    return out


@njit(cache=True, nogil=True)
def algebraic_center(points):  # type: ignore[no-untyped-def]
    """Return centre (d,) and radius of the algebraic circle or sphere: |p|^2 = 2 c.p + k, linear; radius 0 for none."""
    n, d = points.shape
    middle = np.zeros(d)
    for i in range(n):
        for k in range(d):
            middle[k] += points[i, k]
    middle /= n
    size = 0.0
    for i in range(n):
        for k in range(d):
            size = max(size, abs(points[i, k] - middle[k]))
    center = middle.copy()
    if not size > 0.0:
        return center, 0.0
    matrix, right, row = np.zeros((d + 1, d + 1)), np.zeros(d + 1), np.empty(d + 1)
    row[d] = 1.0
    for i in range(n):
        square = 0.0
        for k in range(d):
            value = (points[i, k] - middle[k]) / size
            row[k] = 2.0 * value
            square += value * value
        for j in range(d + 1):
            right[j] += row[j] * square
            for k in range(d + 1):
                matrix[j, k] += row[j] * row[k]
    values, vectors = symmetric_eigen(matrix)
    if not values[0] > 1e-15 * values[d]:
        return center, 0.0
    share = vectors.T.copy() @ right
    solution = vectors @ (share / values)
    radius2 = solution[d]
    for k in range(d):
        radius2 += solution[k] * solution[k]
        center[k] = middle[k] + size * solution[k]
    if not 0.0 < radius2 < 1e16:
        return center, 0.0
    return center, size * np.sqrt(radius2)
