"""Points of a scan thinned evenly while they come: of every small cube the point that was seen best is kept."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numba import njit

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from truegauge.core.arrays import Ints, Points

MOST = 8_000_000  # points that are kept; then the cubes become twice as wide
_OFF, _BITS = 1 << 20, 21  # cubes an axis: 2 million of 0.1 mm are 200 m
_FEW = 1 << 16
_CLOSE = 0.25  # of a cube: several times the noise of a scanner whose points are worth keeping so close together


class ThinGrid:
    """Cubes of `spacing` mm. Memory goes by the surface that was seen, not by how long it was looked at.

    Of the points in a cube the one with the highest score stays, whatever it deviates: choosing by that would lie about
    the surface. For the same reason a point that lies in an empty cube, but close to an occupied one, counts as one of
    that: else the noise of a surface near the face of a cube would fill the next one with its extremes, the more the
    longer it is looked at.
    """

    def __init__(self, spacing: float, most: int = MOST) -> None:
        self.spacing, self.most = spacing, most
        self.count = 0
        self._slots = np.full(4 * _FEW, -1, dtype=np.int64)
        self._keys = np.zeros(_FEW, dtype=np.int64)
        self._places = np.zeros((_FEW, 3))
        self._scores = np.zeros(_FEW, dtype=np.float32)

    @property
    def places(self) -> Points:
        """The points (n, 3) that are kept, mm; a view."""
        return self._places[: self.count]

    @property
    def scores(self) -> NDArray[np.float32]:
        """How well each was seen (n,); a view."""
        return self._scores[: self.count]

    def add(self, places: Points, scores: NDArray[np.floating]) -> tuple[Ints, Ints]:
        """Take points (n, 3) mm, the better seen the higher their score (n,).

        Returns
        -------
        (k,) int
            The rows of what is kept that are new or other points now, ascending. A row stays the same cube until
            `is_full`, after which `widen` is to be called.
        (k,) int
            Which of the points each of them is.
        """
        self._room_for(len(places))
        changed, taken = np.empty((2, len(places)), dtype=np.int64)
        self.count, changes = _put(
            self._slots, self._keys, self._places, self._scores, self.count, np.ascontiguousarray(places),
            np.asarray(scores, dtype=np.float32), 1.0 / self.spacing, changed, taken,
        )  # fmt: skip
        # A cube that changed more than once is what it was made last.
        rows, last = np.unique(changed[:changes][::-1], return_index=True)
        return rows, taken[:changes][::-1][last]

    @property
    def is_full(self) -> bool:
        """Whether as many points are kept as may be."""
        return self.count > self.most

    def widen(self) -> None:
        """Make the cubes twice as wide; all rows are others afterwards."""
        places, scores = self._places[: self.count].copy(), self._scores[: self.count].copy()
        self.spacing, self.count = 2 * self.spacing, 0
        self._slots.fill(-1)
        self.add(places, scores)

    def _room_for(self, more: int) -> None:
        wanted = self.count + more
        if wanted > len(self._keys):
            size = max(2 * len(self._keys), wanted)
            for name in ("_keys", "_places", "_scores"):
                old = getattr(self, name)
                new = np.zeros((size, *old.shape[1:]), dtype=old.dtype)
                new[: self.count] = old[: self.count]
                setattr(self, name, new)
        if 2 * wanted > len(self._slots):
            self._slots = np.full(4 * len(self._keys), -1, dtype=np.int64)
            _slot_again(self._slots, self._keys, self.count)


@njit(cache=True, nogil=True)
def _slot_of(slots, keys, key):  # type: ignore[no-untyped-def]
    """Return where a key is, or would be."""
    size = len(slots)
    # Neighbouring cubes have neighbouring keys: they are spread by a multiplication (Fibonacci hashing).
    at = (key * np.int64(-7046029254386353131) >> 20) % size
    while slots[at] >= 0 and keys[slots[at]] != key:
        at = at + 1 if at + 1 < size else 0
    return at


@njit(cache=True, nogil=True)
def _slot_again(slots, keys, count):  # type: ignore[no-untyped-def]
    for row in range(count):
        slots[_slot_of(slots, keys, keys[row])] = row


@njit(cache=True, nogil=True)
def _row_beside(slots, keys, cells, shares):  # type: ignore[no-untyped-def]
    """Return the row of the nearest occupied cube that a point of an empty one is close to; -1 for none.

    `shares` (3,) tell where in its cube it lies, 0 to 1.
    """
    best, found = np.inf, -1
    for mask in range(1, 8):
        key, off, there = np.int64(0), 0.0, True
        for c in range(3):
            cell = cells[c]
            if mask & (1 << c):
                near = min(shares[c], 1.0 - shares[c])
                cell += -1 if shares[c] < 0.5 else 1
                off += near * near
                if near >= _CLOSE:
                    there = False
            if cell < 0 or cell >= 2 * _OFF:
                there = False
            key = (key << _BITS) | cell
        if there and off < best:
            row = slots[_slot_of(slots, keys, key)]
            if row >= 0:
                best, found = off, row
    return found


@njit(cache=True, nogil=True)
def _put(slots, keys, places, scores, count, new, new_scores, per_mm, changed, taken):  # type: ignore[no-untyped-def]
    changes = 0
    cells, shares = np.zeros(3, dtype=np.int64), np.zeros(3)
    for k in range(len(new)):
        key, inside = np.int64(0), True
        for c in range(3):
            at = new[k, c] * per_mm
            low = np.floor(at)
            cells[c] = np.int64(low) + _OFF
            shares[c] = at - low
            if cells[c] < 0 or cells[c] >= 2 * _OFF:
                inside = False
            key = (key << _BITS) | cells[c]
        if not inside:
            continue
        slot = _slot_of(slots, keys, key)
        row = slots[slot]
        if row < 0:
            row = _row_beside(slots, keys, cells, shares)
        if row < 0:
            row = count
            slots[slot], keys[row] = row, key
            count += 1
        elif new_scores[k] <= scores[row]:
            continue
        places[row, 0], places[row, 1], places[row, 2] = new[k, 0], new[k, 1], new[k, 2]
        scores[row] = new_scores[k]
        changed[changes], taken[changes] = row, k
        changes += 1
    return count, changes
