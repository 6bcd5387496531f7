"""Making the report of what is evaluated now, off the window's thread: for the preview, and to save it."""

import datetime
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, QTimer

from truegauge.app.shell.files import file_name
from truegauge.app.shell.shell import Shell
from truegauge.app.stages.report.report_preview import ReportPreview
from truegauge.core.errors import FormatError
from truegauge.formats.files import write_whole
from truegauge.formats.results import results_csv
from truegauge.formats.results_xlsx import results_xlsx
from truegauge.rendering.report_views import report_with_views
from truegauge.reporting.report import Report

_DELAY_MS = 250


class ReportMaker(QObject):
    """Keeps the preview current while it is seen."""

    def __init__(self, shell: Shell) -> None:
        super().__init__(shell)
        self._session, self._view, self._files = shell.session, shell.view, shell.files
        self.preview = ReportPreview()
        self.pdf = b""
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_DELAY_MS)
        self._timer.timeout.connect(self.refresh)
        for signal in (self._session.document.plan_changed, self._session.document.evaluated, self.preview.resized):
            signal.connect(self.want_preview)

    def want_preview(self) -> None:
        """Show the report as it is now, soon."""
        if self._session.stage == "report":
            self._timer.start()

    def refresh(self) -> None:
        """Make the report and show it."""
        if self._session.stage == "report":
            self._make(self._show)

    def _show(self, pdf: bytes) -> None:
        self.pdf = pdf
        if self._session.stage == "report":
            self.preview.show_pdf(pdf)

    def _make(self, then: Callable[[bytes], None], *, html: bool = False) -> None:
        s = self._session
        evaluator, evaluation, sample, camera = s.evaluator, s.evaluation, s.sample, self._view.camera
        if evaluator is None or evaluation is None:
            return
        made = datetime.datetime.now().strftime("%Y-%m-%d %H:%M")
        s.queue.start(
            lambda progress: _written(report_with_views(evaluator, evaluation, sample, made, camera), html=html), then,
            "Making the report",
        )  # fmt: skip

    def _where(self, title: str, kinds: str, ending: str) -> Path | None:
        return self._files.ask_save(title, kinds, f"{file_name(self._session.plan.name)}{ending}")

    def ask_pdf(self) -> None:
        """Ask where to save the report."""
        path = self._where("Save report", "PDF (*.pdf)", ".pdf")
        if path:
            self._make(lambda pdf: self._write(path, pdf))

    def ask_html(self) -> None:
        """Ask where to save the report as one HTML file."""
        path = self._where("Save report", "HTML (*.html)", ".html")
        if path:
            self._make(lambda page: self._write(path, page), html=True)

    def ask_xlsx(self) -> None:
        """Ask where to save the table as a workbook."""
        evaluation = self._session.evaluation
        path = self._where("Save table", "XLSX (*.xlsx)", ".xlsx")
        if path and evaluation is not None:
            self._write(path, results_xlsx(evaluation, self._session.sample))

    def ask_csv(self) -> None:
        """Ask where to save the table."""
        evaluation = self._session.evaluation
        path = self._where("Save table", "CSV (*.csv)", ".csv")
        if path and evaluation is not None:
            self._write(path, results_csv(evaluation, self._session.sample))

    def _write(self, path: Path, data: bytes) -> None:
        try:
            write_whole(path, data)
        except FormatError as error:
            self._session.notify(error)


def _written(report: Report, *, html: bool) -> bytes:
    """Return a report as PDF or HTML; what writes them is loaded when the first is made."""
    from truegauge.reporting.html import write_html
    from truegauge.reporting.pdf import write_pdf

    return write_html(report) if html else write_pdf(report)
