"""Painting a tolerance frame: boxes with symbol, value and datums."""

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPen

from truegauge.app.painting import draw_glyph
from truegauge.app.theme import font
from truegauge.core.plan.requirements import Characteristic
from truegauge.reporting.frame_cells import Cell, Mark, frame_cells
from truegauge.reporting.units import NumberFormat

_PAD = 5.0


def frame_width(c: Characteristic, numbers: NumberFormat, height: float) -> float:
    """Return how wide a frame is, pixels."""
    return sum(_cell_width(cell, height) for cell in frame_cells(c, numbers))


def draw_frame(
    painter: QPainter, c: Characteristic, numbers: NumberFormat, at: QPointF, height: float, ink: str, paper: str = ""
) -> float:
    """Draw a frame with its upper left corner at a place; return its width, pixels."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    x = at.x()
    for cell in frame_cells(c, numbers):
        width = _cell_width(cell, height)
        box = QRectF(x, at.y(), width, height)
        painter.setPen(QPen(QColor(ink), 1))
        painter.setBrush(QColor(paper) if paper else Qt.BrushStyle.NoBrush)
        painter.drawRect(box)
        _draw_marks(painter, cell, box, ink)
        x += width
    painter.restore()
    return x - at.x()


def _size(height: float) -> int:
    return max(9, round(height * 0.62))


def _mark_width(mark: Mark, height: float) -> float:
    if mark.glyph:
        return height * 0.82
    metrics = QFontMetricsF(font(_size(height)))
    if mark.ringed:
        return max(height * 0.78, metrics.horizontalAdvance(mark.text) + 4)
    return metrics.horizontalAdvance(mark.text)


def _cell_width(cell: Cell, height: float) -> float:
    return max(height * 1.15, sum(_mark_width(m, height) + 1 for m in cell) + 2 * _PAD)


def _draw_marks(painter: QPainter, cell: Cell, box: QRectF, ink: str) -> None:
    height = box.height()
    x = box.x() + (box.width() - sum(_mark_width(m, height) + 1 for m in cell)) / 2
    for mark in cell:
        width = _mark_width(mark, height)
        if mark.glyph:
            side = height * 0.8
            draw_glyph(painter, mark.text, QRectF(x, box.center().y() - side / 2, side, side), ink, 1.3)
        else:
            text_box = QRectF(x, box.y(), width, height)
            painter.setPen(QColor(ink))
            painter.setFont(font(_size(height) - (2 if mark.ringed else 0)))
            painter.drawText(text_box, Qt.AlignmentFlag.AlignCenter, mark.text)
            if mark.ringed:
                ring = QRectF(0, 0, max(height * 0.72, width - 1), height * 0.72)
                ring.moveCenter(text_box.center())
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(ring, ring.height() / 2, ring.height() / 2)
        x += width + 1
