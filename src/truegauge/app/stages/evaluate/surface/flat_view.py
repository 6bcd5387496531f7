"""The surface laid out flat, in the middle of the window: map with contours, numbers of what was found, two cuts."""

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PySide6.QtWidgets import QWidget

from truegauge.app.stages.evaluate.surface.area_model import AreaModel
from truegauge.app.stages.evaluate.surface.flat_hand import FlatHand
from truegauge.app.stages.evaluate.surface.model import SurfaceModel
from truegauge.app.widgets.painter_surface import PainterSurface
from truegauge.app.widgets.text_size import painter_on, point_at_100, room_of
from truegauge.app.widgets.theme import LiveTheme, font
from truegauge.core.arrays import Floats
from truegauge.core.deviations.map_scale import DeviationScale
from truegauge.core.imperfections.measuring import Imperfection
from truegauge.core.imperfections.search import Found
from truegauge.drawing.flat_map import Frame, box_of, held_scale_of, picture, place_of, scale_of
from truegauge.drawing.scale_figure import ScaleLook, draw_scale
from truegauge.drawing.surface_figure import FlatColors, contour_step, draw_cut, draw_rings
from truegauge.drawing.surface_numbers import tag_texts
from truegauge.drawing.units import NumberFormat

_EDGE, _SCALE, _CUTS, _HEAD = 22.0, 96.0, 150.0, 34.0  # pixels around the map
_CLOSE = 3.0  # widths of an imperfection that are seen when it is looked at
_NEAR = 14.0  # pixels


class FlatView(QWidget):
    """Drag to shift, wheel to zoom, click to choose; a double click looks close, or at all of it again."""

    def __init__(self, model: SurfaceModel, area: AreaModel, theme: LiveTheme) -> None:
        super().__init__()
        self._model, self._theme = model, theme
        self.hand = FlatHand(area)
        self._middle, self._zoom = (0.0, 0.0), 0.0  # mm, pixels a mm; 0: all of it
        self._press: QPointF | None = None
        self._dragged = False
        self._seen: tuple[object, QImage] | None = None
        self._shown: tuple[Found | None, int] = (None, -1)
        self.setMouseTracking(True)
        self.setMinimumSize(280, 260)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Surface, laid out flat")
        model.changed.connect(self._on_changed)
        area.changed.connect(self._on_tool)

    def _on_changed(self) -> None:
        found, number = self._model.found, self._model.number
        if found is not self._shown[0] and (self._shown[0] is None or found is None):
            self._zoom = 0.0
        self._shown = found, number
        self.update()

    def _on_tool(self) -> None:
        self.hand.follow()
        if self.hand.active:
            self.setFocus()
        self.setCursor(Qt.CursorShape.CrossCursor if self.hand.active else Qt.CursorShape.ArrowCursor)
        self.update()

    # Where things are -----------------------------------------------------------------------------------------------

    @property
    def map_room(self) -> QRectF:
        """Where the map is painted, in pixels at 100 %."""
        room = room_of(self)
        below = _CUTS if self._model.chosen is not None else 0.0
        return QRectF(room.left(), room.top() + _HEAD, room.width() - _SCALE, room.height() - _HEAD - below)

    def frame_of(self, found: Found) -> Frame:
        """Return what is seen of the surface."""
        room = self.map_room
        low, high = box_of(found)
        fits = min((room.width() - 2 * _EDGE) / (high[0] - low[0]), (room.height() - 2 * _EDGE) / (high[1] - low[1]))
        whole = self._zoom <= fits
        middle = ((low[0] + high[0]) / 2, (low[1] + high[1]) / 2) if whole else self._middle
        return Frame((float(middle[0]), float(middle[1])), float(fits if whole else self._zoom),
                     (max(1, int(room.width())), max(1, int(room.height()))))  # fmt: skip

    def look_close(self) -> None:
        """Look close at the one that is chosen, or at all of the surface again."""
        found, one = self._model.found, self._model.chosen
        if found is None:
            return
        room, whole = self.map_room, self._zoom <= 0
        self._zoom = 0.0
        if one is not None and whole:
            self._zoom = min(room.width(), room.height()) / (_CLOSE * max(one.length, 1e-3))
            x, y = place_of(found, one)
            self._middle = float(x), float(y)
        self.update()

    def contour_step(self, scale: DeviationScale) -> float:
        """Return the distance of contours, mm: some ten over the scale, none where all of the surface is seen."""
        if self._zoom <= 0:
            return 0.0
        return contour_step(scale.limit)

    # Painting -------------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the map."""
        painter, t, m = painter_on(self), self._theme, self._model
        room = room_of(self)
        painter.fillRect(room, QColor(t.view))
        found, check = m.found, m.check
        if found is None or check is None:
            words = "looking …" if m.is_working else "Stopped" if m.is_stopped else m.problem or "Open a scan"
            painter.setPen(QColor(t.soft))
            painter.setFont(font(14))
            painter.drawText(
                room.adjusted(40, 0, -40, 0), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, words
            )
            return
        frame, scale = self.frame_of(found), scale_of(found, check.least)
        step = self.contour_step(scale)
        held = m.held() if m.map == "held" else None
        if held is not None:
            scale, step = held_scale_of(check.least, m.weakest() or 0.0), 0.0
        painter.drawImage(self.map_room.topLeft(), self._image(found, frame, scale, step, held))
        numbers = NumberFormat(m.session.plan.unit, m.session.plan.decimals)
        self._paint_head(painter, numbers, step)
        map_ = self.map_room
        with PainterSurface(painter) as surface:
            painter.setClipRect(map_)
            place = (map_.x(), map_.y(), map_.width(), map_.height())
            tags = tag_texts(found.imperfections, check.tags, numbers)
            draw_rings(surface, found, frame, place, self._colors, 12.0, chosen=m.number, bad=m.flagged(), words=tags,
                       only={number for number, _ in m.listed()} | {m.number})  # fmt: skip
        with PainterSurface(painter) as surface:
            height = max(90.0, min(260.0, self.map_room.height() - 80.0))
            draw_scale(surface, scale, (room.width() - 84.0, 40.0, height), numbers, ScaleLook(13, 11.0, t.ink, t.soft))
            if m.chosen is not None:
                self._paint_cuts(surface, found, m.chosen, numbers, check.levels)
        self.hand.paint(painter, frame, map_.topLeft(), t)

    @property
    def _colors(self) -> FlatColors:
        t = self._theme
        return FlatColors(t.ink, t.soft, t.raised, t.rule, t.accent, t.outside)

    def _image(self, found: Found, frame: Frame, scale: DeviationScale, step: float, values: Floats | None) -> QImage:
        """Return the picture of what is seen; it is kept until something else is."""
        key = (id(found), frame, scale, step, id(values), self._theme.view)
        if self._seen is None or self._seen[0] != key:
            paper = QColor(self._theme.view)
            pixels = picture(found, frame, scale, (paper.red(), paper.green(), paper.blue()), step, values)
            pixels = np.ascontiguousarray(pixels)
            image = QImage(pixels.data, frame.size[0], frame.size[1], 3 * frame.size[0], QImage.Format.Format_RGB888)
            self._seen = key, image.copy()
        return self._seen[1]

    def _pixel(self, found: Found, frame: Frame, one: Imperfection) -> QPointF:
        x, y = frame.to_pixels(place_of(found, one)[None])[0]
        return QPointF(self.map_room.left() + x, self.map_room.top() + y)

    def _paint_head(self, painter: QPainter, numbers: NumberFormat, step: float) -> None:
        t, one = self._theme, self._model.chosen
        words = self.hand.words or "Click a number to choose it, double click to look close"
        if one is not None and not self.hand.active:
            words = f"{self._model.number + 1}  {one.kind}  {numbers.signed(one.depth)} {numbers.unit}"
        large = one is not None and not self.hand.active
        painter.setFont(font(18 if large else 12.5, bold=large))
        painter.setPen(QColor(t.ink if large or self.hand.active else t.soft))
        box = QRectF(_EDGE, 4.0, room_of(self).width() - _SCALE - 2 * _EDGE, _HEAD - 4.0)
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, words)
        if step > 0:
            painter.setFont(font(12))
            painter.setPen(QColor(t.soft))
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
                             f"contours every {numbers.value(step)} {numbers.unit}")  # fmt: skip

    def _paint_cuts(
        self, surface: PainterSurface, found: Found, one: Imperfection, numbers: NumberFormat, levels: tuple[float, ...]
    ) -> None:
        """Paint the cuts through the deepest place, heights enlarged."""
        room = room_of(self)
        wide = (room.width() - 3 * _EDGE) / 2
        for k, across in enumerate((False, True)):
            box = (_EDGE + k * (wide + _EDGE), room.bottom() - _CUTS + 8.0, wide, _CUTS - 16.0)
            draw_cut(surface, box, found, one, numbers, levels, self._colors, 12.0, across=across)

    # Mouse ----------------------------------------------------------------------------------------------------------

    def at(self, position: QPointF) -> int:
        """Return the number of the imperfection at a place of the widget; -1: none."""
        found = self._model.found
        if found is None:
            return -1
        frame, where = self.frame_of(found), point_at_100(position)
        best, number = np.inf, -1
        for k, one in self._model.listed():
            off = self._pixel(found, frame, one) - where
            far = float(np.hypot(off.x(), off.y()))
            if far < min(best, max(_NEAR, 0.6 * one.length * frame.scale)):
                best, number = far, k
        return number

    def _on_map(self, position: QPointF) -> QPointF:
        """Return the pixel of the map at a place of the widget."""
        return point_at_100(position) - self.map_room.topLeft()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Begin to draw, to shift, or to choose."""
        found = self._model.found
        if self.hand.active and found is not None and event.button() == Qt.MouseButton.LeftButton:
            self.hand.press(self._on_map(event.position()), self.frame_of(found))
            self.update()
            return
        self._press, self._dragged = event.position(), False

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Draw, or shift."""
        found = self._model.found
        if self.hand.active and found is not None:
            self.hand.move(self._on_map(event.position()), self.frame_of(found))
            self.update()
        if self._press is None or found is None:
            return
        moved = point_at_100(event.position()) - point_at_100(self._press)
        if not self._dragged and moved.manhattanLength() < 4:
            return
        frame = self.frame_of(found)
        self._dragged, self._press, self._zoom = True, event.position(), max(self._zoom, frame.scale * 1.0001)
        self._middle = (frame.middle[0] - moved.x() / frame.scale, frame.middle[1] + moved.y() / frame.scale)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """End a line, or choose what was clicked."""
        self.hand.release()
        if self._press is not None and not self._dragged and event.button() == Qt.MouseButton.LeftButton:
            self._model.choose(self.at(event.position()))
        self._press = None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Close a line of corners, or look close, or at all of it."""
        if self.hand.active:
            self.hand.close()
        else:
            self.look_close()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Close what is drawn (Enter), or forget it (Esc)."""
        if self.hand.active and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.hand.close()
        elif self.hand.active and event.key() == Qt.Key.Key_Escape:
            self.hand.cancel()
        else:
            super().keyPressEvent(event)
        self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom about the pointer."""
        found = self._model.found
        if found is None:
            return
        frame, where = self.frame_of(found), point_at_100(event.position()) - self.map_room.topLeft()
        x, y = frame.to_surface(where.x(), where.y())
        zoom = frame.scale * 1.2 ** (event.angleDelta().y() / 120.0)
        self._zoom = zoom
        share = frame.scale / zoom
        self._middle = (x + (frame.middle[0] - x) * share, y + (frame.middle[1] - y) * share)
        self.update()
