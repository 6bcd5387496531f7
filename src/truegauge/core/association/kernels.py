"""Compiled kernels: distances of points to every ideal shape, and their derivatives.

A shape is placed by a pose: an origin, the rows x, y, z of its own axes, and up to three sizes. Derivatives are taken
for small motions of the shape in its own frame (three shifts, three turns about the origin) and for its sizes; each
shape lists in `ACTIVE` the columns that change it, so that what it is symmetric to is never an unknown.
"""

import numpy as np
from numba import njit, prange

from truegauge.core.association.kernel_sums import cone_sums, cylinder_sums, plane_sums, sphere_sums

LINE, PLANE, CIRCLE, SPHERE, CYLINDER, CONE, TORUS, ELLIPSE, ROUND_SLOT, SQUARE_SLOT, WIDTH, FLAT_LINE = range(12)
TX, TY, TZ, RX, RY, RZ, S0, S1 = range(8)
_ACTIVE = (
    (TX, TY, RX, RY),
    (TZ, RX, RY),
    (TX, TY, S0),
    (TX, TY, TZ, S0),
    (TX, TY, RX, RY, S0),
    (TX, TY, RX, RY, S0, S1),
    (TX, TY, TZ, RX, RY, S0, S1),
    (TX, TY, RZ, S0, S1),
    (TX, TY, RZ, S0, S1),
    (TX, TY, RZ, S0, S1),
    (TZ, RX, RY, S0),
    (TY, RZ),
)
COUNT = np.array([len(a) for a in _ACTIVE])
ACTIVE = np.array([a + (0,) * (8 - len(a)) for a in _ACTIVE])
SIZES = np.array([sum(c >= S0 for c in a) for a in _ACTIVE])
CHUNK = 8192
PARALLEL = 4 * CHUNK  # points from which threads pay


def active(code: int) -> tuple[int, ...]:
    """Return the columns of the motions and sizes that change the shape."""
    return _ACTIVE[code]


@njit(cache=True, nogil=True)
def _ellipse(x, y, a, b, out):  # type: ignore[no-untyped-def]
    """Distance to the ellipse with semi-axes a, b; out = normal (2), share of the foot on each semi-axis (2).

    Eberly, Distance from a point to an ellipse (2013): the foot is a root of a monotonic function.
    """
    px, py = abs(x), abs(y)
    swap = a < b
    if swap:
        px, py, a, b = py, px, b, a
    low, high = -b * b + b * py, -b * b + np.sqrt(a * a * px * px + b * b * py * py)
    t = 0.5 * (low + high)
    for _ in range(100):
        u, v = a * px / (t + a * a), b * py / (t + b * b) if t + b * b > 0.0 else 1e300
        value = u * u + v * v - 1.0
        if value > 0.0:
            low = t
        else:
            high = t
        slope = -2.0 * (u * u / (t + a * a) + (v * v / (t + b * b) if t + b * b > 0.0 else 1e300))
        following = t - value / slope
        if not (low < following < high):
            following = 0.5 * (low + high)
        if abs(following - t) <= 1e-16 * (abs(t) + a * a):
            t = following
            break
        t = following
    if t + b * b > 0.0:
        c, s = a * px / (t + a * a), b * py / (t + b * b)
        length = np.sqrt(c * c + s * s)
        c, s = c / length, s / length
    else:  # on the long axis, near the middle: two feet, take the upper
        c = min(1.0, a * px / max(a * a - b * b, 1e-300))
        s = np.sqrt(1.0 - c * c)
    nx, ny = c / a, s / b
    length = np.sqrt(nx * nx + ny * ny)
    nx, ny = nx / length, ny / length
    d = (px - a * c) * nx + (py - b * s) * ny
    if swap:
        nx, ny, c, s = ny, nx, s, c
    out[0], out[1] = nx if x >= 0 else -nx, ny if y >= 0 else -ny
    out[2], out[3] = c * abs(out[0]), s * abs(out[1])
    return d


@njit(cache=True, nogil=True)
def gradient(code, x, y, z, s0, s1, g):  # type: ignore[no-untyped-def]
    """Distance of a point in the shape's own frame; g = its gradient (3) and derivatives for the sizes (2)."""
    rho = np.sqrt(x * x + y * y)
    ox, oy = (x / rho, y / rho) if rho > 0.0 else (1.0, 0.0)
    g[0], g[1], g[2], g[3], g[4] = ox, oy, 0.0, -1.0, 0.0
    if code == CYLINDER or code == CIRCLE:
        return rho - s0
    if code == PLANE:
        g[0], g[1], g[2] = 0.0, 0.0, 1.0
        return z
    if code == SPHERE:
        length = np.sqrt(rho * rho + z * z)
        scale = 1.0 / length if length > 0.0 else 0.0
        g[0], g[1], g[2] = x * scale, y * scale, z * scale
        return length - s0
    if code == CONE:  # s0 radius at the origin, s1 half angle
        sine, cosine = np.sin(s1), np.cos(s1)
        g[0], g[1], g[2] = cosine * ox, cosine * oy, -sine
        g[3], g[4] = -cosine, -(rho - s0) * sine - z * cosine
        return (rho - s0) * cosine - z * sine
    if code == TORUS:
        beside = rho - s0
        tube = np.sqrt(beside * beside + z * z)
        across, up = (beside / tube, z / tube) if tube > 0.0 else (1.0, 0.0)
        g[0], g[1], g[2] = across * ox, across * oy, up
        g[3], g[4] = -across, -1.0
        return tube - s1
    if code == WIDTH:  # s0 half width
        g[0], g[1], g[2] = 0.0, 0.0, 1.0 if z >= 0.0 else -1.0
        return abs(z) - s0
    if code == FLAT_LINE:
        g[0], g[1] = 0.0, 1.0
        return y
    if code == ROUND_SLOT:  # s0 half of the straight length, s1 half width
        beyond = max(abs(x) - s0, 0.0)
        length = np.sqrt(beyond * beyond + y * y)
        scale = 1.0 / length if length > 0.0 else 0.0
        g[0], g[1] = beyond * scale * (1.0 if x >= 0.0 else -1.0), y * scale
        g[3], g[4] = -beyond * scale, -1.0
        return length - s1
    if code == SQUARE_SLOT:  # s0 half length, s1 half width
        over_x, over_y = abs(x) - s0, abs(y) - s1
        sx, sy = 1.0 if x >= 0.0 else -1.0, 1.0 if y >= 0.0 else -1.0
        if over_x > 0.0 and over_y > 0.0:
            length = np.sqrt(over_x * over_x + over_y * over_y)
            wx, wy = over_x / length, over_y / length
        elif over_x > over_y:
            length, wx, wy = over_x, 1.0, 0.0
        else:
            length, wx, wy = over_y, 0.0, 1.0
        g[0], g[1], g[3], g[4] = sx * wx, sy * wy, -wx, -wy
        return length
    if code == ELLIPSE:
        out = np.empty(4)
        d = _ellipse(x, y, s0, s1, out)
        g[0], g[1], g[3], g[4] = out[0], out[1], -out[2], -out[3]
        return d
    g[3] = 0.0
    return rho  # a line in space


@njit(cache=True, nogil=True)
def _columns(code, x, y, z, g, row):  # type: ignore[no-untyped-def]
    """Derivatives of the distance for the shape's active motions and sizes, from its gradient."""
    for k in range(COUNT[code]):
        column = ACTIVE[code, k]
        if column == 0:
            row[k] = -g[0]
        elif column == 1:
            row[k] = -g[1]
        elif column == 2:
            row[k] = -g[2]
        elif column == 3:
            row[k] = z * g[1] - y * g[2]
        elif column == 4:
            row[k] = x * g[2] - z * g[0]
        elif column == 5:
            row[k] = y * g[0] - x * g[1]
        elif column == 6:
            row[k] = g[3]
        else:
            row[k] = g[4]


@njit(cache=True, nogil=True)
def _chunk_sums(code, origin, axes, sizes, points, weights, start, end, out):  # type: ignore[no-untyped-def]
    """Sums over some points: lower triangle of J^T J, J^T d, d^T d."""
    p = COUNT[code]
    row, g = np.empty(8), np.empty(5)
    acc = np.zeros(45)
    weighted = len(weights) > 0
    if code == PLANE and not weighted:
        plane_sums(origin, axes, points, start, end, out)
        return
    if code == SPHERE and not weighted and axes[0, 0] == 1.0 and axes[1, 1] == 1.0:
        sphere_sums(origin, sizes[0], points, start, end, out)
        return
    if code == CYLINDER and not weighted:
        cylinder_sums(origin, axes, sizes[0], points, start, end, out)
        return
    if code == CONE and not weighted:
        cone_sums(origin, axes, sizes[0], sizes[1], points, start, end, out)
        return
    a00, a01, a02 = axes[0, 0], axes[0, 1], axes[0, 2]
    a10, a11, a12 = axes[1, 0], axes[1, 1], axes[1, 2]
    a20, a21, a22 = axes[2, 0], axes[2, 1], axes[2, 2]
    o0, o1, o2, s0, s1 = origin[0], origin[1], origin[2], sizes[0], sizes[1]
    for i in range(start, end):
        lx, ly, lz = points[i, 0] - o0, points[i, 1] - o1, points[i, 2] - o2
        x, y, z = a00 * lx + a01 * ly + a02 * lz, a10 * lx + a11 * ly + a12 * lz, a20 * lx + a21 * ly + a22 * lz
        w2 = weights[i] * weights[i] if weighted else 1.0
        for part in range(2 if code == LINE else 1):
            if code == LINE:  # two residuals, across in x and in y
                g[0], g[1], g[2], g[3], g[4] = 1.0 - part, float(part), 0.0, 0.0, 0.0
                d = y if part else x
            else:
                d = gradient(code, x, y, z, s0, s1, g)
            _columns(code, x, y, z, g, row)
            m = 0
            for j in range(p):
                rj = row[j] * w2
                for k in range(j + 1):
                    acc[m] += rj * row[k]
                    m += 1
            dw = d * w2
            for j in range(p):
                acc[m + j] += row[j] * dw
            acc[m + p] += d * dw
    for m in range(p * (p + 1) // 2 + p + 1):
        out[m] = acc[m]


@njit(cache=True, nogil=True, parallel=True)
def _all_sums(code, origin, axes, sizes, points, weights, parts):  # type: ignore[no-untyped-def]
    n = points.shape[0]
    for c in prange(parts.shape[0]):
        _chunk_sums(code, origin, axes, sizes, points, weights, c * CHUNK, min(n, (c + 1) * CHUNK), parts[c])


@njit(cache=True, nogil=True)
def normal_equations(code, origin, axes, sizes, points, weights):  # type: ignore[no-untyped-def]
    """Return J^T J (p, p), J^T d (p,) and d^T d; summed in chunks, so that threads give the same digits."""
    n, p = points.shape[0], COUNT[code]
    chunks = (n + CHUNK - 1) // CHUNK
    parts = np.zeros((chunks, 45))
    if n >= PARALLEL:
        _all_sums(code, origin, axes, sizes, points, weights, parts)
    else:
        for c in range(chunks):
            _chunk_sums(code, origin, axes, sizes, points, weights, c * CHUNK, min(n, (c + 1) * CHUNK), parts[c])
    total = np.zeros(45)
    for c in range(chunks):
        for m in range(45):
            total[m] += parts[c, m]
    matrix, right = np.empty((p, p)), np.empty(p)
    m = 0
    for j in range(p):
        for k in range(j + 1):
            matrix[j, k] = total[m]
            matrix[k, j] = total[m]
            m += 1
    for j in range(p):
        right[j] = total[m + j]
    return matrix, right, total[m + p]


@njit(cache=True, nogil=True)
def linearised(code, origin, axes, sizes, points):  # type: ignore[no-untyped-def]
    """Return distances (n,) and their derivatives (n, p); for a line in space of its distance (never negative)."""
    n, p = points.shape[0], COUNT[code]
    d, jacobian = np.empty(n), np.empty((n, p))
    g, row = np.empty(5), np.empty(8)
    for i in range(n):
        lx, ly, lz = points[i, 0] - origin[0], points[i, 1] - origin[1], points[i, 2] - origin[2]
        x = axes[0, 0] * lx + axes[0, 1] * ly + axes[0, 2] * lz
        y = axes[1, 0] * lx + axes[1, 1] * ly + axes[1, 2] * lz
        z = axes[2, 0] * lx + axes[2, 1] * ly + axes[2, 2] * lz
        d[i] = gradient(code, x, y, z, sizes[0], sizes[1], g)
        _columns(code, x, y, z, g, row)
        for k in range(p):
            jacobian[i, k] = row[k]
    return d, jacobian


@njit(cache=True, nogil=True)
def stacked(code, origin, axes, sizes, points, weights):  # type: ignore[no-untyped-def]
    """Return weighted residuals and rows for an orthogonal factorisation; a line in space has two rows a point."""
    p = COUNT[code]
    if code != LINE:
        d, jacobian = linearised(code, origin, axes, sizes, points)
        if len(weights) > 0:
            for i in range(len(d)):
                d[i] *= weights[i]
                for k in range(p):
                    jacobian[i, k] *= weights[i]
        return d, jacobian
    n = points.shape[0]
    d, jacobian = np.empty(2 * n), np.empty((2 * n, p))
    for i in range(n):
        w = weights[i] if len(weights) > 0 else 1.0
        lx, ly, lz = points[i, 0] - origin[0], points[i, 1] - origin[1], points[i, 2] - origin[2]
        z = axes[2, 0] * lx + axes[2, 1] * ly + axes[2, 2] * lz
        for part in range(2):
            d[2 * i + part] = w * (axes[part, 0] * lx + axes[part, 1] * ly + axes[part, 2] * lz)
            jacobian[2 * i + part, :] = 0.0
            jacobian[2 * i + part, part] = -w
        jacobian[2 * i, 3] = -w * z
        jacobian[2 * i + 1, 2] = w * z
    return d, jacobian


@njit(cache=True, nogil=True)
def _chunk_distances(code, origin, axes, sizes, points, start, end, out):  # type: ignore[no-untyped-def]
    if code == PLANE:
        z0, z1, z2 = axes[2, 0], axes[2, 1], axes[2, 2]
        o0, o1, o2 = origin[0], origin[1], origin[2]
        for i in range(start, end):
            out[i] = z0 * (points[i, 0] - o0) + z1 * (points[i, 1] - o1) + z2 * (points[i, 2] - o2)
        return
    if code == SPHERE:
        o0, o1, o2, radius = origin[0], origin[1], origin[2], sizes[0]
        for i in range(start, end):
            x, y, z = points[i, 0] - o0, points[i, 1] - o1, points[i, 2] - o2
            out[i] = np.sqrt(x * x + y * y + z * z) - radius
        return
    if code == CYLINDER or code == CIRCLE:
        a00, a01, a02 = axes[0, 0], axes[0, 1], axes[0, 2]
        a10, a11, a12 = axes[1, 0], axes[1, 1], axes[1, 2]
        o0, o1, o2, radius = origin[0], origin[1], origin[2], sizes[0]
        for i in range(start, end):
            lx, ly, lz = points[i, 0] - o0, points[i, 1] - o1, points[i, 2] - o2
            x = a00 * lx + a01 * ly + a02 * lz
            y = a10 * lx + a11 * ly + a12 * lz
            out[i] = np.sqrt(x * x + y * y) - radius
        return
    g = np.empty(5)
    for i in range(start, end):
        lx, ly, lz = points[i, 0] - origin[0], points[i, 1] - origin[1], points[i, 2] - origin[2]
        x = axes[0, 0] * lx + axes[0, 1] * ly + axes[0, 2] * lz
        y = axes[1, 0] * lx + axes[1, 1] * ly + axes[1, 2] * lz
        z = axes[2, 0] * lx + axes[2, 1] * ly + axes[2, 2] * lz
        out[i] = gradient(code, x, y, z, sizes[0], sizes[1], g)


@njit(cache=True, nogil=True, parallel=True)
def _all_distances(code, origin, axes, sizes, points, out):  # type: ignore[no-untyped-def]
    n = points.shape[0]
    for c in prange((n + CHUNK - 1) // CHUNK):
        _chunk_distances(code, origin, axes, sizes, points, c * CHUNK, min(n, (c + 1) * CHUNK), out)


@njit(cache=True, nogil=True)
def signed_distances(code, origin, axes, sizes, points):  # type: ignore[no-untyped-def]
    """Return the signed distances (n,) of points to a shape."""
    out = np.empty(points.shape[0])
    if points.shape[0] >= PARALLEL:
        _all_distances(code, origin, axes, sizes, points, out)
    else:
        _chunk_distances(code, origin, axes, sizes, points, 0, points.shape[0], out)
    return out


@njit(cache=True, nogil=True)
def gradients(code, origin, axes, sizes, points):  # type: ignore[no-untyped-def]
    """Return the unit directions (n, 3) in which the distances grow."""
    out, g = np.empty_like(points), np.empty(5)
    for i in range(points.shape[0]):
        lx, ly, lz = points[i, 0] - origin[0], points[i, 1] - origin[1], points[i, 2] - origin[2]
        x = axes[0, 0] * lx + axes[0, 1] * ly + axes[0, 2] * lz
        y = axes[1, 0] * lx + axes[1, 1] * ly + axes[1, 2] * lz
        z = axes[2, 0] * lx + axes[2, 1] * ly + axes[2, 2] * lz
        gradient(code, x, y, z, sizes[0], sizes[1], g)
        for k in range(3):
            out[i, k] = g[0] * axes[0, k] + g[1] * axes[1, k] + g[2] * axes[2, k]
    return out
