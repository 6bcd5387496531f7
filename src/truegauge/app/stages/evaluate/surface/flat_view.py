"""The surface laid out flat, in the middle of the window: map with contours, numbers of what was found, two cuts."""

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSizeF, Qt
from PySide6.QtGui import (
    QColor,
    QFontMetricsF,
    QImage,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from truegauge.app.stages.evaluate.surface.model import SurfaceModel
from truegauge.app.widgets.painter_surface import PainterSurface
from truegauge.app.widgets.text_size import painter_on, point_at_100, room_of
from truegauge.app.widgets.theme import LiveTheme, font
from truegauge.core.deviations.map_scale import DeviationScale
from truegauge.core.imperfections.measuring import Imperfection
from truegauge.core.imperfections.search import Found
from truegauge.drawing.flat_map import Frame, box_of, cut, picture, place_of, scale_of
from truegauge.drawing.scale_figure import ScaleLook, draw_scale
from truegauge.drawing.units import NumberFormat

_EDGE, _SCALE, _CUTS, _HEAD = 22.0, 96.0, 150.0, 34.0  # pixels around the map
_CLOSE = 3.0  # widths of an imperfection that are seen when it is looked at
_NEAR = 14.0  # pixels
_STEPS = (0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0)  # mm between contours


class FlatView(QWidget):
    """Drag to shift, wheel to zoom, click to choose; a double click looks close, or at all of it again."""

    def __init__(self, model: SurfaceModel, theme: LiveTheme) -> None:
        super().__init__()
        self._model, self._theme = model, theme
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

    def _on_changed(self) -> None:
        found, number = self._model.found, self._model.number
        if found is not self._shown[0] and (self._shown[0] is None or found is None):
            self._zoom = 0.0
        self._shown = found, number
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
        return next((s for s in _STEPS if s >= scale.limit / 8), _STEPS[-1])

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
        frame, scale = self.frame_of(found), scale_of(found, check.depth)
        step = self.contour_step(scale)
        painter.drawImage(self.map_room.topLeft(), self._image(found, frame, scale, step))
        numbers = NumberFormat(m.session.plan.unit, m.session.plan.decimals)
        self._paint_found(painter, found, frame)
        self._paint_head(painter, numbers, step)
        with PainterSurface(painter) as surface:
            height = max(90.0, min(260.0, self.map_room.height() - 80.0))
            draw_scale(surface, scale, (room.width() - 84.0, 40.0, height), numbers, ScaleLook(13, 11.0, t.ink, t.soft))
        if m.chosen is not None:
            self._paint_cuts(painter, found, m.chosen, numbers, check.depth)

    def _image(self, found: Found, frame: Frame, scale: DeviationScale, step: float) -> QImage:
        """Return the picture of what is seen; it is kept until something else is."""
        key = (id(found), frame, scale, step, self._theme.view)
        if self._seen is None or self._seen[0] != key:
            paper = QColor(self._theme.view)
            pixels = picture(found, frame, scale, (paper.red(), paper.green(), paper.blue()), step)
            pixels = np.ascontiguousarray(pixels)
            image = QImage(pixels.data, frame.size[0], frame.size[1], 3 * frame.size[0], QImage.Format.Format_RGB888)
            self._seen = key, image.copy()
        return self._seen[1]

    def _paint_found(self, painter: QPainter, found: Found, frame: Frame) -> None:
        t, room = self._theme, self.map_room
        painter.save()
        painter.setClipRect(room)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(12, bold=True))
        metrics = QFontMetricsF(painter.font())
        # The chosen one first, then the deepest: where there is no room for a number a ring stands alone.
        every = sorted(enumerate(found.imperfections), key=lambda one: one[0] != self._model.number)
        rings = {k: self._ring(found, frame, one) for k, one in every}
        seen = {k: ring for k, ring in rings.items() if room.contains(ring.center())}
        taken: list[QRectF] = []
        for k, ring in seen.items():
            chosen = k == self._model.number
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(t.accent if chosen else t.ink), 2.2 if chosen else 1.2))
            painter.drawEllipse(ring)
            words = str(k + 1)
            size = QSizeF(metrics.horizontalAdvance(words) + 10, metrics.height() + 2)
            others = [*taken, *(other for j, other in seen.items() if j != k)]
            box = next(
                (b for b in _beside(ring, size) if room.contains(b) and not any(map(b.intersects, others))), None
            )
            if box is None:
                continue
            taken.append(box)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.accent if chosen else t.raised))
            painter.drawRoundedRect(box, 4, 4)
            painter.setPen(QColor(t.raised if chosen else t.ink))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)
        painter.restore()

    def _ring(self, found: Found, frame: Frame, one: Imperfection) -> QRectF:
        """Return the box of the ring around an imperfection."""
        half = max(7.0, 0.5 * one.length * frame.scale + 5.0)
        at = self._pixel(found, frame, one)
        return QRectF(at.x() - half, at.y() - half, 2 * half, 2 * half)

    def _pixel(self, found: Found, frame: Frame, one: Imperfection) -> QPointF:
        x, y = frame.to_pixels(place_of(found, one)[None])[0]
        return QPointF(self.map_room.left() + x, self.map_room.top() + y)

    def _paint_head(self, painter: QPainter, numbers: NumberFormat, step: float) -> None:
        t, one = self._theme, self._model.chosen
        words = "Click a number to choose it, double click to look close"
        if one is not None:
            words = f"{self._model.number + 1}  {one.kind}  {numbers.signed(one.depth)} {numbers.unit}"
        painter.setFont(font(18 if one is not None else 12.5, bold=one is not None))
        painter.setPen(QColor(t.ink if one is not None else t.soft))
        box = QRectF(_EDGE, 4.0, room_of(self).width() - _SCALE - 2 * _EDGE, _HEAD - 4.0)
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, words)
        if step > 0:
            painter.setFont(font(12))
            painter.setPen(QColor(t.soft))
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
                             f"contours every {numbers.value(step)} {numbers.unit}")  # fmt: skip

    def _paint_cuts(
        self, painter: QPainter, found: Found, one: Imperfection, numbers: NumberFormat, depth: float
    ) -> None:
        """Paint the cuts through the deepest place, heights enlarged."""
        room = room_of(self)
        wide = (room.width() - 3 * _EDGE) / 2
        for k, across in enumerate((False, True)):
            box = QRectF(_EDGE + k * (wide + _EDGE), room.bottom() - _CUTS + 8.0, wide, _CUTS - 16.0)
            self._paint_cut(painter, box, found, one, numbers, depth, across=across)

    def _paint_cut(
        self, painter: QPainter, box: QRectF, found: Found, one: Imperfection, numbers: NumberFormat, depth: float, *,
        across: bool,
    ) -> None:  # fmt: skip
        t = self._theme
        off, value = cut(found, one, across=across)
        known = np.isfinite(value)
        low, high = min(-depth, float(np.nanmin(value, initial=0.0))), max(depth, float(np.nanmax(value, initial=0.0)))
        inner = box.adjusted(10, 24, -10, -10)

        def at(x: float, z: float) -> QPointF:
            return QPointF(inner.left() + inner.width() * (x - off[0]) / (off[-1] - off[0]),
                           inner.bottom() - inner.height() * (z - low) / (high - low))  # fmt: skip

        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(t.rule), 1.0))
        painter.setBrush(QColor(t.raised))
        painter.drawRoundedRect(box, 5, 5)
        for level, style in (
            (0.0, Qt.PenStyle.SolidLine),
            (-depth, Qt.PenStyle.DashLine),
            (depth, Qt.PenStyle.DashLine),
        ):
            painter.setPen(QPen(QColor(t.soft), 1.0, style))
            painter.drawLine(at(off[0], level), at(off[-1], level))
        painter.setPen(QPen(QColor(t.ink), 1.8))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for run in np.split(np.arange(len(off)), np.flatnonzero(np.diff(known.astype(int))) + 1):
            if len(run) > 1 and known[run[0]]:
                painter.drawPolyline(QPolygonF([at(float(off[i]), float(value[i])) for i in run]))
        painter.setFont(font(12))
        painter.setPen(QColor(t.soft))
        title = box.adjusted(10, 4, -10, 0)
        words = "across" if across else "along"
        painter.drawText(
            title, Qt.AlignmentFlag.AlignTop, f"{words}, {numbers.rough(off[-1] - off[0])} {numbers.unit} long"
        )
        enlarged = (inner.height() / (high - low)) / (inner.width() / (off[-1] - off[0]))
        painter.drawText(title, Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignRight, f"heights {enlarged:.0f} x")
        painter.restore()

    # Mouse ----------------------------------------------------------------------------------------------------------

    def at(self, position: QPointF) -> int:
        """Return the number of the imperfection at a place of the widget; -1: none."""
        found = self._model.found
        if found is None:
            return -1
        frame, where = self.frame_of(found), point_at_100(position)
        best, number = np.inf, -1
        for k, one in enumerate(found.imperfections):
            off = self._pixel(found, frame, one) - where
            far = float(np.hypot(off.x(), off.y()))
            if far < min(best, max(_NEAR, 0.6 * one.length * frame.scale)):
                best, number = far, k
        return number

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Begin to shift, or to choose."""
        self._press, self._dragged = event.position(), False

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Shift."""
        found = self._model.found
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
        """Choose what was clicked."""
        if self._press is not None and not self._dragged and event.button() == Qt.MouseButton.LeftButton:
            self._model.choose(self.at(event.position()))
        self._press = None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Look close, or at all of it."""
        self.look_close()

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


def _beside(ring: QRectF, size: QSizeF) -> list[QRectF]:
    """Return where the number of a ring may stand: at its four corners, then right, left, above and below it."""
    near = 0.25 * ring.width() / 2  # the ring leaves its corners free
    right, left = ring.right() - near, ring.left() + near - size.width()
    above, below = ring.top() + near - size.height(), ring.bottom() - near
    middle_x, middle_y = ring.center().x() - size.width() / 2, ring.center().y() - size.height() / 2
    corners = [(right, above), (left, above), (right, below), (left, below), (ring.right() + 2, middle_y),
               (ring.left() - 2 - size.width(), middle_y), (middle_x, ring.top() - 2 - size.height()),
               (middle_x, ring.bottom() + 2)]  # fmt: skip
    return [QRectF(QPointF(x, y), size) for x, y in corners]
