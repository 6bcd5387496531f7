"""Normal equations of the round shapes in one pass over the points, for clouds.

The matrix only steers the step; where the iteration ends is decided by the gradient, which is summed from the
residuals themselves. So nothing is lost against an orthogonal factorisation, and no Jacobian is stored.
"""

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Points
from truegauge.core.association.features import Circle, Cone, Cylinder, Feature, Sphere, Torus

MANY = 3000  # points from which this is the faster way
_CHUNK = 8192
_CODES = {Sphere: (0, 4), Circle: (1, 3), Cylinder: (2, 5), Cone: (3, 6), Torus: (4, 7)}


def normal_equations(feature: Feature, axes: NDArray[np.float64], points: Points) -> tuple[Floats, Floats, float]:
    """Return J^T J (p, p), J^T d (p,) and d^T d for the distances d of the points to a round feature.

    `axes` are the rows x, y, z of the frame in which the shape's parameters are counted.
    """
    code, size = _CODES[type(feature)]
    values = feature.parameters
    origin = values.get("center", values.get("point", values.get("apex")))
    first = values.get("radius", values.get("major_radius", values.get("half_angle_rad", 0.0)))
    second = values.get("minor_radius", 0.0)
    chunks = (len(points) + _CHUNK - 1) // _CHUNK
    parts = np.zeros((chunks, size * (size + 1) // 2 + size + 1))
    _accumulate(code, size, np.asarray(origin), np.ascontiguousarray(axes), float(first), float(second), points, parts)
    total = parts.sum(axis=0)  # in the order of the chunks: the same digits every time
    matrix = np.zeros((size, size))
    lower = np.tril_indices(size)
    matrix[lower] = total[: len(lower[0])]
    matrix += np.tril(matrix, -1).T
    return matrix, total[len(lower[0]) : -1], float(total[-1])


@njit(cache=True, nogil=True, parallel=True)
def _accumulate(code, size, origin, axes, first, second, points, parts):  # type: ignore[no-untyped-def]
    n = points.shape[0]
    sine, cosine = np.sin(first), np.cos(first)
    for chunk in prange(parts.shape[0]):
        row = np.empty(7)
        for i in range(chunk * _CHUNK, min(n, (chunk + 1) * _CHUNK)):
            lx, ly, lz = points[i, 0] - origin[0], points[i, 1] - origin[1], points[i, 2] - origin[2]
            x = axes[0, 0] * lx + axes[0, 1] * ly + axes[0, 2] * lz
            y = axes[1, 0] * lx + axes[1, 1] * ly + axes[1, 2] * lz
            z = axes[2, 0] * lx + axes[2, 1] * ly + axes[2, 2] * lz
            rho = np.sqrt(x * x + y * y)
            ox, oy = (x / rho, y / rho) if rho > 0.0 else (1.0, 0.0)
            if code == 0:
                length = np.sqrt(rho * rho + z * z)
                scale = 1.0 / length if length > 0.0 else 0.0
                row[0], row[1], row[2], row[3] = -x * scale, -y * scale, -z * scale, -1.0
                d = length - first
            elif code == 1:
                row[0], row[1], row[2] = -ox, -oy, -1.0
                d = rho - first
            elif code == 2:
                row[0], row[1], row[2], row[3], row[4] = -ox, -oy, -ox * z, -oy * z, -1.0
                d = rho - first
            elif code == 3:
                along = rho * sine + z * cosine
                row[0], row[1], row[2] = -cosine * ox, -cosine * oy, sine
                row[3], row[4], row[5] = -along * ox, -along * oy, -along
                d = rho * cosine - z * sine
            else:
                beside = rho - first
                tube = np.sqrt(beside * beside + z * z)
                across, up = (beside / tube, z / tube) if tube > 0.0 else (1.0, 0.0)
                tilt = up * rho - across * z
                row[0], row[1], row[2] = -across * ox, -across * oy, -up
                row[3], row[4], row[5], row[6] = tilt * ox, tilt * oy, -across, -1.0
                d = tube - second
            m = 0
            for j in range(size):
                for k in range(j + 1):
                    parts[chunk, m] += row[j] * row[k]
                    m += 1
            for j in range(size):
                parts[chunk, m + j] += row[j] * d
            parts[chunk, m + size] += d * d


def normalised(points: Points) -> tuple[Floats, float, Points]:
    """Return centroid, scale, and (points - centroid) / scale, in three passes over the memory."""
    chunks = (len(points) + _CHUNK - 1) // _CHUNK
    sums, largest = np.zeros((chunks, 3)), np.zeros(chunks)
    out = np.empty_like(points)
    _shift(points, np.zeros(3), out, sums, largest)
    center = sums.sum(axis=0) / len(points)
    # The mean of numbers far from the origin is rounded; the mean of the differences tells the rest.
    _shift(points, center, out, sums, largest)
    rest = sums.sum(axis=0) / len(points)
    scale = float(largest.max()) or 1.0
    _finish(out, rest, 1.0 / scale)
    return center + rest, scale, out


@njit(cache=True, nogil=True, parallel=True)
def _shift(points, center, out, sums, largest):  # type: ignore[no-untyped-def]
    n = points.shape[0]
    for chunk in prange(sums.shape[0]):
        s0 = s1 = s2 = top = 0.0
        for i in range(chunk * _CHUNK, min(n, (chunk + 1) * _CHUNK)):
            x, y, z = points[i, 0] - center[0], points[i, 1] - center[1], points[i, 2] - center[2]
            out[i, 0], out[i, 1], out[i, 2] = x, y, z
            s0 += x
            s1 += y
            s2 += z
            top = max(top, abs(x), abs(y), abs(z))
        sums[chunk, 0], sums[chunk, 1], sums[chunk, 2], largest[chunk] = s0, s1, s2, top


@njit(cache=True, nogil=True, parallel=True)
def _finish(points, rest, factor):  # type: ignore[no-untyped-def]
    chunks = (points.shape[0] + _CHUNK - 1) // _CHUNK
    for chunk in prange(chunks):
        for i in range(chunk * _CHUNK, min(points.shape[0], (chunk + 1) * _CHUNK)):
            for c in range(3):
                points[i, c] = (points[i, c] - rest[c]) * factor
