"""Heights between nodes that each know the paraboloid about them."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numba import njit

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats


def read_nodes(at: Floats, low: Floats, size: float, shape: Floats, *, closed: bool) -> tuple[Floats, Floats]:
    """Return heights (n,) mm and slopes (n, 2) at places (n, 2) by the node of each; NaN where there is none.

    `shape` (r, c, 6) are z, z_x, z_y, and half of z_xx, z_xy, half of z_yy, about the middles of cells of `size` mm.
    """
    z, slope = np.empty(len(at)), np.empty((len(at), 2))
    _read(np.ascontiguousarray(at), low, size, closed, np.ascontiguousarray(shape), z, slope)
    return z, slope


@njit(cache=True, nogil=True)
def _read(at, low, size, closed, shape, z, slope):  # type: ignore[no-untyped-def]
    rows, columns = shape.shape[0], shape.shape[1]
    for k in range(len(at)):
        u, v = (at[k, 0] - low[0]) / size, (at[k, 1] - low[1]) / size
        c, r = int(np.floor(u)), int(np.floor(v))
        x, y = (u - c - 0.5) * size, (v - r - 0.5) * size
        if closed:
            c = c % columns
        if r < 0 or r >= rows or c < 0 or c >= columns:
            z[k], slope[k, 0], slope[k, 1] = np.nan, np.nan, np.nan
            continue
        s = shape[r, c]
        z[k] = s[0] + s[1] * x + s[2] * y + s[3] * x * x + s[4] * x * y + s[5] * y * y
        slope[k, 0], slope[k, 1] = s[1] + 2.0 * s[3] * x + s[4] * y, s[2] + s[4] * x + 2.0 * s[5] * y
