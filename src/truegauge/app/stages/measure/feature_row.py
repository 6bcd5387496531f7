"""A row of the list of features."""

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QAbstractButton, QWidget

from truegauge.app.widgets.painting import draw_marker
from truegauge.app.widgets.text_size import painter_on, room_of, sized_size
from truegauge.app.widgets.theme import Theme, font, state_color
from truegauge.core.tolerancing.judgement import State

_MARKERS = {State.OUTSIDE: "triangle_right", State.NEAR: "diamond", State.UNDECIDED: "ring", State.WITHIN: "disc"}


class FeatureRow(QAbstractButton):
    """A feature: the worst state of its characteristics, its name, what it is."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.state: State | None = None
        self.measured = False
        self.what = ""
        self.letter = ""  # of the datum that it is
        self.setCheckable(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def sizeHint(self) -> QSize:
        """Return the size of a row."""
        return sized_size(180, 27)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Go up and down the list; Enter chooses like the space bar."""
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()), 0)
        around = self.parentWidget()
        if step and around is not None:
            rows = [r for r in around.findChildren(FeatureRow) if r.isVisible()]
            at = rows.index(self) + step
            if 0 <= at < len(rows):
                rows[at].setFocus()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw it."""
        painter, t, room = painter_on(self), self.theme, room_of(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.isChecked() or self.hasFocus():
            painter.setPen(QColor(t.accent) if self.hasFocus() else Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.accent_soft) if self.isChecked() else Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(room.adjusted(0.5, 0.5, -0.5, -0.5), 5, 5)
        marker = _MARKERS.get(self.state, "disc" if self.measured else "ring") if self.state else (
            "disc" if self.measured else "ring")  # fmt: skip
        color = state_color(t, str(self.state)) if self.state else t.soft
        middle = room.height() / 2
        draw_marker(painter, marker, QRectF(0, 0, 22, room.height()).center(), 4.2, color)
        painter.setPen(QColor(t.ink))
        painter.setFont(font(13))
        painter.drawText(QRectF(24, 0, room.width() - 100, 2 * middle), Qt.AlignmentFlag.AlignVCenter, self.text())
        if self.letter:
            self._paint_letter(painter, 30.0 + painter.fontMetrics().horizontalAdvance(self.text()), middle)
        painter.setPen(QColor(t.soft))
        painter.setFont(font(11))
        painter.drawText(
            QRectF(0, 0, room.width() - 8, 2 * middle),
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, self.what,
        )  # fmt: skip

    def _paint_letter(self, painter: QPainter, x: float, middle: float) -> None:
        """Draw the datum letter in its frame behind the name."""
        painter.setFont(font(11, bold=True))
        wide = max(16.0, painter.fontMetrics().horizontalAdvance(self.letter) + 8.0)
        box = QRectF(x, middle - 8, wide, 16)
        painter.setPen(QColor(self.theme.ink))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, self.letter)
