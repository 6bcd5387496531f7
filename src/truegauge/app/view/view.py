"""The view: paints the rendered picture, with tags, ruler and axes over it; turns mouse and keys into camera moves."""

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QWidget

from truegauge.app.document.session import Session
from truegauge.app.document.shown import WIDE
from truegauge.app.view.content import Overlay, ViewContent
from truegauge.app.view.datum_letters import DatumLetters
from truegauge.app.view.grip import Grip
from truegauge.app.view.outline_tool import OutlineTool
from truegauge.app.view.overlays import paint_over
from truegauge.app.view.picking import all_in, faces_under, point_under, seen_box, seen_middle
from truegauge.app.view.picture import ViewPicture
from truegauge.app.view.room import fitted
from truegauge.app.view.shown_scene import ShownScene
from truegauge.app.view.tag_hand import TagHand
from truegauge.app.view.tag_painter import TagsShown, paint_tags
from truegauge.app.view.view_marks import paint_axes, paint_ruler
from truegauge.app.view.why_overlay import paint_why
from truegauge.app.widgets.painter_surface import PainterSurface
from truegauge.app.widgets.text_size import enlarge, point_at_100, room_of, sized
from truegauge.app.widgets.theme import LiveTheme
from truegauge.core.clouds.recipe import CropOutline
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.plan.views import Eye
from truegauge.rendering.camera import Camera, standard_camera
from truegauge.rendering.report_views import camera_of
from truegauge.rendering.scene import Scene

_DRAG_PIXELS = 4
_SCALE_WIDTH = 104
_SEEN = 0.15  # cosine between the line of sight and a surface from which that is seen well enough


class View(QWidget):
    """The part, its points and its map."""

    camera_changed = Signal()
    outline_closed = Signal()
    outline_forgotten = Signal()
    resized = Signal()

    def __init__(self, session: Session, theme: LiveTheme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._theme = session, theme
        self.scene = Scene(theme.palette)
        self.picture = ViewPicture(self, self.scene, lambda: session.document.touches_come_in)
        self.shown = ShownScene(session, self.picture)
        self._press: QPointF | None = None
        self._last = QPointF()
        self._dragging = False
        self._pivot = np.zeros(3)
        self._bare: object = None  # the scan without a part that is looked at
        self.tags_shown = TagsShown()
        self.letters = DatumLetters(session)
        self._tags = TagHand(session, self.tags_shown, self.update)
        self.outline = OutlineTool(self, self.outline_closed.emit, self.outline_forgotten.emit)
        self.overlay: Overlay | None = None
        self._grip = Grip()
        self._build()
        self._connect()

    def _build(self) -> None:
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(320, 240)
        self.setAccessibleName("View of the part")
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)

    def _connect(self) -> None:
        s = self._session
        s.document.part_changed.connect(self._on_part_changed)
        s.bare_scan.changed.connect(self._on_bare_scan)
        s.document.plan_changed.connect(self.update)
        s.proposing.preview_changed.connect(self.update)
        s.showing.eye_wanted.connect(self._on_eye_wanted)
        self._theme.changed.connect(self._on_theme_changed)

    def set_content(self, content: ViewContent, overlay: Overlay | None) -> None:
        """Show what another stage wants to be seen."""
        self.overlay = overlay
        self.shown.set_content(content)

    def set_taken_above(self, pixels: int) -> None:
        """Keep tags off the upper edge: a message stands there."""
        if pixels != self.tags_shown.taken_above:
            self.tags_shown.taken_above = pixels
            self.update()

    def draw_outline(self, mode: str, then: Callable[[CropOutline], None] | None = None) -> None:
        """Let the user draw around points, of which part is made a step of the recipe without somebody who wants it."""
        self._session.show(points=True)
        self.outline.start(mode, then)
        self.setFocus()

    # Camera ----------------------------------------------------------------------------------------------------

    @property
    def camera(self) -> Camera | None:
        """The eye; None while there is nothing to see."""
        return self.picture.camera

    @property
    def _aspect(self) -> float:
        return self.width() / max(1, self.height())

    def set_camera(self, camera: Camera | None, *, moving: bool = False) -> None:
        """Look from elsewhere."""
        self.picture.camera = camera
        self._redraw(moving=moving)
        self.camera_changed.emit()

    def _on_eye_wanted(self, eye: Eye) -> None:
        """Look as a saved view does: all that its picture in a report shows is in sight."""
        camera = camera_of(eye)
        self.set_camera(self._beside_scale(replace(camera, height=camera.height * self._report_share)))

    @property
    def _report_share(self) -> float:
        """How much higher the view must be to show as wide as a picture of a report, beside the scale."""
        return max(1.0, WIDE / self._free_aspect)

    def camera_to_save(self) -> Camera | None:
        """Return the eye whose picture in a report shows what is in sight here."""
        if self.camera is None:
            return None
        centered = self.camera.panned(0.5 * sized(_SCALE_WIDTH) / self.width(), 0.0, self._aspect)
        return replace(centered, height=centered.height / self._report_share)

    def show_standard(self, name: str) -> None:
        """Show a standard view of the whole part."""
        box = self._box()
        if box is not None:
            self.set_camera(self._with_room(standard_camera(name, box, self._free_aspect), box))

    @property
    def _free_aspect(self) -> float:
        return max(100, self.width() - sized(_SCALE_WIDTH)) / max(1, self.height())

    def _beside_scale(self, camera: Camera) -> Camera:
        """Leave the right side to the deviation scale."""
        return camera.panned(-0.5 * sized(_SCALE_WIDTH) / self.width(), 0.0, self._aspect)

    def _with_room(self, camera: Camera, box: np.ndarray) -> Camera:
        s = self._session
        tags = self.shown.content.tags and s.shown.tags and bool(s.plan.characteristics)
        return fitted(camera, box, room_of(self).size().toSize(), tags=tags)

    def fit(self) -> None:
        """Show the whole part from where the eye is."""
        box = self._box()
        if box is not None and self.camera is not None:
            self.set_camera(self._with_room(self.camera, box))

    def turn_to(self, direction: np.ndarray) -> None:
        """Turn the whole part so that a side of it is seen, when it is not."""
        box = self._box()
        if box is not None and self.camera is not None and float(self.camera.back @ direction) < _SEEN:
            self.set_camera(self._with_room(self.camera.facing(direction), box))

    def _box(self) -> np.ndarray | None:
        return seen_box(self._session)

    def _on_theme_changed(self) -> None:
        self.scene.set_palette(self._theme.palette)
        self._redraw()

    # What to show ----------------------------------------------------------------------------------------------

    def _on_part_changed(self) -> None:
        self.scene.set_model(self._session.model)
        self.picture.forget()
        self._bare = None
        self.show_standard("corner")
        self.shown.refresh_points()

    def _on_bare_scan(self) -> None:
        """Look at a scan without a part, all of it when it is another one."""
        of = self._session.bare_scan.seen
        if of is not None and of != self._bare:
            self._bare = of
            self.show_standard("corner")

    @property
    def needle_factor(self) -> float:
        """How much longer than they are the needles are drawn; 0 without any."""
        return self.shown.needle_factor

    # Drawing ---------------------------------------------------------------------------------------------------

    def _redraw(self, *, moving: bool = False) -> None:
        self.picture.redraw(moving=moving)

    def finish(self) -> None:
        """Have the picture at rest at once: for who takes a picture of the window."""
        self.picture.finish()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the picture and what lies over it."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self._theme.view))
        if self.camera is None:
            return
        camera = self.picture.paint(painter)
        painter.save()
        self.outline.paint(painter, self._theme, QRectF(self.rect()))
        painter.restore()
        enlarge(painter)
        room = room_of(self)
        size = room.size().toSize()
        if self.shown.content.selection:
            paint_over(painter, self._session, camera, self._theme, size)
        if self.overlay is not None:
            self.overlay.paint(painter, camera, self._theme, size)
        paint_why(painter, self._session, camera, self._theme, size)
        paint_tags(painter, self._session, camera, self._theme, room, self.tags_shown,
                   self._tags.dragged, tags=self.shown.content.tags, moving=not self.picture.is_fine)  # fmt: skip
        if self.shown.content.datums:
            with PainterSurface(painter) as surface:
                taken = list(self.tags_shown.boxes.values())
                self.letters.paint(surface, camera, self._theme, room.size(), taken, moving=not self.picture.is_fine)
        paint_ruler(painter, camera, self._theme, room, self._session.plan.unit)
        freedoms = self.overlay.freedoms() if self.overlay is not None else None
        paint_axes(painter, camera, self._theme, room, freedoms)

    # Mouse and keys --------------------------------------------------------------------------------------------

    def face_at(self, x: float, y: float) -> int:
        """Return the face under a place in the widget, -1 for none."""
        hits = self._faces_under(x, y, 1)
        return hits[0] if hits else -1

    def _share(self, x: float, y: float) -> tuple[float, float]:
        return x / self.width(), y / self.height()

    def _faces_under(self, x: float, y: float, depth: int) -> list[int]:
        if self.camera is None:
            return []
        return faces_under(self._session, self.camera, self._share(x, y), self._aspect, depth)

    def pick_behind_pointer(self) -> None:
        """Select what lies behind the place under the pointer."""
        self.pick_behind(self._last.x(), self._last.y())

    def pick_behind(self, x: float, y: float) -> None:
        """Select the face behind the one that is selected under the pointer; after the last comes the first."""
        s = self._session
        faces = self._faces_under(x, y, 12)
        if not faces:
            return
        chosen = set(s.selection.faces())
        at = next((i for i, f in enumerate(faces) if f in chosen), -1)
        s.selection.pick(faces[(at + 1) % len(faces)] if at >= 0 else faces[min(1, len(faces) - 1)])

    def _pick(self, x: float, y: float, *, add: bool) -> None:
        face = self.face_at(x, y)
        place = self._point_at(x, y) if face >= 0 and self._session.pointer.picker is not None else None
        self._session.pointer.pick_at(face, place, add=add)

    def _point_at(self, x: float, y: float) -> np.ndarray:
        """Return the place on the part under the pointer, or the middle of the part: what turning turns about."""
        assert self.camera is not None
        return point_under(self._session, self.camera, self._share(x, y), self._aspect)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Start a drag or a pick."""
        self.setFocus()
        if self.outline.active and event.button() == Qt.MouseButton.LeftButton:
            self.outline.press(event.position())
            return
        self._press = self._last = event.position()
        self._dragging = False
        at = event.position()
        hand = self.overlay.hand if self.overlay and event.button() == Qt.MouseButton.LeftButton else None
        if self._grip.press(hand, at, self.camera, self.size()):
            return
        held = self._tags.press(point_at_100(at), lambda: self.face_at(at.x(), at.y()) >= 0)
        if held and event.button() == Qt.MouseButton.RightButton:
            self._tags.hide()
            self._press = None
            return
        if self.camera is not None:
            self._pivot = self._point_at(event.position().x(), event.position().y())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Turn (left), shift (right or middle), or tell what is under the pointer."""
        at = event.position()
        if self.outline.active and self._press is None:
            self.outline.move(at)
            return
        if self._press is None or self.camera is None:
            self._last = at
            self._session.pointer.hover(-1 if self._tags.over(point_at_100(at)) else self.face_at(at.x(), at.y()))
            return
        if not self._dragging and (at - self._press).manhattanLength() < _DRAG_PIXELS:
            return
        self._dragging = True
        if self._grip.drag(at, self.camera, self.size()) or self._tags.drag(point_at_100(at)):
            return
        dx = (at.x() - self._last.x()) / self.width()
        dy = (at.y() - self._last.y()) / self.height()
        self._last = at
        if event.buttons() & Qt.MouseButton.LeftButton:
            self.set_camera(self.camera.orbited(dx, -dy, self._pivot), moving=True)
        else:
            self.set_camera(self.camera.panned(dx, dy, self._aspect), moving=True)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Pick, when the pointer did not travel."""
        if self.outline.active and event.button() == Qt.MouseButton.LeftButton:
            self.outline.release()
            return
        add = bool(event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier))
        if self._grip.release() or self._tags.release(room_of(self).size().toSize(), add=add):
            self._press, self._dragging = None, False
            return
        if self._press is not None and not self._dragging and event.button() == Qt.MouseButton.LeftButton:
            if event.modifiers() & Qt.KeyboardModifier.AltModifier:
                self.pick_behind(event.position().x(), event.position().y())
                self._press, self._dragging = None, False
                return
            self._pick(event.position().x(), event.position().y(), add=add)
        self._press = None
        self._dragging = False

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Close an outline that is drawn by corners."""
        if self.outline.active:
            self.outline.close()
        else:
            super().mouseDoubleClickEvent(event)

    def add_outline(self, *, keep: bool) -> None:
        """Leave out, or keep only, what lies inside the outline that was drawn."""
        if self.camera is not None and self.outline.done:
            found = self._session.evaluation
            aligned = found is not None and not isinstance(found.cloud, NotComputed)
            step = self.outline.step(self.camera, self.size(), keep=keep, aligned=aligned)
            self.outline.cancel()
            self._session.document.add_step(step)

    def leaveEvent(self, event: object) -> None:
        """Nothing is under the pointer any more."""
        self._tags.over(QPointF(-1, -1))
        self._session.pointer.hover(-1)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom at the pointer."""
        if self.camera is not None:
            at = event.position()
            factor = 1.0015 ** event.angleDelta().y()
            self.set_camera(
                self.camera.zoomed(factor, at.x() / self.width(), at.y() / self.height(), self._aspect), moving=True
            )

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Turn with the arrows, shift with Shift and arrows, zoom with + and -."""
        key, c = event.key(), self.camera
        step = {
            Qt.Key.Key_Left: (-0.06, 0.0), Qt.Key.Key_Right: (0.06, 0.0),
            Qt.Key.Key_Up: (0.0, -0.06), Qt.Key.Key_Down: (0.0, 0.06),
        }.get(Qt.Key(key))  # fmt: skip
        if step is not None and c is not None:
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                self.set_camera(c.panned(*step, self._aspect), moving=True)
            else:
                self.set_camera(c.orbited(step[0], -step[1], seen_middle(self._session)), moving=True)
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus) and c is not None:
            self.set_camera(c.zoomed(0.8 if key == Qt.Key.Key_Minus else 1.25, 0.5, 0.5, self._aspect), moving=True)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.outline.active:
            self.outline.close()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._session.proposing.proposals:
            self._session.proposing.accept(0)
        else:
            super().keyPressEvent(event)

    def showEvent(self, event: object) -> None:
        """Catch up on what happened while it was not seen."""
        self.picture.catch_up()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Keep the part in the picture."""
        old = event.oldSize()
        if self.camera is not None and old.height() > 0 and old.width() > 0:
            self.picture.camera = self.camera.panned(0, 0, self._aspect)
        box, before = self._box(), old.width() / max(1, old.height())
        if self.camera is not None and box is not None and (
            old.width() < 400 or (all_in(self.camera, box, before) and not all_in(self.camera, box, self._aspect))
        ):  # fmt: skip
            self.fit()
        self._redraw()
        self.resized.emit()
