"""One table of commands: menu, shortcuts, command finder and documentation read it."""

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMenu, QWidget

from truegauge.app.widgets.action import Action

# The menus, in this order; those of others come before Help.
GROUPS = ("Plan", "Edit", "Tolerances", "View", "Evaluate", "Devices", "Points", "Align", "Stages", "Report", "Help")


def in_order(actions: list[Action]) -> list[Action]:
    """Return actions by their menus, in each as they came."""
    groups = list(GROUPS[:-1])
    groups += [g for g in dict.fromkeys(a.group for a in actions) if g not in GROUPS]
    groups.append(GROUPS[-1])
    return sorted(actions, key=lambda a: groups.index(a.group))


class Actions:
    """The table, as Qt actions of one window."""

    def __init__(self, window: QWidget, table: list[Action]) -> None:
        self.table = {a.id: a for a in in_order(table)}
        self._qt: dict[str, QAction] = {}
        for action in self.table.values():
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
        for action in self.table.values():
            self._qt[action.id].setEnabled(action.enabled())
            if action.first:
                menu.addAction(self._qt[action.id])
        menu.addSeparator()
        groups: dict[str, QMenu] = {}
        for action in self.table.values():
            if action.group not in groups:
                groups[action.group] = menu.addMenu(action.group)
            if action.apart:
                groups[action.group].addSeparator()
            groups[action.group].addAction(self._qt[action.id])
        # A disabled Qt action would swallow its shortcut later: enable all again when the menu closes.
        menu.aboutToHide.connect(self._enable_all)
        return menu

    def open_menu(self, button: QWidget) -> None:
        """Open the menu beside its button."""
        menu = self.menu(button.window())
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.popup(button.mapToGlobal(QPoint(button.width() + 2, 4)))

    def _enable_all(self) -> None:
        for qt in self._qt.values():
            qt.setEnabled(True)
