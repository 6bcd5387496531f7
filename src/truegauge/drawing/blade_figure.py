"""A section of a blade put on a surface: bands, needles, curves and construction; both edges enlarged below it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.blades.zones import ZONES
from truegauge.drawing.blade_drawing import zone_middles
from truegauge.drawing.section_figure import SheetPlace, neat_length, polyline
from truegauge.palette import hexadecimal

if TYPE_CHECKING:
    from truegauge.drawing.blade_drawing import BladeDrawing
    from truegauge.drawing.surface import Surface
    from truegauge.drawing.units import NumberFormat

Box = tuple[float, float, float, float]
ZONE_WORDS = {"leading": "leading edge", "trailing": "trailing edge", "pressure": "pressure side",
              "suction": "suction side"}  # fmt: skip
_EDGES = (0, 1)  # numbers of the edges among the zones
_LEAST, _MOST, _GAP = 0.34, 0.62, 10.0  # of the height, that the edges take; pixels between them
_ASIDE, _ABOVE, _BESIDE = 12.0, 30.0, 120.0  # pixels around a drawing; those that its width loses to scale and room


@dataclass(frozen=True, slots=True)
class BladeColors:
    """Colours: the curve (its edges in `edge`), bands, construction, letters."""

    ink: str
    soft: str
    edge: str
    band: str
    limit: str
    plate: str
    rule: str


@dataclass(frozen=True, slots=True, eq=False)
class BladeSheet:
    """A section and its edges; `title` stands over it, `rows` (words, value) beside the edges, `notes` below."""

    whole: BladeDrawing
    leading: BladeDrawing
    trailing: BladeDrawing
    title: str
    rows: tuple[tuple[str, str], ...] = ()
    notes: tuple[str, ...] = ()
    problem: str = ""
    machine: str = "axis"  # name of the machine axis


@dataclass(frozen=True, slots=True)
class SheetRooms:
    """Where things stand on a sheet: boxes (x, y, width, height)."""

    whole: Box
    leading: Box
    trailing: Box
    words: Box


def rooms_of(box: Box, unit: float, sheet: BladeSheet) -> SheetRooms:
    """Return where things stand in a box: the edges as high as the section leaves room."""
    x, y, width, height = box
    x0, y0, x1, y1 = sheet.whole.box
    wanted = (width - _BESIDE * unit) * (y1 - y0) / max(x1 - x0, 1e-9) + 2 * _ABOVE * unit + 36 * unit
    gap = _GAP * unit
    below = min(max(height - wanted - gap, _LEAST * height), _MOST * height)
    side = min(0.32 * width, 1.15 * below)
    top, low = (x, y, width, height - below - gap), y + height - below
    return SheetRooms(
        top, (x, low, side, below), (x + width - side, low, side, below),
        (x + side + gap, low, width - 2 * side - 2 * gap, below),
    )  # fmt: skip


def place_in(drawing: BladeDrawing, room: Box, unit: float) -> SheetPlace:
    """Return the place at which all of a drawing fills a box, with room for words around it."""
    x0, y0, x1, y1 = drawing.box
    x, y, width, height = room
    aside, above = _ASIDE * unit, _ABOVE * unit
    scale = min((width - 2 * aside) / max(x1 - x0, 1e-9), (height - 2 * above) / max(y1 - y0, 1e-9))
    return SheetPlace(x + width / 2 - scale * (x0 + x1) / 2, y + height / 2 + scale * (y0 + y1) / 2, scale)


def draw_drawing(
    surface: Surface, drawing: BladeDrawing, place: SheetPlace, colors: BladeColors, size: float, *, named: bool
) -> None:
    """Draw bands, needles, curves and construction; with the names of the zones where `named`."""
    u = surface.unit
    if drawing.limits is not None:
        _draw_bands(surface, drawing, place, colors)
    known = np.isfinite(drawing.deviations)
    if known.any():
        ends = np.hstack([place.on(drawing.places[known]), place.on(drawing.tips[known])])
        every, which = np.unique(drawing.colors[known], axis=0, return_inverse=True)
        for k, (r, g, b) in enumerate(every.tolist()):
            surface.lines([tuple(s) for s in ends[which == k].tolist()], hexadecimal((r, g, b)), 1.4 * u)
    for role, way in drawing.lines:
        color, width = (colors.edge, 3.4) if role == "arc" else (colors.soft, 0.9)
        surface.line(polyline(place, way), color, width * u)
    for role, center, radius in drawing.circles:
        (x, y), color = place.on(center[None])[0].tolist(), colors.edge if role == "edge" else colors.soft
        surface.circle(x, y, radius * place.scale, color=color, width=1.0 * u)
    for number in range(4):
        for run in drawing.runs(drawing.zones == number):
            surface.line(polyline(place, drawing.places[run]), colors.edge if number in _EDGES else colors.ink, 1.8 * u)
    for run in drawing.runs(known):
        surface.line(polyline(place, drawing.tips[run]), colors.ink, 0.9 * u)
    if named:
        _name_zones(surface, drawing, place, colors, size)


def _draw_bands(surface: Surface, drawing: BladeDrawing, place: SheetPlace, colors: BladeColors) -> None:
    assert drawing.limits is not None
    low, high = drawing.limits
    both = np.isfinite(low[:, 0]) & np.isfinite(high[:, 0])
    for run in drawing.runs(both):
        around = np.vstack([high[run], low[run][::-1]])
        surface.loop(polyline(place, around), fill=colors.band)
    for side in (low, high):
        for run in drawing.runs(np.isfinite(side[:, 0])):
            surface.line(polyline(place, side[run]), colors.limit, 0.9 * surface.unit)


def _name_zones(surface: Surface, drawing: BladeDrawing, place: SheetPlace, colors: BladeColors, size: float) -> None:
    """Write the names of the zones outside of everything that is drawn of each."""
    every = [drawing.places, drawing.tips, *(() if drawing.limits is None else drawing.limits)]
    middle = float(np.mean(place.on(drawing.places)[:, 0]))
    for name, row in zone_middles(drawing):
        zone = drawing.zones == drawing.zones[row]
        around = np.vstack([e[zone & np.isfinite(e[:, 0])] for e in every])
        low, high = (place.on(around).min(axis=0), place.on(around).max(axis=0))
        words, on_edge = ZONE_WORDS[name], name in ("leading", "trailing")
        wide = surface.advance(words, size)
        x = float(low[0] + high[0] - wide) / 2
        if on_edge:
            x = float(low[0]) if low[0] < middle else float(high[0]) - wide
        other = "suction" if name == "pressure" else "pressure"
        above = not on_edge and _level_of(drawing, name) > _level_of(drawing, other)
        y = float(low[1]) - 0.7 * size if above else float(high[1]) + 1.4 * size
        surface.text(x, y, words, size, colors.edge if on_edge else colors.soft)


def _level_of(drawing: BladeDrawing, name: str) -> float:
    """Return how high a side lies in the mean."""
    own = drawing.places[drawing.zones == ZONES.index(name), 1]
    return float(own.mean()) if len(own) else 0.0


def draw_machine_axis(
    surface: Surface, drawing: BladeDrawing, name: str, x: float, y: float, size: float, color: str
) -> None:
    """Draw which way the machine axis runs, as an arrow from a place."""
    way = np.array([drawing.machine[0], -drawing.machine[1]])
    start, long = np.array([x, y]), 2.6 * size
    end, side = start + long * way, np.array([-way[1], way[0]])
    tips = [end - 0.5 * size * way + 0.25 * size * k * side for k in (1.0, -1.0)]
    points = [tuple(float(v) for v in p) for p in (start, end)]
    surface.line([(points[0][0], points[0][1]), (points[1][0], points[1][1])], color, 0.11 * size)
    surface.line([(float(p[0]), float(p[1])) for p in (tips[0], end, tips[1])], color, 0.11 * size)
    at = end + 0.7 * size * way
    surface.text(float(at[0]) - surface.advance(name, size) / 2, float(at[1]) + 0.36 * size, name, size, color)


def draw_inset(
    surface: Surface, drawing: BladeDrawing, room: Box, title: str, colors: BladeColors, size: float,
    numbers: NumberFormat,
) -> SheetPlace:  # fmt: skip
    """Draw an edge into a frame, with its ruler and how often needles are enlarged; return where it lies."""
    u, (x, y, width, height) = surface.unit, room
    surface.box(x, y, width, height, fill=colors.plate, color=colors.rule, line=1.0 * u, rounded=4 * u)
    place = place_in(drawing, room, u)
    draw_drawing(surface, drawing, place, colors, size, named=False)
    surface.text(x + 9 * u, y + 1.5 * size, title, size, colors.edge, bold=True)
    ruler(surface, place, (x + 9 * u, y + height - 9 * u), 0.25 * width, numbers, colors.soft, size)
    words = f"needles {drawing.magnification:,.0f} ×"
    surface.text(x + width - surface.advance(words, size) - 9 * u, y + height - 9 * u, words, size, colors.soft)
    return place


def ruler(
    surface: Surface, place: SheetPlace, at: tuple[float, float], most: float, numbers: NumberFormat, color: str,
    size: float,
) -> None:  # fmt: skip
    """Draw how long something is on the sheet: a neat length, at most so long."""
    length = neat_length(most / place.scale)
    x, y = at
    surface.line([(x, y), (x + length * place.scale, y)], color, 1.4 * surface.unit)
    surface.text(x, y - 0.5 * size, f"{numbers.rough(length)} {numbers.unit}", size, color)


def draw_words(surface: Surface, sheet: BladeSheet, room: Box, colors: BladeColors, size: float, alarm: str) -> None:
    """Write the rows in a box, and the notes below them as far as there is room."""
    x, y, width, height = room
    down = y + 1.5 * size
    for words, value in sheet.rows:
        if not value:
            for line in _wrapped(surface, words, width, size):
                surface.text(x, down, line, size, colors.ink)
                down += 1.4 * size
            continue
        wide = surface.advance(value, size, bold=True)
        surface.text(x, down, words, size, colors.soft)
        if surface.advance(words, size) + wide + 0.5 * size > width:
            down += 1.4 * size
        surface.text(x + width - wide, down, value, size, colors.ink, bold=True)
        down += 1.7 * size
    for note in (sheet.problem,) if sheet.problem else sheet.notes:
        for line in _wrapped(surface, note, width, size):
            if down > y + height:
                return
            surface.text(x, down, line, size, alarm if sheet.problem else colors.soft)
            down += 1.35 * size


def _wrapped(surface: Surface, text: str, width: float, size: float) -> list[str]:
    lines = [""]
    for word in text.split():
        longer = f"{lines[-1]} {word}".strip()
        if surface.advance(longer, size) <= width or not lines[-1]:
            lines[-1] = longer
        else:
            lines.append(word)
    return lines
