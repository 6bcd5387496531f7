"""What the view paints beside the part: a ruler, the directions of the axes, short notes."""

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from truegauge.app.widgets.dial import axis_style
from truegauge.app.widgets.theme import Theme, font
from truegauge.core.datums.freedoms import Freedoms
from truegauge.drawing.units import NumberFormat
from truegauge.rendering.camera import Camera

RULER_SHARE = 0.18  # of the width of the view, at most


def paint_ruler(painter: QPainter, camera: Camera, theme: Theme, view: QRectF, unit_name: str) -> None:
    """Draw a ruler of a round length in the corner."""
    numbers = NumberFormat(unit_name, 0)
    unit = 25.4 if numbers.unit == "inch" else 1.0
    wanted = camera.height * (view.width() / max(1.0, view.height())) * RULER_SHARE / unit
    power = 10.0 ** np.floor(np.log10(wanted))
    length = max(k * power for k in (1, 2, 5) if k * power <= wanted)
    pixels = length * unit / camera.height * view.height()
    x, y = 16.5, view.height() - 14.5
    painter.setPen(QPen(QColor(theme.soft), 1))
    painter.drawLine(QPointF(x, y), QPointF(x + pixels, y))
    for k in range(6):
        at = round(x + pixels * k / 5) + 0.5
        painter.drawLine(QPointF(at, y), QPointF(at, y - (6 if k in (0, 5) else 3)))
    painter.setFont(font(11))
    painter.drawText(QPointF(x + pixels + 7, y + 1), f"{length:g} {numbers.unit}")


def paint_axes(painter: QPainter, camera: Camera, theme: Theme, view: QRectF, freedoms: Freedoms | None) -> None:
    """Draw the directions of the part's axes; dotted where it can shift, with a ring where it can turn."""
    middle = QPointF(40, view.height() - 62)
    painter.setFont(font(11, bold=True))
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    axes = sorted(zip("XYZ", np.eye(3), strict=True), key=lambda a: float(a[1] @ camera.back))
    for name, axis in axes:
        end = QPointF(float(axis @ camera.right), -float(axis @ camera.up))
        faint = float(axis @ camera.back) < -0.2
        color = QColor(theme.soft if faint else theme.ink)
        slides, turns = axis_style(freedoms, "XYZ".index(name)) if freedoms else (False, False)
        painter.setPen(QPen(color, 1.6, Qt.PenStyle.DotLine if slides else Qt.PenStyle.SolidLine))
        painter.drawLine(middle, middle + end * 20)
        if turns:  # a free turn: a ring about the axis
            painter.setPen(QPen(color, 1.2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(middle + end * 13, 5, 5)
        painter.setPen(QPen(color, 1.6))
        at = middle + end * 28
        painter.drawText(QRectF(at.x() - 8, at.y() - 8, 16, 16), Qt.AlignmentFlag.AlignCenter, name)


def paint_note(painter: QPainter, text: str, theme: Theme, view: QRectF) -> None:
    """Paint a short note at the upper left."""
    painter.setFont(font(12))
    width = painter.fontMetrics().horizontalAdvance(text) + 22
    box = QRectF(view.center().x() - width / 2 - 50, 10, width, 25)
    painter.setPen(QPen(QColor(theme.rule), 1))
    painter.setBrush(QColor(theme.raised))
    painter.drawRoundedRect(box, 11, 11)
    painter.setPen(QColor(theme.ink))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
