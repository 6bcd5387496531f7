"""The points that can be extreme of a large cloud: the lowest and the highest of every cell around it."""

import numpy as np
from numba import njit, prange

from truegauge.core.association.kernels import gradient


@njit(cache=True, nogil=True)
def _cell_extremes(code, origin, axes, sizes, points, weights, box, splits, start, end, low, high, rows):  # type: ignore[no-untyped-def]
    """Keep the lowest and the highest distance of every cell of the box around the points (their own frame)."""
    g = np.empty(5)
    for i in range(start, end):
        lx, ly, lz = points[i, 0] - origin[0], points[i, 1] - origin[1], points[i, 2] - origin[2]
        x = axes[0, 0] * lx + axes[0, 1] * ly + axes[0, 2] * lz
        y = axes[1, 0] * lx + axes[1, 1] * ly + axes[1, 2] * lz
        z = axes[2, 0] * lx + axes[2, 1] * ly + axes[2, 2] * lz
        d = gradient(code, x, y, z, sizes[0], sizes[1], g)
        if len(weights) > 0:
            d *= weights[i]
        a = int((x - box[0]) * box[3])
        b = int((y - box[1]) * box[4])
        c = int((z - box[2]) * box[5])
        a, b, c = (min(max(a, 0), splits - 1), min(max(b, 0), splits - 1), min(max(c, 0), splits - 1))
        cell = (a * splits + b) * splits + c
        if d < low[cell]:
            low[cell] = d
            rows[cell, 0] = i
        if d > high[cell]:
            high[cell] = d
            rows[cell, 1] = i


@njit(cache=True, nogil=True, parallel=True)
def cell_extremes(code, origin, axes, sizes, points, weights, box, splits):  # type: ignore[no-untyped-def]
    """Return rows (m, 2) of the lowest and highest distances over cells, -1 for cells without points."""
    n, threads = points.shape[0], 4
    cells = splits**3
    low, high = np.full((threads, cells), np.inf), np.full((threads, cells), -np.inf)
    rows = np.full((threads, cells, 2), -1)
    for t in prange(threads):
        _cell_extremes(code, origin, axes, sizes, points, weights, box, splits, n * t // threads,
                       n * (t + 1) // threads, low[t], high[t], rows[t])  # fmt: skip
    return rows
