"""The route as a list: found in, sorted, copied as plain text and printed."""

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QGuiApplication, QTextDocument
from PySide6.QtPrintSupport import QPrintDialog, QPrinter
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from truegauge.app.track.model import RouteModel
from truegauge.app.track.track_view import clock
from truegauge.app.widgets.bench import button, label
from truegauge.core.routes.track import NO_LANE

_COLUMNS = ("No.", "Step", "Stylus", "Touches", "Begins", "Takes", "State")
_STATES = {"": "not run", "done": "done", "outside": "outside", "failed": "not reached"}


class _Cell(QTableWidgetItem):
    """A cell that is sorted by its number, not by its words."""

    def __init__(self, text: str, order: float | None = None) -> None:
        super().__init__(text)
        self.order = order
        self.setFlags(self.flags() & ~Qt.ItemFlag.ItemIsEditable)
        if order is not None:
            self.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)

    def __lt__(self, other: QTableWidgetItem) -> bool:
        if isinstance(other, _Cell) and self.order is not None and other.order is not None:
            return self.order < other.order
        return self.text() < other.text()


class RouteList(QWidget):
    """Fills the middle; a row chosen is the step chosen, and the reverse."""

    closed = Signal()

    def __init__(self, model: RouteModel, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.model = model
        self.setAccessibleName("Route as a list")
        column = QVBoxLayout(self)
        top = QHBoxLayout()
        self.field = QLineEdit()
        self.field.setPlaceholderText("Find")
        self.field.setAccessibleName("find steps")
        self.field.setClearButtonEnabled(True)
        self.field.textChanged.connect(self._on_find)
        self.copy, self.printed = button("Copy as text", self._on_copy), button("Print", self._on_print)
        self.back = button("Close", self.closed.emit)
        top.addWidget(label("Route", "heading"))
        top.addWidget(self.field, 1)
        for widget in (self.copy, self.printed, self.back):
            top.addWidget(widget)
        column.addLayout(top)
        self.table = QTableWidget(0, len(_COLUMNS))
        self.table.setHorizontalHeaderLabels(list(_COLUMNS))
        self.table.setAccessibleName("steps")
        self.table.verticalHeader().hide()
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSortingEnabled(True)
        self.table.sortByColumn(0, Qt.SortOrder.AscendingOrder)
        self.table.itemSelectionChanged.connect(self._on_chosen)
        column.addWidget(self.table, 1)
        self._filling = False
        model.changed.connect(self._on_changed)

    def _on_changed(self) -> None:
        if self.isVisible():
            self.refresh()

    def showEvent(self, event: object) -> None:
        """Catch up."""
        self.refresh()

    def refresh(self) -> None:
        """Show the steps."""
        track, found = self.model.track, self.model.routed
        if track is None or found is None:
            return
        self._filling = True
        self.table.setSortingEnabled(False)
        self.table.setRowCount(len(found.planned.steps))
        for k, plan in enumerate(found.planned.steps):
            chips = track.chips_of(plan.step.id)
            touches = sum(len(v.places) for v in plan.visits)
            uses = dict.fromkeys(track.uses[c.lane] for c in chips if c.lane != NO_LANE)
            styli = ", ".join(f"{found.plan.probing.assembly(u.assembly).name} {u.pose}" for u in uses)
            takes = sum(c.seconds for c in chips)
            state = _STATES[chips[0].state] if plan.step.on else "off"
            cells = (
                _Cell(str(k + 1), k), _Cell(chips[0].name), _Cell(styli),
                _Cell(str(touches or ""), touches), _Cell(clock(round(chips[0].start)), chips[0].start),
                _Cell(f"{takes:.1f} s", takes), _Cell(state),
            )  # fmt: skip
            for c, cell in enumerate(cells):
                cell.setData(Qt.ItemDataRole.UserRole, plan.step.id)
                cell.setToolTip(chips[0].note or cell.text())
                self.table.setItem(k, c, cell)
        self.table.setSortingEnabled(True)
        self.table.clearSelection()
        for r in range(self.table.rowCount()):
            if self._step(r) in self.model.chosen:
                self.table.selectRow(r)
        self._filling = False
        self._on_find()

    def _step(self, row: int) -> str:
        item = self.table.item(row, 0)
        return "" if item is None else str(item.data(Qt.ItemDataRole.UserRole))

    def _on_find(self) -> None:
        wanted = self.field.text().lower()
        for r in range(self.table.rowCount()):
            cells = (self.table.item(r, c) for c in range(len(_COLUMNS)))
            words = " ".join(cell.text() for cell in cells if cell is not None).lower()
            self.table.setRowHidden(r, wanted not in words)

    def _on_chosen(self) -> None:
        if not self._filling:
            rows = sorted({i.row() for i in self.table.selectedItems()})
            self.model.choose(tuple(self._step(r) for r in rows))

    def text(self) -> str:
        """Return the route as plain text, the same for the same route."""
        from truegauge.jobs.routing import as_list

        return "" if self.model.routed is None else as_list(self.model.routed)

    def _on_copy(self) -> None:
        QGuiApplication.clipboard().setText(self.text())

    def _on_print(self) -> None:
        printer = QPrinter(QPrinter.PrinterMode.HighResolution)
        if QPrintDialog(printer, self).exec():
            document = QTextDocument()
            document.setPlainText(self.text())
            document.print_(printer)
