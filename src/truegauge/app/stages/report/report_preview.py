"""The pages of the report inside the window, before anything is saved."""

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QImage, QPixmap, QResizeEvent
from PySide6.QtWidgets import QLabel, QScrollArea, QVBoxLayout, QWidget


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
        self.pages: list[QLabel] = []

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Tell about it."""
        super().resizeEvent(event)
        self.resized.emit()

    def show_pdf(self, data: bytes) -> None:
        """Show the pages of a PDF, as wide as there is room."""
        import pypdfium2

        ratio = self.devicePixelRatioF()
        width = max(300, min(900, self.viewport().width() - 56))
        for page in self.pages:
            page.hide()
            page.deleteLater()
        self.pages = []
        document = pypdfium2.PdfDocument(data)
        for index in range(len(document)):
            page = document[index]
            bitmap = page.render(scale=width * ratio / page.get_width(), prefer_bgrx=True)
            image = QImage(bitmap.buffer, bitmap.width, bitmap.height, bitmap.stride, QImage.Format.Format_RGB32).copy()
            image.setDevicePixelRatio(ratio)
            picture = QLabel()
            picture.setPixmap(QPixmap.fromImage(image))
            picture.setAccessibleName(f"page {index + 1}")
            picture.setStyleSheet("border: 1px solid palette(mid); background: white;")
            self._column.addWidget(picture)
            self.pages.append(picture)
        document.close()
