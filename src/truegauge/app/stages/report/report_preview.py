"""The pages of the report inside the window, before anything is saved."""

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QImage, QPixmap, QResizeEvent
from PySide6.QtWidgets import QLabel, QScrollArea, QVBoxLayout, QWidget

if TYPE_CHECKING:
    from pypdfium2 import PdfDocument

from truegauge.app.widgets.bench import label


class ReportPreview(QScrollArea):
    """A column of pages; `resized` says that another width is there for them."""

    resized = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWidgetResizable(True)
        self.setAccessibleName("Pages of the report")
        inside = QWidget()
        self._column = QVBoxLayout(inside)
        self._column.setContentsMargins(20, 16, 20, 16)
        self._column.setSpacing(14)
        self._column.setAlignment(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop)
        self.setWidget(inside)
        self.waiting = label("The pages are made here once there is something to report.", "soft")
        self._column.addWidget(self.waiting)
        self.pages: list[QLabel] = []
        self._document: PdfDocument | None = None  # while its pages are drawn
        self._index = 0
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(0)
        self._timer.timeout.connect(self._next_page)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Tell about it."""
        super().resizeEvent(event)
        self.resized.emit()

    def show_pdf(self, data: bytes) -> None:
        """Show the pages of a PDF, as wide as there is room; one after the other, as each takes a moment."""
        import pypdfium2

        self._forget()
        self.waiting.hide()
        self._document, self._index = pypdfium2.PdfDocument(data), 0
        self._next_page()

    def _forget(self) -> None:
        self._timer.stop()
        if self._document is not None:
            self._document.close()
        self._document = None

    def _next_page(self) -> None:
        """Show a page more in its place; after the last, those go that an older report had."""
        document = self._document
        if document is None:
            return
        ratio = self.devicePixelRatioF()
        width = max(300, min(900, self.viewport().width() - 56))
        page = document[self._index]
        bitmap = page.render(scale=width * ratio / page.get_width(), prefer_bgrx=True)
        image = QImage(bitmap.buffer, bitmap.width, bitmap.height, bitmap.stride, QImage.Format.Format_RGB32).copy()
        image.setDevicePixelRatio(ratio)
        if self._index == len(self.pages):
            picture = QLabel()
            picture.setStyleSheet("border: 1px solid palette(mid); background: white;")
            picture.setAccessibleName(f"page {self._index + 1}")
            self._column.addWidget(picture)
            self.pages.append(picture)
        self.pages[self._index].setPixmap(QPixmap.fromImage(image))
        self._index += 1
        if self._index < len(document):
            self._timer.start()
            return
        for page_left in self.pages[self._index :]:
            page_left.hide()
            page_left.deleteLater()
        del self.pages[self._index :]
        self._forget()

    @property
    def complete(self) -> bool:
        """Whether all pages are shown."""
        return self._document is None
