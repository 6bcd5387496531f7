"""Painting what the window shares with the report: glyphs, gauge bars, markers."""

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QIcon, QPainter, QPixmap

from truegauge.app.widgets.painter_surface import PainterSurface
from truegauge.app.widgets.theme import Theme, state_color
from truegauge.core.evaluation.results import Result
from truegauge.core.plan.requirements import Characteristic
from truegauge.drawing import frames, gauge_bar, glyphs
from truegauge.drawing.frame_cells import frame_cells
from truegauge.drawing.gauge_bar import BarColors
from truegauge.drawing.units import NumberFormat


def draw_glyph(painter: QPainter, name: str, box: QRectF, color: str, width: float = 1.5) -> None:
    """Draw a glyph."""
    with PainterSurface(painter) as surface:
        glyphs.draw_glyph(surface, name, box.x(), box.y(), box.width(), color, width)


def glyph_icon(name: str, color: str, size: int = 20) -> QIcon:
    """Return a glyph as an icon."""
    pixmap = QPixmap(QSize(2 * size, 2 * size))
    pixmap.setDevicePixelRatio(2)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    draw_glyph(painter, name, QRectF(1, 1, size - 2, size - 2), color)
    painter.end()
    return QIcon(pixmap)


def application_icon(size: int = 128) -> QIcon:
    """Return the product's mark: a measuring arc in brass on ink."""
    pixmap = QPixmap(size, size)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(QColor("#1F2A33"))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.drawRoundedRect(QRectF(0, 0, size, size), size * 0.2, size * 0.2)
    draw_glyph(painter, "mark", QRectF(size * 0.12, size * 0.14, size * 0.76, size * 0.76), "#D3A54B", size * 0.05)
    painter.end()
    return QIcon(pixmap)


def draw_marker(painter: QPainter, marker: str, at: QPointF, radius: float, color: str) -> None:
    """Draw the marker of a state."""
    with PainterSurface(painter) as surface:
        gauge_bar.draw_marker(surface, marker, at.x(), at.y(), radius, color)


def bar_colors(theme: Theme, result: Result) -> BarColors:
    """Return the colours of the bar of a result."""
    return BarColors(theme.band, theme.tick, state_color(theme, str(result.state)))


def draw_gauge_bar(painter: QPainter, box: QRectF, result: Result, theme: Theme) -> None:
    """Draw the gauge bar of a result: band, ticks, nominal mark, marker."""
    with PainterSurface(painter) as surface:
        where = (box.x(), box.y(), box.width(), box.height())
        gauge_bar.draw_gauge_bar(surface, where, result, bar_colors(theme, result))


def draw_frame(
    painter: QPainter, c: Characteristic, numbers: NumberFormat, at: QPointF, height: float, ink: str, paper: str = ""
) -> float:
    """Draw a frame with its upper left corner at a place; return its width, pixels."""
    with PainterSurface(painter) as surface:
        return frames.draw_frame(surface, frame_cells(c, numbers), at.x(), at.y(), height, ink, paper)
