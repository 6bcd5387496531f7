"""A shadow with its sizes on any surface: the picture, the places that edges go by, dimensions with their values."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.deviations.map_scale import DeviationScale
from truegauge.drawing.gauge_bar import BarColors
from truegauge.drawing.section_drawing import needle_factor
from truegauge.drawing.shadow_shapes import Shape, shape_of
from truegauge.drawing.tag_text import small_text
from truegauge.drawing.tags import TagColors, draw_small_tag, small_size
from truegauge.palette import colors_of, hexadecimal

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from truegauge.core.arrays import Floats
    from truegauge.core.evaluation.results import Result
    from truegauge.core.plan.silhouette import Silhouette
    from truegauge.core.silhouette.lens import Lens
    from truegauge.core.silhouette.measuring import Measured
    from truegauge.drawing.surface import Surface
    from truegauge.drawing.units import NumberFormat

Rect = tuple[float, float, float, float]  # x, y, width, height
_GAP, _STEP, _LEVELS = 12.0, 9.0, 80  # pixels from the part, between tries; tries
_CELL, _CONTRAST = 16, 30.0  # pixels of the picture of which one is looked at; between dark and light
_TIP, _HALF = 9.0, 3.2  # of an arrow
_NEEDLES, _NEEDLE = 400, 22.0  # of a contour; pixels of the longest
_DOTS = 60  # places of an edge that are drawn


@dataclass(frozen=True, slots=True)
class ShadowColors:
    """Colours of what is drawn over a shadow; lines have a rim, so that they are seen on dark and on light."""

    line: str
    rim: str
    used: str
    left_out: str
    chosen: str
    tag: Callable[[Result], TagColors]


@dataclass(frozen=True, slots=True, eq=False)
class Figure:
    """What is drawn: sizes with their shapes and results, and how mm of the part become px of the picture."""

    found: Measured
    lens: Lens
    shapes: tuple[tuple[str, Shape, Result], ...]
    scales: Mapping[str, DeviationScale] = field(default_factory=dict)  # of deviations along contours, by their ids

    def px(self, part: Floats) -> Floats:
        """Return where places (n, 2) mm of the part are in the picture, px."""
        return self.lens.pixels(self.found.place.picture_from_part(part))


def figure_of(own: Silhouette, found: Measured, lens: Lens, results: Sequence[Result]) -> Figure:
    """Return what is drawn of a part that was measured."""
    by_size = {r.characteristic.features[0]: r for r in results}
    made = []
    for size in own.sizes:
        result, shape = by_size.get(size.id), shape_of(size, own, found)
        if result is not None and shape is not None:
            made.append((size.id, shape, result))
    scales: dict[str, DeviationScale] = {}
    for size in own.sizes:
        result = by_size.get(size.id)
        if size.of[0] in found.contours and result is not None and result.upper:
            scales.setdefault(size.of[0], DeviationScale(limit=result.upper, tolerance=result.upper / 2))
    return Figure(found, lens, tuple(made), scales)


@dataclass(frozen=True, slots=True, eq=False)
class Placed:
    """A size on the surface: its lines, arrows (tip and unit direction), and the box of its value."""

    key: str
    result: Result
    lines: list[list[tuple[float, float]]]
    arrows: list[tuple[Floats, Floats]]
    box: Rect


@dataclass(frozen=True, slots=True)
class View:
    """Which part of a picture is seen where: px times `scale`, from `x`, `y` of the surface on."""

    x: float
    y: float
    scale: float
    room: Rect = field(default=(0.0, 0.0, 0.0, 0.0))

    def on(self, px: Floats) -> Floats:
        """Return where places (n, 2) px are on the surface; the middle of the first pixel is at its half."""
        return np.asarray((px + 0.5) * self.scale + [self.x, self.y])

    def back(self, x: float, y: float) -> Floats:
        """Return the place (2,) px that is seen at one of the surface."""
        return np.array([(x - self.x) / self.scale - 0.5, (y - self.y) / self.scale - 0.5])


def view_of(box: Rect, room: Rect) -> View:
    """Return the view in which a box of the picture (px) fills a room of the surface."""
    x, y, width, height = box
    scale = min(room[2] / max(width, 1.0), room[3] / max(height, 1.0))
    left = room[0] + (room[2] - scale * width) / 2 - scale * x
    top = room[1] + (room[3] - scale * height) / 2 - scale * y
    return View(left, top, scale, room)


class Dark:
    """Where a picture is dark, roughly: values stand beside it."""

    def __init__(self, picture: NDArray[np.uint8], view: View) -> None:
        few = picture[::_CELL, ::_CELL]
        low, high = np.percentile(few, [1.0, 99.0])
        dark = few < (low + high) / 2 if high - low > _CONTRAST else np.zeros(few.shape, dtype=bool)
        self._sum = np.pad(np.cumsum(np.cumsum(dark, axis=0), axis=1), ((1, 0), (1, 0)))
        self._view = view

    def covers(self, box: Rect) -> bool:
        """Tell whether a box of the surface has something dark in it."""
        x0, y0 = self._view.back(box[0], box[1]) / _CELL
        x1, y1 = self._view.back(box[0] + box[2], box[1] + box[3]) / _CELL
        high, wide = self._sum.shape
        a, c = (int(np.clip(v, 0, wide - 1)) for v in (np.floor(x0), np.ceil(x1) + 1))
        b, d = (int(np.clip(v, 0, high - 1)) for v in (np.floor(y0), np.ceil(y1) + 1))
        return bool(self._sum[d, c] - self._sum[b, c] - self._sum[d, a] + self._sum[b, a] > 0)


def lay_out(
    surface: Surface, figure: Figure, view: View, numbers: NumberFormat, picture: NDArray[np.uint8],
    kept: Mapping[str, Floats] | None = None,
) -> list[Placed]:  # fmt: skip
    """Return where sizes stand: each beside the part, in the nearest room that no other has.

    What is `kept` (middles of values by the ids of their sizes) stays there.
    """
    there = kept or {}
    dark = None if there.keys() >= {key for key, _, _ in figure.shapes} else Dark(picture, view)
    taken: list[Rect] = []
    made = []
    # Those that somebody has put somewhere keep their place.
    for key, shape, result in sorted(figure.shapes, key=lambda one: one[1].value_at is None):
        size = small_size(surface, small_text(result, numbers))
        ends = view.on(figure.px(shape.places))
        step = view.on(figure.px(shape.places[:1] + 1e-3 * shape.along))[0] - ends[0]
        along = step / max(float(np.linalg.norm(step)), 1e-12)
        if shape.value_at is not None:
            middle = view.on(figure.px(shape.value_at[None]))[0]
        elif key in there or dark is None:
            middle = there[key]
        else:
            middle = _free(shape, ends, along, size, dark, view.room, taken, surface.unit)
        box = (float(middle[0] - size[0] / 2), float(middle[1] - size[1] / 2), *size)
        taken.append(box)
        lines, arrows = _drawn(shape, ends, along, middle)
        made.append(Placed(key, result, lines, arrows, box))
    return made


def _free(
    shape: Shape, ends: Floats, along: Floats, size: tuple[float, float], dark: Dark, room: Rect,
    taken: Sequence[Rect], unit: float,
) -> Floats:  # fmt: skip
    """Return the middle of a value in the nearest room beside the part."""
    across = np.array([-along[1], along[0]])
    middle = ends.mean(axis=0)
    half = 0.5 * np.array(size)
    ways = {"across": (along, -along), "between": (across, -across)}.get(
        shape.how, (along, -along, across, -across, along + across, along - across, -along + across, -along - across)
    )
    best, least = middle, np.inf
    for way in ways:
        unit_way = way / np.linalg.norm(way)
        begin = ends[-1] if unit_way @ along > 0.5 else ends[0] if unit_way @ along < -0.5 else middle
        first = float(abs(unit_way) @ half) + _GAP * unit
        for level in range(_LEVELS):
            far = first + level * _STEP * unit
            at = begin + far * unit_way
            box = (at[0] - half[0], at[1] - half[1], size[0], size[1])
            if not _inside(box, room):
                break
            if any(_overlap(box, other, 4 * unit) for other in taken) or dark.covers(box):
                continue
            if far < least:
                best, least = at, far
            break
    if np.isinf(least):  # no room: inside of the surface at least
        low, high = np.array(room[:2]) + half, np.array([room[0] + room[2], room[1] + room[3]]) - half
        best = np.clip(best, low, np.maximum(low, high))
    return np.asarray(best)


def _inside(box: Rect, room: Rect) -> bool:
    if room[2] <= 0:
        return True
    return (
        box[0] >= room[0] and box[1] >= room[1] and box[0] + box[2] <= room[0] + room[2]
        and box[1] + box[3] <= room[1] + room[3]
    )  # fmt: skip


def _overlap(a: Rect, b: Rect, gap: float) -> bool:
    return (
        a[0] < b[0] + b[2] + gap and b[0] < a[0] + a[2] + gap and a[1] < b[1] + b[3] + gap and b[1] < a[1] + a[3] + gap
    )  # fmt: skip


def _drawn(
    shape: Shape, ends: Floats, along: Floats, middle: Floats
) -> tuple[list[list[tuple[float, float]]], list[tuple[Floats, Floats]]]:  # fmt: skip
    """Return the lines and arrows of a size whose value stands somewhere."""
    if shape.how == "leader":
        way = ends[0] - middle
        far = max(float(np.linalg.norm(way)), 1e-9)
        return [_line(middle, ends[0])], [(ends[0], way / far)]
    across = np.array([-along[1], along[0]])
    feet = [p + float((middle - p) @ across) * across for p in ends]
    low, high = sorted(float((f - middle) @ along) for f in feet)
    # From the value, wherever it stands, to both ends.
    begin, end = middle + min(low, 0.0) * along, middle + max(high, 0.0) * along
    lines = [_line(begin, end)]
    lines += [_line(p, f + 4.0 * _sign(f - p)) for p, f in zip(ends, feet, strict=True) if np.linalg.norm(f - p) > 1.0]
    side = 1.0 if float((feet[1] - feet[0]) @ along) >= 0 else -1.0
    return lines, [(feet[0], -side * along), (feet[1], side * along)]


def _sign(v: Floats) -> Floats:
    return np.asarray(v / max(float(np.linalg.norm(v)), 1e-9))


def _line(a: Floats, b: Floats) -> list[tuple[float, float]]:
    return [(float(a[0]), float(a[1])), (float(b[0]), float(b[1]))]


def draw_edges(surface: Surface, figure: Figure, view: View, colors: ShadowColors) -> None:
    """Draw the places that edges go by, and those that were left out."""
    u = surface.unit
    runs: list[Floats] = []
    left_out: list[Floats] = []
    for key, points in figure.found.points.items():
        edge = figure.found.edges.get(key)
        known = np.isfinite(points[:, 0])
        used = known if edge is None or isinstance(edge, str) else edge.edge.used & known
        rows = np.flatnonzero(used)
        # Places beside each other are one line; it ends where some were left out.
        for run in np.split(rows, np.flatnonzero(np.diff(rows) > 1) + 1) if len(rows) else []:
            few = run[np.unique(np.linspace(0, len(run) - 1, min(len(run), _DOTS)).astype(np.int64))]
            runs.append(points[few])
        out = np.flatnonzero(known & ~used)
        left_out.append(points[out[:: max(1, len(out) // _DOTS)]])
    if runs:
        seen = view.on(figure.px(np.vstack(runs)))  # all at once: a lens takes its time
        for part in np.split(seen, np.cumsum([len(r) for r in runs])[:-1]):
            line = [(float(x), float(y)) for x, y in part]
            if len(line) > 1:
                surface.line(line, colors.used, 3.2 * u)
            else:
                surface.circle(*line[0], 1.6 * u, fill=colors.used)
    out_of = np.vstack(left_out) if left_out else np.zeros((0, 2))
    for x, y in view.on(figure.px(out_of)).tolist() if len(out_of) else []:
        surface.lines([(x - 3 * u, y - 3 * u, x + 3 * u, y + 3 * u), (x - 3 * u, y + 3 * u, x + 3 * u, y - 3 * u)],
                      colors.left_out, 1.4 * u)  # fmt: skip


def draw_contours(surface: Surface, figure: Figure, view: View, ink: str, soft: str) -> None:
    """Draw the deviations along contours as needles, coloured by the tolerance of their profile, magnified."""
    u, factor = surface.unit, 0.0
    for key, found in figure.found.contours.items():
        if isinstance(found, str):
            continue
        known = np.flatnonzero(np.isfinite(found.told))
        known = known[:: max(1, len(known) // _NEEDLES)]
        if not len(known):
            continue
        feet, told = found.places[known], found.told[known]
        mm = 1.0 / max(view.scale / figure.lens.pixel, 1e-9)
        factor = needle_factor(np.percentile(np.abs(told), [99.0]), _NEEDLE * u * mm)
        tips = feet + factor * told[:, None] * found.normals[known]
        a, b = view.on(figure.px(feet)), view.on(figure.px(tips))
        most = max(2.0 * float(np.abs(told).max()), 1e-6)
        colors = colors_of(told, figure.scales.get(key, DeviationScale(limit=most, tolerance=most / 2)))
        every, which = np.unique(colors, axis=0, return_inverse=True)
        for k, color in enumerate(every.tolist()):
            rows = which.ravel() == k
            surface.lines([tuple(s) for s in np.hstack([a[rows], b[rows]]).tolist()],
                          hexadecimal((color[0], color[1], color[2])), 1.8 * u)  # fmt: skip
        # The course of their tips: what lies near the nominal is pale.
        gaps = np.flatnonzero(np.diff(known) > 2 * max(1, int(np.median(np.diff(known))))) + 1
        for part in np.split(b, gaps):
            surface.line([(float(x), float(y)) for x, y in part], ink, 1.1 * u)
    if factor:
        x, y, _, high = view.room
        surface.text(x + 6 * u, y + high - 8 * u, f"needles {factor:,.0f} times", 12 * u, soft)


def draw_sizes(
    surface: Surface, placed: Sequence[Placed], colors: ShadowColors, numbers: NumberFormat, chosen: str = ""
) -> None:  # fmt: skip
    """Draw dimension lines, then the values over them."""
    u = surface.unit
    for color, more in ((colors.rim, 2.6), ("", 0.0)):
        for one in placed:
            own = color or (colors.chosen if one.result.characteristic.id == chosen else colors.line)
            for line in one.lines:
                surface.line(line, own, (1.2 + more) * u)
            for tip, way in one.arrows:
                _arrow(surface, tip, way, own, more * u / 2)
    for one in placed:
        is_chosen = one.result.characteristic.id == chosen
        draw_small_tag(surface, one.box, one.result, small_text(one.result, numbers), colors.tag(one.result),
                       chosen=is_chosen)  # fmt: skip


def _arrow(surface: Surface, tip: Floats, way: Floats, color: str, rim: float) -> None:
    u = surface.unit
    across = np.array([-way[1], way[0]])
    back = tip - (_TIP * u + rim) * way
    front = tip + rim * way
    sides = [back + s * (_HALF * u + rim) * across for s in (1.0, -1.0)]
    surface.loop([(float(p[0]), float(p[1])) for p in (front, *sides)], fill=color)


def plain_colors(ink: str, paper: str, soft: str, accent: str, states: Callable[[Result], BarColors]) -> ShadowColors:
    """Return colours for a shadow: ink with a rim of paper."""
    from truegauge.palette import OUTSIDE, WITHIN

    return ShadowColors(
        ink, paper, WITHIN, OUTSIDE, accent, lambda r: TagColors(ink, paper, ink, soft, accent, states(r))
    )


def box_of_part(figure: Figure, margin: float) -> Rect:
    """Return the box (px) of all that is seen of a part, with a margin, as a share of its larger side."""
    points = [p[np.isfinite(p[:, 0])] for p in figure.found.points.values()]
    points += [c.places for c in figure.found.contours.values() if not isinstance(c, str)]
    known = [p for p in points if len(p)]
    px = figure.px(np.vstack(known or [np.zeros((1, 2))]))
    low, high = px.min(axis=0), px.max(axis=0)
    wide = margin * float((high - low).max())
    return (float(low[0]) - wide, float(low[1]) - wide, float(high[0] - low[0]) + 2 * wide,
            float(high[1] - low[1]) + 2 * wide)  # fmt: skip
