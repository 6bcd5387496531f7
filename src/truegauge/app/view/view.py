"""The view: paints the rendered picture, with tags, ruler and axes over it; turns mouse and keys into camera moves."""

import time
from collections.abc import Callable
from dataclasses import replace

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from truegauge.app.document.session import Session
from truegauge.app.document.shown import WIDE
from truegauge.app.view.content import Overlay, ViewContent
from truegauge.app.view.outline_tool import OutlineTool
from truegauge.app.view.overlays import paint_over
from truegauge.app.view.tag_painter import TagsShown, paint_tags
from truegauge.app.view.view_marks import paint_axes, paint_empty, paint_ruler
from truegauge.app.view.why_overlay import paint_why
from truegauge.app.widgets.theme import LiveTheme
from truegauge.core.arrays import Rigid
from truegauge.core.cad.recognition import whole_surface
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.plan.views import Eye, PinnedTag
from truegauge.palette import colors_of
from truegauge.rendering.camera import Camera, ray_in_box, standard_camera
from truegauge.rendering.fine_picture import FinePicture, Pace
from truegauge.rendering.report_views import NEEDLE_SHARE, camera_of, map_needles
from truegauge.rendering.scene import Scene

_REST_MS = 180
_SLOW_FRAME = 1 / 20
_BETWEEN_MS = 4  # bands of the picture at rest
_STALE_S = 0.25  # that a picture may be behind what has changed
_DRAG_PIXELS = 4
_SCALE_WIDTH = 104
_SEEN = 0.15  # cosine between the line of sight and a surface from which that is seen well enough


class View(QWidget):
    """The part, its points and its map."""

    camera_changed = Signal()
    outline_closed = Signal()

    def __init__(self, session: Session, theme: LiveTheme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._theme = session, theme
        self.scene = Scene(theme.palette)
        self._camera: Camera | None = None
        self._image: QImage | None = None
        self._seen_from: Camera | None = None  # the eye of the picture that is shown
        self._coarse_wanted = False
        self._image_is_of: tuple[object, int, int] | None = None  # None for a picture without the details
        self._refining: FinePicture | None = None
        self._stale_since = 0.0  # that the picture is not of what there is; 0 while it is
        self._pace = Pace()
        self._fine = True
        self._points_shown: np.ndarray | None = None
        self._colors_shown: object = (False, None)
        self._moving_share = 0.75  # of the resolution while moving; follows the machine's speed
        self._press: QPointF | None = None
        self._last = QPointF()
        self._dragging = False
        self._pivot = np.zeros(3)
        self.tags_shown = TagsShown()
        self._tag_pressed = ""
        self._tag_dragged: tuple[str, QPointF] | None = None
        self.needle_factor = 0.0
        self.frame_seconds: list[float] = []
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(_REST_MS)
        self._rest.timeout.connect(self._on_rest)
        self._bands = QTimer(self)
        self._bands.setSingleShot(True)
        self._bands.setInterval(_BETWEEN_MS)
        self._bands.timeout.connect(self._refine)
        self.outline = OutlineTool(self.update, self.outline_closed.emit)
        self.content = ViewContent()
        self.overlay: Overlay | None = None
        self.points_motion: Callable[[], Rigid | None] = lambda: None  # of the drawn points, from where they lie
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
        s.document.sample_changed.connect(self._refresh_points)
        s.document.evaluated.connect(self._on_evaluated)
        s.selection.changed.connect(self._refresh_selection)
        s.pointer.changed.connect(self._refresh_hover)
        s.showing.changed.connect(self._refresh_display)
        s.document.plan_changed.connect(self._refresh_scale)
        s.proposing.preview_changed.connect(self.update)
        s.proposing.extraction_changed.connect(self._refresh_extraction)
        s.showing.eye_wanted.connect(self._on_eye_wanted)
        self._theme.changed.connect(self._on_theme_changed)

    def set_content(self, content: ViewContent, overlay: Overlay | None) -> None:
        """Show what another stage wants to be seen."""
        self.content, self.overlay = content, overlay
        self._refresh_marks()
        self.refresh_motion()

    def draw_outline(self, mode: str) -> None:
        """Let the user draw around points."""
        self._session.show(points=True)
        self.outline.start(mode)
        self.setFocus()

    def refresh_motion(self) -> None:
        """Move the points to where the chosen alignment puts them."""
        self.scene.set_points_motion(self.points_motion())
        self._redraw()

    # Camera ----------------------------------------------------------------------------------------------------

    @property
    def camera(self) -> Camera | None:
        """The eye; None while there is nothing to see."""
        return self._camera

    @property
    def _aspect(self) -> float:
        return self.width() / max(1, self.height())

    def set_camera(self, camera: Camera | None, *, moving: bool = False) -> None:
        """Look from elsewhere."""
        self._camera = camera
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
        if self._camera is None:
            return None
        centered = self._camera.panned(0.5 * _SCALE_WIDTH / self.width(), 0.0, self._aspect)
        return replace(centered, height=centered.height / self._report_share)

    def show_standard(self, name: str) -> None:
        """Show a standard view of the whole part."""
        box = self._box()
        if box is not None:
            self.set_camera(self._beside_scale(standard_camera(name, box, self._free_aspect)))

    @property
    def _free_aspect(self) -> float:
        return max(100, self.width() - _SCALE_WIDTH) / max(1, self.height())

    def _beside_scale(self, camera: Camera) -> Camera:
        """Leave the right side to the deviation scale."""
        return camera.panned(-0.5 * _SCALE_WIDTH / self.width(), 0.0, self._aspect)

    def fit(self) -> None:
        """Show the whole part from where the eye is."""
        box = self._box()
        if box is not None and self._camera is not None:
            self.set_camera(self._beside_scale(self._camera.fitted(box, self._free_aspect)))

    def turn_to(self, direction: np.ndarray) -> None:
        """Turn the whole part so that a side of it is seen, when it is not."""
        box = self._box()
        if box is not None and self._camera is not None and float(self._camera.back @ direction) < _SEEN:
            self.set_camera(self._beside_scale(self._camera.facing(direction).fitted(box, self._free_aspect)))

    def _all_in(self, width: int, height: int) -> bool:
        """Tell whether the whole part is in a picture of this size."""
        model = self._session.model
        if self._camera is None or model is None:
            return False
        corners = model.box[np.array([[i, j, k] for i in (0, 1) for j in (0, 1) for k in (0, 1)]), np.arange(3)]
        shares = self._camera.project(corners, width / max(1, height))[:, :2]
        return bool(((shares > -0.01) & (shares < 1.01)).all())

    def _box(self) -> np.ndarray | None:
        model = self._session.model
        return None if model is None else model.box

    def _on_theme_changed(self) -> None:
        self.scene.set_palette(self._theme.palette)
        self._redraw()

    # What to show ----------------------------------------------------------------------------------------------

    def _on_part_changed(self) -> None:
        self.scene.set_model(self._session.model)
        self._camera = self._image = self._seen_from = None
        self.show_standard("corner")
        self._refresh_points()

    def _on_evaluated(self) -> None:
        self._refresh_points()
        self.refresh_motion()
        self._refresh_display()
        self._refresh_selection()

    def _refresh_points(self) -> None:
        evaluation = self._session.evaluation
        if evaluation is not None and not isinstance(evaluation.cloud, NotComputed):
            s = self._session
            cloud = evaluation.cloud
            points = cloud.points
            how = (s.shown.colors, s.showing.scale if s.shown.scan_map else None)
            if points is not self._points_shown or how != self._colors_shown:
                self._points_shown, self._colors_shown = points, how
                colors, removed = None, cloud.removed
                if s.shown.scan_map:
                    colors, removed = colors_of(cloud.found.distance, s.showing.scale), cloud.removed | ~cloud.usable
                elif s.shown.colors and s.evaluator is not None and s.sample is not None:
                    colors = s.evaluator.colors(s.plan, s.sample)
                self.scene.set_points(points, ~cloud.usable, removed, colors)
                self.scene.show_points(s.shown.points or s.shown.scan_map)
        else:
            self._points_shown = None
            self.scene.set_points(None)
        self._redraw()

    def _refresh_display(self) -> None:
        s = self._session
        if (s.shown.colors, s.showing.scale if s.shown.scan_map else None) != self._colors_shown:
            self._refresh_points()
        self.scene.show_points(s.shown.points or s.shown.scan_map)
        look = s.shown.look if not s.shown.scan_map else replace(s.shown.look, edges_only=True)
        hidden = look.mask(len(s.model.faces)) if s.model is not None and look.hidden else None
        self.scene.set_look(hidden, look.opacity, look.edges_only, look.section)
        shown = None
        if s.shown.wants_map and s.evaluator is not None:
            shown = s.evaluator.known_deviation_map(s.plan, s.sample)
        self.scene.set_map(shown if s.shown.map and not s.shown.scan_map else None, s.showing.scale)
        length = NEEDLE_SHARE * self._camera.height if self._camera is not None else 1.0
        self.needle_factor = map_needles(self.scene, shown if s.shown.map_needles else None, s.showing.scale, length)
        self._map_scale = s.showing.scale
        self._refresh_marks()

    def show_as_set(self) -> None:
        """Show again what the session says, after the scene was used for something else."""
        self._refresh_display()

    def _refresh_scale(self) -> None:
        s = self._session
        if (s.shown.wants_map or s.shown.scan_map) and s.showing.scale != getattr(self, "_map_scale", None):
            self._refresh_display()
        self.update()

    def _refresh_selection(self) -> None:
        self.scene.set_feature_points(self._session.selection.points(), self._session.selection.strays())
        self._refresh_extraction()
        self._refresh_marks()

    def _refresh_extraction(self) -> None:
        """Colour the points that a changed setting chooses, and those that it leaves out, by reason."""
        s = self._session
        e, evaluation = s.proposing.extraction, s.evaluation
        if e is None or evaluation is None or isinstance(evaluation.cloud, NotComputed):
            self.scene.set_left_out(None, None)
            return
        points = evaluation.cloud.points
        self.scene.set_feature_points(points[e.rows], points[e.too_far])
        self.scene.set_left_out(points[e.near_edge], points[e.turned_away])
        self._redraw()

    def _refresh_marks(self) -> None:
        matching = self._session.document.matching
        changed = (*matching.reshaped, *matching.added) if matching else ()
        self.scene.set_faces("changed", changed if self.content.revision else ())
        self.scene.set_faces("selected", self._session.selection.faces())
        self._refresh_hover()

    def _refresh_hover(self) -> None:
        hovered = set(self._session.pointer.hovered_faces()) - set(self._session.selection.faces())
        self.scene.set_faces("hover", tuple(sorted(hovered)))
        self._redraw(moving=not self._fine)

    # Drawing ---------------------------------------------------------------------------------------------------

    def _redraw(self, *, moving: bool = False) -> None:
        """Show what has changed, as soon as there is time for it: never while something else is painted.

        While moving a picture without the details is rendered; at rest a band of the whole picture at a time.
        """
        moving = moving or self._session.document.touches_come_in
        self._fine = not moving
        self._refining = None
        self._stale_since = self._stale_since or time.perf_counter()
        # What comes faster than pictures get ready is shown without the details.
        late = time.perf_counter() - self._stale_since > _STALE_S
        self._coarse_wanted = moving or self._image_is_of != self._picture() or late
        if moving:
            self._rest.start()
        if not self._bands.isActive():
            self._bands.start()
        self.update()

    def _picture(self) -> tuple[object, int, int]:
        """What a picture is of: the eye, and its size at rest in pixels."""
        ratio = self.devicePixelRatioF()
        return self._camera, max(16, round(self.width() * ratio)), max(16, round(self.height() * ratio))

    def _on_rest(self) -> None:
        if self._session.document.touches_come_in:
            self._rest.start()
        else:
            self._redraw(moving=False)

    def _refine(self) -> None:
        """Render what is wanted next: a picture without the details, or a band more of the one at rest."""
        if self._camera is None or not self.isVisible():
            return
        if self._coarse_wanted:
            self._render()
            self.update()
            if self._fine:
                self._bands.start()
            return
        if not self._fine:
            return
        _, width, height = self._picture()
        picture = self._refining
        if picture is None or (picture.width, picture.height) != (width, height):
            picture = self._refining = FinePicture(self.scene, self._camera, width, height, self._pace)
        picture.step()
        if picture.done:
            self._image, self._seen_from = _image(picture.pixels), self._camera
            self._image_is_of = self._picture()
            self._refining, self._stale_since = None, 0.0
            self.update()
        else:
            self._bands.start()

    def finish(self) -> None:
        """Have the picture at rest at once: for who takes a picture of the window."""
        self._rest.stop()
        self._redraw(moving=False)
        while self._bands.isActive():
            self._bands.stop()
            self._refine()
        self.repaint()

    def _render(self) -> None:
        """Render a picture without the details, at once."""
        if self._camera is None:
            return
        started = time.perf_counter()
        ratio = self._moving_share * self.devicePixelRatioF()
        width, height = max(16, round(self.width() * ratio)), max(16, round(self.height() * ratio))
        self._image = _image(self.scene.render(self._camera, width, height, moving=True))
        self._seen_from, self._coarse_wanted = self._camera, False
        self._image_is_of, self._stale_since = None, time.perf_counter()
        spent = time.perf_counter() - started
        if not self._fine:
            self.frame_seconds.append(spent)
        if spent > _SLOW_FRAME:
            self._moving_share = max(0.4, self._moving_share * 0.92)
        elif spent < 0.5 * _SLOW_FRAME:
            self._moving_share = min(1.0, self._moving_share * 1.04)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the picture and what lies over it."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self._theme.view))
        if self._camera is None:
            paint_empty(painter, QRectF(self.rect()), self._theme)
            return
        if self._image is None:
            self._render()
        camera = self._seen_from or self._camera
        if self._image is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(QRectF(self.rect()), self._image)
        if self.content.selection:
            paint_over(painter, self._session, camera, self._theme, self.size())
        if self.overlay is not None:
            self.overlay.paint(painter, camera, self._theme, self.size())
        paint_why(painter, self._session, camera, self._theme, self.size())
        paint_tags(painter, self._session, camera, self._theme, QRectF(self.rect()), self.tags_shown,
                   self._tag_dragged, tags=self.content.tags)  # fmt: skip
        paint_ruler(painter, camera, self._theme, QRectF(self.rect()), self._session.plan.unit)
        freedoms = self.overlay.freedoms() if self.overlay is not None else None
        paint_axes(painter, camera, self._theme, QRectF(self.rect()), freedoms)
        self.outline.paint(painter, self._theme, QRectF(self.rect()))

    # Mouse and keys --------------------------------------------------------------------------------------------

    def face_at(self, x: float, y: float) -> int:
        """Return the face under a place in the widget, -1 for none."""
        s = self._session
        if s.evaluator is None or not s.evaluator.can_pick or self._camera is None or s.model is None:
            return -1
        hits = self._faces_under(x, y, 1)
        return hits[0] if hits else -1

    def _faces_under(self, x: float, y: float, depth: int) -> list[int]:
        """Return the first faces that a ray through a place meets, front to back, without the hidden ones.

        What the section box cuts away is not met.
        """
        s = self._session
        assert self._camera is not None
        assert s.model is not None
        assert s.evaluator is not None
        ray = self._camera.ray(x / self.width(), y / self.height(), self._aspect, 4 * s.model.diagonal)
        inside = ray_in_box(*ray, s.shown.look.section)
        if inside is None:
            return []
        origin, reach = inside
        hidden = s.shown.look.mask(len(s.model.faces))
        found: list[int] = []
        while len(found) < depth:
            hit = s.evaluator.projector.pick_point(origin, ray[1], hidden)
            if hit is None or float((hit[1] - inside[0]) @ ray[1]) > reach:
                break
            found.append(hit[0])
            hidden[list(whole_surface(s.model, hit[0]))] = True
        return found

    def pick_behind_pointer(self) -> None:
        """Select what lies behind the place under the pointer."""
        self.pick_behind(self._last.x(), self._last.y())

    def pick_behind(self, x: float, y: float) -> None:
        """Select the face behind the one that is selected under the pointer; after the last comes the first."""
        s = self._session
        if s.evaluator is None or not s.evaluator.can_pick or self._camera is None or s.model is None:
            return
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
        s = self._session
        assert s.model is not None
        assert self._camera is not None
        if s.evaluator is None or not s.evaluator.can_pick:
            return np.asarray(s.model.box.mean(axis=0))
        ray = self._camera.ray(x / self.width(), y / self.height(), self._aspect, 4 * s.model.diagonal)
        hit = s.evaluator.projector.pick_point(*ray, s.shown.look.mask(len(s.model.faces)))
        return s.model.box.mean(axis=0) if hit is None else hit[1]

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Start a drag or a pick."""
        self.setFocus()
        if self.outline.active and event.button() == Qt.MouseButton.LeftButton:
            self.outline.press(event.position())
            return
        self._press = self._last = event.position()
        self._dragging = False
        # While places are picked, tags are in nobody's way.
        self._tag_pressed = "" if self._session.pointer.picker is not None else self.tags_shown.at(event.position())
        if self._tag_pressed and event.button() == Qt.MouseButton.RightButton:
            self._hide_tag(self._tag_pressed)
            self._press, self._tag_pressed = None, ""
            return
        if self._camera is not None and self._session.model is not None:
            self._pivot = self._point_at(event.position().x(), event.position().y())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Turn (left), shift (right or middle), or tell what is under the pointer."""
        at = event.position()
        if self.outline.active and self._press is None:
            self.outline.move(at)
            return
        if self._press is None or self._camera is None:
            self._last = at
            self._session.pointer.hover(-1 if self.tags_shown.at(at) else self.face_at(at.x(), at.y()))
            return
        if not self._dragging and (at - self._press).manhattanLength() < _DRAG_PIXELS:
            return
        self._dragging = True
        if self._tag_pressed:
            self._tag_dragged = (self._tag_pressed, at)
            self.update()
            return
        dx = (at.x() - self._last.x()) / self.width()
        dy = (at.y() - self._last.y()) / self.height()
        self._last = at
        if event.buttons() & Qt.MouseButton.LeftButton:
            self.set_camera(self._camera.orbited(dx, -dy, self._pivot), moving=True)
        else:
            self.set_camera(self._camera.panned(dx, dy, self._aspect), moving=True)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Pick, when the pointer did not travel."""
        if self.outline.active and event.button() == Qt.MouseButton.LeftButton:
            self.outline.release()
            return
        if self._tag_pressed:
            self._release_tag()
            return
        if self._press is not None and not self._dragging and event.button() == Qt.MouseButton.LeftButton:
            if event.modifiers() & Qt.KeyboardModifier.AltModifier:
                self.pick_behind(event.position().x(), event.position().y())
                self._press, self._dragging = None, False
                return
            add = bool(event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier))
            self._pick(event.position().x(), event.position().y(), add=add)
        self._press = None
        self._dragging = False

    def _release_tag(self) -> None:
        """Pin a tag where it was dragged to, or select its characteristic."""
        key, dragged = self._tag_pressed, self._tag_dragged
        self._tag_pressed, self._tag_dragged, self._press, self._dragging = "", None, None, False
        s = self._session
        if dragged is None:
            s.selection.select_characteristic(key)
            return
        x, y = dragged[1].x() / self.width(), dragged[1].y() / self.height()
        pin = PinnedTag(characteristic=key, x=min(max(x, 0.0), 1.0), y=min(max(y, 0.0), 1.0))
        s.showing.set_tags("pin a tag", pinned=(*(p for p in s.showing.tags.pinned if p.characteristic != key), pin))

    def _hide_tag(self, key: str) -> None:
        s = self._session
        s.showing.set_tags(
            "hide a tag", hidden=(*(h for h in s.showing.tags.hidden if h != key), key),
            listed=tuple(c for c in s.showing.tags.listed if c != key),
        )  # fmt: skip
        if s.selection.characteristic == key:
            s.selection.select(())

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Close an outline that is drawn by corners."""
        if self.outline.active:
            self.outline.close()
        else:
            super().mouseDoubleClickEvent(event)

    def add_outline(self, *, keep: bool) -> None:
        """Leave out, or keep only, what lies inside the outline that was drawn."""
        if self._camera is not None and self.outline.done:
            evaluation = self._session.evaluation
            aligned = evaluation is not None and not isinstance(evaluation.cloud, NotComputed)
            step = self.outline.step(self._camera, self.width(), self.height(), keep=keep, aligned=aligned)
            self.outline.cancel()
            self._session.document.add_step(step)

    def leaveEvent(self, event: object) -> None:
        """Nothing is under the pointer any more."""
        self._session.pointer.hover(-1)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom at the pointer."""
        if self._camera is not None:
            at = event.position()
            factor = 1.0015 ** event.angleDelta().y()
            self.set_camera(
                self._camera.zoomed(factor, at.x() / self.width(), at.y() / self.height(), self._aspect), moving=True
            )

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Turn with the arrows, shift with Shift and arrows, zoom with + and -, clear the selection with Escape."""
        key, c = event.key(), self._camera
        step = {
            Qt.Key.Key_Left: (-0.06, 0.0), Qt.Key.Key_Right: (0.06, 0.0),
            Qt.Key.Key_Up: (0.0, -0.06), Qt.Key.Key_Down: (0.0, 0.06),
        }.get(Qt.Key(key))  # fmt: skip
        if step is not None and c is not None and self._session.model is not None:
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                self.set_camera(c.panned(*step, self._aspect), moving=True)
            else:
                self.set_camera(c.orbited(step[0], -step[1], self._session.model.box.mean(axis=0)), moving=True)
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus) and c is not None:
            self.set_camera(c.zoomed(0.8 if key == Qt.Key.Key_Minus else 1.25, 0.5, 0.5, self._aspect), moving=True)
        elif key == Qt.Key.Key_Escape and self.outline.mode:
            self.outline.cancel()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.outline.active:
            self.outline.close()
        elif key == Qt.Key.Key_Escape and self._session.pointer.escape_stops:
            self._session.pointer.stop_picking()
        elif key == Qt.Key.Key_Escape:
            self._session.selection.select(())
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._session.proposing.proposals:
            self._session.proposing.accept(0)
        else:
            super().keyPressEvent(event)

    def showEvent(self, event: object) -> None:
        """Catch up on what happened while it was not seen."""
        if self._stale_since:
            self._redraw()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Keep the part in the picture."""
        old = event.oldSize()
        if self._camera is not None and old.height() > 0 and old.width() > 0:
            self._camera = self._camera.panned(0, 0, self._aspect)
        if self._camera is not None and (
            old.width() < 400
            or (self._all_in(old.width(), old.height()) and not self._all_in(self.width(), self.height()))
        ):
            self.fit()
        self._redraw()


def _image(pixels: np.ndarray) -> QImage:
    height, width = pixels.shape[:2]
    return QImage(pixels.data, width, height, 4 * width, QImage.Format.Format_RGBX8888).copy()
