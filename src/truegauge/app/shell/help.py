"""What helps to find one's way: the guide, the command finder, the menu."""

from collections.abc import Callable

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QWidget

from truegauge.app.shell.actions import Actions
from truegauge.app.shell.finder import Finder
from truegauge.app.shell.guide_panel import GuidePanel
from truegauge.app.widgets.action import Action
from truegauge.app.widgets.theme import LiveTheme


class Help(QObject):
    """Of one window; `page` tells which page of the guide is about what is seen."""

    resized = Signal()

    def __init__(
        self, window: QWidget, theme: LiveTheme, page: Callable[[], str], actions: Callable[[], Actions]
    ) -> None:
        super().__init__(window)
        self._window, self._page, self._actions = window, page, actions
        self.guide = GuidePanel(theme)
        self.guide.opened.connect(self.resized)

    def commands(self, menu_button: QWidget) -> list[Action]:
        """The commands that help."""
        return [
            Action("guide", "Help", "Guide", "F1", self.toggle_guide),
            Action("finder", "Help", "Find a command …", "Ctrl+K", self.open_finder),
            Action("menu", "Help", "Open the menu", "Alt+M", lambda: self._actions().open_menu(menu_button)),
        ]

    def toggle_guide(self) -> None:
        """Open the guide at the page of what is seen, or close it."""
        if self.guide.isVisible():
            self.guide.hide()
        else:
            self.guide.open_page(self._page())
            self.guide.search.setFocus()

    def open_finder(self) -> None:
        """Open the command finder."""
        Finder(self._actions(), self._window).open_over()
