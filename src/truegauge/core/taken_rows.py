"""The rows in which touches and traces were taken: rings about an axis, lines along it, lines over a plane.

Sections of touches are these rows. Slices of equal thickness cut a ring in two when it lies a little askew, or mix two
rings, and what they give jumps when a touch is added. Rows come with the touches from their strategy. Where nobody
stated them they are found: as groups whose gaps are wide against their own extent; what was found is told.
"""

from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Floats, Ints

LEAST = 3  # touches that make a row: a circle, or a line with a form
_WIDE = 3.0  # a gap between rows, in extents of the widest row
_NARROW = 0.1  # mm: rows nearer than that are one
_SHARE = 0.8  # of the touches that must lie in rows
_IN_SLICE, _MOST_SLICES = 24, 24


@dataclass(frozen=True, slots=True, eq=False)
class TakenRows:
    """Which row each point is in: numbers (n,) from 0 in order of place, -1 for none; and where the rows come from."""

    of: Ints
    told: str

    @property
    def count(self) -> int:
        """How many rows there are."""
        return int(self.of.max(initial=-1)) + 1

    @property
    def each(self) -> list[Ints]:
        """The indices of the points of each row."""
        return [np.flatnonzero(self.of == k) for k in range(self.count)]


def rows_at(place: Floats, stated: Ints | None, *, flat: float, turn: float = 0.0) -> TakenRows:
    """Return the rows of points that lie apart along a coordinate.

    Parameters
    ----------
    place : (n,)
        Where each point is along the coordinate that tells rows apart (mm along an axis, a radius, an angle in mm).
    stated : (n,) int, optional
        The row of each point as its strategy says, -1 where it does not.
    flat : float
        Points within this extent, mm, are one row.
    turn : float
        The length after which the coordinate begins again (an angle), 0 for none.
    """
    if stated is not None and (stated >= 0).any():
        by_strategy = _stated(place, stated, flat, turn)
        if by_strategy is not None:
            return TakenRows(by_strategy, "rows as they were taken")
    shifted = _unrolled(place, turn)
    found = _found(shifted, flat)
    if found is None:
        return TakenRows(np.full(len(place), -1, dtype=np.int64), "no rows")
    count = int(found.max()) + 1
    return TakenRows(found, f"{count} row{'s' if count > 1 else ''} found by their places")


def rows_or_slices(place: Floats, stated: Ints | None, *, flat: float) -> TakenRows:
    """As `rows_at`; points in no rows that are many (a helix, a dense cloud) are cut into slices of equal thickness."""
    found = rows_at(place, stated, flat=flat)
    count = min(_MOST_SLICES, len(place) // _IN_SLICE)
    if found.count or count < 2:
        return found
    level = (place - place.min()) / (float(np.ptp(place)) or 1.0) * count
    return TakenRows(
        np.clip(level.astype(np.int64), 0, count - 1), f"no rows: {count} slices of equal thickness stand for them"
    )


def _unrolled(place: Floats, turn: float) -> Floats:
    """Begin a coordinate that closes at its widest gap."""
    if turn <= 0:
        return place
    inside = np.mod(place, turn)
    order = np.sort(inside)
    gaps = np.diff(order, append=order[0] + turn)
    begin = order[(int(np.argmax(gaps)) + 1) % len(order)]
    return np.asarray(np.mod(inside - begin, turn))


def _stated(place: Floats, stated: Ints, flat: float, turn: float) -> Ints | None:
    """Return stated rows in order of place; None where they run along the coordinate instead of across it."""
    shifted = _unrolled(place, turn)
    whole = float(np.ptp(shifted))
    numbers = [k for k in np.unique(stated) if k >= 0 and (stated == k).sum() >= LEAST]
    if np.isin(stated, numbers).mean() < _SHARE:  # touches by hand among them: rows are found for all
        return None
    extents = [float(np.ptp(shifted[stated == k])) for k in numbers]
    if not numbers or (max(extents) > flat and max(extents) > 0.5 * whole):
        return None
    means = [float(shifted[stated == k].mean()) for k in numbers]
    out = np.full(len(place), -1, dtype=np.int64)
    for new, k in enumerate(np.argsort(means)):
        out[stated == numbers[k]] = new
    return out


def _found(place: Floats, flat: float) -> Ints | None:
    """Return the row of each point; None where the places form no rows.

    Every number of rows is tried that wide gaps allow; of those whose gaps are wide against the widest row, the one
    where they are widest is taken.
    """
    n = len(place)
    if n < LEAST:
        return None
    order = np.argsort(place, kind="stable")
    sorted_place = place[order]
    gaps = np.diff(sorted_place)
    by_size = np.argsort(-gaps, kind="stable")
    best: tuple[float, Ints] | None = None
    if float(np.ptp(place)) <= flat:
        best = (_WIDE, np.zeros(n, dtype=np.int64))
    for k in range(1, n // LEAST + 1):
        if k > len(gaps) or gaps[by_size[k - 1]] < _NARROW:
            break
        cuts = np.sort(by_size[:k]) + 1
        pieces = np.split(np.arange(n), cuts)
        rows = [p for p in pieces if len(p) >= LEAST]
        if sum(map(len, rows)) < _SHARE * n:
            continue
        extent = max(float(sorted_place[p[-1]] - sorted_place[p[0]]) for p in rows)
        wide = float(gaps[by_size[k - 1]]) / max(extent, 1e-9)
        if wide >= _WIDE and (best is None or wide > best[0]):
            keys = np.full(n, -1, dtype=np.int64)
            for number, p in enumerate(rows):
                keys[order[p]] = number
            best = (wide, keys)
    return None if best is None else best[1]
