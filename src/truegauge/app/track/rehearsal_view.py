"""The rehearsal in the middle: what stands there, the probe at the instant of the play-head, and its way."""

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from truegauge.app.track.envelope_hand import EnvelopeHand
from truegauge.app.track.model import RouteModel
from truegauge.app.track.part_scene_view import PartSceneView
from truegauge.app.track.track_view import clock
from truegauge.app.view.view_marks import paint_axes
from truegauge.app.widgets.text_size import enlarge, point_at_100, room_of
from truegauge.app.widgets.theme import LiveTheme, font
from truegauge.core.arrays import Points
from truegauge.rendering.camera import Camera, standard_camera

_ABOVE, _WITHIN = 90.0, 40.0  # mm over the envelope that are shown; by which the table is smaller, with its rim
_PLATE = 205  # of 255: words are read over what is behind them
_NEAR_S = 12.0  # of the way that are painted before and after the play-head


class RehearsalView(PartSceneView):
    """The safe envelope is dragged by its handles; the space bar plays."""

    def __init__(self, model: RouteModel, theme: LiveTheme, parent: QWidget | None = None) -> None:
        super().__init__(theme, lambda: model.playing, parent)
        self.model = model
        self.envelope = EnvelopeHand(model)
        self.setMinimumSize(320, 180)
        self.setAccessibleName("View of the rehearsal")
        model.changed.connect(self.refresh)
        model.moved.connect(self._on_moved)

    def refresh(self) -> None:
        """Show what stands there, and the probe."""
        found, part = self.model.routed, self.model.session.model
        if not self.isVisible() or found is None or part is None:
            return
        low, high = found.scene.envelope
        if self._show_part(part, found.scene.machine_from_part, found.route):
            self.scene.set_table(0.0, (low + _WITHIN, high - _WITHIN))
            self._camera = None
        if self._camera is None:
            box = np.array([[low[0], low[1], 0.0], high + np.array([0.0, 0.0, _ABOVE])])
            self._camera = standard_camera("corner", box, self._aspect)
        self._use = None  # it may be built otherwise now
        self._on_moved()

    def _on_moved(self) -> None:
        if not self.isVisible():
            return
        now, found = self.model.now(), self.model.routed
        if now is None or found is None:
            return
        leg, tip = now
        self._show_probe(found.scene.probing, leg.use, found.scene.quill(leg.use, tip))
        self._redraw(moving=self.model.playing)

    # Drawing ------------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the picture, the way, and what goes on in words."""
        painter, t = QPainter(self), self._theme
        painter.fillRect(self.rect(), QColor(t.view))
        camera = self._camera
        if camera is None:
            return
        camera = self.picture.paint(painter)
        enlarge(painter)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self.model.playing:
            self.envelope.paint(painter, camera, t, room_of(self))
        self._way(painter, camera)
        paint_axes(painter, camera, t, room_of(self), None)
        self._words(painter)

    def _way(self, painter: QPainter, camera: Camera) -> None:
        """The way of the tip around the play-head, and where it touches."""
        found, t = self.model.routed, self._theme
        if found is None:
            return
        room, now = room_of(self), self.model.seconds
        legs = found.planned.legs
        first = found.planned.leg_at(now - _NEAR_S)
        last = found.planned.leg_at(now + _NEAR_S)

        def on_screen(places: Points) -> list[QPointF]:
            flat = camera.project(places, room.width() / max(room.height(), 1.0))
            return [QPointF(x * room.width(), y * room.height()) for x, y, _ in flat]

        for leg in legs[first : last + 1]:
            if leg.kind in ("turn", "change") or not np.any(leg.end - leg.start):
                continue
            past = leg.start_s + leg.seconds <= now
            color = QColor(t.soft if past else t.accent)
            style = Qt.PenStyle.DotLine if leg.kind in ("touch", "retract") else Qt.PenStyle.SolidLine
            painter.setPen(QPen(color, 1.6, style))
            ends = on_screen(np.array([leg.start, leg.end]))
            painter.drawLine(ends[0], ends[1])
            if leg.kind in ("touch", "trace"):
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(color)
                painter.drawEllipse(ends[1], 2.6, 2.6)
        met = [m for m in found.checked.meetings] if found.checked else []
        painter.setBrush(QColor(t.outside))
        painter.setPen(QPen(QColor(t.view), 1.5))
        for m in met:
            if abs(m.seconds - now) < _NEAR_S:
                at = on_screen(np.array([m.at]))[0]
                painter.drawPolygon(QPolygonF([at + QPointF(0, -9), at + QPointF(8, 6), at + QPointF(-8, 6)]))

    def _words(self, painter: QPainter) -> None:
        """What goes on, the instant biggest."""
        m, t = self.model, self._theme
        now, found = m.now(), m.routed
        if now is None or found is None or m.track is None:
            return
        leg, _ = now
        name = next((c.name for c in m.track.chips if c.step == leg.step), "")
        does = {"touch": "touch", "retract": "back", "travel": "on the way", "turn": "the head turns",
                "change": "another probe is taken", "trace": "trace"}.get(leg.kind, leg.kind)  # fmt: skip
        if leg.kind == "touch":
            count = sum(len(v.places) for s in found.planned.steps if s.step.id == leg.step for v in s.visits)
            does = f"touch {leg.place + 1} of {count}"
        met = [x for x in found.checked.meetings if x.leg < len(found.planned.legs)
               and abs(x.seconds - m.seconds) < 0.5] if found.checked else []  # fmt: skip
        lines = [
            (38, font(26, bold=True), t.ink, clock(round(m.seconds, 1))),
            (60, font(13), t.ink, f"{name}: {does}" if name else does),
            (80, font(13), t.soft, found.plan.probing.name_of(leg.use)),
        ]
        if met:
            lines.append((106, font(15, bold=True), t.outside, f"{met[0].part} meets {met[0].obstacle}"))
        plate = QColor(t.view)
        plate.setAlpha(_PLATE)
        for y, look, color, text in lines:
            painter.setFont(look)
            room = painter.fontMetrics().tightBoundingRect(text)
            painter.fillRect(room.translated(16, y).adjusted(-4, -4, 4, 4), plate)  # the probe may be behind it
            painter.setPen(QColor(color))
            painter.drawText(QPointF(16, y), text)

    # Mouse and keys -----------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take hold of the envelope, or begin to turn or shift."""
        at, camera = point_at_100(event.position()), self._camera
        if camera is None or not self.envelope.press(at, camera, room_of(self)):
            super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Move a side of the envelope; else turn or shift."""
        if self.envelope.held is None or self._camera is None:
            super().mouseMoveEvent(event)
            return
        self.envelope.drag(point_at_100(event.position()), self._camera, room_of(self))
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """End."""
        self.envelope.release()
        super().mouseReleaseEvent(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Play."""
        if event.key() == Qt.Key.Key_Space:
            self.model.play()
        else:
            super().keyPressEvent(event)
