"""The panel "Why this number": everything behind the result of the selected characteristic."""

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QGridLayout, QLabel, QVBoxLayout, QWidget

from truegauge.app.document.session import Session
from truegauge.app.widgets.bench import Bench, button, empty_layout, label
from truegauge.app.widgets.dial import FreedomDial
from truegauge.app.widgets.painting import draw_frame, draw_gauge_bar
from truegauge.app.widgets.text_size import keep_sheet, keep_size, painter_on, room_of, sized_size
from truegauge.app.widgets.theme import LiveTheme, Theme, font, state_color
from truegauge.core.evaluation.results import Result
from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.frame_cells import has_frame
from truegauge.drawing.units import NumberFormat
from truegauge.reporting.why import Section, freedoms_of, why


class _Head(QWidget):
    """The number, large; its frame and gauge bar."""

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__()
        self._session, self.theme = session, theme
        self.result: Result | None = None

    def sizeHint(self) -> QSize:
        """Return the room for number, frame and bar."""
        return sized_size(240, 118 if self.result is not None and has_frame(self.result.characteristic) else 88)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw them."""
        r, t = self.result, self.theme
        if r is None:
            return
        painter, wide = painter_on(self), room_of(self).width()
        painter.setRenderHint(QPainter.RenderHint.TextAntialiasing)
        c, plan = r.characteristic, self._session.plan
        numbers = NumberFormat(plan.unit, plan.decimals).of(c.kind)
        painter.setFont(font(30, bold=True))
        painter.setPen(QColor(state_color(t, "outside") if r.state == State.OUTSIDE else t.ink))
        value = "–" if r.measured is None else numbers.value(r.measured)
        painter.drawText(QRectF(0, 0, wide, 42), Qt.AlignmentFlag.AlignVCenter, value)
        width = painter.fontMetrics().horizontalAdvance(value)
        painter.setFont(font(13))
        painter.setPen(QColor(state_color(t, str(r.state))))
        painter.drawText(QRectF(width + 12, 8, wide, 34), Qt.AlignmentFlag.AlignVCenter,
                         str(r.state).replace("_", " "))  # fmt: skip
        top = 50.0
        if has_frame(c):
            draw_frame(painter, c, numbers, QPointF(0.5, 48.5), 22, t.ink)
            top = 82.0
        draw_gauge_bar(painter, QRectF(0, top, wide - 6, 24), r, t)


class WhyPanel(Bench):
    """Sections of label and value; the freedom dial of the datum system."""

    title = "Why this number"

    def __init__(self, session: Session, theme: LiveTheme, parent: QWidget | None = None) -> None:
        self._theme = theme
        self.sections: tuple[Section, ...] = ()
        super().__init__(session, parent)
        theme.changed.connect(self.refresh)

    def _build(self) -> None:
        self.name = label("", "name", wrap=True)
        self.head = _Head(self.session, self._theme)
        self.reason = label("", "bad", wrap=True)
        self.dial = FreedomDial(self._theme)
        self.body = QWidget()
        self._body = QVBoxLayout(self.body)
        self._body.setContentsMargins(0, 0, 0, 0)
        self._body.setSpacing(3)
        for widget in (self.name, self.head, self.reason, self.body):
            self.column.addWidget(widget)
        self.column.addWidget(self.dial, 0, Qt.AlignmentFlag.AlignHCenter)
        self.column.addStretch()
        self.column.addWidget(button("Back to the bench   Y", lambda: self.session.show(why=False)))

    def refresh(self) -> None:
        """Show the selected characteristic."""
        s = self.session
        result = (
            s.evaluation.result(s.selection.characteristic) if s.evaluation and s.selection.characteristic else None
        )
        self.head.result = result
        self.head.setVisible(result is not None)
        self.dial.hide()
        if result is None or s.evaluator is None:
            self.name.setText("Select a characteristic on the right: this panel says how its number comes about.")
            self.reason.hide()
            self._show(())
            return
        c = result.characteristic
        self.name.setText(f"{c.number}  {c.name}")
        self.reason.setText(result.reason)
        self.reason.setVisible(bool(result.reason))
        numbers = self.numbers.of(c.kind)
        context = s.evaluator.context(s.plan, s.sample)
        self._show(why(context, result, numbers))
        freedoms = freedoms_of(context, c)
        if freedoms is not None:
            self.dial.show_freedoms(freedoms)
            self.dial.show()
        self.head.updateGeometry()
        self.head.update()

    def _show(self, sections: tuple[Section, ...]) -> None:
        if sections == self.sections and self._body.count():
            return
        self.sections = sections
        empty_layout(self._body)
        for section in sections:
            self._body.addWidget(label(section.title, "heading"))
            grid_of = QWidget()
            grid = QGridLayout(grid_of)
            grid.setContentsMargins(0, 0, 0, 6)
            grid.setHorizontalSpacing(10)
            grid.setVerticalSpacing(2)
            grid.setColumnStretch(1, 1)
            for k, (name, value) in enumerate(section.rows):
                grid.addWidget(_cell(name, "soft"), k, 0, Qt.AlignmentFlag.AlignTop)
                grid.addWidget(_cell(value, ""), k, 1)
            self._body.addWidget(grid_of)


def _cell(text: str, role: str) -> QLabel:
    made = label(text, role)
    made.setWordWrap(True)
    keep_sheet(made, "font-size: 12px;")
    if role:
        keep_size(made, width=102)
    made.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
    return made
