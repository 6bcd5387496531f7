"""Splitting long triangle sides, so that a mesh is even: for maps, and for tight boxes in the nearest search."""

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Ints, Triangles

# New triangles by which sides are split (bit k: side k -> k + 1). Indices 0-2 are the corners, 3-5 the middles of
# the sides 01, 12, 20. With two sides split the remaining quadrangle is cut from the corner they share or beside it.
_PATTERNS: dict[int, tuple[tuple[int, int, int], ...]] = {
    0: ((0, 1, 2),),
    1: ((0, 3, 2), (3, 1, 2)),
    2: ((0, 1, 4), (0, 4, 2)),
    4: ((0, 1, 5), (5, 1, 2)),
    3: ((3, 1, 4), (0, 3, 4), (0, 4, 2)),
    6: ((4, 2, 5), (0, 1, 4), (0, 4, 5)),
    5: ((0, 3, 5), (3, 1, 2), (3, 2, 5)),
    7: ((0, 3, 5), (3, 1, 4), (5, 4, 2), (3, 4, 5)),
}


def subdivided(
    values: NDArray[np.float64], triangles: Triangles, longest: float, *, passes: int = 12
) -> tuple[NDArray[np.float64], Triangles, Ints]:
    """Split sides longer than `longest` (mm) at their middles until none is left.

    Parameters
    ----------
    values : (n, k) float64
        Vertices in the first three columns; further columns are interpolated along.
    triangles : (m, 3) int64
    longest : float
        Longest side allowed, mm.
    passes : int
        Limit of halvings, against a mistaken `longest`.

    Returns
    -------
    tuple
        Values and triangles of the finer mesh, without cracks, and the original triangle of each new one.
    """
    origin = np.arange(len(triangles))
    for _ in range(passes):
        starts, ends = triangles, np.roll(triangles, -1, axis=1)
        long = ((values[starts, :3] - values[ends, :3]) ** 2).sum(axis=2) > longest * longest
        if not long.any():
            break
        low, high = np.minimum(starts, ends)[long], np.maximum(starts, ends)[long]
        keys, inverse = np.unique(low * len(values) + high, return_inverse=True)
        a, b = keys // len(values), keys % len(values)
        middle = np.full(triangles.shape, -1)
        middle[long] = len(values) + inverse.ravel()
        values = np.vstack([values, (values[a] + values[b]) / 2])
        pattern = long @ np.array([1, 2, 4])
        six = np.hstack([triangles, middle])
        new, owners = [], []
        for code, pieces in _PATTERNS.items():
            rows = np.flatnonzero(pattern == code)
            for piece in pieces:
                new.append(six[rows][:, piece])
                owners.append(origin[rows])
        triangles, origin = np.vstack(new), np.concatenate(owners)
    return values, triangles, origin
