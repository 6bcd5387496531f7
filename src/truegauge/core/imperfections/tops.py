"""The top of something round, read off a paraboloid through noisy points: the highest of them would be too high."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numba import njit

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats

LEAST_POINTS, _FOR_ROUND = 9, 16


def top_of(
    at: Floats, value: Floats, start: Floats, reach: float, noise: float
) -> tuple[float, float, Floats] | None:  # fmt: skip
    """Return height, its uncertainty and place of the top of a paraboloid through points within `reach` of a place."""
    made = np.zeros(4)
    if not _read_top(at, value, start, reach, LEAST_POINTS, _FOR_ROUND, made):
        return None
    return float(made[0]), float(noise * np.sqrt(max(0.0, made[1]))), made[2:]


@njit(cache=True, nogil=True)
def _shape(x, y, round_, row):  # type: ignore[no-untyped-def]
    """Fill a row with the terms of a paraboloid, and of what is flatter or steeper at its rim than one."""
    row[0], row[1], row[2], row[3], row[4], row[5] = 1.0, x, y, x * x, x * y, y * y
    row[6] = (x * x + y * y) ** 2 if round_ else 0.0


@njit(cache=True, nogil=True)
def _read_top(at, value, start, reach, least, for_round, made):  # type: ignore[no-untyped-def]
    """Fill height, the factor of its variance, and the place; False where there are too few points."""
    x0, y0 = start[0], start[1]
    row, found = np.empty(7), False
    for _ in range(4):
        count = 0
        for k in range(len(at)):
            if (at[k, 0] - x0) ** 2 + (at[k, 1] - y0) ** 2 <= reach * reach:
                count += 1
        if count < least:
            return found
        round_ = count >= for_round
        n = 7 if round_ else 6
        normal, right = np.zeros((n, n)), np.zeros(n)
        for k in range(len(at)):
            dx, dy = (at[k, 0] - x0) / reach, (at[k, 1] - y0) / reach
            if dx * dx + dy * dy > 1.0:
                continue
            _shape(dx, dy, round_, row)
            for i in range(n):
                right[i] += row[i] * value[k]
                for j in range(n):
                    normal[i, j] += row[i] * row[j]
        for i in range(n):  # points in a row hold no paraboloid
            normal[i, i] += 1e-9 * count
        inverse = np.linalg.inv(normal)
        c = inverse @ right
        # The second derivatives; both negative where it has a top.
        determinant = 4 * c[3] * c[5] - c[4] * c[4]
        mx, my = 0.0, 0.0
        if c[3] + c[5] < 0.0 and determinant > 0.0:
            mx = (c[4] * c[2] - 2 * c[5] * c[1]) / determinant
            my = (c[4] * c[1] - 2 * c[3] * c[2]) / determinant
            far = np.sqrt(mx * mx + my * my)
            if far > 0.6:
                mx, my = 0.6 * mx / far, 0.6 * my / far
        _shape(mx, my, round_, row)
        made[0], made[1] = 0.0, 0.0
        for i in range(n):
            made[0] += row[i] * c[i]
            for j in range(n):
                made[1] += row[i] * inverse[i, j] * row[j]
        x0, y0 = x0 + reach * mx, y0 + reach * my
        made[2], made[3] = x0, y0
        found = True
        if mx * mx + my * my < 4e-4:
            break
    return found
