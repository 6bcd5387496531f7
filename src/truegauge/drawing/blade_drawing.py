"""The drawing of a section of a blade: curve with bands and needles, construction, as strokes any painter can draw.

Coordinates are mm; the chord lies level, the leading edge on the left, y upwards. Deviations are magnified.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Literal

import numpy as np

from truegauge.core.blades.covering import beside_gaps
from truegauge.core.blades.zone_deviations import seen_places
from truegauge.core.blades.zones import ZONES, zone_of
from truegauge.drawing.section_drawing import needle_factor
from truegauge.palette import colors_of

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy.typing import NDArray

    from truegauge.core.arrays import Floats
    from truegauge.core.blades.bands import Bands
    from truegauge.core.blades.parameters import Blade
    from truegauge.core.blades.result import SectionResult
    from truegauge.core.deviations.map_scale import DeviationScale

When = Literal["before", "after"]
_NEEDLE, _EDGE_NEEDLE = 0.07, 0.22  # of the size of a drawing: the longest needle
_ROUND = 1.6  # as far around an edge as its circle goes, that an inset shows
_FINE = 240  # places of an edge in its inset


@dataclass(frozen=True, slots=True)
class Handle:
    """What can be dragged: which setting, and where it stands.

    Of an edge it goes around `center`, by angles from `start` (the middle of what is fitted, or the end of the mean
    line); of a tangent along the chord from `start`. `size` is the radius, or the chord, mm; `pressure` is +1 where
    that side is above.
    """

    key: str
    at: tuple[float, float]
    start: tuple[float, float] = (0.0, 0.0)
    center: tuple[float, float] = (0.0, 0.0)
    size: float = 1.0
    pressure: int = 1

    def dragged(self, x: float, y: float) -> float:
        """Return the setting with the handle at a place: a share, or how far it is moved, mm."""
        if self.key.startswith("tangent"):
            return float(np.clip((x - self.start[0]) / self.size, 0.0, 1.0))
        c = np.array(self.center)
        a, b = np.array(self.start) - c, np.array([x, y]) - c
        angle = float(np.abs(np.arctan2(a[0] * b[1] - a[1] * b[0], a @ b)))
        if self.key.endswith("share"):
            return float(np.clip(angle / (np.pi / 2), 0.1, 1.0))
        return self.pressure * float(np.sign(y - self.start[1])) * angle * self.size


@dataclass(frozen=True, slots=True, eq=False)
class BladeDrawing:
    """What is drawn of a section, or of an edge of it.

    `places` (n, 2) of the nominal with zones (n,), deviations (n,) mm (NaN: none) and tips (n, 2) of needles with their
    colours (n, 3); `limits` (2, n, 2) are the limits of bands, None without; `closed` tells whether it is all around.
    `lines` and `circles` (centre, radius) are by role: mean, chord, tangent, edge, largest.
    """

    box: tuple[float, float, float, float]
    places: Floats
    zones: Floats
    deviations: Floats
    tips: Floats
    colors: NDArray[np.uint8]
    limits: Floats | None
    magnification: float
    closed: bool
    lines: list[tuple[str, Floats]] = field(default_factory=list)
    circles: list[tuple[str, Floats, float]] = field(default_factory=list)
    handles: tuple[Handle, ...] = ()
    machine: tuple[float, float] = (1.0, 0.0)  # direction of the section's first axis

    def runs(self, known: NDArray[np.bool_]) -> list[NDArray[np.int64]]:
        """Return rows of pieces that are known, without gaps; of a closed one joined over its start."""
        rows = np.arange(len(known))
        if self.closed and not known.all() and known.any():
            rows = np.roll(rows, -int(np.flatnonzero(~known)[0]))
        ends = np.flatnonzero(np.diff(known[rows].astype(int))) + 1
        made = [run for run in np.split(rows, ends) if len(run) > 1 and known[run[0]]]
        return [np.append(run, run[0]) for run in made] if self.closed and known.all() else made

    def nearest(self, at: Floats) -> tuple[int, float]:
        """Return the row whose place or tip is nearest to (2,), and how far it is, mm."""
        off = np.linalg.norm(self.places - at, axis=1)
        off = np.fmin(off, np.linalg.norm(self.tips - at, axis=1))
        return int(np.argmin(off)), float(off.min())


def turned_level(blade: Blade) -> Floats:
    """Return the rotation (2, 2) that lays the chord of a section level."""
    x, y = blade.along
    return np.array([[x, y], [-y, x]])


def draw_blade(
    nominal: Blade, found: SectionResult | None, scale: DeviationScale, bands: Bands | None, when: When,
    magnification: float = 0.0,
) -> BladeDrawing:  # fmt: skip
    """Return the drawing of a whole section."""
    s, there = seen_places(nominal.profile, () if found is None else found.gaps)
    made = _drawn(nominal, found, scale, bands, when, s, there, True, magnification)
    shown, level = _constructed(nominal, found, when)
    line = shown.line
    way = np.vstack([line.leading, line.circles.center, line.trailing])
    lines = [("mean", level(way)), ("chord", level(np.array([line.leading, line.trailing])))]
    edges = ((shown.leading, "leading"), (shown.trailing, "trailing"))
    circles = [("edge", level(e.center), e.radius) for e, name in edges if e.radius > 0 and _is_told(found, name)]
    k = line.largest
    circles.append(("largest", level(line.circles.center[k]), float(line.circles.radius[k])))
    handles = []
    if shown.tangent is not None:
        a, b = level(shown.tangent)
        way = (b - a) / np.linalg.norm(b - a)
        along = (made.places - a) @ way
        low, high = float(along.min()), float(along.max())
        lines.append(("tangent", np.array([a + low * way, a + high * way])))
        start = _two(level(line.leading))
        handles = [Handle(f"tangent_{n}", _two(p), start, size=line.chord) for n, p in enumerate((a, b))]
    return replace(made, lines=lines, circles=circles, handles=tuple(handles))


def draw_edge(
    nominal: Blade, found: SectionResult | None, scale: DeviationScale, bands: Bands | None, when: When, *,
    trailing: bool,
) -> BladeDrawing:  # fmt: skip
    """Return the drawing of an edge, with the circle that is fitted to it and how far."""
    own = nominal.trailing if trailing else nominal.leading
    length = nominal.profile.length
    half = max((own.end - own.begin) / 2 * _ROUND, 0.02 * length)
    middle = (own.begin + own.end) / 2
    s = middle + np.linspace(-half, half, _FINE)
    there = beside_gaps(length, s, () if found is None else found.gaps)
    made = _drawn(nominal, found, scale, bands, when, np.mod(s, length), there, False, 0.0)
    name = "trailing" if trailing else "leading"
    shown, level = _constructed(nominal, found if _is_told(found, name) else None, when)
    edge = shown.trailing if trailing else shown.leading
    if not edge.radius > 0:
        return made
    around = edge.begin + (edge.end - edge.begin) * np.linspace(0, 1, 41)
    arc = level(shown.profile.at(around))
    line = level(shown.line.circles.center)
    reach = float(np.ptp(made.places, axis=0).max())
    (x0, y0, x1, y1), near = made.box, line[np.linalg.norm(line - arc[20], axis=1) < reach]
    near = near[np.all((near >= [x0, y0]) & (near <= [x1, y1]), axis=1)]
    tip = level(shown.line.trailing if trailing else shown.line.leading)
    mean = np.vstack([near, tip]) if trailing else np.vstack([tip, near])
    center, top, r, side = _two(level(edge.center)), _two(arc[20]), edge.radius, shown.pressure
    handles = (
        Handle(f"{name}_share", _two(arc[0]), top, center, r, side),
        Handle(f"{name}_share", _two(arc[-1]), top, center, r, side),
        Handle(f"{name}_moved", top, _two(tip), center, r, side),
    )
    x, y = center
    box = (min(x0, x - r), min(y0, y - r), max(x1, x + r), max(y1, y + r))
    return replace(made, box=box, lines=[("mean", mean), ("arc", arc)],
                   circles=[("edge", level(edge.center), edge.radius)], handles=handles)  # fmt: skip


def _is_told(found: SectionResult | None, edge: str) -> bool:
    """Tell whether an edge was seen by enough points: what a curve makes of it without them is shown nowhere."""
    return found is None or bool(np.isfinite(found.values.get(f"{edge}_radius", np.nan)))


def _two(place: Floats) -> tuple[float, float]:
    return float(place[0]), float(place[1])


def _constructed(nominal: Blade, found: SectionResult | None, when: When) -> tuple[Blade, Callable[[Floats], Floats]]:
    """Return the section whose construction is shown, the measured one where there is one; and what lays it level.

    After the fit it lies where that puts it, as the curve does.
    """
    turn = turned_level(nominal)
    if found is None or found.measured is None or found.fit is None:
        return nominal, lambda p: np.asarray(p @ turn.T)
    matrix = found.fit.matrix if when == "after" else np.eye(3)
    both, shift = turn @ matrix[:2, :2], turn @ matrix[:2, 2]
    return found.measured, lambda p: np.asarray(p @ both.T + shift)


def _drawn(
    nominal: Blade, found: SectionResult | None, scale: DeviationScale, bands: Bands | None, when: When, s: Floats,
    there: NDArray[np.bool_], closed: bool, magnification: float,
) -> BladeDrawing:  # fmt: skip
    turn, profile = turned_level(nominal), nominal.profile
    places, out = profile.at(s) @ turn.T, -profile.inward(s) @ turn.T
    curve = None if found is None else found.curve if when == "after" else found.plain
    off = np.full(len(s), np.nan) if curve is None else np.where(there, curve.deviation(s), np.nan)
    size = float(np.linalg.norm(np.ptp(places, axis=0)))
    shown = [off[np.isfinite(off)]]
    low_high = None if bands is None else np.array(bands.at(nominal, s))
    if low_high is not None:
        shown.append(low_high[np.isfinite(low_high)])
    factor = magnification or needle_factor(np.concatenate(shown), (_NEEDLE if closed else _EDGE_NEEDLE) * size)
    tips = places + factor * off[:, None] * out
    limits = None
    if low_high is not None:
        limits = places + factor * np.where(np.isfinite(low_high), low_high, np.nan)[..., None] * out
    colors = colors_of(np.nan_to_num(off), scale)
    every = [places, tips[np.isfinite(tips[:, 0])]]
    if limits is not None:
        every.append(limits[np.isfinite(limits)].reshape(-1, 2))
    corners = np.vstack(every)
    box = (*corners.min(axis=0).tolist(), *corners.max(axis=0).tolist())
    x = turn @ np.array([1.0, 0.0])
    return BladeDrawing(box, places, zone_of(nominal, s), off, tips, colors, limits, factor, closed,
                        machine=(float(x[0]), float(x[1])))  # fmt: skip


def zone_middles(drawing: BladeDrawing) -> list[tuple[str, int]]:
    """Return the name of each zone with the row in the middle of it."""
    made = []
    for number, name in enumerate(ZONES):
        for run in drawing.runs(drawing.zones == number)[:1]:
            made.append((name, int(run[len(run) // 2])))
    return made
