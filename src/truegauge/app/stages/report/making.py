"""Making the report of what is evaluated now, off the window's thread: for the preview, and to save it."""

import datetime
from collections.abc import Callable

from PySide6.QtCore import QObject, QTimer

from truegauge.app.shell.files import file_name
from truegauge.app.shell.shell import Shell
from truegauge.app.stages.report.report_preview import ReportPreview
from truegauge.core.progress import Progress
from truegauge.formats.results import results_csv
from truegauge.formats.results_xlsx import results_xlsx
from truegauge.jobs.imperfections import given_of
from truegauge.jobs.surface_report import bare_report, report_bytes, sheets_of, table_bytes
from truegauge.rendering.report_views import report_with_views
from truegauge.reporting.shadow_report import shadow_report
from truegauge.reporting.surface_sheet import SurfaceSheet

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
        self._saved: object = None
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
            make = self._report()
            if make is not None:
                self._session.queue.start(make, self._show, "Making the report")

    def _show(self, pdf: bytes) -> None:
        self.pdf = pdf
        if self._session.stage == "report":
            self.preview.show_pdf(pdf)

    @property
    def is_saved(self) -> bool:
        """Whether the results as they are now were saved in one form or another."""
        return self._saved is not None and self._saved == self._now()

    def _now(self) -> object:
        s = self._session
        return (s.plan, s.sample) if self.is_bare else s.evaluation

    def _report(self, *, html: bool = False) -> Callable[[Progress], bytes] | None:
        """Return what makes the report of what is evaluated now; None without results."""
        s = self._session
        evaluator, evaluation, sample, camera = s.evaluator, s.evaluation, s.sample, self._view.camera
        made = datetime.datetime.now().strftime("%Y-%m-%d %H:%M")
        plan, known, earlier = s.plan, s.surfaces.known(), s.surfaces.earlier
        if self.is_bare and sample is not None:
            return lambda progress: report_bytes(
                bare_report(plan, sample, sheets_of(plan, sample, known, progress, earlier=earlier), made), html=html
            )
        if evaluator is None or evaluation is None:
            return None

        if plan.silhouette is not None:
            return lambda progress: report_bytes(shadow_report(evaluation, sample, made), html=html)

        def make(progress: Progress) -> bytes:
            scanned = sample is not None and len(sample.points) > 0
            sheets: tuple[SurfaceSheet, ...] = ()
            if scanned and sample is not None:
                sheets = sheets_of(plan, sample, known, progress, earlier=earlier, evaluation=evaluation,
                                   part=lambda: given_of(evaluator, plan, sample, evaluation))  # fmt: skip
            report = report_with_views(evaluator, evaluation, sample, made, camera, sheets=sheets)
            return report_bytes(report, html=html)

        return make

    @property
    def is_bare(self) -> bool:
        """Whether a scan without a part was looked at: the report is of its surface checks."""
        return self._session.bare_scan.is_there and bool(self._session.plan.surface_checks)

    @property
    def has_results(self) -> bool:
        """Whether there is something to report."""
        return self._session.evaluation is not None or self.is_bare

    def _save(self, title: str, kinds: str, ending: str, make: Callable[[Progress], bytes] | None) -> None:
        """Ask where, and save there."""
        path = self._files.ask_save(title, kinds, f"{file_name(self._session.plan.name)}{ending}")
        if path and make is not None:
            now = self._now()
            self._session.files.write(path, make, lambda: setattr(self, "_saved", now))

    def ask_pdf(self) -> None:
        """Ask where to save the report."""
        self._save("Save report", "PDF (*.pdf)", ".pdf", self._report())

    def ask_html(self) -> None:
        """Ask where to save the report as one HTML file."""
        self._save("Save report", "HTML (*.html)", ".html", self._report(html=True))

    def ask_xlsx(self) -> None:
        """Ask where to save the table as a workbook."""
        evaluation, sample = self._session.evaluation, self._session.sample
        make = None if evaluation is None else lambda _: results_xlsx(evaluation, sample)
        self._save("Save table", "XLSX (*.xlsx)", ".xlsx", make)

    def ask_csv(self) -> None:
        """Ask where to save the table."""
        s = self._session
        evaluation, sample, plan, known = s.evaluation, s.sample, s.plan, s.surfaces.known()
        earlier = s.surfaces.earlier
        if self.is_bare and sample is not None:
            self._save(
                "Save table", "CSV (*.csv)", ".csv",
                lambda progress: table_bytes(sheets_of(plan, sample, known, progress, earlier=earlier)),
            )  # fmt: skip
            return
        make = None if evaluation is None else lambda _: results_csv(evaluation, sample)
        self._save("Save table", "CSV (*.csv)", ".csv", make)
