"""The command finder: every command by its name."""

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from truegauge.app.shell.actions import Actions
from truegauge.app.widgets.action import Action
from truegauge.app.widgets.text_size import keep_size


class Finder(QDialog):
    """Type a part of the name, Enter runs the first."""

    def __init__(self, actions: Actions, parent: QWidget | None = None) -> None:
        super().__init__(parent, Qt.WindowType.Popup | Qt.WindowType.FramelessWindowHint)
        self._actions = actions
        keep_size(self, least_width=460, least_height=340)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 10, 10, 10)
        self.text = QLineEdit()
        self.text.setPlaceholderText("What do you want to do?")
        self.list = QListWidget()
        self.list.setStyleSheet("QListWidget::item { padding: 5px; }")
        layout.addWidget(self.text)
        layout.addWidget(self.list)
        self.text.textChanged.connect(self._refresh)
        self.text.returnPressed.connect(self._run_current)
        self.list.itemActivated.connect(lambda _: self._run_current())
        self.list.itemClicked.connect(lambda _: self._run_current())
        self._refresh()

    def open_over(self) -> None:
        """Show it over its window, ready to type."""
        window = self.parentWidget()
        if window is not None:
            self.move(window.mapToGlobal(QPoint((window.width() - self.minimumWidth()) // 2, 70)))
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.show()
        self.text.setFocus()

    def found(self) -> list[Action]:
        """Return the commands that contain all typed words, those usable now first."""
        words = self.text.text().lower().split()
        hits = [a for a in self._actions.table.values() if all(w in f"{a.group} {a.title}".lower() for w in words)]
        return sorted(hits, key=lambda a: not a.enabled())

    def _refresh(self) -> None:
        self.list.clear()
        for action in self.found():
            shortcut = f"    {action.shortcut}" if action.shortcut else ""
            item = QListWidgetItem(f"{action.title}    ({action.group}){shortcut}")
            item.setData(Qt.ItemDataRole.UserRole, action.id)
            if not action.enabled():
                item.setFlags(Qt.ItemFlag.NoItemFlags)
            self.list.addItem(item)
        self.list.setCurrentRow(0)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Walk the list from the text field."""
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            self.list.setCurrentRow(min(max(self.list.currentRow() + step, 0), self.list.count() - 1))
        else:
            super().keyPressEvent(event)

    def _run_current(self) -> None:
        item = self.list.currentItem()
        self.close()
        if item is not None and item.flags() & Qt.ItemFlag.ItemIsEnabled:
            self._actions.trigger(str(item.data(Qt.ItemDataRole.UserRole)))
