"""The zone of the selected tolerance in the view: magnified, with what lies in it, and the place that decides."""

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from truegauge.app.document.session import Session
from truegauge.app.widgets.theme import Theme, font, state_color
from truegauge.core.arrays import any_perpendicular
from truegauge.core.evaluation.results import Result
from truegauge.core.tolerancing.outcome import Sketch
from truegauge.drawing.units import NumberFormat
from truegauge.rendering.camera import Camera

_WANTED = 56.0  # pixels that the larger of half a zone and the worst offset take
_MOST = 240
At = Callable[[np.ndarray], list[QPointF]]


def paint_why(painter: QPainter, session: Session, camera: Camera, theme: Theme, size: QSize) -> None:
    """Paint the zone of the selected characteristic, when the panel asks for it."""
    if not session.shown.why or session.evaluation is None or not session.selection.characteristic:
        return
    result = session.evaluation.result(session.selection.characteristic)
    sketch = None if result is None or result.outcome is None else result.outcome.sketch
    if result is None or sketch is None or not len(sketch.places):
        return
    half = (result.upper or 0.0) / 2
    largest = max(half, float(np.linalg.norm(sketch.offsets, axis=1).max()), 1e-9)
    mm_per_pixel = camera.height / max(1, size.height())
    scale = magnification(_WANTED * mm_per_pixel / largest)
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)

    def at(points: np.ndarray) -> list[QPointF]:
        shares = camera.project(np.atleast_2d(points), size.width() / max(1, size.height()))
        return [QPointF(x * size.width(), y * size.height()) for x, y in shares[:, :2]]

    _zone(painter, at, sketch, scale * half, theme)
    _measured(painter, at, sketch, scale, theme)
    _worst(painter, at, sketch, scale, result, theme)
    _say(painter, scale, result, theme, session)
    painter.restore()


def magnification(wanted: float) -> float:
    """Return the round number (1, 2, 5 times a power of ten) that is at most what is wanted."""
    power = 10.0 ** np.floor(np.log10(max(wanted, 1e-9)))
    return float(max(k * power for k in (1, 2, 5) if k * power <= wanted * (1 + 1e-9)))


def _zone(painter: QPainter, at: At, sketch: Sketch, half: float, theme: Theme) -> None:
    painter.setPen(QPen(QColor(theme.accent), 1.6))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if half <= 0:
        return
    direction = sketch.direction
    if sketch.kind in ("cylinder", "sphere"):
        axis = direction if direction is not None else np.array([0.0, 0.0, 1.0])
        x = any_perpendicular(axis)
        y = np.cross(axis, x)
        angle = np.linspace(0, 2 * np.pi, 49)
        ring = half * (np.outer(np.cos(angle), x) + np.outer(np.sin(angle), y))
        along = sketch.places @ axis
        ends = [sketch.places[int(np.argmin(along))], sketch.places[int(np.argmax(along))]]
        for end in ends:
            painter.drawPolyline(QPolygonF(at(end + ring)))
        for k in (0, 12, 24, 36):
            painter.drawPolyline(QPolygonF(at(np.array([ends[0] + ring[k], ends[1] + ring[k]]))))
        painter.setPen(QPen(QColor(theme.ink), 1, Qt.PenStyle.DashDotLine))
        painter.drawPolyline(QPolygonF(at(np.array(ends))))
        return
    ways = _ways(sketch)
    rows = _some(sketch)
    for side in (1.0, -1.0):
        edges = at(sketch.places[rows] + side * half * ways[rows])
        painter.setPen(QPen(QColor(theme.accent), 2.6, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
        painter.drawPoints(QPolygonF(edges))


def _some(sketch: Sketch) -> np.ndarray:
    count = len(sketch.places)
    return np.unique(np.append(np.linspace(0, count - 1, min(count, _MOST)).astype(int), sketch.worst))


def _ways(sketch: Sketch) -> np.ndarray:
    """Return the unit direction (m, 3) in which each offset is counted."""
    if sketch.kind == "planes" and sketch.direction is not None:
        return np.broadcast_to(sketch.direction, sketch.offsets.shape)
    size = np.linalg.norm(sketch.offsets, axis=1, keepdims=True)
    return np.where(size > 1e-12, sketch.offsets / np.maximum(size, 1e-12), 0.0)


def _measured(painter: QPainter, at: At, sketch: Sketch, scale: float, theme: Theme) -> None:
    rows = _some(sketch)
    tips = at(sketch.places[rows] + scale * sketch.offsets[rows])
    if sketch.kind in ("cylinder", "sphere") and len(rows) > 1:
        axis = sketch.direction if sketch.direction is not None else np.array([0.0, 0.0, 1.0])
        order = np.argsort(sketch.places[rows] @ axis)
        painter.setPen(QPen(QColor(theme.ink), 2.2))
        painter.drawPolyline(QPolygonF([tips[k] for k in order]))
        return
    feet = at(sketch.places[rows])
    painter.setPen(QPen(QColor(theme.ink), 1))
    for foot, tip in zip(feet, tips, strict=True):
        painter.drawLine(foot, tip)


def _worst(painter: QPainter, at: At, sketch: Sketch, scale: float, result: Result, theme: Theme) -> None:
    foot, tip = at(np.array([sketch.places[sketch.worst], sketch.places[sketch.worst]
                             + scale * sketch.offsets[sketch.worst]]))  # fmt: skip
    color = QColor(state_color(theme, str(result.state)))
    painter.setPen(QPen(color, 2.4))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawLine(foot, tip)
    painter.drawEllipse(tip, 7, 7)
    painter.setBrush(color)
    painter.drawEllipse(tip, 2.6, 2.6)


def _say(painter: QPainter, scale: float, result: Result, theme: Theme, session: Session) -> None:
    plan = session.plan
    numbers = NumberFormat(plan.unit, plan.decimals).of(result.characteristic.kind)
    zone = "" if result.upper is None else f", zone {numbers.value(result.upper)}"
    text = f"drawn {scale:,.0f} times{zone} {numbers.unit}" if scale >= 1 else f"drawn {scale:g} times{zone}"
    painter.setFont(font(12))
    box = QRectF(14, 12, painter.fontMetrics().horizontalAdvance(text) + 22, 25)
    painter.setPen(QPen(QColor(theme.rule), 1))
    painter.setBrush(QColor(theme.raised))
    painter.drawRoundedRect(box, 11, 11)
    painter.setPen(QColor(theme.ink))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
