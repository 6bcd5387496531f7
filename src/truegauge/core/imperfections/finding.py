"""Regions deeper or higher than a threshold: smoothed as far as noise asks for it, split at saddles, joined."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

import numpy as np
from numba import njit

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats, Ints, Mask
    from truegauge.core.imperfections.cells import Cells

_SURE = 6.0  # scales of noise that a threshold is above it, where smoothing can do that
_LEAST_SIGMA = 0.7  # cells
_MOST_SIGMA = 6.0  # cells: more smoothing would hide what is small
SADDLE = 0.5  # of the shallower of two, from which they are one
SEEN = 2.5  # scales of noise from which a height is not zero


@dataclass(frozen=True, slots=True)
class Finding:
    """What is looked for: deeper than `depth` mm, higher than `height` mm (None: as `depth`), `sides` both, in or out.

    Regions nearer than `join` mm are one; one with two deepest places is split where the saddle between is less than
    `saddle` of the shallower one.
    """

    depth: float = 0.1
    sides: str = "both"
    join: float = 0.0
    saddle: float = SADDLE
    min_area: float = 1.0  # mm2
    min_width: float = 0.0  # mm
    height: float | None = None

    @property
    def signs(self) -> tuple[int, ...]:
        """-1 for into the material, +1 for out of it."""
        return {"both": (-1, 1), "in": (-1,), "out": (1,)}[self.sides]

    def threshold(self, sign: int) -> float:
        """Return from how far off (mm) something into (-1) or out of (+1) the material counts."""
        return self.depth if sign < 0 or self.height is None else self.height

    @property
    def least(self) -> float:
        """The smallest of the thresholds, mm."""
        return min(self.threshold(sign) for sign in self.signs)


@dataclass(frozen=True, eq=False)
class Smoothed:
    """Deviations (r, c) mm smoothed without flattening what is round, NaN where there are none, and their noise, mm.

    `point_noise` is that of one point, `cell_noise` of a cell, `scatter` the robust scale of all that is left, waves
    included.
    """

    height: Floats
    noise: float
    point_noise: float
    scatter: float
    cell_noise: float
    _kept: dict[str, Floats] = field(default_factory=dict)

    def rise(self, cells: Cells) -> Floats:
        """Return how steep the deviations (r, c) are (tangent); NaN where they or those beside them are not known.

        A cell has the mean of points that are not in its middle: unsmoothed that would pass for slopes, and the
        steepest would be too steep. Twice, so that what is round stays as steep.
        """
        if "rise" not in self._kept:
            there = np.isfinite(self.height)
            smooth = _twice(self.height, there, there, replace(cells, count=np.ones(cells.shape, dtype=np.int64)), 1.0)
            if cells.is_closed:
                smooth = np.hstack([smooth[:, -1:], smooth, smooth[:, :1]])
            if min(smooth.shape) < 2:
                return np.full(self.height.shape, np.nan)
            gy, gx = np.gradient(smooth, cells.size)
            rise = np.hypot(gx, gy)
            self._kept["rise"] = rise[:, 1:-1] if cells.is_closed else rise
        return self._kept["rise"]


def noise_of(deviation: Floats, count: Ints) -> float:
    """Return the noise of a point, mm: by the differences of cells side by side, which waves and dents hardly touch."""
    found = []
    for axis in (0, 1):
        a, b = _pairs(deviation, axis)
        m, n = _pairs(count.astype(np.float64), axis)
        there = np.isfinite(a) & np.isfinite(b)
        found.append((a[there] - b[there]) / np.sqrt(1.0 / m[there] + 1.0 / n[there]))
    both = np.concatenate(found)
    return 1.4826 * float(np.median(np.abs(both))) if len(both) else 0.0


def _pairs(image: np.ndarray, axis: int) -> tuple[np.ndarray, np.ndarray]:
    return (image[1:], image[:-1]) if axis == 0 else (image[:, 1:], image[:, :-1])


def sigma_for(threshold: float, cell_noise: float) -> float:
    """Return how far (cells) to smooth for a threshold; in steps: a small change of it smooths no differently."""
    if cell_noise <= 0 or threshold >= _SURE * cell_noise:
        return 0.0
    # The noise of 2 G - G G is about 0.38 of that of a cell over sigma.
    wanted = float(np.clip(0.38 * _SURE * cell_noise / threshold, _LEAST_SIGMA, _MOST_SIGMA))
    steps = float(np.ceil(np.log(wanted / _LEAST_SIGMA) / np.log(1.25) - 1e-9))
    return float(min(_MOST_SIGMA, _LEAST_SIGMA * 1.25**steps))


def smoothed(
    deviation: Floats, cells: Cells, threshold: float, valid: Mask | None = None,
    known: dict[float, Smoothed] | None = None,
) -> Smoothed:  # fmt: skip
    """Smooth deviations (r, c) mm so far that the threshold is well above the noise, and no farther.

    The kernel is a Gaussian applied twice so that its second moment is zero: the deepest place of a dent stays as deep.
    `valid` cells without points, between others, get what is around them. In `known` results are kept by how far they
    were smoothed, to be used again for the same deviations.
    """
    kept = {} if known is None else known
    if kept:  # the noise is that of any of them
        some = next(iter(kept.values()))
        again = kept.get(sigma_for(threshold, some.cell_noise))
        if again is not None:
            return again
    there = np.isfinite(deviation)
    valid = there if valid is None else valid | there
    point_noise = noise_of(deviation, cells.count)
    usual = float(np.median(cells.count[there])) if there.any() else 1.0
    cell_noise = point_noise / np.sqrt(usual)
    sigma = sigma_for(threshold, cell_noise)
    height, noise = deviation, cell_noise
    if sigma:
        height, noise = _twice(deviation, there, valid, cells, sigma), cell_noise * min(1.0, 0.38 / sigma)
    elif not np.array_equal(valid, there):
        height = np.where(there, deviation, _twice(deviation, there, valid, cells, 0.8))
    inside = height[there]
    scatter = 1.4826 * float(np.median(np.abs(inside - np.median(inside)))) if len(inside) else 0.0
    kept[sigma] = Smoothed(height, noise, point_noise, scatter, cell_noise)
    return kept[sigma]


def _twice(deviation: Floats, there: Mask, valid: Mask, cells: Cells, sigma: float) -> Floats:
    from scipy.ndimage import gaussian_filter

    weight = np.where(there, cells.count, 0).astype(np.float64)
    value = np.where(there, deviation, 0.0)
    modes = ("constant", "wrap" if cells.is_closed else "constant")
    bottom = gaussian_filter(weight, sigma, mode=modes, truncate=3.0)

    def once(image: Floats) -> Floats:
        top = gaussian_filter(image * weight, sigma, mode=modes, truncate=3.0)
        return np.where(bottom > 1e-6, top / np.maximum(bottom, 1e-6), 0.0)

    first = once(value)
    return np.where(valid, first + once(np.where(there, value - first, 0.0)), np.nan)


def regions(height: Floats, cells: Cells, wanted: Finding) -> Ints:
    """Return the region (r, c) of each cell beyond the threshold, from 1; 0: none. Its sign is that of the height."""
    labels = np.zeros(height.shape, dtype=np.int64)
    most = 0
    for sign in wanted.signs:
        beyond = sign * height >= wanted.threshold(sign)  # NaN is beyond nothing
        rows, columns = np.divmod(np.flatnonzero(beyond), height.shape[1])
        if not len(rows):
            continue
        order = np.argsort(-sign * height[rows, columns], kind="stable")
        own = np.zeros(height.shape, dtype=np.int64)
        _flood(height, sign, rows[order], columns[order], wanted.saddle, cells.is_closed, own)
        if wanted.join > 0:
            own = _joined(own, cells, wanted.join)
        numbers, number = np.unique(own[rows, columns], return_inverse=True)
        labels[rows, columns] = number + 1 + most
        most += len(numbers)
    return labels


def _joined(own: Ints, cells: Cells, join: float) -> Ints:
    """Give regions that are nearer to each other than `join` mm the same number."""
    from scipy.ndimage import distance_transform_edt

    far, nearest = distance_transform_edt(own == 0, return_indices=True)
    owner = own[tuple(nearest)]
    same = np.arange(own.max() + 1)
    for axis in (0, 1):
        a, b = _pairs(owner, axis)
        p, q = _pairs(far, axis)
        meets = (a != b) & ((p + q) * cells.size <= join)
        for x, y in np.unique(np.column_stack([a[meets], b[meets]]), axis=0):
            low, high = sorted((same[x], same[y]))
            same[same == high] = low
    return np.where(own > 0, same[own], 0)


def grown(heights: Floats, labels: Ints, limits: Floats, *, closed: bool) -> Ints:
    """Grow regions cell by cell to where heights (r, c) fall below the limit of each (by its number).

    Each on its own side of zero, which the first of its cells tells.
    """
    made = labels.copy()
    seeds = np.flatnonzero(labels)
    if len(seeds):
        _grow(heights, made, limits, seeds, closed)
    return made


@njit(cache=True, nogil=True)
def _grow(heights, made, limits, seeds, closed):  # type: ignore[no-untyped-def]
    height, width = heights.shape
    signs = np.zeros(len(limits))
    for k in range(len(seeds)):
        r, c = seeds[k] // width, seeds[k] % width
        if signs[made[r, c]] == 0.0:
            signs[made[r, c]] = 1.0 if heights[r, c] > 0 else -1.0
    waiting = np.empty(height * width, dtype=np.int64)
    waiting[: len(seeds)] = seeds
    first, last = 0, len(seeds)
    while first < last:
        r, c = waiting[first] // width, waiting[first] % width
        first += 1
        own = made[r, c]
        sign, limit = signs[own], limits[own]
        for dr in range(-1, 2):
            for dc in range(-1, 2):
                y, x = r + dr, c + dc
                if closed:
                    x = x % width
                if y < 0 or y >= height or x < 0 or x >= width or made[y, x] != 0:
                    continue
                if not sign * heights[y, x] > limit:  # nor is NaN
                    continue
                made[y, x] = own
                waiting[last] = y * width + x
                last += 1


@njit(cache=True, nogil=True)
def _root(parent, k):  # type: ignore[no-untyped-def]
    while parent[k] != k:
        parent[k] = parent[parent[k]]
        k = parent[k]
    return k


@njit(cache=True, nogil=True)
def _flood(heights, sign, rows, columns, saddle, closed, own):  # type: ignore[no-untyped-def]
    """Number the cells from the highest down; where two hills meet they are one unless the saddle between is low."""
    height, width = heights.shape
    parent, peak = np.arange(len(rows) + 1), np.zeros(len(rows) + 1)
    count = 0
    for k in range(len(rows)):
        r, c = rows[k], columns[k]
        best = 0
        for dr in range(-1, 2):
            for dc in range(-1, 2):
                y, x = r + dr, c + dc
                if closed:
                    x = x % width
                if y < 0 or y >= height or x < 0 or x >= width or own[y, x] == 0:
                    continue
                other = _root(parent, own[y, x])
                if best == 0:
                    best = other
                elif other != best:
                    low, high = (other, best) if peak[other] < peak[best] else (best, other)
                    if sign * heights[r, c] >= saddle * peak[low]:
                        parent[low] = high
                    best = high
        if best == 0:
            count += 1
            best = count
            peak[best] = sign * heights[r, c]
        own[r, c] = best
    for k in range(len(rows)):
        own[rows[k], columns[k]] = _root(parent, own[rows[k], columns[k]])
