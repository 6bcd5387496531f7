"""Figures of a surface with its imperfections, for window and paper: numbered rings, cuts with their thresholds."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.drawing.flat_map import Frame, box_of, cut, picture, place_of, scale_of
from truegauge.drawing.scale_figure import ScaleLook, draw_scale

if TYPE_CHECKING:
    from collections.abc import Collection, Sequence

    from truegauge.core.imperfections.measuring import Imperfection
    from truegauge.core.imperfections.search import Found
    from truegauge.drawing.surface import Surface
    from truegauge.drawing.units import NumberFormat

Rect = tuple[float, float, float, float]  # x, y, width, height
_CLOSE = 3.0  # lengths of an imperfection that are seen when it is looked at
_STEPS = (0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0)  # mm between contours
_DASH = 5.0  # pixels
_SCALE = 124.0  # pixels


@dataclass(frozen=True, slots=True)
class FlatColors:
    """`mark` is of the chosen one, `bad` of those that break a limit; `raised` is below numbers and cuts."""

    ink: str
    soft: str
    raised: str
    rule: str
    mark: str
    bad: str


def contour_step(limit: float) -> float:
    """Return the distance of contours, mm: some ten over a scale up to a limit."""
    return next((s for s in _STEPS if s >= limit / 8), _STEPS[-1])


def close_frame(found: Found, one: Imperfection, size: tuple[int, int]) -> Frame:
    """Return what is seen in a picture of a size when an imperfection is looked at closely."""
    x, y = place_of(found, one)
    return Frame((float(x), float(y)), min(size) / (_CLOSE * max(one.length, 1e-3)), size)


def whole_frame(found: Found, size: tuple[int, int], edge: float) -> Frame:
    """Return what is seen in a picture of a size, all of the surface with a free edge."""
    low, high = box_of(found)
    fits = min((size[0] - 2 * edge) / (high[0] - low[0]), (size[1] - 2 * edge) / (high[1] - low[1]))
    middle = (low + high) / 2
    return Frame((float(middle[0]), float(middle[1])), float(fits), size)


def ring_of(found: Found, frame: Frame, one: Imperfection, unit: float) -> tuple[float, float, float]:
    """Return the middle (x, y) and the radius of the ring around an imperfection, in pixels of the frame."""
    x, y = frame.to_pixels(place_of(found, one)[None])[0]
    return float(x), float(y), max(7.0 * unit, 0.5 * one.length * frame.scale + 5.0 * unit)


def draw_rings(
    surface: Surface, found: Found, frame: Frame, room: Rect, colors: FlatColors, size: float, *, chosen: int = -1,
    bad: Collection[int] = (), words: Sequence[str] = (), only: Collection[int] | None = None,
) -> None:  # fmt: skip
    """Draw a ring around each imperfection in a room, with its number where there is one free; `size` of the letters.

    `words` stand there instead of the numbers, and `only` some are drawn.

    The chosen one goes first, then the deepest: where there is no room for a number a ring stands alone.
    """
    unit = surface.unit
    every = sorted(enumerate(found.imperfections), key=lambda one: one[0] != chosen)
    rings = {}
    for k, one in every:
        x, y, radius = ring_of(found, frame, one, unit)
        if 0 <= x <= room[2] and 0 <= y <= room[3] and (only is None or k in only):
            rings[k] = (room[0] + x, room[1] + y, radius)
    boxes = {k: (x - r, y - r, 2 * r, 2 * r) for k, (x, y, r) in rings.items()}
    taken: list[Rect] = []
    for k, (x, y, radius) in rings.items():
        color = colors.mark if k == chosen else colors.bad if k in bad else colors.ink
        surface.circle(x, y, radius, color=color, width=(2.2 if k == chosen or k in bad else 1.2) * unit)
        text = words[k] if words else str(k + 1)
        wide, high = surface.advance(text, size, bold=True) + 10 * unit, 1.5 * size
        others = [*taken, *(other for j, other in boxes.items() if j != k)]
        free = (b for b in beside(boxes[k], wide, high) if _holds(room, b) and not any(_meet(b, o) for o in others))
        box = next(free, None)
        if box is None:
            continue
        taken.append(box)
        filled = k == chosen or k in bad
        surface.box(*box, fill=color if filled else colors.raised, rounded=4 * unit)
        surface.text(box[0] + 5 * unit, box[1] + 0.5 * high + 0.36 * size, text, size,
                     colors.raised if filled else colors.ink, bold=True)  # fmt: skip


def beside(ring: Rect, wide: float, high: float) -> list[Rect]:
    """Return where the number of a ring may stand: at its four corners, then right, left, above and below it."""
    x, y, across, _ = ring
    near = 0.25 * across / 2  # the ring leaves its corners free
    right, left = x + across - near, x + near - wide
    above, below = y + near - high, y + across - near
    middle_x, middle_y = x + across / 2 - wide / 2, y + across / 2 - high / 2
    corners = [(right, above), (left, above), (right, below), (left, below), (x + across + 2, middle_y),
               (x - 2 - wide, middle_y), (middle_x, y - 2 - high), (middle_x, y + across + 2)]  # fmt: skip
    return [(a, b, wide, high) for a, b in corners]


def _meet(a: Rect, b: Rect) -> bool:
    return a[0] < b[0] + b[2] and b[0] < a[0] + a[2] and a[1] < b[1] + b[3] and b[1] < a[1] + a[3]


def _holds(room: Rect, box: Rect) -> bool:
    return (room[0] <= box[0] and room[1] <= box[1] and box[0] + box[2] <= room[0] + room[2]
            and box[1] + box[3] <= room[1] + room[3])  # fmt: skip


def draw_cut(
    surface: Surface, box: Rect, found: Found, one: Imperfection, numbers: NumberFormat, levels: tuple[float, ...],
    colors: FlatColors, size: float, *, across: bool,
) -> None:  # fmt: skip
    """Draw a cut through the deepest place of an imperfection, heights enlarged, with the thresholds (signed, mm)."""
    unit = surface.unit
    off, value = cut(found, one, across=across)
    known = np.isfinite(value)
    low = min(*levels, float(np.nanmin(value, initial=0.0)))
    high = max(*levels, float(np.nanmax(value, initial=0.0)))
    x, y, wide, tall = box[0] + 10 * unit, box[1] + 2 * size, box[2] - 20 * unit, box[3] - 2 * size - 10 * unit
    long = float(off[-1] - off[0])

    def at(along: float, z: float) -> tuple[float, float]:
        return x + wide * (along - float(off[0])) / long, y + tall * (high - z) / (high - low)

    surface.box(*box, fill=colors.raised, color=colors.rule, rounded=5 * unit)
    surface.line([at(float(off[0]), 0.0), at(float(off[-1]), 0.0)], colors.soft, unit)
    for level in levels:
        ends = at(float(off[0]), level), at(float(off[-1]), level)
        steps = np.arange(ends[0][0], ends[1][0], 2 * _DASH * unit)
        dashes = [(float(a), ends[0][1], float(min(a + _DASH * unit, ends[1][0])), ends[0][1]) for a in steps]
        surface.lines(dashes, colors.soft, unit)
    for run in np.split(np.arange(len(off)), np.flatnonzero(np.diff(known.astype(int))) + 1):
        if len(run) > 1 and known[run[0]]:
            surface.line([at(float(off[i]), float(value[i])) for i in run], colors.ink, 1.8 * unit)
    words = f"{'across' if across else 'along'}, {numbers.rough(long)} {numbers.unit} long"
    surface.text(box[0] + 10 * unit, box[1] + 1.4 * size, words, size, colors.soft)
    enlarged = f"heights {(tall / (high - low)) / (wide / long):.0f} x"
    end = box[0] + box[2] - 10 * unit - surface.advance(enlarged, size)
    surface.text(end, box[1] + 1.4 * size, enlarged, size, colors.soft)


def draw_flat(
    surface: Surface, box: Rect, found: Found, numbers: NumberFormat, depth: float, colors: FlatColors, *,
    close: int = -1, bad: Collection[int] = (), words: Sequence[str] = (), fine: float = 3.0,
) -> None:  # fmt: skip
    """Draw the map into a box: all of it with its scale, or one imperfection closely with contours.

    `fine` pixels of the picture to a unit of the surface.
    """
    unit, size = surface.unit, 12.0 * surface.unit
    whole = close < 0
    room = (box[0], box[1], box[2] - (_SCALE * unit if whole else 0.0), box[3])
    scale = scale_of(found, depth)
    pixels = (max(2, int(room[2])), max(2, int(room[3])))
    frame = whole_frame(found, pixels, 4 * unit) if whole else close_frame(found, found.imperfections[close], pixels)
    large = Frame(frame.middle, frame.scale * fine, (int(pixels[0] * fine), int(pixels[1] * fine)))
    step = 0.0 if whole else contour_step(scale.limit)
    place = (room[0], room[1], float(pixels[0]), float(pixels[1]))
    surface.image(place, picture(found, large, scale, (255, 255, 255), step))
    draw_rings(surface, found, frame, place, colors, size, chosen=close, bad=bad, words=words)
    if whole:
        look = ScaleLook(20 * unit, size, colors.ink, colors.soft)
        at = (box[0] + box[2] - 103 * unit, box[1] + 34 * unit, min(260 * unit, box[3] - 62 * unit))
        draw_scale(surface, scale, at, numbers, look)
    else:
        told = f"contours every {numbers.value(step)} {numbers.unit}"
        surface.text(room[0] + 4 * unit, room[1] + room[3] - 5 * unit, told, size, colors.soft)
