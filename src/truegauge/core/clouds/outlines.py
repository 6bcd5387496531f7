"""What lies inside a closed line."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numba import njit

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats, Mask


def inside_corners(at: Floats, corners: Floats) -> Mask:
    """Return which places (n, 2) lie inside a line through corners (m, 2) that closes itself (even-odd rule)."""
    made = np.zeros(len(at), dtype=bool)
    _inside(np.ascontiguousarray(at, dtype=np.float64), np.ascontiguousarray(corners, dtype=np.float64), made)
    return made


@njit(cache=True, nogil=True)
def _inside(at, corners, made):  # type: ignore[no-untyped-def]
    low_x, high_x = corners[:, 0].min(), corners[:, 0].max()
    low_y, high_y = corners[:, 1].min(), corners[:, 1].max()
    count = len(corners)
    for k in range(len(at)):
        x, y = at[k, 0], at[k, 1]
        if not (low_x <= x <= high_x and low_y <= y <= high_y):
            continue
        odd = False
        for j in range(count):
            x0, y0 = corners[j, 0], corners[j, 1]
            x1, y1 = corners[(j + 1) % count, 0], corners[(j + 1) % count, 1]
            if (y0 > y) != (y1 > y) and x < (x1 - x0) * (y - y0) / (y1 - y0) + x0:
                odd = not odd
        made[k] = odd
