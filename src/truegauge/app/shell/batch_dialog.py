"""Many scans by one plan: a batch with a row for each, its summary, and an inbox that is watched."""

from __future__ import annotations

import os
from pathlib import Path

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QBrush, QCloseEvent, QColor
from PySide6.QtWidgets import (
    QCheckBox,
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QProgressBar,
    QTableWidget,
    QTableWidgetItem,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)

from truegauge.app.widgets.bench import button, label, number_box
from truegauge.app.widgets.parts import choice
from truegauge.app.widgets.text_size import keep_size
from truegauge.core.errors import TrueGaugeError
from truegauge.formats.scan import SCAN_READERS
from truegauge.jobs.batch import USUAL_FORMATS, Batch, BatchSettings, is_scan, scans_in
from truegauge.jobs.inbox import Inbox, InboxSettings
from truegauge.jobs.inspection import FORMATS
from truegauge.jobs.summary import Summary

_POLL_MS = 120
_UNITS = (("", "unit by the file"), ("mm", "mm"), ("cm", "cm"), ("m", "m"), ("inch", "inch"))
_COLORS = {"outside": "#F0D0CA", "near": "#F3E3C0"}
_MARKS = {"within": "●", "near": "◆", "outside": "▲", "undecided": "◌", "not_measured": "○"}


class BatchDialog(QDialog):
    """Choose scans and outputs, run them, and see the summary; or watch a folder."""

    def __init__(self, plan: Path, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.plan = plan
        self.scans: list[Path] = []
        self.batch: Batch | None = None
        self.inbox: Inbox | None = None
        self.setWindowTitle(f"Many scans by {plan.name}")
        self.resize(980, 640)
        outer = QVBoxLayout(self)
        self.tabs = QTabWidget()
        self.tabs.addTab(self._batch_page(), "Batch")
        self.summary = QTableWidget()
        self.summary.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.summary.verticalHeader().hide()
        self.summary.setAccessibleName("summary: characteristics by samples")
        self.tabs.addTab(self.summary, "Summary")
        self.tabs.setTabEnabled(1, False)
        self.tabs.addTab(self._inbox_page(), "Inbox")
        outer.addWidget(self.tabs)
        self.told = label("", "soft", wrap=True)
        outer.addWidget(self.told)
        self._timer = QTimer(self)
        self._timer.setInterval(_POLL_MS)
        self._timer.timeout.connect(self._on_time)
        self.refresh()

    # Building --------------------------------------------------------------------------------------------------

    def _batch_page(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        self.add_files, self.add_folder = (
            button("Add scans …", self._ask_files),
            button("Add a folder …", self._ask_folder),
        )
        self.unit = choice(_UNITS, lambda k: None, "unit of the scans")
        self.clear = button("Take all out", self._on_clear)
        top = QHBoxLayout()
        choosing: tuple[QWidget, ...] = (self.add_files, self.add_folder, self.clear, self.unit)
        for one in choosing:
            top.addWidget(one)
        top.addStretch()
        column.addLayout(top)
        self.table = QTableWidget(0, 3)
        self.table.setHorizontalHeaderLabels(["Scan", "Progress", "Result"])
        self.table.horizontalHeader().setSectionResizeMode(0, QHeaderView.ResizeMode.Interactive)
        self.table.setColumnWidth(0, 260)
        self.table.setColumnWidth(1, 190)
        self.table.horizontalHeader().setStretchLastSection(True)
        self.table.verticalHeader().hide()
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setAccessibleName("scans of the batch")
        column.addWidget(self.table, 1)
        self.formats = {f: QCheckBox(f.upper() if f != "sample" else "sample files") for f in FORMATS}
        for f in USUAL_FORMATS:
            self.formats[f].setChecked(True)
        outputs = QHBoxLayout()
        outputs.addWidget(label("Outputs", "soft"))
        for box in self.formats.values():
            outputs.addWidget(box)
        outputs.addStretch()
        outputs.addWidget(label("Workers", "soft"))
        self.jobs = number_box(1, 64, 0, tip="Worker processes; usually one a core")
        self.jobs.setValue(os.cpu_count() or 1)
        outputs.addWidget(self.jobs)
        column.addLayout(outputs)
        where = QHBoxLayout()
        self.out = QLineEdit(str(self.plan.parent / f"{self.plan.stem} results"))
        self.out.setAccessibleName("folder for the outputs")
        self.naming = QLineEdit("{scan}")
        self.naming.setAccessibleName("names of the outputs")
        self.naming.setToolTip("Made of {scan}, {plan} and {number}")
        keep_size(self.naming, width=150)
        for widget in (
            label("Folder", "soft"),
            self.out,
            button("…", self._ask_out),
            label("Names", "soft"),
            self.naming,
        ):
            where.addWidget(widget)
        column.addLayout(where)
        self.start = button("Inspect all", self._on_start, main=True)
        self.cancel = button("Stop", self._on_cancel)
        self.again = QCheckBox("Do again what is done")
        bottom = QHBoxLayout()
        bottom.addWidget(self.again)
        bottom.addStretch()
        bottom.addWidget(self.cancel)
        bottom.addWidget(self.start)
        column.addLayout(bottom)
        return page

    def _inbox_page(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.addWidget(label("Every scan that arrives completely in the folder is inspected by the saved plan. It is "
                               "moved to the folder “done”, or to “failed” with the reason beside it; what is written "
                               "goes to “results”.", "soft", wrap=True))  # fmt: skip
        self.folder = QLineEdit()
        self.folder.setAccessibleName("folder that is watched")
        self.watch = button("Watch", self._on_watch, main=True)
        line = QHBoxLayout()
        across: tuple[QWidget, ...] = (label("Folder", "soft"), self.folder, button("…", self._ask_inbox), self.watch)
        for part in across:
            line.addWidget(part)
        column.addLayout(line)
        self.arrived = QTableWidget(0, 3)
        self.arrived.setHorizontalHeaderLabels(["Scan", "Progress", "Result"])
        self.arrived.horizontalHeader().setStretchLastSection(True)
        self.arrived.setColumnWidth(0, 260)
        self.arrived.setColumnWidth(1, 190)
        self.arrived.verticalHeader().hide()
        self.arrived.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        column.addWidget(self.arrived, 1)
        return page

    # Choosing --------------------------------------------------------------------------------------------------

    def _ask_files(self) -> None:
        kinds = " ".join(f"*{e}" for e in (*SCAN_READERS, ".tgsample"))
        names, _ = QFileDialog.getOpenFileNames(self, "Add scans", str(self.plan.parent), f"Scans ({kinds})")
        self.add_scans([Path(n) for n in names])

    def _ask_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Add all scans of a folder", str(self.plan.parent))
        if name:
            self.add_scans([Path(name)])

    def _ask_out(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Folder for the outputs", self.out.text())
        if name:
            self.out.setText(name)

    def _ask_inbox(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Folder to watch", str(self.plan.parent))
        if name:
            self.folder.setText(name)

    def add_scans(self, paths: list[Path]) -> None:
        """Add files, or all scans of folders."""
        try:
            found = scans_in(paths)
        except TrueGaugeError as error:
            self.told.setText(str(error))
            return
        strange = [p.name for p in found if not is_scan(p)]
        self.told.setText(f"not scans: {', '.join(strange)}" if strange else "")
        self.scans += [p for p in found if is_scan(p) and p not in self.scans]
        self.refresh()

    def _on_clear(self) -> None:
        self.scans = []
        self.refresh()

    # Running ---------------------------------------------------------------------------------------------------

    def _on_start(self) -> None:
        formats = tuple(f for f, box in self.formats.items() if box.isChecked())
        settings = BatchSettings(
            self.plan, tuple(self.scans), Path(self.out.text()), str(self.unit.currentData()), formats,
            self.naming.text().strip() or "{scan}", int(self.jobs.value()), again=self.again.isChecked(),
        )  # fmt: skip
        try:
            self.batch = Batch(settings)
            self.batch.start()
        except TrueGaugeError as error:
            self.batch = None
            self.told.setText(str(error))
            return
        self.told.setText("")
        self._timer.start()
        self.refresh()

    def _on_cancel(self) -> None:
        if self.batch is not None:
            self._end("stopped; what is done stays done, and the next start goes on from there")

    def _on_time(self) -> None:
        batch = self.batch
        if batch is not None:
            try:
                batch.step(0.0)
            except TrueGaugeError as error:
                self._end(str(error))
            if self.batch is not None and batch.is_done:
                failed = sum(r.failed for r in batch.records.values())
                kept = f", {batch.kept} of them before" if batch.kept else ""
                self._end(f"{len(batch.records) - failed} inspected{kept}, {failed} failed")
        if self.inbox is not None:
            try:
                self.inbox.step(0.0)
            except (TrueGaugeError, OSError) as error:
                self.told.setText(str(error))
                self._stop_inbox()
        self._show_arrived()
        self._show_progress()

    def _end(self, words: str) -> None:
        batch, self.batch = self.batch, None
        assert batch is not None
        batch.close()
        self._show_rows(batch)
        if batch.records:
            try:
                written = batch.write_summary()
                words += f". Summary: {written[1]}"
            except TrueGaugeError as error:
                words += f". {error}"
            self._show_summary(batch.summary())
        self.told.setText(words)
        self._stop_timer()
        self.refresh()

    def _stop_timer(self) -> None:
        if self.batch is None and self.inbox is None:
            self._timer.stop()

    def _on_watch(self) -> None:
        if self.inbox is not None:
            self._stop_inbox()
            return
        try:
            formats = tuple(f for f, box in self.formats.items() if box.isChecked())
            self.inbox = Inbox(InboxSettings(self.plan, Path(self.folder.text() or "."), formats=formats))
        except TrueGaugeError as error:
            self.told.setText(str(error))
            return
        self.told.setText(f"watching {self.folder.text()}")
        self._timer.start()
        self.refresh()

    def _stop_inbox(self) -> None:
        if self.inbox is not None:
            self.inbox.close()
            self.inbox = None
        self._stop_timer()
        self.refresh()

    # Showing ---------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the rows and what can be done."""
        running = self.batch is not None
        for widget in (self.add_files, self.add_folder, self.clear, self.unit, self.out, self.naming, self.jobs,
                       self.again, *self.formats.values()):  # fmt: skip
            widget.setEnabled(not running)
        self.start.setEnabled(not running and bool(self.scans))
        self.cancel.setEnabled(running)
        self.watch.setText("Stop watching" if self.inbox is not None else "Watch")
        self.folder.setEnabled(self.inbox is None)
        if self.table.rowCount() != len(self.scans):
            self.table.setRowCount(len(self.scans))
            for k, scan in enumerate(self.scans):
                self.table.setItem(k, 0, QTableWidgetItem(scan.name))
                bar = QProgressBar()
                bar.setRange(0, 100)
                self.table.setCellWidget(k, 1, bar)
                self.table.setItem(k, 2, QTableWidgetItem(""))
        self._show_progress()

    def _show_progress(self) -> None:
        if self.batch is not None:
            self._show_rows(self.batch)

    def _show_rows(self, batch: Batch) -> None:
        for k, task in enumerate(batch.tasks):
            fraction, text = batch.progress[task.name]
            bar = self.table.cellWidget(k, 1)
            if isinstance(bar, QProgressBar):
                bar.setValue(round(100 * fraction))
            record = batch.records.get(task.name)
            item = self.table.item(k, 2)
            if item is not None:
                item.setText(text if record is None else record.words)
                item.setToolTip(item.text())
                if record is not None and record.is_bad:
                    item.setBackground(QBrush(QColor(_COLORS["outside"])))

    def _show_arrived(self) -> None:
        if self.inbox is None:
            return
        lines = [(Path(r.scan).name, "failed" if r.failed else "done", r.words, r.is_bad) for r in self.inbox.finished]
        lines += [(p.name, "left", reason, True) for p, reason in self.inbox.refused]
        lines += [(p.name, "arriving", "", False) for p in self.inbox.waiting]
        self.arrived.setRowCount(len(lines))
        for k, (*cells, is_bad) in enumerate(lines):
            for column, text in enumerate(cells):
                item = QTableWidgetItem(text)
                item.setToolTip(text)
                self.arrived.setItem(k, column, item)
            if is_bad:
                item.setBackground(QBrush(QColor(_COLORS["outside"])))

    def _show_summary(self, summary: Summary) -> None:
        table = self.summary
        heads = ["No.", "Characteristic", "Nominal", "Lower", "Upper", *(s.name for s in summary.samples), "Mean",
                 "Std. dev.", "Outside"]  # fmt: skip
        table.clear()
        table.setColumnCount(len(heads))
        table.setHorizontalHeaderLabels(heads)
        table.setRowCount(len(summary.rows))
        for k, r in enumerate(summary.rows):
            texts: list[tuple[str, str]] = [(str(r.number), ""), (r.name, "")]
            texts += [("" if v is None else f"{v:.3f}", "") for v in (r.nominal, r.lower, r.upper)]
            texts += [
                (
                    f"{_MARKS.get(c.state, '')} "
                    + ("not measured" if c.measured is None else f"{c.measured:.3f}")
                    + (f" ({c.bonus:+.3f})" if c.bonus else ""),
                    c.state,
                )
                for c in r.cells
            ]
            texts += [("" if v is None else f"{v:.4f}", "") for v in (r.mean, r.deviation)]
            texts.append((str(r.outside), "outside" if r.outside else ""))
            for column, (text, state) in enumerate(texts):
                item = QTableWidgetItem(text)
                if column != 1:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                if state in _COLORS:
                    item.setBackground(QBrush(QColor(_COLORS[state])))
                    item.setForeground(QBrush(QColor("#1F2A33")))
                table.setItem(k, column, item)
        table.resizeColumnsToContents()
        self.tabs.setTabEnabled(1, True)
        self.tabs.setCurrentIndex(1)

    def closeEvent(self, event: QCloseEvent) -> None:
        """Stop what runs."""
        self._stop()
        super().closeEvent(event)

    def reject(self) -> None:
        """Stop what runs."""
        self._stop()
        super().reject()

    def _stop(self) -> None:
        self._timer.stop()
        if self.batch is not None:
            self.batch.close()
            self.batch = None
        if self.inbox is not None:
            self.inbox.close()
            self.inbox = None
