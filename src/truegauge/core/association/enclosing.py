"""The smallest circle or sphere around points: exact and global.

Gaertner, Fast and robust smallest enclosing balls (1999): pivot on the farthest point, keep at most d + 1 supports.
"""

from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats

_Rows = NDArray[np.float64]


def smallest_ball(points: _Rows) -> tuple[Floats, float, tuple[int, ...]]:
    """Return centre, radius and the indices of the supporting points for points (n, d), d = 2 or 3."""
    # Of points that lie close together far from the origin the last digits are needed.
    origin = points.mean(axis=0)
    points = points - origin
    center = np.zeros(points.shape[1])
    support: tuple[int, ...] = (int(np.argmax(((points - center) ** 2).sum(axis=1))),)
    center, radius = points[support[0]], 0.0
    for _ in range(1000):
        distance = np.sqrt(((points - center) ** 2).sum(axis=1))
        far = int(np.argmax(distance))
        if distance[far] <= radius * (1 + 1e-15) + 1e-300 or far in support:
            break
        center, radius, support = _of_few(points, (*support, far))
    return origin + center, float(np.sqrt(((points - center) ** 2).sum(axis=1)).max()), support


def _of_few(points: _Rows, members: tuple[int, ...]) -> tuple[Floats, float, tuple[int, ...]]:
    """Try all subsets as supports; the smallest ball that holds all members wins."""
    best: tuple[float, Floats, tuple[int, ...]] | None = None
    chosen = points[list(members)]
    for size in range(2, min(len(members), points.shape[1] + 1) + 1):
        for subset in combinations(members, size):
            center = _circumcenter(points[list(subset)])
            if center is None:
                continue
            radius = float(np.linalg.norm(points[subset[0]] - center))
            inside = np.linalg.norm(chosen - center, axis=1).max() <= radius * (1 + 1e-13)
            if inside and (best is None or radius < best[0]):
                best = (radius, center, subset)
    if best is None:  # rounding: take the widest pair
        a, b = max(combinations(members, 2), key=lambda p: float(np.linalg.norm(points[p[0]] - points[p[1]])))
        return (points[a] + points[b]) / 2, float(np.linalg.norm(points[a] - points[b])) / 2, (a, b)
    return best[1], best[0], best[2]


def _circumcenter(corners: _Rows) -> Floats | None:
    """Return the centre of the smallest sphere through the corners, in their own plane or line."""
    sides = corners[1:] - corners[0]
    gram = sides @ sides.T
    try:
        weights = np.linalg.solve(2 * gram, np.diag(gram))
    except np.linalg.LinAlgError:
        return None
    return np.asarray(corners[0] + weights @ sides)
