"""Many scans by one plan: a batch with a row for each, its summary, and an inbox that is watched."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QTimer
from PySide6.QtGui import QCloseEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QProgressBar,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from truegauge.app.shell.batch.scan_rows import ScanRow, ScanRows, row_of
from truegauge.app.shell.batch.summary_table import SummaryTable
from truegauge.app.widgets.bench import PageTabs, button, label, number_box
from truegauge.app.widgets.parts import choice
from truegauge.app.widgets.text_size import keep_size, panel_sized
from truegauge.app.widgets.theme import Theme
from truegauge.core.errors import TrueGaugeError
from truegauge.formats.scan import SCAN_READERS
from truegauge.jobs.batch import USUAL_FORMATS, Batch, BatchSettings, is_scan, scans_in
from truegauge.jobs.inbox import Inbox, InboxSettings
from truegauge.jobs.inspection import FORMATS
from truegauge.jobs.records import Earlier
from truegauge.jobs.summary import Summary

_POLL_MS = 120
_UNITS = (("", "unit by the file"), ("mm", "mm"), ("cm", "cm"), ("m", "m"), ("inch", "inch"))


class BatchDialog(QDialog):
    """Choose scans and outputs, run them, and see the summary; or watch a folder."""

    def __init__(
        self, plan: Path, theme: Theme, open_sample: Callable[[Path, int], object], parent: QWidget | None = None,
        earlier: Earlier | None = None,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self.plan, self._theme, self._open_sample = plan, theme, open_sample
        self._earlier = earlier  # that checks of the surface measure from
        self._under_way: dict[str, tuple[float, str]] = {}  # in the inbox
        self.scans: list[Path] = []
        self.batch: Batch | None = None
        self.inbox: Inbox | None = None
        self.setWindowTitle(f"Many scans by {plan.name}")
        self.resize(panel_sized(980), panel_sized(640))
        outer = QVBoxLayout(self)
        self.tabs = PageTabs((("batch", "Batch"), ("summary", "Summary"), ("inbox", "Inbox")), self.set_page)
        self.tabs.setMaximumWidth(panel_sized(330))
        self.pages = QStackedWidget()
        self.pages.addWidget(self._batch_page())
        self.summary = SummaryTable(theme)
        self.summary.wanted.connect(lambda scan, number: self._see(Path(scan), number))
        self.pages.addWidget(self.summary)
        self.pages.addWidget(self._inbox_page())
        self.tabs.buttons["summary"].setEnabled(False)
        self.tabs.buttons["batch"].setChecked(True)
        outer.addWidget(self.tabs)
        outer.addWidget(self.pages, 1)
        self.told = label("", "soft", wrap=True)
        outer.addWidget(self.told)
        self._timer = QTimer(self)
        self._timer.setInterval(_POLL_MS)
        self._timer.timeout.connect(self._on_time)
        self.refresh()

    def set_page(self, key: str) -> None:
        """Show a page."""
        self.tabs.buttons[key].setChecked(True)
        self.pages.setCurrentIndex(list(self.tabs.buttons).index(key))

    # Building --------------------------------------------------------------------------------------------------

    def _batch_page(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        self.add_files, self.add_folder = (
            button("Add scans …", self._ask_files),
            button("Add a folder …", self._ask_folder),
        )
        self.unit = choice(_UNITS, lambda k: None, "unit of the scans")
        self.unit.setMinimumContentsLength(14)
        self.clear = button("Take all out", self._on_clear)
        top = QHBoxLayout()
        choosing: tuple[QWidget, ...] = (self.add_files, self.add_folder, self.clear, self.unit)
        for one in choosing:
            top.addWidget(one)
        top.addStretch()
        column.addLayout(top)
        self.table = ScanRows(self._theme, "scans of the batch")
        self.table.wanted.connect(lambda scan: self._see(Path(scan), 0))
        self.whole = QProgressBar()
        self.whole.setRange(0, 1000)
        self.whole.setTextVisible(False)
        self.whole.hide()
        column.addWidget(self.table, 1)
        column.addWidget(self.whole)
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
        if self._earlier is not None:
            said = f"Checks of the surface that measure from an earlier scan take {self._earlier.scan.name}."
            column.addWidget(label(said, "soft", wrap=True))
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
        self.arrived = ScanRows(self._theme, "scans of the inbox")
        self.arrived.wanted.connect(lambda scan: self._see(Path(scan), 0))
        column.addWidget(self.arrived, 1)
        return page

    def _see(self, scan: Path, number: int) -> None:
        """Show a sample in the window, at why one of its characteristics is what it is."""
        self._open_sample(scan, number)
        if self.batch is None and self.inbox is None:
            self.close()

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
            earlier=self._earlier,
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
                for event in self.inbox.step(0.0):
                    self._under_way[event.task.scan.name] = (event.fraction, event.text)
                    if event.record is not None:
                        del self._under_way[event.task.scan.name]
            except (TrueGaugeError, OSError) as error:
                self.told.setText(str(error))
                self._stop_inbox()
        self._show_arrived()
        self._show_progress()

    def _end(self, words: str) -> None:
        batch, self.batch = self.batch, None
        assert batch is not None
        batch.close()
        self._show_rows(batch, stopped=True)
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
            folder = Path(self.folder.text() or ".")
            self.inbox = Inbox(InboxSettings(self.plan, folder, formats=formats, earlier=self._earlier))
        except TrueGaugeError as error:
            self.told.setText(str(error))
            return
        self._under_way = {}
        self._timer.start()
        self.refresh()
        self._show_arrived()

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
        if not running and [r.name for r in self.table.rows] != [p.name for p in self.scans]:
            self.table.show_rows([ScanRow(p.name, str(p.parent)) for p in self.scans])
        self._show_progress()

    def _show_progress(self) -> None:
        if self.batch is not None:
            self._show_rows(self.batch)

    def _show_rows(self, batch: Batch, *, stopped: bool = False) -> None:
        rows = []
        for task in batch.tasks:
            fraction, text = batch.progress[task.name]
            record = batch.records.get(task.name)
            if stopped and record is None:
                text = "stopped before it was done" if fraction > 0 else "stopped before it was begun"
            rows.append(row_of(task.scan, None if stopped or text == "waiting" else fraction, text, record))
        self.table.show_rows(rows)
        done = len(batch.records)
        self.whole.setVisible(not stopped)
        share = sum(1.0 if t.name in batch.records else batch.progress[t.name][0] for t in batch.tasks)
        self.whole.setValue(round(1000 * share / max(1, len(batch.tasks))))
        if not stopped:
            self.told.setText(f"{done} of {len(batch.tasks)} done")

    def _show_arrived(self) -> None:
        box = self.inbox
        if box is None:
            return
        under_way = {name: far for name, far in self._under_way.items() if name not in {
            Path(r.scan).name for r in box.finished}}  # fmt: skip
        rows = [row_of(Path(name), fraction, text, None) for name, (fraction, text) in under_way.items()]
        rows += [ScanRow(p.name, "arriving: it still changes", None) for p in box.waiting if p.name not in under_way]
        rows += [ScanRow(p.name, reason, None, None, is_wrong=True) for p, reason in box.refused]
        rows += [row_of(Path(r.scan), 1.0, "", r) for r in reversed(box.finished)]
        self.arrived.show_rows(rows)
        failed = sum(r.failed for r in box.finished)
        words = f"watching {box.settings.folder}:  {len(box.finished) - failed} inspected, {failed} failed"
        if under_way:
            words += f",  now {', '.join(under_way)}"
        elif box.waiting:
            words += f",  {len(box.waiting)} arriving"
        else:
            words += ",  waiting for the next scan"
        self.told.setText(words)

    def _show_summary(self, summary: Summary) -> None:
        self.summary.show_summary(summary)
        self.tabs.buttons["summary"].setEnabled(True)
        self.set_page("summary")

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
