"""One readout painted into a box: its number as large as there is room for, a bar, what it is towards."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter

from truegauge.app.widgets.painter_surface import PainterSurface
from truegauge.app.widgets.theme import Theme, font, state_color
from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.gauge_bar import BarColors, draw_bar, gauge_bar

STATE_WORDS = {State.WITHIN: "within", State.NEAR: "near the limit", State.OUTSIDE: "outside"}
_LEFT, _RIGHT = Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight


@dataclass(frozen=True, slots=True)
class TileTexts:
    """What stands in a tile; without a state `value` says what to do first, or is a number that nothing judges."""

    value: str
    of: str = ""
    by: str = ""
    below: str = ""
    state: State | None = None
    bar: tuple[float, float, float] | None = None  # the value between its limits, mm


def paint_tile(painter: QPainter, room: QRectF, said: TileTexts, theme: Theme) -> None:
    """Paint a tile."""
    small = max(13.0, room.height() / 22)
    margin = 0.04 * room.width()
    inner = room.adjusted(margin, small, -margin, -small)
    if not said.of:
        paint_line(painter, inner, said.value, 0.13 * room.height(), theme.ink)
        return
    color = theme.ink if said.state is None else state_color(theme, str(said.state))
    top = QRectF(inner.left(), inner.top(), inner.width(), 1.8 * small)
    words = "" if said.state is None else STATE_WORDS[said.state]
    right = QFontMetricsF(font(1.23 * small, bold=True)).horizontalAdvance(words) + (small if words else 0)
    paint_line(painter, top.adjusted(0, 0, -right, 0), said.of, 1.5 * small, theme.ink, _LEFT)
    paint_line(painter, top, words, 1.5 * small, color, _RIGHT)
    bottom = QRectF(inner.left(), inner.bottom() - 3.4 * small, inner.width(), 3.4 * small)
    bar = QRectF(inner.left(), bottom.top() - 3.6 * small, inner.width(), 3.0 * small)
    number = QRectF(inner.left(), top.bottom(), inner.width(), bar.top() - top.bottom())
    lines = said.value.split("\n")
    tall = number.height() if len(lines) == 1 else (bar.bottom() - number.top()) / len(lines)
    for k, line in enumerate(lines):
        box = number if len(lines) == 1 else QRectF(number.left(), number.top() + k * tall, number.width(), tall)
        paint_line(painter, box, line, tall, color)
    if said.bar is not None and said.state is not None:
        _paint_bar(painter, bar, said.bar, said.state, theme, color)
    paint_line(painter, bottom.adjusted(0, 0, 0, -1.7 * small), said.by, 1.1 * small, theme.soft, _LEFT)
    paint_line(painter, bottom.adjusted(0, 1.7 * small, 0, 0), said.below, 1.1 * small, theme.soft, _LEFT)


def _paint_bar(
    painter: QPainter, box: QRectF, numbers: tuple[float, float, float], state: State, theme: Theme, color: str
) -> None:  # fmt: skip
    value, low, high = numbers
    bar = gauge_bar(value, 0.0 if low <= 0 <= high else (low + high) / 2, low, high, state)
    painter.save()
    painter.translate(box.topLeft())
    scale = box.height() / 18.0
    painter.scale(scale, scale)
    with PainterSurface(painter) as surface:
        where = (0.0, 0.0, box.width() / scale, box.height() / scale)
        draw_bar(surface, where, bar, BarColors(theme.band, theme.tick, color))
    painter.restore()


def paint_line(
    painter: QPainter, box: QRectF, text: str, height: float, color: str,
    side: Qt.AlignmentFlag = Qt.AlignmentFlag.AlignHCenter,
) -> None:  # fmt: skip
    """Paint a line of text at most so high, smaller where it is too wide."""
    size = 0.82 * height
    wide = QFontMetricsF(font(size, bold=True)).horizontalAdvance(text)
    if wide > box.width() > 0:
        size *= box.width() / wide
    painter.setFont(font(size, bold=True))
    painter.setPen(QColor(color))
    painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | side, text)
