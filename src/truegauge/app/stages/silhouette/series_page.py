"""The page Series: who measures what, where it is logged; starting, measuring again, setting aside."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from truegauge.app.stages.silhouette.fields import show_text, text_field
from truegauge.app.widgets.bench import Pairs, button, label, say
from truegauge.app.widgets.parts import row

if TYPE_CHECKING:
    from truegauge.app.stages.silhouette.series_model import SeriesModel

_HINT = ("Put a part down: when it lies still it is measured, judged and logged once. Take it away, and put the next "
         "one down.")  # fmt: skip


class SeriesPage(QWidget):
    """Fields first; the buttons of a running series below them."""

    def __init__(self, series: SeriesModel, ask_log: Callable[[], Path | None], ask_folder: Callable[[], Path | None],
                 ask_table: Callable[[], object]) -> None:  # fmt: skip
        super().__init__()
        self._series = series
        self._ask_log, self._ask_folder = ask_log, ask_folder
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.hint = label(_HINT, "soft", wrap=True)
        self.operator = text_field("operator", lambda text: series.set_about(operator=text), width=130)
        self.batch = text_field("batch", lambda text: series.set_about(batch=text), width=130)
        self.serial = text_field("serial number of the next part", self._on_serial, width=130)
        self.log = button("Log …", self._on_log)
        self.no_log = button("No log", self._on_no_log)
        self.log_name = label("", "soft", wrap=True)
        self.folder = button("Samples …", self._on_folder)
        self.no_folder = button("None", self._on_no_folder)
        self.folder_name = label("", "soft", wrap=True)
        self.sound = QCheckBox("A sound for each part")
        self.sound.setChecked(series.sound)
        self.sound.toggled.connect(lambda on: setattr(series, "sound", on))
        self.start = button("Start the series", series.start, main=True)
        self.end = button("End the series", series.end)
        self.again = button("Measure again", series.again)
        self.aside = button("Set aside", series.set_aside)
        self.table = button("Log as XLSX …", ask_table)
        self.pairs = Pairs()
        for widget in (self.hint, row("Operator", self.operator), row("Batch", self.batch),
                       row("Serial, next", self.serial), row(self.log, self.no_log), self.log_name,
                       row(self.folder, self.no_folder), self.folder_name, self.sound, self.start,
                       row(self.again, self.aside), self.end, self.pairs, self.table):  # fmt: skip
            column.addWidget(widget)
        column.addStretch()

    def _on_serial(self, text: str) -> None:
        if text:
            self._series.set_about(serial=text)

    def _on_log(self) -> None:
        path = self._ask_log()
        if path is not None:
            self._series.log_path = path
            self.refresh()

    def _on_no_log(self) -> None:
        self._series.log_path = None
        self.refresh()

    def _on_folder(self) -> None:
        path = self._ask_folder()
        if path is not None:
            self._series.samples = path
            self.refresh()

    def _on_no_folder(self) -> None:
        self._series.samples = None
        self.refresh()

    def refresh(self) -> None:
        """Show the series as it is now."""
        s = self._series
        say(self.hint, "" if s.is_running else _HINT)
        for field, value in ((self.operator, s.operator), (self.batch, s.batch), (self.serial, s.serial)):
            show_text(field, value)
        for widget in (self.log, self.no_log, self.start):
            widget.setVisible(not s.is_running)
        self.no_log.setVisible(not s.is_running and s.log_path is not None)
        self.no_folder.setVisible(s.samples is not None)
        say(self.log_name, "No log is written" if s.log_path is None else f"Log: {s.log_path.name}")
        say(self.folder_name, "No samples are kept" if s.samples is None else f"Samples: {s.samples.name}")
        self.start.setEnabled(not s.missing())
        self.start.setToolTip(s.missing())
        for widget in (self.end, self.again, self.aside):
            widget.setVisible(s.is_running)
        self.again.setEnabled(s.last is not None)
        self.aside.setEnabled(s.last is not None and not s.last.aside)
        self.table.setVisible(s.log_path is not None and s.log_path.exists())
        counts = s.counts
        self.pairs.setVisible(bool(s.parts))
        self.pairs.show_pairs([(word, str(n)) for word, n in counts.items() if n or word in ("good", "bad")])
