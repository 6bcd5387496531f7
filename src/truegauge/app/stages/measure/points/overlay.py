"""The points of the sample in the view: all of them small, those that are chosen with their names."""

from PySide6.QtCore import QPointF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from truegauge.app.stages.measure.points.model import PointsModel
from truegauge.app.view.content import Overlay, OverlayHand
from truegauge.app.widgets.text_size import enlarge, point_at_100
from truegauge.app.widgets.theme import Theme, font
from truegauge.core.datums.freedoms import Freedoms
from truegauge.rendering.camera import Camera

_NAMED = 40  # of chosen points; of more the names would hide each other
_BEHIND, _CHOSEN_BEHIND = 0.35, 0.65  # how much is seen of what lies behind the part


class PointsOverlay:
    """Painted in the Measure stage while points are shown; else what is painted there without them."""

    def __init__(self, model: PointsModel, otherwise: Overlay) -> None:
        self._model, self._otherwise = model, otherwise

    @property
    def _is_on(self) -> bool:
        return self._model.page == "points"

    @property
    def hand(self) -> OverlayHand | None:
        """Nothing of the points is dragged."""
        return None if self._is_on else self._otherwise.hand

    def freedoms(self) -> Freedoms | None:
        """That is not the question here."""
        return self._otherwise.freedoms()

    def paint(self, painter: QPainter, camera: Camera, theme: Theme, size: QSize) -> None:
        """Paint them."""
        if not self._is_on:
            self._otherwise.paint(painter, camera, theme, size)
            return
        m = self._model
        places = m.places()
        if not len(places):
            return
        flat = camera.project(places, size.width() / max(size.height(), 1))
        chosen, offered = set(m.chosen), set() if m.offer is None else set(m.offer.where)
        named = len(chosen) <= _NAMED
        seen = m.seen_from(camera.back)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        enlarge(painter)
        painter.setFont(font(12, bold=True))
        for point, (x, y, _), is_seen in zip(m.points, flat, seen, strict=True):
            at = point_at_100(QPointF(x * size.width(), y * size.height()))
            is_chosen = point.key in chosen
            painter.setOpacity(1.0 if is_seen else _CHOSEN_BEHIND if is_chosen else _BEHIND)
            color = theme.accent if is_chosen or point.key in offered else theme.ink
            painter.setPen(QPen(QColor(theme.view if is_chosen else color), 1.4))
            painter.setBrush(QColor(color) if is_chosen or point.features else Qt.BrushStyle.NoBrush)
            radius = 5.5 if is_chosen else 3.0
            painter.drawEllipse(at, radius, radius)
            if is_chosen and named:
                _write(painter, theme, at, point.name)
        painter.restore()


def _write(painter: QPainter, theme: Theme, at: QPointF, name: str) -> None:
    """Write a name beside a point, on a plate so that it is read over everything."""
    box = painter.fontMetrics().boundingRect(name).toRectF()
    box.moveTo(at.x() + 9, at.y() - box.height() / 2)
    painter.setPen(Qt.PenStyle.NoPen)
    plate = QColor(theme.raised)
    plate.setAlpha(225)
    painter.setBrush(plate)
    painter.drawRoundedRect(box.adjusted(-4, -1, 4, 1), 3, 3)
    painter.setPen(QColor(theme.ink))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextDontClip, name)
