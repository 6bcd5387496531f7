"""A tolerance frame as a drawing has it: boxes with symbol, value and datums."""

from collections.abc import Sequence

from truegauge.drawing.frame_cells import Cell, Mark
from truegauge.drawing.glyphs import draw_glyph
from truegauge.drawing.surface import Surface

_PAD = 5.0  # pixels


def frame_width(surface: Surface, cells: Sequence[Cell], height: float) -> float:
    """Return how wide a frame is."""
    return sum(_cell_width(surface, cell, height) for cell in cells)


def draw_frame(
    surface: Surface, cells: Sequence[Cell], x: float, y: float, height: float, ink: str, paper: str = ""
) -> float:
    """Draw a frame with its upper left corner at a place; returns its width."""
    start = x
    for cell in cells:
        width = _cell_width(surface, cell, height)
        surface.box(x, y, width, height, fill=paper, color=ink, line=surface.unit)
        _draw_marks(surface, cell, (x, y, width, height), ink)
        x += width
    return x - start


def _size(height: float) -> float:
    return height * 0.62


def _mark_width(surface: Surface, mark: Mark, height: float) -> float:
    if mark.glyph:
        return height * 0.82
    advance = surface.advance(mark.text, _size(height))
    return max(height * 0.78, advance + 4 * surface.unit) if mark.ringed else advance


def _cell_width(surface: Surface, cell: Cell, height: float) -> float:
    marks = sum(_mark_width(surface, m, height) + surface.unit for m in cell)
    return max(height * 1.15, marks + 2 * _PAD * surface.unit)


def _draw_marks(surface: Surface, cell: Cell, box: tuple[float, float, float, float], ink: str) -> None:
    left, top, whole, height = box
    u, middle = surface.unit, top + height / 2
    x = left + (whole - sum(_mark_width(surface, m, height) + u for m in cell)) / 2
    for mark in cell:
        width = _mark_width(surface, mark, height)
        if mark.glyph:
            side = height * 0.8
            draw_glyph(surface, mark.text, x, middle - side / 2, side, ink, 1.3 * u)
        else:
            size = _size(height) - (2 * u if mark.ringed else 0)
            surface.centered((x, top, width, height), mark.text, size, ink)
            if mark.ringed:
                wide, tall = max(height * 0.72, width - u), height * 0.72
                ring = (x + width / 2 - wide / 2, middle - tall / 2, wide, tall)
                surface.box(*ring, color=ink, line=u, rounded=tall / 2)
        x += width + u
