"""The flat view of a section: curves, needles, and dimensions that are made as on a drawing."""

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from truegauge.app.stages.evaluate.model import EvaluateModel
from truegauge.app.widgets.bench import button, label
from truegauge.app.widgets.parts import LengthField, choice
from truegauge.app.widgets.theme import Theme, font, state_color
from truegauge.core.errors import TrueGaugeError
from truegauge.core.nodes.sections import SectionCurves, section_curves
from truegauge.core.plan.readings import DimensionKind, Section, Span
from truegauge.core.sections.dimension import span_rows
from truegauge.drawing.section_drawing import SectionDrawing
from truegauge.drawing.units import NumberFormat
from truegauge.palette import hexadecimal, scale_bands
from truegauge.rendering.report_views import section_drawing

TOOLS: tuple[tuple[DimensionKind, str], ...] = (
    ("aligned", "Distance"), ("horizontal", "Horizontal"), ("vertical", "Vertical"), ("diameter", "Diameter"),
    ("radius", "Radius"), ("angle", "Angle"),
)  # fmt: skip
_FITS = (("line", "to lines"), ("point", "to places"), ("circle", "to centres"))
_NEAR = 26.0  # pixels
_ROLE = {"nominal": ("ink", 1.6), "measured": ("soft", 1.0), "dimension": ("accent", 1.2), "fit": ("accent", 2.0)}


class SectionView(QWidget):
    """The sheet: drag to shift, wheel to zoom; with a tool, press on a curve to take a span of it."""

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
            self._middle = np.array([(x0 + x1) / 2, (y0 + y1) / 2])
            room = (max(60, self.width() - 260) / max(x1 - x0, 1e-6), max(60, self.height() - 90) / max(y1 - y0, 1e-6))
            self._scale = min(room)
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

    def to_pixels(self, flat: np.ndarray) -> np.ndarray:
        """Return pixels (n, 2) of coordinates (n, 2) of the section."""
        off = (flat - self._middle) * self._scale
        return np.column_stack([self.width() / 2 - 45 + off[:, 0], self.height() / 2 - off[:, 1]])

    def to_flat(self, at: QPointF) -> np.ndarray:
        """Return the coordinates (2,) of the section at a place of the sheet."""
        off = np.array([at.x() - self.width() / 2 + 45, self.height() / 2 - at.y()]) / self._scale
        return np.asarray(self._middle + off)

    def _near_curve(self, at: QPointF) -> np.ndarray | None:
        if self.curves is None or not len(self.curves.nominal.flat):
            return None
        place = self.to_flat(at)
        away = np.linalg.norm(self.curves.nominal.flat - place, axis=1)
        nearest = int(np.argmin(away))
        return np.asarray(self.curves.nominal.flat[nearest]) if away[nearest] * self._scale < _NEAR else None

    def take(self, at: np.ndarray, reach: float) -> None:
        """Take a span of the curve; a dimension is made once there are enough."""
        section = self.section
        if self.tool is None or section is None:
            return
        self.spans += (Span(at=(float(at[0]), float(at[1])), reach=reach, fits=self.fits),)  # type: ignore[arg-type]
        if len(self.spans) == (1 if self.tool in ("radius", "diameter") else 2):
            spans, self.spans = self.spans, ()
            self._model.add_dimension(section.id, self.tool, spans)
        self.update()

    # Painting --------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the sheet."""
        painter, t = QPainter(self), self._theme
        painter.fillRect(self.rect(), QColor(t.view))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.drawing is None:
            painter.setPen(QColor(t.soft))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "working …")
            return
        self._paint_needles(painter)
        for stroke in self.drawing.strokes:
            color, width = _ROLE[stroke.role]
            painter.setPen(QPen(QColor(getattr(t, color)), width))
            painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in self.to_pixels(stroke.points)]))
        for span in self.spans:
            self._paint_span(painter, np.array(span.at), span.reach, 5.0)
        if self.tool is not None:
            near = self._pressed_at if self._pressed_at is not None else self._near_curve(self._pointer)
            if near is not None:
                self._paint_span(painter, near, self._reach_now(), 3.5)
        self._paint_words(painter)
        self._paint_foot(painter)
        self._paint_scale(painter)

    def _paint_needles(self, painter: QPainter) -> None:
        assert self.drawing is not None
        if not len(self.drawing.needles):
            return
        starts, ends = self.to_pixels(self.drawing.needles[:, 0]), self.to_pixels(self.drawing.needles[:, 1])
        colors = self.drawing.needle_colors
        for color in np.unique(colors, axis=0):
            rows = (colors == color).all(axis=1)
            painter.setPen(QPen(QColor(*(int(c) for c in color)), 1.3))
            painter.drawLines([QLineF(*a, *b) for a, b in zip(starts[rows], ends[rows], strict=True)])

    def _reach_now(self) -> float:
        if self._pressed_at is None:
            return self.reach
        dragged = float(np.linalg.norm(self.to_flat(self._pointer) - self._pressed_at))
        return dragged if dragged * self._scale > 8 else self.reach

    def _paint_span(self, painter: QPainter, at: np.ndarray, reach: float, width: float) -> None:
        assert self.curves is not None
        rows = span_rows(self.curves.nominal, None, (float(at[0]), float(at[1])), reach).curve
        painter.setPen(QPen(QColor(self._theme.accent), width, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
        gaps = np.flatnonzero(np.diff(rows) > 1) + 1
        for run in np.split(rows, gaps):
            painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in self.to_pixels(self.curves.nominal.flat[run])]))

    def _paint_words(self, painter: QPainter) -> None:
        assert self.drawing is not None
        s, t = self._model.session, self._theme
        painter.setFont(font(13, bold=True))
        for words in self.drawing.words:
            x, y = self.to_pixels(np.array([words.at]))[0]
            c = next((c for c in s.plan.characteristics if words.key in c.features), None)
            result = s.evaluation.result(c.id) if c is not None and s.evaluation is not None else None
            width = painter.fontMetrics().horizontalAdvance(words.text) + 16
            box = QRectF(x - width / 2, y - 12, width, 24)
            chosen = c is not None and c.id == s.selection.characteristic
            painter.setPen(QPen(QColor(t.accent if chosen else t.rule), 1.6 if chosen else 1))
            painter.setBrush(QColor(t.raised))
            painter.drawRoundedRect(box, 4, 4)
            painter.setPen(QColor(t.ink))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words.text)
            if result is not None:
                edge = QRectF(box.left() + 1, box.top() + 3, 3.5, 18)
                painter.fillRect(edge, QColor(state_color(t, str(result.state))))

    def _paint_foot(self, painter: QPainter) -> None:
        assert self.drawing is not None
        t, d = self._theme, self.drawing
        numbers = NumberFormat(self._model.session.plan.unit, 1)
        pixels = 100.0
        length = pixels / self._scale
        power = 10.0 ** np.floor(np.log10(length))
        length = max(k * power for k in (1, 2, 5) if k * power <= length)
        y = self.height() - 20
        painter.setPen(QPen(QColor(t.ink), 1.4))
        painter.drawLine(QPointF(16, y), QPointF(16 + length * self._scale, y))
        painter.setFont(font(11))
        painter.drawText(QPointF(16, y - 5), f"{numbers.value(length)} {numbers.unit}")
        said = d.reason or f"needles {d.magnification:,.0f} times · measured (nominal)"
        painter.setPen(QColor(t.outside if d.reason else t.soft))
        painter.drawText(QRectF(150, y - 14, self.width() - 160, 18), Qt.AlignmentFlag.AlignLeft, said)

    def _paint_scale(self, painter: QPainter) -> None:
        """Paint what the colours of the needles mean."""
        s, t = self._model.session, self._theme
        b, numbers = scale_bands(s.showing.scale), NumberFormat(s.plan.unit, s.plan.decimals)
        low, high = b.edges[0], b.edges[-1]
        x, top, height = self.width() - 84.0, 40.0, max(90.0, min(260.0, self.height() - 140.0))

        def y_of(value: float) -> float:
            return top + height * (high - value) / (high - low)

        for a, c, color in zip(b.edges, b.edges[1:], b.colors, strict=False):
            painter.fillRect(QRectF(x, y_of(c), 12, y_of(a) - y_of(c) + 0.5), QColor(hexadecimal(color)))
        painter.setFont(font(11))
        painter.setPen(QColor(t.ink))
        for value in (
            -s.showing.scale.limit,
            -s.showing.scale.tolerance,
            0.0,
            s.showing.scale.tolerance,
            s.showing.scale.limit,
        ):
            if low <= value <= high:
                painter.drawLine(QPointF(x + 12, y_of(value)), QPointF(x + 16, y_of(value)))
                painter.drawText(QPointF(x + 19, y_of(value) + 4), numbers.signed(value) if value else "0")

    # Mouse and keys --------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take a span, choose a dimension, or begin to shift the sheet."""
        self._press = event.position()
        if self.tool is not None and event.button() == Qt.MouseButton.LeftButton:
            self._pressed_at = self._near_curve(event.position())
        elif self.drawing is not None:
            for words in self.drawing.words:
                x, y = self.to_pixels(np.array([words.at]))[0]
                if abs(event.position().x() - x) < 60 and abs(event.position().y() - y) < 13:
                    s = self._model.session
                    found = next((c.id for c in s.plan.characteristics if words.key in c.features), "")
                    s.selection.select_characteristic(found)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Shift the sheet, or show the span that would be taken."""
        before, self._pointer = self._pointer, event.position()
        if self._press is not None and self._pressed_at is None:
            off = event.position() - before
            self._middle = self._middle - np.array([off.x(), -off.y()]) / self._scale
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Take the span."""
        if self._pressed_at is not None:
            at, reach = self._pressed_at, self._reach_now()
            self._pressed_at = None
            self.take(at, reach)
        self._press = None

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom at the pointer."""
        place = self.to_flat(event.position())
        factor = 1.0015 ** event.angleDelta().y()
        self._scale = min(max(self._scale * factor, 1e-3), 1e6)
        self._middle = place - (place - self._middle) / factor
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Escape ends the tool, then goes back to the part."""
        if event.key() == Qt.Key.Key_Escape:
            if self.tool is not None:
                self.set_tool(None)
            else:
                self._model.session.showing.look_at_section("")
        else:
            super().keyPressEvent(event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Keep the section in the sheet."""
        if event.oldSize().width() < 300:
            self.fit()


class SectionPage(QWidget):
    """The flat view with its tools over it."""

    def __init__(self, model: EvaluateModel, theme: Theme) -> None:
        super().__init__()
        self._model = model
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        bar = QWidget()
        bar.setObjectName("header")
        line = QHBoxLayout(bar)
        line.setContentsMargins(10, 5, 10, 5)
        line.setSpacing(5)
        self.title = label("", "heading")
        line.addStretch()
        self.tools: dict[str, QPushButton] = {}
        for key, words in TOOLS:
            made = QPushButton(words)
            made.setCheckable(True)
            made.setStyleSheet("padding: 4px 7px;")
            made.clicked.connect(lambda on, k=key: self._on_tool(k if on else None))
            line.addWidget(made)
            self.tools[key] = made
        self.fits = choice(_FITS, self._on_fits, "what is fitted in the spans")
        self.fits.setMinimumContentsLength(7)
        self.reach = LengthField(model.session, "the length of a span", self._on_reach, least=1e-3)
        self.reach.setToolTip("How far a span reaches to both sides; or press on the curve and drag")
        self.reach.setFixedWidth(58)
        line.addStretch()
        below = QWidget()
        second = QHBoxLayout(below)
        second.setContentsMargins(12, 3, 10, 3)
        second.setSpacing(6)
        self.hint = label("", "soft", wrap=True)
        second.addWidget(self.title)
        second.addWidget(self.hint, 1)
        self.fits.setFixedWidth(112)
        for widget in (self.fits, label("span ±", "soft"), self.reach, button("Fit", self._on_fit)):
            second.addWidget(widget)
        outer.addWidget(bar)
        outer.addWidget(below)
        self.sheet = SectionView(model, theme)
        outer.addWidget(self.sheet, 1)
        s = model.session
        for signal in (s.document.plan_changed, s.document.evaluated, s.showing.changed, s.selection.changed):
            signal.connect(self._on_changed)

    def _on_changed(self) -> None:
        if self.isVisible():
            self.refresh()

    def showEvent(self, event: object) -> None:
        """Catch up on what happened while hidden."""
        self.refresh()

    def _on_tool(self, tool: DimensionKind | None) -> None:
        self.sheet.set_tool(tool)
        self.sheet.setFocus()
        self.refresh()

    def _on_fits(self, key: str) -> None:
        self.sheet.fits = key
        self.sheet.update()

    def _on_reach(self, value: float) -> None:
        self.sheet.reach = value
        self.sheet.update()

    def _on_fit(self) -> None:
        self.sheet.fit()

    def refresh(self) -> None:
        """Show the section and the tools."""
        section, sheet = self.sheet.section, self.sheet
        self.title.setText(section.name if section else "")
        for key, made in self.tools.items():
            made.setChecked(sheet.tool == key)
        self.fits.blockSignals(True)
        self.fits.setCurrentIndex(self.fits.findData(sheet.fits))
        self.fits.blockSignals(False)
        self.fits.setEnabled(sheet.tool in ("aligned", "horizontal", "vertical"))
        self.reach.show_length(sheet.reach)
        if sheet.tool is None:
            self.hint.setText("Choose a dimension, then click the curve. Drag shifts the sheet, the wheel zooms.")
        elif sheet.tool in ("radius", "diameter"):
            self.hint.setText("Click the round piece of the curve; press and drag for a longer span. Escape ends.")
        else:
            which = "first" if not sheet.spans else "second"
            self.hint.setText(f"Click the {which} piece of the curve; press and drag for a longer span. Escape ends.")
        sheet.refresh()
