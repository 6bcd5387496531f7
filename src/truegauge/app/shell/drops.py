"""Files that are dropped on a window are opened."""

from pathlib import Path

from PySide6.QtCore import QEvent, QObject
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QWidget

from truegauge.app.shell.files import FileDialogs


class Drops(QObject):
    """Of one window."""

    def __init__(self, window: QWidget, files: FileDialogs) -> None:
        super().__init__(window)
        self._files = files
        window.setAcceptDrops(True)
        window.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Accept files, and open them."""
        if isinstance(event, QDropEvent) and event.type() == QEvent.Type.Drop:
            self._files.open_dropped([Path(u.toLocalFile()) for u in event.mimeData().urls() if u.isLocalFile()])
            return True
        if isinstance(event, QDragEnterEvent) and event.type() == QEvent.Type.DragEnter and event.mimeData().hasUrls():
            event.acceptProposedAction()
            return True
        return False
