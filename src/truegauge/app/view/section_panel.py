"""The section box: a bar with two handles for each axis; what lies outside the box is cut away."""

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLabel, QPushButton, QWidget

from truegauge.app.document.session import Session
from truegauge.app.widgets.text_size import keep_size
from truegauge.app.widgets.theme import Theme
from truegauge.drawing.units import NumberFormat

_MARGIN = 9.0


class RangeBar(QWidget):
    """A bar from 0 to 1 with two handles, by mouse or keys (arrows; Shift for the upper handle)."""

    changed = Signal()

    def __init__(self, theme: Theme, name: str) -> None:
        super().__init__()
        self._theme = theme
        self.low, self.high = 0.0, 1.0
        self._held = -1
        keep_size(self, height=24)
        keep_size(self, least_width=150)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"Section along {name}")
        self.setToolTip("Drag the handles; arrow keys move the lower one, with Shift the upper one")

    def set_range(self, low: float, high: float) -> None:
        """Move the handles."""
        self.low, self.high = low, high
        self.update()

    def _place(self, share: float) -> float:
        return _MARGIN + share * (self.width() - 2 * _MARGIN)

    def _move(self, handle: int, share: float) -> None:
        share = min(1.0, max(0.0, share))
        if handle == 0:
            self.low = min(share, self.high - 0.01)
        else:
            self.high = max(share, self.low + 0.01)
        self.update()
        self.changed.emit()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw rail, kept range and handles."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        y = self.height() / 2
        a, b = self._place(self.low), self._place(self.high)
        painter.setPen(QPen(QColor(self._theme.rule), 2))
        painter.drawLine(QPointF(_MARGIN, y), QPointF(self.width() - _MARGIN, y))
        painter.setPen(QPen(QColor(self._theme.accent), 3))
        painter.drawLine(QPointF(a, y), QPointF(b, y))
        painter.setPen(QPen(QColor(self._theme.ink), 1.8 if self.hasFocus() else 1))
        painter.setBrush(QColor(self._theme.raised))
        for x in (a, b):
            painter.drawRoundedRect(QRectF(x - 4, y - 8, 8, 16), 2, 2)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take the nearer handle."""
        x = event.position().x()
        self._held = 0 if abs(x - self._place(self.low)) <= abs(x - self._place(self.high)) else 1
        self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag the handle."""
        if self._held >= 0:
            self._move(self._held, (event.position().x() - _MARGIN) / (self.width() - 2 * _MARGIN))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let go."""
        self._held = -1

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Move a handle by a fiftieth."""
        step = {Qt.Key.Key_Left: -0.02, Qt.Key.Key_Right: 0.02}.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
            return
        upper = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        self._move(int(upper), (self.high if upper else self.low) + step)


class SectionPanel(QFrame):
    """A floating card over the view, shown while the section is on."""

    def __init__(self, session: Session, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.setProperty("role", "card")
        grid = QGridLayout(self)
        grid.setContentsMargins(12, 8, 12, 8)
        grid.setVerticalSpacing(2)
        top = QHBoxLayout()
        title = QLabel("Section box")
        title.setProperty("role", "heading")
        whole = QPushButton("Whole part")
        whole.clicked.connect(self._whole)
        done = QPushButton("Off")
        done.clicked.connect(self.toggle)
        top.setSpacing(8)
        top.addWidget(title)
        top.addStretch()
        top.addWidget(whole)
        top.addWidget(done)
        grid.addLayout(top, 0, 0, 1, 4)
        self.bars: list[RangeBar] = []
        self.texts: list[QLabel] = []
        for k, axis in enumerate("XYZ"):
            bar, text = RangeBar(theme, axis), QLabel()
            text.setProperty("role", "soft")
            keep_size(text, least_width=118)
            text.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            bar.changed.connect(self._on_changed)
            grid.addWidget(QLabel(axis), k + 1, 0)
            grid.addWidget(bar, k + 1, 1)
            grid.addWidget(text, k + 1, 2)
            self.bars.append(bar)
            self.texts.append(text)
        session.showing.changed.connect(self._refresh)
        session.document.part_changed.connect(self._refresh)
        self.hide()

    def toggle(self) -> None:
        """Turn the section on (cut in the middle, so that one sees at once what it does) or off."""
        s = self._session
        if s.shown.look.section is not None:
            s.showing.set_look(section=None)
        elif s.model is not None:
            box = self._whole_box()
            box[0, 1] = s.model.box[:, 1].mean()
            s.showing.set_look(section=box)

    def _whole(self) -> None:
        if self._session.model is not None:
            self._session.showing.set_look(section=self._whole_box())

    def _whole_box(self) -> np.ndarray:
        """The box of the part with a little room, so that its faces are not cut by rounding."""
        assert self._session.model is not None
        box = self._session.model.box.copy()
        room = 0.005 * self._session.model.diagonal
        return np.asarray(box + np.array([[-room], [room]]))

    def _on_changed(self) -> None:
        box = self._whole_box()
        low = np.array([b.low for b in self.bars])
        high = np.array([b.high for b in self.bars])
        self._session.showing.set_look(
            section=np.vstack([box[0] + low * (box[1] - box[0]), box[0] + high * (box[1] - box[0])])
        )

    def _refresh(self) -> None:
        section, model = self._session.shown.look.section, self._session.model
        self.setVisible(section is not None and model is not None)
        if section is None or model is None:
            return
        whole = self._whole_box()
        n = NumberFormat(self._session.plan.unit, 2)
        for k, (bar, text) in enumerate(zip(self.bars, self.texts, strict=True)):
            span = whole[1, k] - whole[0, k]
            bar.set_range(*((section[:, k] - whole[0, k]) / span))
            text.setText(f"{n.value(float(section[0, k]))} … {n.value(float(section[1, k]))} {n.unit}")
        self.adjustSize()
        self.raise_()
