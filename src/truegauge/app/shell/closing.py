"""A window that is closed while a file is being saved closes when that is done, and stays when it cannot be."""

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QWidget

from truegauge.app.document.queue import Notice, WorkQueue


class Closing(QObject):
    """Closes a window later."""

    def __init__(self, queue: WorkQueue, window: QWidget) -> None:
        super().__init__(window)
        self._queue, self._window = queue, window
        self._is_wanted = False
        queue.busy_changed.connect(self._on_busy_changed)
        queue.noticed.connect(self._on_noticed)

    def must_wait(self) -> bool:
        """Tell whether the window has to stay for now; then it is closed as soon as it may."""
        if not self._queue.must_go_on:
            return False
        self._queue.notify("The window closes as soon as the file is saved.")
        self._is_wanted = True
        return True

    def _on_busy_changed(self) -> None:
        if self._is_wanted and not self._queue.must_go_on:
            self._is_wanted = False
            self._window.close()

    def _on_noticed(self, notice: Notice) -> None:
        if not notice.calm:  # what could not be saved is read first
            self._is_wanted = False
