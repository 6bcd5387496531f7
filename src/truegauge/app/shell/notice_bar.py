"""Messages over the view: what happened, and at most one thing to do about it."""

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QWidget

from truegauge.app.document.queue import Notice
from truegauge.app.widgets.text_size import panel_sized

_PASSES_MS = 9000


class NoticeBar(QFrame):
    """Stays until it is closed or replaced: an inspector must not miss it."""

    closed = Signal()
    placed = Signal()  # it is there, or not any more

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setProperty("role", "notice")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(14, 8, 8, 8)
        self.text = QLabel()
        self.text.setWordWrap(True)
        self.text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.action = QPushButton()
        self.second = QPushButton()
        self.closing = QPushButton("Close")
        self.closing.clicked.connect(self._on_closed)
        self.action.clicked.connect(self._on_action)
        self.second.clicked.connect(self._on_second)
        layout.addWidget(self.text, 1)
        layout.addWidget(self.action)
        layout.addWidget(self.second)
        layout.addWidget(self.closing)
        self._notice: Notice | None = None
        self._going = QTimer(self)
        self._going.setSingleShot(True)
        self._going.setInterval(_PASSES_MS)
        self._going.timeout.connect(self.hide)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.hide()

    def show_notice(self, notice: Notice) -> None:
        """Show a message."""
        self._notice = notice
        self.text.setText(notice.text)
        self.action.setText(notice.action)
        self.action.setVisible(bool(notice.action))
        self.second.setText(notice.second)
        self.second.setVisible(bool(notice.second))
        self.setProperty("asks", bool(notice.second) or notice.calm)
        self.style().polish(self)
        self.place()
        self.show()
        self.raise_()
        self.placed.emit()
        self._going.stop()
        if notice.passing:
            self._going.start()

    def dismiss(self) -> bool:
        """Close a message that asks nothing; tells whether there was one."""
        there = self.isVisible() and self._notice is not None and (self._notice.passing or not self._notice.action)
        if there:
            self._on_closed()
        return there

    def withdraw(self, notice: Notice) -> None:
        """Take a message away whose matter is over; another one stays."""
        if self._notice is notice:
            self._notice = None
            self.hide()

    def leave_stage(self) -> None:
        """Go with the stage that the message is about."""
        if self._notice is not None and (self._notice.passing or not self._notice.action):
            self.hide()

    @property
    def has_been(self) -> bool:
        """Whether there was a message."""
        return self._notice is not None

    def show_again(self) -> None:
        """Show the last message once more."""
        if self._notice is not None:
            self.show_notice(self._notice)

    def place(self) -> None:
        """Take the width of the view."""
        parent = self.parentWidget()
        if parent is not None:
            width = min(parent.width() - 28, panel_sized(620))
            self.setFixedWidth(width)
            layout = self.layout()
            self.setFixedHeight(max(52, layout.heightForWidth(width) if layout else 52))
            self.move((parent.width() - width) // 2, 12)

    def hideEvent(self, event: object) -> None:
        """Give its room back."""
        self.placed.emit()

    @property
    def bottom(self) -> int:
        """How far down it reaches, pixels; 0 while there is none."""
        return self.geometry().bottom() + 1 if self.isVisible() else 0

    def _on_closed(self) -> None:
        self.hide()
        self.closed.emit()

    def _on_second(self) -> None:
        self.hide()
        if self._notice is not None and self._notice.second_callback is not None:
            self._notice.second_callback()

    def _on_action(self) -> None:
        self.hide()
        if self._notice is not None and self._notice.callback is not None:
            self._notice.callback()
