"""Where the keys go: Tab walks as the eye does; what hides hands the focus to the view, not to a button by chance."""

from collections.abc import Iterator, Sequence

from PySide6.QtCore import QObject, QPoint, Qt
from PySide6.QtWidgets import QApplication, QScrollArea, QWidget

_AREA = 120  # pixels: what is higher fills an area
_ROW = 12  # pixels: widgets whose middles are no further apart stand in one row


class Focus(QObject):
    """Of one window; `areas` are its parts in the order in which they are read, `home` who gets what nobody has."""

    def __init__(self, window: QWidget, areas: Sequence[QWidget], home: QWidget) -> None:
        super().__init__(window)
        self._window, self._areas, self._home = window, areas, home
        app = QApplication.instance()
        if isinstance(app, QApplication):
            app.focusChanged.connect(self._on_changed)

    def _on_changed(self, old: QWidget | None, now: QWidget | None) -> None:
        """What had the focus was hidden: Qt gives it to whatever comes next."""
        if now is None or now.window() is not self._window or old is None or old.window() is not self._window:
            return
        if not old.isVisible() and self._home.isVisible() and now not in self._beside(old):
            self._home.setFocus()

    def _beside(self, old: QWidget) -> list[QWidget]:
        parent = old.parentWidget()
        return [] if parent is None or parent is self._window else list(parent.findChildren(QWidget))

    def step(self, *, forward: bool) -> bool:
        """Give the focus to the next that can take it, as the eye goes; False when there is none."""
        every = list(self._in_order())
        if not every:
            return False
        now = self._window.focusWidget()
        at = every.index(now) if now in every else -1
        if at < 0 and now is not None:  # inside of one: a field of a table, say
            at = next((k for k, w in enumerate(every) if w.isAncestorOf(now)), -1)
        if at < 0:
            at = -1 if forward else 0
        chosen = every[(at + (1 if forward else -1)) % len(every)]
        chosen.setFocus(Qt.FocusReason.TabFocusReason if forward else Qt.FocusReason.BacktabFocusReason)
        return True

    def _in_order(self) -> Iterator[QWidget]:
        for area in self._areas:
            if not area.isVisible():
                continue
            inside = [w for w in (area, *area.findChildren(QWidget)) if _takes_focus(w)]
            row: list[QWidget] = []
            for widget in sorted(inside, key=self._down):
                if row and self._down(widget) - self._down(row[0]) > _ROW:
                    yield from sorted(row, key=self._across)
                    row = []
                row.append(widget)
            yield from sorted(row, key=self._across)

    def _down(self, widget: QWidget) -> int:
        top = widget.mapTo(self._window, QPoint(0, 0)).y()
        # What fills an area comes before what floats over it.
        return top + (0 if widget.height() > _AREA else widget.height() // 2)

    def _across(self, widget: QWidget) -> int:
        return widget.mapTo(self._window, QPoint(0, 0)).x()


def _takes_focus(widget: QWidget) -> bool:
    policy = Qt.FocusPolicy.TabFocus.value & widget.focusPolicy().value
    if isinstance(widget, QScrollArea):  # what is in it does
        return False
    return bool(policy) and widget.isVisible() and widget.isEnabled() and widget.focusProxy() is None
