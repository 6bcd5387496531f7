"""The sheet of a section: curves and needles to shift and zoom, dimensions that are made as on a drawing."""

import numpy as np
from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QColor, QFontMetricsF, QKeyEvent, QMouseEvent, QPaintEvent, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QWidget

from truegauge.app.stages.evaluate.model import EvaluateModel
from truegauge.app.widgets.painter_surface import PainterSurface
from truegauge.app.widgets.text_size import painter_on, point_at_100, room_of
from truegauge.app.widgets.theme import Theme, font, state_color
from truegauge.core.errors import TrueGaugeError
from truegauge.core.nodes.sections import SectionCurves, section_curves
from truegauge.core.plan.readings import DimensionKind, Section, SectionDimension, Span
from truegauge.core.plan.requirements import Characteristic
from truegauge.core.sections.dimension import span_runs
from truegauge.drawing.scale_figure import ScaleLook, draw_scale
from truegauge.drawing.section_drawing import SectionDrawing, Words
from truegauge.drawing.section_figure import (
    SectionColors,
    SheetPlace,
    draw_axes,
    draw_curves,
    draw_values,
    foot_words,
    neat_length,
    polyline,
    value_box,
)
from truegauge.drawing.units import NumberFormat
from truegauge.rendering.report_views import section_drawing

_NEAR, _RULER = 26.0, 100.0  # pixels
_EDGE, _FOOT, _SCALE = 34.0, 92.0, 96.0  # pixels around the section: foot with ruler and axes, scale
_HANDLE = 9.0
_LETTERS, _SMALL = 13.0, 11.0


class SectionView(QWidget):
    """The sheet: drag to shift, wheel to zoom; with a tool, press on a curve to take a span of it."""

    tool_changed = Signal()

    def __init__(self, model: EvaluateModel, theme: Theme) -> None:
        super().__init__()
        self._model, self._theme = model, theme
        self.tool: DimensionKind | None = None
        self.fits = "line"
        self.reach = 4.0
        self.spans: tuple[Span, ...] = ()
        self.drawing: SectionDrawing | None = None
        self.curves: SectionCurves | None = None
        self._shown = ""
        self._middle, self._scale = np.zeros(2), 1.0  # mm, pixels a mm
        self._press: QPointF | None = None
        self._pressed_at: np.ndarray | None = None
        self._pointer = QPointF(-1, -1)
        self._held: tuple[SectionDimension, int] | None = None  # a value (-1), or a span, that is dragged
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Section, flat")
        self.setMinimumSize(280, 220)

    @property
    def section(self) -> Section | None:
        """The section that is shown."""
        s = self._model.session
        return next((x for x in s.plan.sections if x.id == s.shown.section), None)

    def refresh(self) -> None:
        """Draw the section as the plan and the results have it now."""
        s, section = self._model.session, self.section
        self.drawing = self.curves = None
        if section is not None and s.evaluator is not None and s.evaluator.can_pick:
            sample = s.sample if s.evaluation is not None else None
            try:
                self.curves = section_curves(s.evaluator.context(s.plan, sample), section)
                self.drawing = section_drawing(s.evaluator, s.plan, sample, section, s.showing.scale)
            except TrueGaugeError as error:
                s.notify(error)
            if section.id != self._shown:
                self._shown, self.spans = section.id, ()
                self.fit()
        self.update()

    def fit(self) -> None:
        """Show all of the section."""
        if self.drawing is not None:
            x0, y0, x1, y1 = self.drawing.box
            room = room_of(self)
            across, along = max(60.0, room.width() - 2 * _EDGE - _SCALE), max(60.0, room.height() - _EDGE - _FOOT)
            # Values have their size in pixels, whatever the scale: room is made for them at the sides.
            widest = [QFontMetricsF(font(_LETTERS, bold=True)).horizontalAdvance(w.text) for w in self.drawing.words]
            half = [(w.at[0], wide / 2 + _LETTERS) for w, wide in zip(self.drawing.words, widest, strict=True)]
            for _ in range(3):
                self._scale = min(across / max(x1 - x0, 1e-6), along / max(y1 - y0, 1e-6))
                x0 = min([x0, *(x - wide / self._scale for x, wide in half)])
                x1 = max([x1, *(x + wide / self._scale for x, wide in half)])
            self._scale = min(across / max(x1 - x0, 1e-6), along / max(y1 - y0, 1e-6))
            self._middle = np.array([(x0 + x1) / 2, (y0 + y1) / 2])
        self.update()

    def set_tool(self, tool: DimensionKind | None) -> None:
        """Choose what clicks make; None shifts the sheet."""
        self.tool, self.spans = tool, ()
        if tool in ("radius", "diameter"):
            self.fits = "circle"
        elif tool == "angle" or self.fits == "circle":
            self.fits = "line"
        self.setCursor(Qt.CursorShape.CrossCursor if tool else Qt.CursorShape.ArrowCursor)
        self.update()
        self.tool_changed.emit()

    @property
    def place(self) -> SheetPlace:
        """Where the section lies on the sheet."""
        middle = room_of(self).center()
        x, y = middle.x() - _SCALE / 2, middle.y() - (_FOOT - _EDGE) / 2
        return SheetPlace(x - self._scale * self._middle[0], y + self._scale * self._middle[1], self._scale)

    def to_flat(self, at: QPointF) -> np.ndarray:
        """Return the coordinates (2,) of the section at a place of the sheet."""
        return self.place.back(at.x(), at.y())

    def _near_curve(self, at: QPointF) -> np.ndarray | None:
        if self.curves is None or not len(self.curves.nominal.flat):
            return None
        place = self.to_flat(at)
        away = np.linalg.norm(self.curves.nominal.flat - place, axis=1)
        nearest = int(np.argmin(away))
        return np.asarray(self.curves.nominal.flat[nearest]) if away[nearest] * self._scale < _NEAR else None

    def chosen(self) -> SectionDimension | None:
        """The dimension of this section that is chosen."""
        s, section = self._model.session, self.section
        own = next((c for c in s.plan.characteristics if c.id == s.selection.characteristic), None)
        if own is None or section is None:
            return None
        return next((d for d in section.dimensions if d.id in own.features), None)

    def change(self, d: SectionDimension, merge_key: str = "", **changes: object) -> None:
        """Change a dimension of this section."""
        section = self.section
        if section is None:
            return
        try:
            made = SectionDimension(**{**dict(d), **changes})
        except ValueError as error:
            self._model.session.notify(error)
            return
        self._model.sections.edit_dimension(section.id, made, merge_key)

    def take(self, at: np.ndarray, reach: float) -> None:
        """Take a span of the curve; a dimension is made once there are enough."""
        section = self.section
        if self.tool is None or section is None:
            return
        self.spans += (Span(at=(float(at[0]), float(at[1])), reach=reach, fits=self.fits),)  # type: ignore[arg-type]
        if len(self.spans) == (1 if self.tool in ("radius", "diameter") else 2):
            spans, self.spans = self.spans, ()
            self._model.sections.add_dimension(section.id, self.tool, spans)
        self.update()

    # Painting --------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the sheet."""
        painter, t = painter_on(self), self._theme
        painter.fillRect(room_of(self), QColor(t.view))
        if self.drawing is None:
            painter.setPen(QColor(t.soft))
            painter.drawText(room_of(self), Qt.AlignmentFlag.AlignCenter, "working …")
            return
        place = self.place
        colors = SectionColors(
            (t.ink, 1.6), (t.soft, 1.0), (t.accent, 1.2), (t.accent, 2.0), 1.3, t.ink, t.raised, t.rule
        )
        with PainterSurface(painter) as surface:
            draw_curves(surface, self.drawing, place, colors)
            for span in self.spans:
                self._draw_span(surface, np.array(span.at), span.reach, 5.0)
            if self.tool is not None:
                near = self._pressed_at if self._pressed_at is not None else self._near_curve(self._pointer)
                if near is not None:
                    self._draw_span(surface, near, self._reach_now(), 3.5)
            draw_values(surface, self.drawing, place, colors, _LETTERS, self._marks)
            for _, x, y in self._handles():
                surface.circle(x, y, 5.0, fill=t.raised, color=t.accent, width=2.0)
            self._draw_foot(surface)
            self._draw_scale(surface)

    def _marks(self, words: Words) -> tuple[str, str]:
        """Return the colour of the state of a dimension, and that of its frame when it is chosen."""
        s, t = self._model.session, self._theme
        c = self._characteristic(words)
        result = s.evaluation.result(c.id) if c is not None and s.evaluation is not None else None
        chosen = c is not None and c.id == s.selection.characteristic
        return "" if result is None else state_color(t, str(result.state)), t.accent if chosen else ""

    def _characteristic(self, words: Words) -> Characteristic | None:
        return next((c for c in self._model.session.plan.characteristics if words.key in c.features), None)

    def _reach_now(self) -> float:
        if self._pressed_at is None:
            return self.reach
        dragged = float(np.linalg.norm(self.to_flat(self._pointer) - self._pressed_at))
        return dragged if dragged * self._scale > 8 else self.reach

    def _draw_span(self, surface: PainterSurface, at: np.ndarray, reach: float, width: float) -> None:
        assert self.curves is not None
        for run in span_runs(self.curves.nominal, (float(at[0]), float(at[1])), reach):
            surface.line(polyline(self.place, run), self._theme.accent, width)

    def _draw_foot(self, surface: PainterSurface) -> None:
        assert self.drawing is not None
        t, numbers, y = self._theme, NumberFormat(self._model.session.plan.unit, 1), room_of(self).height() - 20.0
        length = neat_length(_RULER / self._scale)
        surface.line([(16, y), (16 + length * self._scale, y)], t.ink, 1.4)
        surface.text(16, y - 5, f"{numbers.value(length)} {numbers.unit}", _SMALL, t.ink)
        surface.text(150, y, foot_words(self.drawing), _SMALL, t.outside if self.drawing.reason else t.soft)
        surface.text(150, y - 17, self.hint(), _SMALL, t.soft)
        draw_axes(surface, self.drawing.axes, 22, y - 20, _SMALL, t.soft)

    def hint(self) -> str:
        """Say what the next click does."""
        if self.tool in ("radius", "diameter"):
            return "click the round piece of the curve; press and drag for a longer span; Escape ends"
        if self.tool is not None:
            which = "first" if not self.spans else "second"
            return f"click the {which} piece of the curve; press and drag for a longer span; Escape ends"
        if self.chosen() is not None:
            return "drag its value or its ends; Delete removes it"
        return "choose a dimension above, then click the curve"

    def _handles(self) -> list[tuple[int, float, float]]:
        """Return the spans of the chosen dimension with their places on the sheet."""
        d = self.chosen() if self.tool is None else None
        if d is None or self.curves is None:
            return []
        return [(k, *self.place.on(np.array([span.at]))[0].tolist()) for k, span in enumerate(d.spans)]

    def _draw_scale(self, surface: PainterSurface) -> None:
        """Draw what the colours of the needles mean."""
        s, t = self._model.session, self._theme
        room = room_of(self)
        height = max(90.0, min(260.0, room.height() - 140.0))
        look = ScaleLook(13, _SMALL, t.ink, t.soft)
        numbers = NumberFormat(s.plan.unit, s.plan.decimals)
        draw_scale(surface, s.showing.scale, (room.width() - 84.0, 40.0, height), numbers, look)

    # Mouse and keys --------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take a span, choose a dimension, or begin to shift the sheet."""
        self._press = point_at_100(event.position())
        self._held = None
        if self.drawing is not None and event.button() == Qt.MouseButton.LeftButton:
            self._hold(self._press)
            if self._held is None and self.tool is not None:
                self._pressed_at = self._near_curve(self._press)

    def _hold(self, at: QPointF) -> None:
        """Take hold of an end of the chosen dimension, or of a value, which chooses its dimension."""
        assert self.drawing is not None
        d = self.chosen()
        for k, x, y in self._handles():
            if d is not None and abs(at.x() - x) < _HANDLE and abs(at.y() - y) < _HANDLE:
                self._held = (d, k)
                return
        painter = painter_on(self)
        surface = PainterSurface(painter)
        for words in self.drawing.words:
            x, y, width, height = value_box(surface, words, self.place, _LETTERS)
            if x <= at.x() <= x + width and y <= at.y() <= y + height:
                found = self._characteristic(words)
                self._model.session.selection.select_characteristic("" if found is None else found.id)
                held = self.chosen()
                self._held = None if held is None else (held, -1)
        painter.end()

    def _drag(self) -> None:
        """Shift the value or the end that is held; ends stay on the curve."""
        assert self._held is not None
        d, k = self._held
        own = next((x for x in self.section.dimensions if x.id == d.id), None) if self.section is not None else None
        if own is None:
            return
        if k < 0:
            at = self.to_flat(self._pointer)
            self.change(own, f"value {d.id}", value_at=(float(at[0]), float(at[1])))
            return
        near = self._near_curve(self._pointer)
        if near is not None:
            moved = own.spans[k].replace(at=(float(near[0]), float(near[1])))
            spans = tuple(moved if i == k else span for i, span in enumerate(own.spans))
            self.change(own, f"span {d.id} {k}", spans=spans)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Shift the sheet, or show the span that would be taken."""
        before, self._pointer = self._pointer, point_at_100(event.position())
        if self._held is not None:
            self._drag()
        elif self._press is not None and self._pressed_at is None:
            off = self._pointer - before
            self._middle = self._middle - np.array([off.x(), -off.y()]) / self._scale
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Take the span."""
        if self._pressed_at is not None:
            at, reach = self._pressed_at, self._reach_now()
            self._pressed_at = None
            self.take(at, reach)
        if self._held is not None:
            self._held = None
            self._model.session.document.history.end_merge()
        self._press = None

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom at the pointer."""
        place = self.to_flat(point_at_100(event.position()))
        factor = 1.0015 ** event.angleDelta().y()
        self._scale = min(max(self._scale * factor, 1e-3), 1e6)
        self._middle = place - (place - self._middle) / factor
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Escape ends the tool, where nothing is selected; Delete removes the chosen dimension."""
        if event.key() == Qt.Key.Key_Escape and self.tool is not None and not self._model.session.selection.groups:
            self.set_tool(None)
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and self.chosen() is not None:
            self._model.session.selection.remove_characteristic()
        else:
            super().keyPressEvent(event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Keep the section in the sheet."""
        if event.oldSize().width() < 300:
            self.fit()
