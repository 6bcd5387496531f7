"""What the window offers to its stages: session, theme, view, files, and the models that several of them share."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar, cast

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QWidget

from truegauge.app.document.session import Session
from truegauge.app.shell.files import FileDialogs
from truegauge.app.view.view import View
from truegauge.app.widgets.theme import LiveTheme

T = TypeVar("T")


class Shell(QObject):
    """Of one window."""

    middle_changed = Signal()
    rows_changed = Signal()  # other rows of the ledger are selected, or listed

    def __init__(self, window: QWidget, session: Session, theme: LiveTheme, view: View, files: FileDialogs) -> None:
        super().__init__(window)
        self.window, self.session, self.theme, self.view, self.files = window, session, theme, view, files
        self.full_page: QWidget | None = None  # fills the middle until it is closed, or a stage does not keep it
        self.middle_alone = False  # one thing at a time: bench and readouts are out of the way
        self.closers: list[Callable[[], bool]] = []  # of what Escape closes; each says whether there was something
        self.selected_rows: Callable[[], tuple[str, ...]] = lambda: ()  # of the ledger: ids of characteristics
        self.listed_rows: Callable[[], tuple[str, ...]] = lambda: ()  # that search and filter leave, if not all
        self._made: dict[type[object], object] = {}

    def once(self, kind: type[T], make: Callable[[], T]) -> T:
        """Return the one of a kind in this window, made when it is asked for first."""
        if kind not in self._made:
            self._made[kind] = make()
        return cast("T", self._made[kind])

    def get(self, kind: type[T]) -> T:
        """Return the one of a kind that is there; KeyError for none."""
        return cast("T", self._made[kind])

    def toggle_full_page(self, page: QWidget) -> None:
        """Let a page fill the middle, or go back."""
        self.full_page = None if self.full_page is page else page
        self.middle_changed.emit()
