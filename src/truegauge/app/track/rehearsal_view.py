"""The rehearsal in the middle: what stands there, the probe at the instant of the play-head, and its way."""

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from truegauge.app.track.envelope_hand import EnvelopeHand
from truegauge.app.track.model import RouteModel
from truegauge.app.track.track_view import clock
from truegauge.app.view.picture import ViewPicture
from truegauge.app.view.turned_view import TurnedView
from truegauge.app.view.view_marks import paint_axes
from truegauge.app.widgets.text_size import enlarge, point_at_100, room_of
from truegauge.app.widgets.theme import LiveTheme, font
from truegauge.core.arrays import Points
from truegauge.core.probing.probing import StylusUse
from truegauge.core.routes.document import PartFixture
from truegauge.core.routes.facets import facets_from_text
from truegauge.core.routes.scene import fixture_pose
from truegauge.rendering.camera import Camera, standard_camera
from truegauge.rendering.machine_scene import MachineScene
from truegauge.rendering.solids import Solid, plate, rod

_ABOVE, _WITHIN = 90.0, 40.0  # mm over the envelope that are shown; by which the table is smaller, with its rim
_NEAR_S = 12.0  # of the way that are painted before and after the play-head


class RehearsalView(TurnedView):
    """The safe envelope is dragged by its handles; the space bar plays."""

    def __init__(self, model: RouteModel, theme: LiveTheme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.model, self._theme = model, theme
        self.scene = MachineScene(theme.palette)
        self.picture = ViewPicture(self, self.scene, lambda: model.playing)
        self._camera: Camera | None = None
        self._standing: object = None  # what stands there
        self._use: StylusUse | None = None
        self.envelope = EnvelopeHand(model)
        self.setMinimumSize(320, 180)
        self.setAccessibleName("View of the rehearsal")
        model.changed.connect(self.refresh)
        model.moved.connect(self._on_moved)
        theme.changed.connect(self._on_theme_changed)

    def _on_theme_changed(self) -> None:
        self.scene.set_palette(self._theme.palette)
        self._standing = None
        self.refresh()

    def refresh(self) -> None:
        """Show what stands there, and the probe."""
        found, part = self.model.routed, self.model.session.model
        if not self.isVisible() or found is None or part is None:
            return
        standing = (part.key, found.scene.machine_from_part.tobytes(), found.route.fixtures)
        if standing != self._standing:
            self._standing = standing
            self.scene.set_part(part, found.scene.machine_from_part)
            for k, fixture in enumerate(found.route.fixtures):
                self.scene.set_solid(f"fixture {k}", solid_of(fixture), (150, 140, 122))
                at = fixture_pose(fixture, part, found.route, found.scene.machine_from_part)
                self.scene.place(f"fixture {k}", at)
            low, high = found.scene.envelope
            floor = 0.0
            self.scene.set_table(floor, (low + _WITHIN, high - _WITHIN))
            self._camera = None
        if self._camera is None:
            low, high = found.scene.envelope
            box = np.array([[low[0], low[1], 0.0], high + np.array([0.0, 0.0, _ABOVE])])
            self._camera = standard_camera("corner", box, self._aspect)
        self._use = None
        self._on_moved()

    def _on_moved(self) -> None:
        if not self.isVisible():
            return
        now, found = self.model.now(), self.model.routed
        if now is None or found is None:
            return
        leg, tip = now
        if leg.use != self._use:
            self._use = leg.use
            assembly = found.scene.probing.assembly(leg.use.assembly)
            self.scene.set_probe(assembly, leg.use.pose, "", leg.use.stylus)
        self.scene.place_probe(found.scene.quill(leg.use, tip))
        self._redraw(moving=self.model.playing)

    # Drawing ------------------------------------------------------------------------------------------------------

    @property
    def camera(self) -> Camera | None:
        """The eye."""
        return self._camera

    def look(self, camera: Camera) -> None:
        """Take another eye."""
        self._camera = camera

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
        painter.setPen(QColor(t.ink))
        painter.setFont(font(26, bold=True))
        painter.drawText(QPointF(16, 38), clock(round(m.seconds, 1)))
        painter.setFont(font(13))
        painter.drawText(QPointF(16, 60), f"{name}: {does}" if name else does)
        painter.setPen(QColor(t.soft))
        painter.drawText(QPointF(16, 80), found.plan.probing.name_of(leg.use))
        met = [x for x in found.checked.meetings if x.leg < len(found.planned.legs)
               and abs(x.seconds - m.seconds) < 0.5] if found.checked else []  # fmt: skip
        if met:
            painter.setPen(QColor(t.outside))
            painter.setFont(font(15, bold=True))
            painter.drawText(QPointF(16, 106), f"{met[0].part} meets {met[0].obstacle}")

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

    def showEvent(self, event: object) -> None:
        """Catch up."""
        self.refresh()


def solid_of(fixture: PartFixture) -> Solid:
    """Return what is drawn of a fixture."""
    low, high = np.array(fixture.low), np.array(fixture.high)
    if fixture.shape == "mesh":
        corners = facets_from_text(fixture.facets)
        flat = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        flat /= np.maximum(np.linalg.norm(flat, axis=1, keepdims=True), 1e-12)
        count = 3 * len(corners)
        return Solid(corners.reshape(-1, 3), np.arange(count).reshape(-1, 3), np.repeat(flat, 3, axis=0))
    return plate(low, high - low) if fixture.shape == "box" else rod(low, high, fixture.radius)
