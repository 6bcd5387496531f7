"""LW-1408, the focuser shaft: its shadow in closed form, as designed and as single parts were made.

The axis goes along x, mm. From the left: a journal with a chamfer and a groove, a bearing seat with a fillet to the
collar, the collar with rounded corners, a taper, a thread and a hexagon.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np

from truegauge.demo.made_sizes import made_of

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats

_FINE, _ARC = 0.1, 0.01  # mm between points of a straight side; rad between those of an arc
_FLANK = np.pi / 3  # between the flanks of the thread
_SHARP = np.sqrt(3.0) / 2.0  # height of its triangle, pitches


@dataclass(frozen=True, slots=True)
class ShaftSizes:
    """Diameters, lengths along the axis, radii: mm."""

    journal: float = 6.0
    journal_long: float = 6.5
    chamfer: float = 0.5
    groove: float = 4.6
    groove_wide: float = 1.2
    groove_at: float = 3.2  # from the left end to its left side
    seat: float = 8.0
    seat_long: float = 7.0
    fillet: float = 0.8
    collar: float = 14.0
    collar_long: float = 3.0
    corner: float = 0.4
    taper: float = 10.0  # at its large end
    taper_small: float = 8.8
    taper_long: float = 6.0
    thread: float = 5.0
    thread_long: float = 6.0
    pitch: float = 0.8
    hexagon: float = 7.0  # across flats, which lie level
    hexagon_long: float = 3.0

    @property
    def long(self) -> float:
        """From end to end."""
        return float(
            self.journal_long + self.seat_long + self.collar_long + self.taper_long + self.thread_long
            + self.hexagon_long
        )  # fmt: skip

    @property
    def half_angle(self) -> float:
        """By what either side of the taper is off the axis, rad."""
        return float(np.arctan((self.taper - self.taper_small) / 2 / self.taper_long))


def made(number: int) -> ShaftSizes:
    """Return the sizes of a part as it was made; the same number is the same part."""
    return made_of(ShaftSizes(), 1408, number)


def outline(sizes: ShaftSizes) -> Floats:
    """Return the outline of the shadow (n, 2), against the clock, beginning at the left end of the axis (0, 0)."""
    upper = _side(sizes, 0.25)
    lower = _side(sizes, 0.75) * [1.0, -1.0]
    return np.vstack([lower[:-1], upper[::-1][:-1]])


def _side(s: ShaftSizes, turn: float) -> Floats:
    """Return one side from left to right; `turn` tells where the helix of the thread crosses it, in turns."""
    x1 = s.journal_long
    x2 = x1 + s.seat_long
    x3 = x2 + s.collar_long
    x4 = x3 + s.taper_long
    x5 = x4 + s.thread_long
    a, b, c, d, f = s.journal / 2, s.groove / 2, s.seat / 2, s.collar / 2, s.fillet
    g0, g1, k = s.groove_at, s.groove_at + s.groove_wide, s.corner
    parts = [
        _line((0.0, 0.0), (0.0, a - s.chamfer)), _line((0.0, a - s.chamfer), (s.chamfer, a)),
        _line((s.chamfer, a), (g0, a)), _line((g0, a), (g0, b)), _line((g0, b), (g1, b)), _line((g1, b), (g1, a)),
        _line((g1, a), (x1, a)), _line((x1, a), (x1, c)), _line((x1, c), (x2 - f, c)),
        _arc((x2 - f, c + f), f, -np.pi / 2, 0.0), _line((x2, c + f), (x2, d - k)),
        _arc((x2 + k, d - k), k, np.pi, np.pi / 2), _line((x2 + k, d), (x3 - k, d)),
        _arc((x3 - k, d - k), k, np.pi / 2, 0.0), _line((x3, d - k), (x3, s.taper / 2)),
        _line((x3, s.taper / 2), (x4, s.taper_small / 2)), _thread(s, x4, x5, turn),
        _line((x5, s.hexagon / 2), (x5 + s.hexagon_long, s.hexagon / 2)),
        _line((x5 + s.hexagon_long, s.hexagon / 2), (x5 + s.hexagon_long, 0.0)),
    ]  # fmt: skip
    joined = np.vstack(parts)
    return np.asarray(joined[np.append(True, np.any(np.abs(np.diff(joined, axis=0)) > 1e-12, axis=1))])


def _thread(s: ShaftSizes, begin: float, end: float, turn: float) -> Floats:
    """Return a side of the thread: crests an eighth of the pitch wide, roots a quarter (ISO 68-1)."""
    deep = 5.0 / 8.0 * _SHARP * s.pitch
    crest, flank, root = s.pitch / 8, deep * np.tan(_FLANK / 2), s.pitch / 4
    x = begin - s.pitch + turn * s.pitch
    corners = []
    while x < end + s.pitch:
        corners += [(x, s.thread / 2), (x + crest, s.thread / 2), (x + crest + flank, s.thread / 2 - deep),
                    (x + crest + flank + root, s.thread / 2 - deep)]  # fmt: skip
        x += s.pitch
    at = np.array(corners)
    inner = at[(at[:, 0] > begin) & (at[:, 0] < end)]
    ends = np.interp([begin, end], at[:, 0], at[:, 1])
    line = np.vstack([[begin, ends[0]], inner, [end, ends[1]]])
    return np.vstack([_line(tuple(p), tuple(q)) for p, q in pairwise(line)])


def _line(a: tuple[float, float], b: tuple[float, float]) -> Floats:
    count = max(2, int(np.ceil(np.hypot(b[0] - a[0], b[1] - a[1]) / _FINE)) + 1)
    return np.linspace(a, b, count)


def _arc(center: tuple[float, float], radius: float, begin: float, end: float) -> Floats:
    t = np.linspace(begin, end, int(np.ceil(abs(end - begin) / _ARC)) + 1)
    return np.asarray(np.array(center) + radius * np.column_stack([np.cos(t), np.sin(t)]))
