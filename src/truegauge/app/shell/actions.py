"""One table of commands: menu, shortcuts, command finder and documentation read it."""

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMenu, QWidget


@dataclass(frozen=True, slots=True)
class Action:
    """A command: `group` names its menu; `enabled` is asked whenever it may be shown."""

    id: str
    group: str
    title: str
    shortcut: str
    run: Callable[[], object]
    enabled: Callable[[], bool] = lambda: True


class Actions:
    """The table, as Qt actions of one window."""

    def __init__(self, window: QWidget, table: list[Action]) -> None:
        self.table = {a.id: a for a in table}
        self._qt: dict[str, QAction] = {}
        for action in table:
            qt = QAction(action.title, window)
            if action.shortcut:
                qt.setShortcut(QKeySequence(action.shortcut))
            qt.triggered.connect(lambda _=False, a=action: self.trigger(a.id))
            window.addAction(qt)
            self._qt[action.id] = qt

    def trigger(self, action_id: str) -> None:
        """Run a command if it makes sense now."""
        action = self.table[action_id]
        if action.enabled():
            action.run()

    def qt(self, action_id: str) -> QAction:
        """Return the Qt action."""
        return self._qt[action_id]

    def menu(self, parent: QWidget) -> QMenu:
        """Return the menu of all commands by group."""
        menu = QMenu(parent)
        groups: dict[str, QMenu] = {}
        for action in self.table.values():
            if action.group not in groups:
                groups[action.group] = menu.addMenu(action.group)
            qt = self._qt[action.id]
            qt.setEnabled(action.enabled())
            groups[action.group].addAction(qt)
        # A disabled Qt action would swallow its shortcut later: enable all again when the menu closes.
        menu.aboutToHide.connect(self._enable_all)
        return menu

    def _enable_all(self) -> None:
        for qt in self._qt.values():
            qt.setEnabled(True)
