"""A tag: what a result says at the place that it belongs to. Its size, and how it is drawn."""

from dataclasses import dataclass

from truegauge.core.evaluation.results import Result
from truegauge.drawing.fitting import fitting
from truegauge.drawing.frame_cells import frame_cells
from truegauge.drawing.frames import draw_frame, frame_width
from truegauge.drawing.gauge_bar import BarColors, bar_of, draw_gauge_bar, draw_marker
from truegauge.drawing.surface import Surface
from truegauge.drawing.tag_text import SmallText, TagText
from truegauge.drawing.units import NumberFormat

# Pixels.
_FRAME = 18.0
_LINE, _VALUE, _GAUGE, _FRAMED = 17.0, 19.0, 20.0, 24.0
_PLAIN, _BOLD = 12.0, 13.0
_SMALL = 24.0
HANDLE = 24.0  # high: where a tag is taken hold of


@dataclass(frozen=True, slots=True)
class TagColors:
    """The colours of a tag: of its border (chosen ones stand out), paper and words, and of its bar."""

    border: str
    paper: str
    ink: str
    soft: str
    accent: str
    bar: BarColors


def tag_size(surface: Surface, result: Result, text: TagText, lengths: NumberFormat) -> tuple[float, float]:
    """Return the width and height that a tag wants."""
    u, c = surface.unit, result.characteristic

    def plain(said: str) -> float:
        return surface.advance(said, _PLAIN * u)

    width = max(
        frame_width(surface, frame_cells(c, lengths.of(c.kind)), _FRAME * u) + 24 * u if text.framed else 0.0,
        plain(text.title) + 42 * u if text.title else 0.0,
        surface.advance(text.value, _BOLD * u, bold=True) + plain(text.detail) + 36 * u,
        *(plain(line) + 24 * u for line in text.lines),
        110.0 * u if text.gauge else 0.0,
    )
    height = 8 + _LINE * bool(text.title) + _FRAMED * text.framed + _VALUE * bool(text.value)
    return width, u * (height + _LINE * len(text.lines) + _GAUGE * text.gauge)


def draw_tag(
    surface: Surface, box: tuple[float, float, float, float], result: Result, text: TagText, lengths: NumberFormat,
    colors: TagColors, *, chosen: bool = False, pinned: bool = False,
) -> None:  # fmt: skip
    """Draw a tag into a box (x, y, width, height); what is too long for it ends with an ellipsis."""
    x, y, width, height = box
    u, c = surface.unit, result.characteristic

    def fitted(said: str, room: float) -> str:
        return fitting(said, lambda part: surface.advance(part, _PLAIN * u) <= room)

    surface.box(x, y, width, height, fill=colors.paper, color=colors.border, line=(1.6 if chosen else 1) * u,
                rounded=3 * u)  # fmt: skip
    surface.box(x, y + u, 4 * u, height - 2 * u, fill=colors.bar.state)
    left, top, room = x + 12 * u, y + 4 * u, width - 24 * u
    draw_marker(surface, bar_of(result).marker, x + width - 12 * u, y + 12 * u, 4 * u, colors.bar.state)
    if pinned:  # a small ring says so
        surface.circle(x + width - 3 * u, y + 3 * u, 3.2 * u, color=colors.accent, width=1.4 * u)
    if text.title:
        surface.text(left, top + 13 * u, fitted(text.title, room - 14 * u), _PLAIN * u, colors.ink)
        top += _LINE * u
    if text.framed:  # the frame as on the drawing, the result under it
        draw_frame(surface, frame_cells(c, lengths.of(c.kind)), left, top + 3 * u, _FRAME * u, colors.ink)
        top += _FRAMED * u
    if text.value:
        surface.text(left, top + 15 * u, text.value, _BOLD * u, colors.ink, bold=True)
        after = surface.advance(text.value, _BOLD * u, bold=True) + 8 * u
        surface.text(left + after, top + 15 * u, fitted(text.detail, room - after + 12 * u), _PLAIN * u, colors.soft)
        top += _VALUE * u
    for line in text.lines:
        surface.text(left, top + 13 * u, fitted(line, room + 12 * u), _PLAIN * u, colors.soft)
        top += _LINE * u
    if text.gauge:
        draw_gauge_bar(surface, (left, top + 3 * u, room, 16 * u), result, colors.bar)


def small_size(surface: Surface, text: SmallText) -> tuple[float, float]:
    """Return the width and height of a small tag: number, value and marker."""
    u = surface.unit
    number = surface.advance(text.number, _PLAIN * u) + 7 * u if text.number else 0.0
    return number + surface.advance(text.value, _BOLD * u, bold=True) + 34 * u, _SMALL * u


def draw_small_tag(
    surface: Surface, box: tuple[float, float, float, float], result: Result, text: SmallText, colors: TagColors, *,
    chosen: bool = False,
) -> None:  # fmt: skip
    """Draw a small tag into a box (x, y, width, height)."""
    x, y, width, height = box
    u = surface.unit
    surface.box(x, y, width, height, fill=colors.paper, color=colors.border, line=(1.6 if chosen else 1) * u,
                rounded=3 * u)  # fmt: skip
    surface.box(x, y + u, 4 * u, height - 2 * u, fill=colors.bar.state)
    base, left = y + height / 2 + 4.7 * u, x + 10 * u
    if text.number:
        surface.text(left, base, text.number, _PLAIN * u, colors.soft)
        left += surface.advance(text.number, _PLAIN * u) + 7 * u
    surface.text(left, base, text.value, _BOLD * u, colors.ink, bold=True)
    draw_marker(surface, bar_of(result).marker, x + width - 11 * u, y + height / 2, 4 * u, colors.bar.state)
