"""Points of a surface that is laid out flat, put into square cells: mean height, and how many points."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numba import njit

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats, Ints, Mask, Points

_STRAY = 8.0  # robust scales that a point may be off its neighbourhood
_ENDS = 0.005  # of the points at each end, which the rest is measured without
_SOME = 100_000  # points that tell the spacing of all
_STEEP = 0.5  # of a cell that heights may differ within it: more is no surface that is laid out


@dataclass(frozen=True, slots=True, eq=False)
class Cells:
    """Cells of `size` mm: rows along the second length, columns along the first, from `low` (2,) mm.

    `height` (r, c) is the mean of the points, mm, NaN where there are none; `count` (r, c) of them, and `at` (r, c, 2)
    their mean place, mm: on a slope a mean height is that of the mean place, not of the middle of the cell; of none it
    is the middle.
    """

    low: Floats
    size: float
    height: Floats
    count: Ints
    at: Floats
    is_closed: bool = False  # the last column is beside the first

    @property
    def shape(self) -> tuple[int, int]:
        """Rows and columns."""
        return self.height.shape[0], self.height.shape[1]

    @property
    def known(self) -> Mask:
        """Where there are points (r, c)."""
        return np.asarray(self.count > 0)

    def middles(self, rows: Ints, columns: Ints) -> Floats:
        """Return the middles (n, 2) of cells, mm."""
        return np.column_stack([self.low[0] + (columns + 0.5) * self.size, self.low[1] + (rows + 0.5) * self.size])


def put_into_cells(laid: Points, size: float, period: float = 0.0) -> Cells:
    """Put laid points (n, 3) into cells; of a closed surface (`period` mm around) a whole number fits around."""
    low = laid[:, :2].min(axis=0)
    if period > 0:
        size = period / max(1, round(period / size))
        low = np.array([0.0, low[1]])
        columns = round(period / size)
    else:
        columns = int((laid[:, 0].max() - low[0]) / size) + 1
    rows = int((laid[:, 1].max() - low[1]) / size) + 1
    total, count = np.zeros((rows, columns, 3)), np.zeros((rows, columns), dtype=np.int64)
    _add(np.ascontiguousarray(laid), low[0], low[1], size, total, count)
    with np.errstate(invalid="ignore"):
        mean = np.where((count > 0)[:, :, None], total / count[:, :, None], np.nan)
    height, at = np.ascontiguousarray(mean[:, :, 2]), np.ascontiguousarray(mean[:, :, :2])
    empty = np.nonzero(count == 0)
    at[empty] = np.column_stack([low[0] + (empty[1] + 0.5) * size, low[1] + (empty[0] + 0.5) * size])
    return Cells(low, size, height, count, at, period > 0)


def usual_spacing(laid: Points) -> float:
    """Return how far apart points (n, 3) are about, mm: by the area that they cover."""
    some = laid[:: max(1, len(laid) // _SOME)]
    extent = np.ptp(some[:, :2], axis=0)
    rough = float(np.sqrt(max(extent[0] * extent[1], 1e-12) / len(some)))
    # Of a part that fills its rectangle partly only: what of cells with some points each is there.
    for _ in range(3):
        cells = put_into_cells(some, 3.0 * rough)
        rough = float(np.sqrt(np.count_nonzero(cells.count) * cells.size**2 / len(some)))
    return rough * float(np.sqrt(len(some) / len(laid)))


def in_one_place(laid: Points) -> Mask:
    """Return which laid points (n, 3) lie with the others: one far off would make the cells too many to count.

    Far is beyond the extent of the middle 99 % in a length, once more on each side.
    """
    low, high = np.quantile(laid[:, :2], [_ENDS, 1.0 - _ENDS], axis=0)
    reach = np.maximum(high - low, 1e-9)
    return np.asarray(((laid[:, :2] >= low - reach) & (laid[:, :2] <= high + reach)).all(axis=1))


def without_strays(laid: Points, size: float, period: float = 0.0) -> tuple[Mask, float]:
    """Return which laid points (n, 3) belong to the surface, and how much heights scatter (robust scale, mm).

    A stray is far off the median of the cells around its own, of `size` mm.
    """
    from scipy.ndimage import median_filter

    cells = put_into_cells(laid, size, period)
    # Where nothing is the median goes by the nearest.
    known = cells.known
    filled = cells.height
    if not known.all():
        from scipy.ndimage import distance_transform_edt

        nearest = distance_transform_edt(~known, return_distances=False, return_indices=True)
        filled = filled[tuple(nearest)]
    smooth = median_filter(filled, size=3, mode="nearest")
    column, row = cell_of(laid, cells)
    off = np.abs(laid[:, 2] - smooth[row, column])
    scatter = 1.4826 * float(np.median(off))
    return np.asarray(off <= max(_STRAY * scatter, _STEEP * cells.size)), scatter


def cell_of(laid: Points, cells: Cells) -> tuple[Ints, Ints]:
    """Return column and row (n,) of the cell of each laid point."""
    at = ((laid[:, :2] - cells.low) / cells.size).astype(np.int64)
    rows, columns = cells.shape
    return np.clip(at[:, 0], 0, columns - 1), np.clip(at[:, 1], 0, rows - 1)


@dataclass(frozen=True, slots=True, eq=False)
class ByCell:
    """Points in the order of their cells: places (n, 2) mm, deviations (n,) mm; `starts` of each cell, row by row."""

    at: Floats
    deviation: Floats
    starts: Ints

    @staticmethod
    def of(laid: Points, deviation: Floats, cells: Cells) -> ByCell:
        """Put laid points (n, 3) with their deviations in order; NaN are left out."""
        rows, columns = cells.shape
        starts = np.zeros(rows * columns + 1, dtype=np.int64)
        at, sorted_ = np.empty((len(laid), 2)), np.empty(len(laid))
        _sort(np.ascontiguousarray(laid), deviation, cells.low[0], cells.low[1], cells.size, rows, columns, starts, at,
              sorted_)  # fmt: skip
        return ByCell(at[: starts[-1]], sorted_[: starts[-1]], starts)

    def means(self, shape: tuple[int, int]) -> tuple[Floats, Ints]:
        """Return the mean deviation and the number of points of each cell (r, c)."""
        sums, count = np.append(0.0, np.cumsum(self.deviation)), np.diff(self.starts)
        with np.errstate(invalid="ignore"):
            mean = np.where(count > 0, (sums[self.starts[1:]] - sums[self.starts[:-1]]) / count, np.nan)
        return mean.reshape(shape), count.reshape(shape)

    def within(self, rows: Ints, columns: Ints, width: int) -> Ints:
        """Return the numbers (m,) of the points of some cells; `width` columns there are."""
        cell = rows * width + columns
        first, count = self.starts[cell], self.starts[cell + 1] - self.starts[cell]
        skipped = np.repeat(np.cumsum(count) - count, count)
        return np.asarray(np.repeat(first, count) + np.arange(count.sum()) - skipped)


@njit(cache=True, nogil=True)
def _add(laid, low_u, low_v, size, total, count):  # type: ignore[no-untyped-def]
    rows, columns = count.shape
    for k in range(len(laid)):
        column = min(max(int((laid[k, 0] - low_u) / size), 0), columns - 1)
        row = min(max(int((laid[k, 1] - low_v) / size), 0), rows - 1)
        for c in range(3):
            total[row, column, c] += laid[k, c]
        count[row, column] += 1


@njit(cache=True, nogil=True)
def _cell(u, v, low_u, low_v, size, rows, columns):  # type: ignore[no-untyped-def]
    column = min(max(int((u - low_u) / size), 0), columns - 1)
    row = min(max(int((v - low_v) / size), 0), rows - 1)
    return row * columns + column


@njit(cache=True, nogil=True)
def _sort(laid, deviation, low_u, low_v, size, rows, columns, starts, at, sorted_):  # type: ignore[no-untyped-def]
    """Sort by counting: first how many each cell has, then each point to the next place of its cell."""
    for k in range(len(laid)):
        if not np.isnan(deviation[k]):
            starts[_cell(laid[k, 0], laid[k, 1], low_u, low_v, size, rows, columns) + 1] += 1
    for c in range(rows * columns):
        starts[c + 1] += starts[c]
    following = starts[:-1].copy()
    for k in range(len(laid)):
        if not np.isnan(deviation[k]):
            c = _cell(laid[k, 0], laid[k, 1], low_u, low_v, size, rows, columns)
            to = following[c]
            at[to, 0], at[to, 1], sorted_[to] = laid[k, 0], laid[k, 1], deviation[k]
            following[c] = to + 1
