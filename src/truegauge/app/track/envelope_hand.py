"""The safe envelope in the rehearsal: drawn as a box, its sides dragged by handles."""

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from truegauge.app.track.model import RouteModel
from truegauge.app.widgets.theme import Theme
from truegauge.core.arrays import Points, box_corners
from truegauge.rendering.camera import Camera

_HANDLE, _NEAR = 5.0, 11.0  # pixels
# Sides that are dragged: axis, and which end; below is the table.
SIDES = ((0, 0), (0, 1), (1, 0), (1, 1), (2, 1))


class EnvelopeHand:
    """Places are pixels at 100 %."""

    def __init__(self, model: RouteModel) -> None:
        self._model = model
        self.held: int | None = None
        self._last = QPointF()
        self._margin = 0.0

    def _box(self) -> Points | None:
        """The box (2, 3) as the plan has it now; the route behind it may still be planned."""
        found = self._model.routed
        if found is None:
            return None
        planned, now = found.route.envelope, self._model.route.envelope
        wider = np.array([np.subtract(planned.low, now.low), np.subtract(now.high, planned.high)])
        return np.asarray(found.scene.envelope + wider)

    def handles(self, camera: Camera, room: QRectF) -> list[QPointF]:
        """Return where the handles are."""
        box = self._box()
        if box is None:
            return []
        middle = box.mean(axis=0)
        places = []
        for axis, end in SIDES:
            at = middle.copy()
            at[axis] = box[end, axis]
            places.append(at)
        return _on_screen(np.array(places), camera, room)

    def press(self, at: QPointF, camera: Camera, room: QRectF) -> bool:
        """Take hold of the handle at a place; False where there is none."""
        away = [(h - at).manhattanLength() for h in self.handles(camera, room)]
        if not away or min(away) > _NEAR:
            return False
        self.held, self._last = int(np.argmin(away)), at
        axis, end = SIDES[self.held]
        envelope = self._model.route.envelope
        self._margin = (envelope.high if end else envelope.low)[axis]
        return True

    def drag(self, at: QPointF, camera: Camera, room: QRectF) -> None:
        """Move the side that is held; the route is planned around it when it stands still."""
        box = self._box()
        if self.held is None or box is None:
            return
        axis, end = SIDES[self.held]
        middle = box.mean(axis=0)
        beside = middle.copy()
        beside[axis] += 10.0 if end else -10.0
        a, b = _on_screen(np.array([middle, beside]), camera, room)
        way = (b - a) / 10.0  # pixels a mm outwards
        square = way.x() ** 2 + way.y() ** 2
        if square < 1e-6:
            return  # it points at the eye
        moved = at - self._last
        self._last = at
        self._margin = max(0.0, self._margin + (moved.x() * way.x() + moved.y() * way.y()) / square)
        route = self._model.route
        envelope = route.envelope
        values = list(envelope.high if end else envelope.low)
        values[axis] = round(self._margin, 2)
        changed = (values[0], values[1], values[2])
        made = envelope.replace(high=changed) if end else envelope.replace(low=changed)
        self._model.run(route.replace(envelope=made), "drag the safe envelope", "drag the envelope")

    def release(self) -> None:
        """Let go."""
        self.held = None

    def paint(self, painter: QPainter, camera: Camera, theme: Theme, room: QRectF) -> None:
        """Paint the box and its handles."""
        box = self._box()
        if box is None:
            return
        at = _on_screen(box_corners(box), camera, room)
        painter.setPen(QPen(QColor(theme.accent), 1.0, Qt.PenStyle.DashLine))
        for a in range(8):
            for bit in (1, 2, 4):
                if not a & bit:
                    painter.drawLine(at[a], at[a | bit])
        painter.setPen(QPen(QColor(theme.view), 1.2))
        painter.setBrush(QColor(theme.accent))
        for handle in self.handles(camera, room):
            painter.drawRect(QRectF(handle.x() - _HANDLE, handle.y() - _HANDLE, 2 * _HANDLE, 2 * _HANDLE))


def _on_screen(places: Points, camera: Camera, room: QRectF) -> list[QPointF]:
    flat = camera.project(places, room.width() / max(room.height(), 1.0))
    return [QPointF(x * room.width(), y * room.height()) for x, y, _ in flat]
