"""The stage rail: the order of the work, and what each stage still needs."""

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QAbstractButton, QVBoxLayout, QWidget

from truegauge.app.document.session import Session
from truegauge.app.shell.stage import STAGES
from truegauge.app.widgets.painting import draw_glyph
from truegauge.app.widgets.text_size import keep_size, painter_on, room_of, sized_size
from truegauge.app.widgets.theme import Theme, font


class RailButton(QAbstractButton):
    """One stage (or the menu): a glyph over a word; a dot while something is missing."""

    def __init__(self, glyph: str, text: str, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._glyph, self.theme = glyph, theme
        self.missing = ""
        self.setText(text)
        self.setAccessibleName(text)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def sizeHint(self) -> QSize:
        """Return the size of a stage on the rail."""
        return sized_size(64, 62)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw it."""
        painter, t = painter_on(self), self.theme
        room = room_of(self)
        active = self.isChecked()
        if active:
            painter.fillRect(room, QColor("#2C3A45"))
            painter.fillRect(QRectF(0, 0, 3, room.height()), QColor("#D3A54B"))
        elif self.underMouse() or self.hasFocus():
            painter.fillRect(room, QColor("#26323C"))
        if self.hasFocus():
            painter.setPen(QColor("#D3A54B"))
            painter.drawRect(room.adjusted(4, 2, -3, -3))
        color = t.rail_active if active else t.rail_text
        draw_glyph(painter, self._glyph, QRectF(room.width() / 2 - 11, 10, 22, 22), color, 1.5)
        painter.setPen(QColor(color))
        painter.setFont(font(12))
        painter.drawText(QRectF(0, 36, room.width(), 18), Qt.AlignmentFlag.AlignCenter, self.text())
        if self.missing:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor("#D3A54B"))
            painter.drawEllipse(QRectF(room.width() - 19, 9, 6, 6))


class Rail(QWidget):
    """The column of stages, with the menu on top."""

    menu_wanted = Signal()

    def __init__(self, session: Session, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.setObjectName("rail")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        keep_size(self, width=68)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(2, 6, 2, 6)
        layout.setSpacing(2)
        self.menu_button = RailButton("mark", "Menu", theme)
        self.menu_button.setToolTip("All commands (Alt+M)")
        self.menu_button.clicked.connect(self.menu_wanted)
        layout.addWidget(self.menu_button)
        layout.addSpacing(12)
        self.buttons: dict[str, RailButton] = {}
        for stage in STAGES.values():
            button = RailButton(stage.glyph, stage.title, theme)
            button.setCheckable(True)
            button.clicked.connect(lambda _=False, s=stage.key: self._on_clicked(s))
            layout.addWidget(button)
            self.buttons[stage.key] = button
        layout.addStretch()
        d = session.document
        for signal in (session.stage_changed, d.part_changed, d.sample_changed, d.evaluated, d.plan_changed):
            signal.connect(self._refresh)
        self._refresh()

    def _on_clicked(self, stage: str) -> None:
        self._session.set_stage(stage)
        self._refresh()

    def _refresh(self) -> None:
        for stage, button in self.buttons.items():
            button.setChecked(stage == self._session.stage)
            button.setVisible(STAGES[stage].applies(self._session.document))
            button.missing = STAGES[stage].missing(self._session.document)
            title = STAGES[stage].title
            button.setToolTip(f"{title}: {button.missing}" if button.missing else title)
            button.update()
