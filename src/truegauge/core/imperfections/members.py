"""The cells of all regions of a map at once: summed, ranked and widened without a loop over the regions."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numba import njit

from truegauge.core.arrays import Floats, Ints, Mask


@dataclass(frozen=True, eq=False)
class Members:
    """Cells (n,) of `count` regions: rows, columns, and of which region (from 0) each is, in the order of those."""

    rows: Ints
    columns: Ints
    of: Ints
    count: int

    @staticmethod
    def of_labels(labels: Ints) -> Members:
        """Return the cells of each region of a map (r, c) that numbers them from 1; 0 is none."""
        rows, columns, of, count = _by_number(labels)
        return Members(rows, columns, of, count)

    @cached_property
    def sizes(self) -> Ints:
        """How many cells each region has."""
        return np.bincount(self.of, minlength=self.count)

    @cached_property
    def starts(self) -> Ints:
        """Where the cells of each region begin, and the end of the last."""
        return np.append(0, np.cumsum(self.sizes))

    def only(self, kept: Ints) -> Members:
        """Return some of the regions, numbered anew in the order of their numbers (m,), which grow."""
        numbers = np.full(self.count, -1)
        numbers[kept] = np.arange(len(kept))
        of = numbers[self.of]
        own = of >= 0
        return Members(self.rows[own], self.columns[own], of[own], len(kept))

    def only_cells(self, kept: Mask) -> Members:
        """Return the regions with some of their cells (n,) only."""
        return Members(self.rows[kept], self.columns[kept], self.of[kept], self.count)

    def sums(self, value: Floats | Ints | Mask) -> Floats:
        """Return the sum of values (n,) of the cells for each region."""
        return np.asarray(np.bincount(self.of, value, self.count), dtype=np.float64)

    def means(self, value: Floats) -> Floats:
        """Return the mean of values (n,) for each region; those that are not finite do not count, 0 where none is."""
        there = np.isfinite(value)
        return self.sums(np.where(there, value, 0.0)) / np.maximum(self.sums(there), 1)

    def firsts(self, value: Floats) -> Ints:
        """Return the number of the cell with the least of some values (n,) for each region, which all have cells."""
        return np.asarray(_firsts(np.asarray(value, dtype=np.float64), self.starts))

    def beside(self, labels: Ints, *, closed: bool) -> Mask:
        """Return which cells (n,) have one beside them that a map (r, c) of numbers from 1 gives to none or another."""
        return np.asarray(_beside(self.rows, self.columns, labels, closed))

    def widened(self, shape: tuple[int, int], *, closed: bool) -> Members:
        """Return the regions with the cells all around them; a cell can be around several."""
        none = np.zeros(0, dtype=np.int64)
        cells = _together(
            self.rows, self.columns, self.starts, none, none, np.zeros_like(self.starts), *shape, 1, closed
        )
        return self._of_cells(cells, shape)

    def joined(self, others: Members, shape: tuple[int, int]) -> Members:
        """Return the cells of each region that it has here or there, each once."""
        cells = _together(self.rows, self.columns, self.starts, others.rows, others.columns, others.starts, *shape, 0,
                          False)  # fmt: skip
        return self._of_cells(cells, shape)

    def _of_cells(self, found: tuple[Ints, Ints], shape: tuple[int, int]) -> Members:
        cells, sizes = found
        return Members(*np.divmod(cells, shape[1]), np.repeat(np.arange(self.count), sizes), self.count)


@njit(cache=True, nogil=True)
def _by_number(labels):  # type: ignore[no-untyped-def]
    """Return rows, columns and numbers from 0 of all cells with one from 1, in their order, and how many there are."""
    height, width = labels.shape
    count = 0
    for r in range(height):
        for c in range(width):
            count = max(count, labels[r, c])
    following = np.zeros(count + 2, dtype=np.int64)
    for r in range(height):
        for c in range(width):
            if labels[r, c] > 0:
                following[labels[r, c] + 1] += 1
    for k in range(count + 1):
        following[k + 1] += following[k]
    total = following[count + 1]
    rows, columns, of = (np.empty(total, dtype=np.int64), np.empty(total, dtype=np.int64),
                         np.empty(total, dtype=np.int64))  # fmt: skip
    for r in range(height):
        for c in range(width):
            k = labels[r, c]
            if k > 0:
                to = following[k]
                rows[to], columns[to], of[to] = r, c, k - 1
                following[k] += 1
    return rows, columns, of, count


@njit(cache=True, nogil=True)
def _firsts(value, starts):  # type: ignore[no-untyped-def]
    made = starts[:-1].copy()
    for k in range(len(made)):
        for i in range(starts[k] + 1, starts[k + 1]):
            if value[i] < value[made[k]]:
                made[k] = i
    return made


@njit(cache=True, nogil=True)
def _beside(rows, columns, labels, closed):  # type: ignore[no-untyped-def]
    height, width = labels.shape
    edge = np.zeros(len(rows), dtype=np.bool_)
    for k in range(len(rows)):
        own = labels[rows[k], columns[k]]
        for r in range(rows[k] - 1, rows[k] + 2):
            for c in range(columns[k] - 1, columns[k] + 2):
                x = c % width if closed else c
                if r < 0 or r >= height or x < 0 or x >= width or labels[r, x] != own:
                    edge[k] = True
    return edge


@njit(cache=True, nogil=True)
def _together(rows, columns, starts, more_rows, more_columns, more_starts, height, width, reach, closed):  # type: ignore[no-untyped-def]
    """Return the numbers of the cells within `reach` of each region, then of its others; each once for a region."""
    count = len(starts) - 1
    side = 2 * reach + 1
    cells = np.empty(len(rows) * side * side + len(more_rows), dtype=np.int64)
    sizes, last = np.zeros(count, dtype=np.int64), np.zeros(height * width, dtype=np.int32)
    n = 0
    for k in range(count):
        before = n
        for i in range(starts[k], starts[k + 1]):
            for r in range(rows[i] - reach, rows[i] + reach + 1):
                for c in range(columns[i] - reach, columns[i] + reach + 1):
                    x = c % width if closed else c
                    if r < 0 or r >= height or x < 0 or x >= width or last[r * width + x] == k + 1:
                        continue
                    last[r * width + x] = k + 1
                    cells[n] = r * width + x
                    n += 1
        for i in range(more_starts[k], more_starts[k + 1]):
            cell = more_rows[i] * width + more_columns[i]
            if last[cell] != k + 1:
                last[cell] = k + 1
                cells[n] = cell
                n += 1
        sizes[k] = n - before
    return cells[:n], sizes


def quantiles(value: Floats, starts: Ints, share: float) -> Floats:
    """Return the quantile of the finite values (n,) of groups that begin at `starts` (m + 1); NaN: it has none."""
    made = np.full(len(starts) - 1, np.nan)
    for k in range(len(made)):
        own = value[starts[k] : starts[k + 1]]
        own = own[np.isfinite(own)]
        if len(own):
            place = share * (len(own) - 1)
            low, high = int(place), min(int(place) + 1, len(own) - 1)
            own = np.partition(own, (low, high))
            made[k] = own[low] + (place - low) * (own[high] - own[low])
    return made
