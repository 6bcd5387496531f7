"""The live picture with what is measured in it: dragging puts edges and sizes in, values and boxes can be moved."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QWidget

from truegauge.app.stages.silhouette.handles import dragged, handles_of, in_part
from truegauge.app.stages.silhouette.painting import ShownPicture, StillValues, paint_look
from truegauge.app.widgets.painter_surface import PainterSurface
from truegauge.app.widgets.text_size import painter_on, point_at_100, room_of
from truegauge.app.widgets.theme import font, state_color
from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.gauge_bar import BarColors
from truegauge.drawing.shadow_figure import (
    Figure,
    Placed,
    View,
    draw_contours,
    draw_edges,
    draw_sizes,
    lay_out,
    plain_colors,
    view_of,
)
from truegauge.drawing.units import NumberFormat

if TYPE_CHECKING:
    from truegauge.app.stages.silhouette.model import SilhouetteModel
    from truegauge.app.widgets.theme import LiveTheme
    from truegauge.core.arrays import Floats
    from truegauge.core.silhouette.edges import Picture
    from truegauge.drawing.shadow_figure import Rect

_NEAR, _GRIP, _MOVED = 9.0, 9.0, 4.0  # pixels: an edge that is clicked, a handle that is taken, a drag
_MARGIN, _FOOT = 10.0, 30.0
_ZOOM, _MOST, _LEAST = 1.25, 30.0, 0.05
_SIZE = 12.0
_LOW = 430.0  # pixels: a picture that is lower shows only values that are not within


class PictureView(QWidget):
    """Keys: Escape lets go, Delete removes what is selected, F shows all of the picture, + and - zoom."""

    def __init__(self, model: SilhouetteModel, theme: LiveTheme) -> None:
        super().__init__()
        self._model, self._theme = model, theme
        self._shown = ShownPicture()
        self._center: Floats | None = None  # px of the picture in the middle; None: all of it is shown
        self._zoom = 1.0
        self._drag: tuple[str, str, QPointF] | None = None  # what is dragged: how, of what, from where
        self._to: QPointF | None = None
        self._placed: list[Placed] = []
        self._values = StillValues()
        self.setMouseTracking(True)
        self.setMinimumSize(280, 200)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Picture of the silhouette")
        self.setCursor(Qt.CursorShape.CrossCursor)
        model.frame_changed.connect(self.update)
        model.changed.connect(self.update)
        model.session.document.evaluated.connect(self.update)
        model.session.selection.changed.connect(self.update)

    # Where things are -----------------------------------------------------------------------------------------------

    @property
    def picture(self) -> Picture | None:
        """The picture that is shown."""
        seen = self._model.seen
        return seen.picture.pixels if seen is not None else self._model.camera.picture

    def view(self) -> View:
        """Return which part of the picture is seen where."""
        picture, room = self.picture, room_of(self)
        box: Rect = (_MARGIN, _MARGIN, room.width() - 2 * _MARGIN, room.height() - 2 * _MARGIN - _FOOT)
        high, wide = (100, 100) if picture is None else picture.shape
        fitted = view_of((0.0, 0.0, float(wide), float(high)), box)
        if self._center is None:
            return fitted
        scale = fitted.scale * self._zoom
        x = box[0] + box[2] / 2 - scale * (self._center[0] + 0.5)
        y = box[1] + box[3] / 2 - scale * (self._center[1] + 0.5)
        return View(float(x), float(y), scale, box)

    def mm(self, at: QPointF) -> Floats | None:
        """Return the place (2,) mm of the picture under a place of the widget; None while it is not calibrated."""
        seen = self._model.seen
        if seen is None or seen.lens is None:
            return None
        return np.asarray(seen.lens.calibration.lens.mm(self.view().back(at.x(), at.y())[None])[0])

    def on(self, part: Floats) -> Floats:
        """Return where places (n, 2) mm of the part are on the widget."""
        seen = self._model.seen
        assert seen is not None
        assert seen.lens is not None
        lens = seen.lens.calibration.lens
        return self.view().on(lens.pixels(self._model.place.picture_from_part(part)))

    def _in_part(self, at: QPointF) -> Floats | None:
        mm = self.mm(at)
        return None if mm is None else self._model.place.part_from_picture(mm[None])[0]

    def fit(self) -> None:
        """Show all of the picture."""
        self._center, self._zoom = None, 1.0
        self.update()

    def zoom(self, factor: float, at: QPointF | None = None) -> None:
        """Zoom about a place of the widget, or the middle."""
        picture = self.picture
        if picture is None:
            return
        where = at or QPointF(room_of(self).width() / 2, room_of(self).height() / 2)
        view = self.view()
        under = view.back(where.x(), where.y())
        wanted = min(max(self._zoom * factor, _LEAST), _MOST)
        if wanted <= 1.0:
            self.fit()
            return
        center = under if self._center is None else self._center
        middle = view.back(view.room[0] + view.room[2] / 2, view.room[1] + view.room[3] / 2)
        if self._center is None:
            center = middle
        # What is under the pointer stays there.
        self._center = under + (center - under) * self._zoom / wanted
        self._zoom = wanted
        self.update()

    # Painting -------------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the picture, then what is measured."""
        painter, t = painter_on(self), self._theme
        room = room_of(self)
        painter.fillRect(room, QColor(t.view))
        picture, view = self.picture, self.view()
        if picture is not None:
            self._shown.paint(painter, picture, view)
        figure = self._model.figure()
        plan = self._model.session.plan
        numbers = NumberFormat(plan.unit, plan.decimals)
        self._placed = []
        with PainterSurface(painter) as surface:
            if figure is not None:
                self._paint_figure(surface, figure, view, numbers)
            self._paint_selected(surface)
            self._paint_drag(surface, numbers)
        self._paint_words(painter, room)

    def _paint_figure(self, surface: PainterSurface, figure: Figure, view: View, numbers: NumberFormat) -> None:
        t = self._theme

        def bar(result: object) -> BarColors:
            return BarColors(t.band, t.tick, state_color(t, str(getattr(result, "state", ""))))

        colors = plain_colors(t.ink, t.raised, t.soft, t.accent, bar)
        picture, chosen = self.picture, self._model.session.selection.characteristic
        assert picture is not None
        if room_of(self).height() < _LOW:  # little room: only what needs to be looked at
            kept = tuple(s for s in figure.shapes if s[2].state != State.WITHIN or s[2].characteristic.id == chosen)
            figure = replace(figure, shapes=kept)
        draw_contours(surface, figure, view, t.ink, t.soft)
        draw_edges(surface, figure, view, colors)
        self._placed = lay_out(surface, figure, view, numbers, picture, self._values.kept(figure, view))
        self._values.keep(figure, view, self._placed)
        draw_sizes(surface, self._placed, colors, numbers, chosen)

    def _paint_selected(self, surface: PainterSurface) -> None:
        model, own, t = self._model, self._model.silhouette, self._theme
        if own is None or model.seen is None or model.seen.lens is None:
            return
        chosen = set(model.selected)
        for point in own.points:
            if point.id in chosen:
                chosen |= set(point.edges)
        for edge in own.edges:
            if edge.id not in chosen:
                continue
            paint_look(surface, self.on, edge.look, t.accent, t.raised)
            if len(model.selected) == 1 and edge.id in model.selected:
                for handle in handles_of(edge.look):
                    x, y = self.on(handle.place[None])[0].tolist()
                    if handle.how == "turn":
                        surface.circle(x, y, 5.0, fill=t.raised, color=t.accent, width=1.8)
                    else:
                        surface.box(x - 4.5, y - 4.5, 9, 9, fill=t.raised, color=t.accent, line=1.8)

    def _paint_drag(self, surface: PainterSurface, numbers: NumberFormat) -> None:
        if self._drag is None or self._drag[0] != "draw" or self._to is None:
            return
        t, start, end = self._theme, self._drag[2], self._to
        line = [(start.x(), start.y()), (end.x(), end.y())]
        surface.line(line, t.raised, 4.0)
        surface.line(line, t.accent, 1.8)
        a, b = self.mm(start), self.mm(end)
        if a is None or b is None:
            words = self._model.why_not
        else:
            looks, value = self._model.edits.preview(a, b)
            for look in looks:
                paint_look(surface, self.on, in_part(look, self._model.place), t.accent, t.raised)
            words = value if isinstance(value, str) else f"{numbers.value(value.value)} {numbers.unit}"
            if looks and not isinstance(value, str) and self._model.tool == "along":
                words = f"radius {words}"
            elif looks and isinstance(value, str):
                words = "straight edge"
        wide = surface.advance(words, 15.0, bold=True) + 18
        x = min(max(4.0, end.x() + 14), room_of(self).width() - wide - 4)
        y = max(4.0, end.y() - 38)
        surface.box(x, y, wide, 28, fill=t.raised, color=t.accent, line=1.4, rounded=4)
        surface.text(x + 9, y + 19, words, 15.0, t.ink, bold=True)

    def _paint_words(self, painter: QPainter, room: QRectF) -> None:
        """Say below the picture what is to be said: why nothing is measured, else how the pointer works."""
        t, model = self._theme, self._model
        why = model.why_not
        painter.setFont(font(_SIZE))
        if self.picture is None:
            painter.setPen(QColor(t.soft))
            painter.setFont(font(15))
            painter.drawText(room.adjusted(40, 0, -40, 0), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, why)
            return
        foot = QRectF(_MARGIN, room.height() - _FOOT, room.width() - 2 * _MARGIN, _FOOT - 4)
        if why:
            painter.fillRect(foot.adjusted(-_MARGIN, -2, _MARGIN, 4), QColor(t.near))
            painter.setPen(QColor("#1F2A33"))
            painter.setFont(font(14, bold=True))
            words = why[0].upper() + why[1:]
            said = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(foot.width()))
            painter.drawText(foot, Qt.AlignmentFlag.AlignVCenter, said)
            return
        painter.setPen(QColor(t.soft))
        hints = {"across": "Drag across the part for a size", "along": "Drag along an edge to take it"}
        if model.page == "series":
            return
        sentences = [f"{hints[model.tool]}.", "Click edges to choose them.", "Drag values where they suit."]
        while len(sentences) > 1 and painter.fontMetrics().horizontalAdvance(" ".join(sentences)) > foot.width():
            sentences.pop()
        painter.drawText(foot, Qt.AlignmentFlag.AlignVCenter, " ".join(sentences))

    # Mouse and keys -------------------------------------------------------------------------------------------------

    def value_at(self, at: QPointF) -> Placed | None:
        """Return the size whose value is at a place of the widget."""
        for one in reversed(self._placed):
            x, y, wide, high = one.box
            if x <= at.x() <= x + wide and y <= at.y() <= y + high:
                return one
        return None

    def edge_at(self, at: QPointF) -> str:
        """Return the edge at a place of the widget, by its id; empty for none."""
        found, own = self._model.found, self._model.silhouette
        if found is None or own is None:
            return ""
        best, name = _NEAR, ""
        for key, points in found.points.items():
            known = points[np.isfinite(points[:, 0])]
            if not len(known):
                continue
            off = np.linalg.norm(self.on(known) - [at.x(), at.y()], axis=1).min()
            if off < best:
                best, name = float(off), key
        return name

    def _handle_at(self, at: QPointF) -> str:
        own, model = self._model.silhouette, self._model
        if own is None or len(model.selected) != 1 or model.found is None:
            return ""
        edge = own.edge(model.selected[0])
        for handle in handles_of(edge.look) if edge is not None else []:
            x, y = self.on(handle.place[None])[0]
            if abs(x - at.x()) <= _GRIP and abs(y - at.y()) <= _GRIP:
                return handle.how
        return ""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take a value, a handle, the picture, or begin to draw."""
        at = point_at_100(event.position())
        if event.button() in (Qt.MouseButton.MiddleButton, Qt.MouseButton.RightButton):
            self._drag = ("picture", "", at)
            return
        if event.button() != Qt.MouseButton.LeftButton:
            return
        value, handle = self.value_at(at), self._handle_at(at)
        if value is not None:
            self._drag = ("value", value.key, at)
            self._model.session.selection.select_characteristic(value.result.characteristic.id)
        elif handle:
            self._drag = (f"handle {handle}", self._model.selected[0], at)
        else:
            self._drag = ("draw", "", at)
        self._to = None

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Move what is held."""
        at = point_at_100(event.position())
        if self._drag is None:
            over = self.value_at(at) is not None or self._handle_at(at) or self.edge_at(at)
            self.setCursor(Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.CrossCursor)
            return
        how, what, start = self._drag
        if self._to is None and (at - start).manhattanLength() < _MOVED:
            return
        self._to = at
        place = self._in_part(at)
        if how == "picture":
            view = self.view()
            middle = view.back(view.room[0] + view.room[2] / 2, view.room[1] + view.room[3] / 2)
            if self._center is not None:
                self._center = middle - np.array([at.x() - start.x(), at.y() - start.y()]) / view.scale
                self._drag = (how, what, at)
        elif how == "value" and place is not None:
            self._model.edits.move_value(what, place)
        elif how.startswith("handle ") and place is not None and self._model.silhouette is not None:
            edge = self._model.silhouette.edge(what)
            if edge is not None:
                self._model.edits.edit_edge(
                    what, f"look {what}", look=dragged(edge.look, how.removeprefix("handle "), place)
                )
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Take what was drawn; a click selects."""
        drag, self._drag = self._drag, None
        to, self._to = self._to, None
        if drag is None:
            return
        how, _, start = drag
        at = point_at_100(event.position())
        if how == "draw" and to is None:
            self._click(at, add=bool(event.modifiers()))
        elif how == "draw":
            a, b = self.mm(start), self.mm(at)
            if a is None or b is None:
                self._model.session.notify(self._model.why_not)
            else:
                self._model.edits.take(a, b)
        else:
            self._model.session.document.history.end_merge()
        self.update()

    def _click(self, at: QPointF, *, add: bool) -> None:
        edge = self.edge_at(at)
        if edge:
            self._model.toggle(edge)
        elif not add:
            self._model.select(())
            self._model.session.selection.select_characteristic("")

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom about the pointer."""
        self.zoom(_ZOOM if event.angleDelta().y() > 0 else 1 / _ZOOM, point_at_100(event.position()))

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Show all of the picture."""
        if not self.edge_at(point_at_100(event.position())):
            self.fit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Zoom, remove what is selected; Escape is for the window unless something is held."""
        match event.key():
            case Qt.Key.Key_Delete | Qt.Key.Key_Backspace if self._model.selected:
                self._model.edits.remove_selected()
            case Qt.Key.Key_F:
                self.fit()
            case Qt.Key.Key_Plus:
                self.zoom(_ZOOM)
            case Qt.Key.Key_Minus:
                self.zoom(1 / _ZOOM)
            case Qt.Key.Key_Escape if self._drag is not None or self._model.selected:
                self._drag = self._to = None
                self._model.select(())
            case _:
                super().keyPressEvent(event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """The picture fits anew by itself."""
        super().resizeEvent(event)
        self.update()
