"""How a window looks: day or night, and how large its text is. Kept for the next time."""

from collections.abc import Callable

from PySide6.QtCore import QObject, QSettings
from PySide6.QtWidgets import QApplication, QMainWindow, QWidget

from truegauge.app.widgets.action import Action
from truegauge.app.widgets.text_size import SIZES, TEXT, resize_all, sized_sheet
from truegauge.app.widgets.theme import DAY, NIGHT, LiveTheme, qt_palette, style_sheet


class Appearance(QObject):
    """Of one window; `resized` is called when text has another size and everything is to find its place again."""

    def __init__(
        self, window: QMainWindow, theme: LiveTheme, settings: QSettings, resized: Callable[[], None]
    ) -> None:  # fmt: skip
        super().__init__(window)
        self._window, self._theme, self._settings, self._resized = window, theme, settings, resized
        theme.changed.connect(self.apply)
        TEXT.changed.connect(self._on_text_size)

    def commands(self) -> list[Action]:
        """The commands on the appearance."""
        return [
            Action("theme", "View", "Day or night theme", "Ctrl+T", self.toggle_theme),
            Action("text-larger", "View", "Larger text", "Ctrl++", lambda: self.step_text(1),
                   lambda: TEXT.percent < SIZES[-1]),
            Action("text-smaller", "View", "Smaller text", "Ctrl+-", lambda: self.step_text(-1),
                   lambda: TEXT.percent > SIZES[0]),
        ]  # fmt: skip

    def toggle_theme(self) -> None:
        """Change between day and night."""
        self._theme.become(NIGHT if self._theme.name == DAY.name else DAY)
        self._settings.setValue("theme", self._theme.name)

    def step_text(self, step: int) -> None:
        """Take the next larger or smaller text size."""
        at = SIZES.index(TEXT.percent) + step
        TEXT.become(SIZES[min(max(at, 0), len(SIZES) - 1)])
        self._settings.setValue("text", TEXT.percent)

    def apply(self) -> None:
        """Show colours and text sizes as they are now."""
        QApplication.setPalette(qt_palette(self._theme))
        self._window.setStyleSheet(sized_sheet(style_sheet(self._theme)))
        for widget in self._window.findChildren(QWidget):
            widget.update()

    def _on_text_size(self) -> None:
        self.apply()
        resize_all(self._window)
        self._resized()
