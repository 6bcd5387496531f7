"""A part of a bench that can be folded away."""

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget


class _Header(QPushButton):
    """A line of text with the mark of open or closed before it."""

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw the text, then the mark."""
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(self.palette().text().color(), 1.5))
        x, y = 7.0, self.height() / 2
        corners = [(-3, -2), (0, 2), (3, -2)] if self.isChecked() else [(-2, -4), (2, 0), (-2, 4)]
        painter.drawPolyline([QPointF(x + a, y + b) for a, b in corners])


class Fold(QWidget):
    """A heading that shows or hides what is in `column`."""

    def __init__(self, title: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(5)
        self.header = _Header(title)
        self.header.setCheckable(True)
        self.header.setStyleSheet("QPushButton { border: none; background: transparent; text-align: left;"
                                  " font-weight: bold; padding: 3px 0 3px 18px; }")  # fmt: skip
        self.header.setCursor(Qt.CursorShape.PointingHandCursor)
        self.inside = QWidget()
        self.column = QVBoxLayout(self.inside)
        self.column.setContentsMargins(0, 0, 0, 4)
        self.column.setSpacing(6)
        self.inside.hide()
        self.header.toggled.connect(self.inside.setVisible)
        outer.addWidget(self.header)
        outer.addWidget(self.inside)
