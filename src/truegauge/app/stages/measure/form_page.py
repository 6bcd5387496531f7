"""The form plot as a panel of the bench and as a full page to look at, print and save."""

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QMarginsF, QObject, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QImage,
    QMouseEvent,
    QPagedPaintDevice,
    QPageLayout,
    QPageSize,
    QPainter,
    QPaintEvent,
    QPdfWriter,
)
from PySide6.QtPrintSupport import QPrintDialog, QPrinter
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from truegauge.app.document.session import Session
from truegauge.app.document.worked_out import WorkedOut
from truegauge.app.widgets.form_plot import draw_form
from truegauge.app.widgets.text_size import enlarge, room_of
from truegauge.app.widgets.theme import DAY, Theme, font
from truegauge.core.association.features import Plane
from truegauge.core.errors import TrueGaugeError
from truegauge.core.features.extraction import Measured
from truegauge.core.filters.form_map import FormMap
from truegauge.drawing.units import NumberFormat
from truegauge.rendering.camera import Camera


class FormModel(QObject):
    """The form map of the selected feature; worked out once for what is shown."""

    changed = Signal()  # the map has come

    def __init__(self, session: Session, eye: Callable[[], Camera | None] = lambda: None) -> None:
        super().__init__(session)
        self._session, self._eye = session, eye
        self._found = WorkedOut[FormMap | str](session.document, "Form", self.changed.emit)
        self.reason = ""

    def current(self) -> FormMap | None:
        """Return the map of the one selected measured feature, None (with `reason`) when there is none (yet)."""
        measured = self.measured
        found = None if measured is None else self._found.get((measured,), lambda: _form_of(measured))
        self.reason = found if isinstance(found, str) else ""
        return None if found is None or isinstance(found, str) else self._as_seen(found)

    def _as_seen(self, found: FormMap) -> FormMap:
        """Return the map of a plane as it lies in the view, seen from outside."""
        camera, measured = self._eye(), self.measured
        if camera is None or measured is None or not isinstance(found.feature, Plane):
            return found
        back = measured.nominal.outward * float(found.feature.normal @ camera.back)
        return found.as_seen(camera.right if back >= 0 else -camera.right, camera.up)

    @property
    def is_coming(self) -> bool:
        """Whether the map is being worked out."""
        return self.measured is not None and self.current() is None and not self.reason

    @property
    def measured(self) -> Measured | None:
        """The feature whose map is shown."""
        found = self._session.selection.measured()
        return found[0] if len(found) == 1 and isinstance(found[0], Measured) else None

    @property
    def numbers(self) -> NumberFormat:
        """How numbers are shown."""
        return NumberFormat(self._session.plan.unit, self._session.plan.decimals)

    def title(self) -> str:
        """Say which feature it is, how it was associated and filtered."""
        features, measured = self._session.selection.features(), self.measured
        if measured is None or not features:
            return ""
        return f"{features[0].name}: form {self.numbers.value(measured.form)} {self.numbers.unit}"

    def subtitle(self) -> str:
        """Say how the form came about."""
        m = self.measured
        if m is None:
            return ""
        plain = "unfiltered" if m.surface is None else "unfiltered, on the estimated surface"
        filtered = m.form_filter.text if m.form_filter.kind != "none" else plain
        return f"{str(m.form_criterion).replace('_', ' ')}; {filtered}; {len(m.rows):,} points"


def _form_of(measured: Measured) -> FormMap | str:
    """Return the map, or why there is none."""
    try:
        return measured.form_map()
    except TrueGaugeError as error:
        return str(error)


class FormPanel(QWidget):
    """The plot in the bench; a click enlarges it."""

    enlarge_wanted = Signal()

    def __init__(self, model: FormModel, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._model, self.theme = model, theme
        self.setAccessibleName("Form plot")
        self.setToolTip("Click to enlarge")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        model.changed.connect(self.refresh)

    def sizeHint(self) -> QSize:
        """Return the size in the bench."""
        return QSize(190, 172)

    def refresh(self) -> None:
        """Show the map of the selected feature, if it has one."""
        self.setVisible(self._model.current() is not None or self._model.is_coming)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Enlarge."""
        self.enlarge_wanted.emit()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw the plot on a card."""
        shown = self._model.current()
        if shown is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QColor(self.theme.rule))
        painter.setBrush(QColor(self.theme.raised))
        enlarge(painter)
        room = room_of(self)
        painter.drawRoundedRect(room.adjusted(0.5, 0.5, -0.5, -0.5), 6, 6)
        draw_form(painter, room.adjusted(6, 6, -6, -4), shown, self._model.numbers, self.theme)


class FormPage(QWidget):
    """The plot as large as there is room, to print and to save."""

    closed = Signal()

    def __init__(self, model: FormModel, session: Session, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._model, self._session, self.theme = model, session, theme
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 12)
        row = QHBoxLayout()
        self.back = _button("Back to the part", self.closed.emit)
        self.print_button = _button("Print …", self.ask_print)
        self.save_button = _button("Save PDF …", self.ask_save)
        row.addWidget(self.back)
        row.addStretch()
        row.addWidget(self.save_button)
        row.addWidget(self.print_button)
        column.addLayout(row)
        column.addStretch()
        model.changed.connect(self.update)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw the page below the buttons."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.paper))
        enlarge(painter)
        self.draw(painter, room_of(self).adjusted(20, 60, -20, -16), self.theme)

    def draw(self, painter: QPainter, box: QRectF, theme: Theme) -> None:
        """Draw title and plot."""
        shown = self._model.current()
        k = max(1.0, box.width() / 900)
        painter.setPen(QColor(theme.ink))
        painter.setFont(font(20 * k, bold=True))
        title = self._model.title() if shown is not None else self._model.reason or "Select one measured feature"
        painter.drawText(QRectF(box.x(), box.y(), box.width(), 28 * k), Qt.AlignmentFlag.AlignLeft, title)
        if shown is None:
            return
        painter.setFont(font(13 * k))
        painter.setPen(QColor(theme.soft))
        painter.drawText(QRectF(box.x(), box.y() + 29 * k, box.width(), 22 * k), Qt.AlignmentFlag.AlignLeft,
                         self._model.subtitle())  # fmt: skip
        draw_form(painter, box.adjusted(0, 62 * k, 0, 0), shown, self._model.numbers, theme)

    def write_pdf(self, path: Path) -> None:
        """Save the page as a PDF, on paper colours whatever the theme."""
        writer = QPdfWriter(str(path))
        writer.setTitle(self._model.title())
        self._on_paper(writer)

    def ask_save(self) -> None:
        """Ask where to save the page."""
        name, _ = QFileDialog.getSaveFileName(self, "Save form plot", "form.pdf", "PDF (*.pdf)")
        if name:
            path = Path(name) if Path(name).suffix else Path(name).with_suffix(".pdf")
            try:
                path.touch()
            except OSError as error:
                self._session.notify(f"{path.name}: cannot be written ({error.strerror})")
                return
            self.write_pdf(path)
            self._session.queue.tell_saved(path)

    def ask_print(self) -> None:
        """Ask for a printer and print the page."""
        printer = QPrinter(QPrinter.PrinterMode.HighResolution)
        if QPrintDialog(printer, self).exec():
            self._on_paper(printer)

    def _on_paper(self, device: QPagedPaintDevice) -> None:
        layout = QPageLayout(QPageSize(QPageSize.PageSizeId.A4), QPageLayout.Orientation.Landscape,
                             QMarginsF(15, 15, 15, 15))  # fmt: skip
        device.setPageLayout(layout)
        painter = QPainter(device)
        # In units of a screen of 1100 pixels across the paper.
        view = painter.viewport()
        k = view.width() / 1100
        painter.scale(k, k)
        self.draw(painter, QRectF(0, 0, 1100, view.height() / k), DAY)
        painter.end()

    def picture(self, width: int, height: int) -> QImage:
        """Return the page as a picture."""
        image = QImage(width, height, QImage.Format.Format_RGB32)
        image.fill(QColor(DAY.paper))
        painter = QPainter(image)
        self.draw(painter, QRectF(16, 16, width - 32, height - 32), DAY)
        painter.end()
        return image


def _button(text: str, clicked: object) -> QPushButton:
    made = QPushButton(text)
    made.clicked.connect(lambda: clicked())  # type: ignore[operator]
    return made
