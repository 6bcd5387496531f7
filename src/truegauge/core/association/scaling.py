"""Points about their own middle and of size one, as fits take them: in parallel, in a few passes."""

import numpy as np
from numba import njit, prange

from truegauge.core.association.kernels import CHUNK, PARALLEL


@njit(cache=True, nogil=True)
def _chunk_shift(points, center, out, sums, start, end):  # type: ignore[no-untyped-def]
    s0 = s1 = s2 = top = 0.0
    for i in range(start, end):
        x, y, z = points[i, 0] - center[0], points[i, 1] - center[1], points[i, 2] - center[2]
        out[i, 0], out[i, 1], out[i, 2] = x, y, z
        s0 += x
        s1 += y
        s2 += z
        top = max(top, abs(x), abs(y), abs(z))
    sums[0], sums[1], sums[2], sums[3] = s0, s1, s2, top


@njit(cache=True, nogil=True, parallel=True)
def _all_shift(points, center, out, parts):  # type: ignore[no-untyped-def]
    n = points.shape[0]
    for c in prange(parts.shape[0]):
        _chunk_shift(points, center, out, parts[c], c * CHUNK, min(n, (c + 1) * CHUNK))


@njit(cache=True, nogil=True, parallel=True)
def _all_finish(points, rest, factor):  # type: ignore[no-untyped-def]
    n = points.shape[0]
    for c in prange((n + CHUNK - 1) // CHUNK):
        for i in range(c * CHUNK, min(n, (c + 1) * CHUNK)):
            for k in range(3):
                points[i, k] = (points[i, k] - rest[k]) * factor


@njit(cache=True, nogil=True)
def _shifted(points, center, out, parts):  # type: ignore[no-untyped-def]
    n = points.shape[0]
    if n >= PARALLEL:
        _all_shift(points, center, out, parts)
    else:
        for c in range(parts.shape[0]):
            _chunk_shift(points, center, out, parts[c], c * CHUNK, min(n, (c + 1) * CHUNK))
    sums, top = np.zeros(3), 0.0
    for c in range(parts.shape[0]):
        top = max(top, parts[c, 3])
        for k in range(3):
            sums[k] += parts[c, k]
    return sums / n, top


@njit(cache=True, nogil=True)
def normalised(points):  # type: ignore[no-untyped-def]
    """Return centroid (3,), scale, and (points - centroid) / scale (n, 3)."""
    n = points.shape[0]
    parts = np.zeros(((n + CHUNK - 1) // CHUNK, 4))
    out = np.empty_like(points)
    # A point of the cloud is subtracted first: sums of numbers far from the origin would be rounded.
    first, _ = _shifted(points, points[0].copy(), out, parts)
    center = points[0] + first
    rest, top = _shifted(points, center, out, parts)
    scale = top if top > 0.0 else 1.0
    if n >= PARALLEL:
        _all_finish(out, rest, 1.0 / scale)
    else:
        factor = 1.0 / scale
        for i in range(n):
            for k in range(3):
                out[i, k] = (out[i, k] - rest[k]) * factor
    return center + rest, scale, out
