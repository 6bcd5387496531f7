"""The table in which nominal features are typed: a part without CAD."""

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from truegauge.app.document.session import Session
from truegauge.app.widgets.bench import Choice, button, label
from truegauge.core.cad.nominal_part import NEEDS, NominalRow
from truegauge.core.errors import TrueGaugeError
from truegauge.formats.files import read_bytes, write_whole
from truegauge.formats.nominal_csv import NOMINAL_HEADINGS, rows_from_csv, rows_to_csv

_HINT = (
    "Position: the middle of the feature. Direction: its axis, or out of the material. "
    "Lengths in mm, the full angle of cones in degrees. A point is measured along its direction."
)
_SHORT = {"second diameter": "tube ⌀"}  # of a torus


class NominalTable(QDialog):
    """One line a feature; what is wrong with a line is said below as it is typed."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.setWindowTitle("Nominal features")
        self.resize(1060, 460)
        outer = QVBoxLayout(self)
        outer.addWidget(label(_HINT, "soft", wrap=True))
        self.table = QTableWidget(0, len(NOMINAL_HEADINGS))
        self.table.setHorizontalHeaderLabels([_SHORT.get(name, name) for name in NOMINAL_HEADINGS])
        self.table.verticalHeader().setDefaultSectionSize(26)
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        for column, width in ((0, 112), (1, 120)):
            self.table.horizontalHeader().setSectionResizeMode(column, QHeaderView.ResizeMode.Fixed)
            self.table.setColumnWidth(column, width)
        self.table.itemChanged.connect(lambda _: self._check())
        outer.addWidget(self.table, 1)
        self.message = QLabel()
        self.message.setWordWrap(True)
        outer.addWidget(self.message)
        below = QHBoxLayout()
        below.addWidget(button("Add a line", self.add_row))
        below.addWidget(button("Remove the line", self._remove_row))
        below.addWidget(button("Read CSV …", self._ask_read))
        below.addWidget(button("Save CSV …", self._ask_write))
        below.addStretch()
        below.addWidget(button("Cancel", self.reject))
        self.use = button("Use as the part", self._use, main=True)
        below.addWidget(self.use)
        outer.addLayout(below)
        self.show_rows(self._present_rows())
        if self.table.rowCount() == 0:
            self.add_row()

    def _present_rows(self) -> tuple[NominalRow, ...]:
        s = self._session
        part = s.plan.part
        if part is None or s.document.part_content is None or not part.file_name.lower().endswith(".csv"):
            return ()
        return rows_from_csv(Path(part.file_name), s.document.part_content)

    def show_rows(self, rows: tuple[NominalRow, ...]) -> None:
        """Fill the table."""
        self.table.blockSignals(True)
        self.table.setRowCount(0)
        for r in rows:
            sizes = (r.diameter, r.second_diameter, r.length, r.width, r.depth, r.angle)
            self._append(r.kind, r.name, (*(f"{x:g}" for x in (*r.position, *r.direction)),
                                          *(f"{x:g}" if x else "" for x in sizes)))  # fmt: skip
        self.table.blockSignals(False)
        self._check()

    def add_row(self) -> None:
        """Append a line to fill in."""
        self.table.blockSignals(True)
        self._append("hole", "", ("0", "0", "0", "0", "0", "1", "10", "", "", "", "", ""))
        self.table.blockSignals(False)
        self.table.setCurrentCell(self.table.rowCount() - 1, 1)
        self._check()

    def _append(self, kind: str, name: str, numbers: tuple[str, ...]) -> None:
        at = self.table.rowCount()
        self.table.insertRow(at)
        choice = Choice()
        choice.addItems(list(NEEDS))
        choice.setCurrentText(kind)
        choice.currentTextChanged.connect(lambda _: self._check())
        self.table.setCellWidget(at, 0, choice)
        for column, text in enumerate((name, *numbers), start=1):
            item = QTableWidgetItem(text)
            if column > 1:
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            self.table.setItem(at, column, item)

    def _remove_row(self) -> None:
        self.table.removeRow(self.table.currentRow())
        self._check()

    def rows(self) -> tuple[NominalRow, ...]:
        """Return what is typed.

        Raises
        ------
        TrueGaugeError
            A line that makes no feature; the message names it.
        """
        lines = [",".join(NOMINAL_HEADINGS)]
        for i in range(self.table.rowCount()):
            cells = [item.text().strip() if (item := self.table.item(i, c)) else "" for c in range(1, 14)]
            choice = self.table.cellWidget(i, 0)
            kind = choice.currentText() if isinstance(choice, Choice) else ""
            # A decimal comma is understood; the columns of this table are parted by commas.
            quoted = [f'"{cell.replace(chr(34), "")}"' for cell in (kind, *cells)]
            lines.append(",".join(quoted))
        return rows_from_csv(Path("the table"), "\n".join(lines).encode())

    def _check(self) -> None:
        try:
            rows = self.rows()
        except TrueGaugeError as error:
            self.message.setText(str(error).replace("the table: ", "", 1).replace("line ", "table line ", 1))
            self.message.setProperty("role", "bad")
            self.use.setEnabled(False)
        else:
            self.message.setText(f"{len(rows)} features")
            self.message.setProperty("role", "soft")
            self.use.setEnabled(True)
        self.message.style().polish(self.message)

    def _use(self) -> None:
        part = self._session.plan.part
        typed = part is not None and part.file_name.lower().endswith(".csv")
        name = part.file_name if part is not None and typed else "nominal features.csv"
        self._session.files.use_nominals(self.rows(), name)
        self.accept()

    def _ask_read(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Read nominal features", "", "CSV (*.csv);;All files (*)")
        if name:
            try:
                self.show_rows(rows_from_csv(Path(name), read_bytes(Path(name))))
            except TrueGaugeError as error:
                self.message.setText(str(error))

    def _ask_write(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "Save nominal features", "nominal features.csv", "CSV (*.csv)")
        if name:
            try:
                write_whole(Path(name), rows_to_csv(self.rows()))
            except TrueGaugeError as error:
                self.message.setText(str(error))
