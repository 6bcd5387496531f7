"""A section put on a surface: needles, curves, dimensions and their values."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from truegauge.drawing.section_drawing import SectionDrawing, Words
from truegauge.drawing.surface import Points, Surface
from truegauge.palette import hexadecimal


@dataclass(frozen=True, slots=True)
class SheetPlace:
    """Where the section's zero lies on the surface, and how long a mm is there; y of the section goes upwards."""

    x: float
    y: float
    scale: float

    def on(self, flat: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return places of the surface (n, 2) of coordinates of the section (n, 2)."""
        return np.column_stack([self.x + self.scale * flat[:, 0], self.y - self.scale * flat[:, 1]])

    def back(self, x: float, y: float) -> NDArray[np.float64]:
        """Return the coordinates of the section (2,) at a place of the surface."""
        return np.array([(x - self.x) / self.scale, (self.y - y) / self.scale])


def fitted(drawing: SectionDrawing, room: tuple[float, float, float, float]) -> SheetPlace:
    """Return the place at which all of a section fills a box (x, y, width, height)."""
    x0, y0, x1, y1 = drawing.box
    x, y, width, height = room
    scale = min(width / max(x1 - x0, 1e-9), height / max(y1 - y0, 1e-9))
    return SheetPlace(x + width / 2 - scale * (x0 + x1) / 2, y + height / 2 + scale * (y0 + y1) / 2, scale)


@dataclass(frozen=True, slots=True)
class SectionColors:
    """Colours, and widths in the surface's lengths, of what is drawn; values stand on a `plate`."""

    nominal: tuple[str, float]
    measured: tuple[str, float]
    dimension: tuple[str, float]
    fit: tuple[str, float]
    needle: float
    ink: str
    plate: str
    rule: str = ""


def draw_curves(surface: Surface, drawing: SectionDrawing, place: SheetPlace, colors: SectionColors) -> None:
    """Draw needles, curves, fits and dimension lines."""
    if len(drawing.needles):
        ends = np.hstack([place.on(drawing.needles[:, 0]), place.on(drawing.needles[:, 1])])
        every, which = np.unique(drawing.needle_colors, axis=0, return_inverse=True)
        for k, (r, g, b) in enumerate(every.tolist()):
            surface.lines([tuple(s) for s in ends[which == k].tolist()], hexadecimal((r, g, b)), colors.needle)
    for stroke in drawing.strokes:
        color, width = getattr(colors, stroke.role)
        surface.line(polyline(place, stroke.points), color, width)


def polyline(place: SheetPlace, flat: NDArray[np.float64]) -> Points:
    """Return coordinates of the section (n, 2) as a polyline on the surface."""
    return [(x, y) for x, y in place.on(flat).tolist()]


def value_box(surface: Surface, words: Words, place: SheetPlace, size: float) -> tuple[float, float, float, float]:
    """Return the box (x, y, width, height) of a value in letters of a size."""
    (x, y), width = place.on(np.array([words.at]))[0], surface.advance(words.text, size, bold=True) + 1.2 * size
    return (float(x) - width / 2, float(y) - 0.9 * size, width, 1.8 * size)


def draw_values(
    surface: Surface, drawing: SectionDrawing, place: SheetPlace, colors: SectionColors, size: float,
    marks: Callable[[Words], tuple[str, str]] = lambda _: ("", ""),
) -> None:  # fmt: skip
    """Write the values of the dimensions; `marks` gives the colours of an edge for its state and of a chosen frame."""
    for words in drawing.words:
        x, y, width, height = box = value_box(surface, words, place, size)
        state, frame = marks(words)
        surface.box(*box, fill=colors.plate, color=frame or colors.rule, line=1.6 if frame else 1.0, rounded=0.3 * size)
        inside = width - 1.2 * size
        surface.text(x + (width - inside) / 2, y + height / 2 + 0.36 * size, words.text, size, colors.ink, bold=True)
        if state:
            surface.box(x + 1, y + 0.2 * size, 0.27 * size, height - 0.4 * size, fill=state)


def draw_axes(surface: Surface, axes: tuple[str, str], x: float, y: float, size: float, color: str) -> None:
    """Draw what runs to the right and upwards, as arrows from a corner; letters have the size, arrows twice of it."""
    long, tip = 2.2 * size, 0.45 * size
    for name, (dx, dy) in zip(axes, ((1.0, 0.0), (0.0, -1.0)), strict=True):
        if not name:
            continue
        end = (x + long * dx, y + long * dy)
        surface.line([(x, y), end], color, 0.11 * size)
        sides = [(end[0] - tip * dx + 0.5 * tip * s * dy, end[1] - tip * dy + 0.5 * tip * s * dx) for s in (1, -1)]
        surface.line([sides[0], end, sides[1]], color, 0.11 * size)
        off = surface.advance(name, size, bold=True) / 2
        surface.text(end[0] + 0.8 * size * dx - off * (1 - dx), end[1] + 0.36 * size * dx + 0.5 * size * dy, name,
                     size, color, bold=True)  # fmt: skip


def foot_words(drawing: SectionDrawing) -> str:
    """Return what stands below a section."""
    if drawing.reason:
        return f"not measured: {drawing.reason}"
    return f"needles {drawing.magnification:,.0f} times; measured (nominal)"


def neat_length(most: float) -> float:
    """Return 1, 2 or 5 times a power of ten, the largest that is no longer than `most`."""
    power = 10.0 ** np.floor(np.log10(most))
    return float(max(k * power for k in (1, 2, 5) if k * power <= most))
