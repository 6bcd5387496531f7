"""The frame of the window: rail, header, bench, view with what floats over it, ledger."""

import datetime
from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QPoint, QSettings, Qt, QTimer
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QImage, QResizeEvent
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QMainWindow,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from truegauge.app.document.files import PLAN_ENDING, SCAN_ENDINGS
from truegauge.app.document.look import OPAQUE, SEE_THROUGH
from truegauge.app.document.queue import Notice
from truegauge.app.document.session import Session
from truegauge.app.document.stage import STAGES
from truegauge.app.ledger.ledger import Ledger
from truegauge.app.ledger.tolerance_actions import ToleranceActions
from truegauge.app.ledger.why_panel import WhyPanel
from truegauge.app.shell.actions import Action, Actions
from truegauge.app.shell.batch_dialog import BatchDialog
from truegauge.app.shell.columns_dialog import ColumnsDialog
from truegauge.app.shell.finder import Finder
from truegauge.app.shell.header import Header
from truegauge.app.shell.notice_bar import NoticeBar
from truegauge.app.shell.rail import Rail
from truegauge.app.stages.align.before_after import BeforeAfter
from truegauge.app.stages.align.bench import AlignBench, BringIn
from truegauge.app.stages.align.guide import GuideModel
from truegauge.app.stages.align.model import AlignModel
from truegauge.app.stages.align.overlay import AlignOverlay
from truegauge.app.stages.devices.bench import DevicesBench
from truegauge.app.stages.devices.machine_model import MachineModel
from truegauge.app.stages.devices.machine_view import MachineView
from truegauge.app.stages.devices.model import PAGES as DEVICE_PAGES
from truegauge.app.stages.devices.model import DevicesModel
from truegauge.app.stages.devices.readout import MachineReadout
from truegauge.app.stages.devices.result_page import ResultPage
from truegauge.app.stages.devices.touch_model import MachineForGuide, TouchModel
from truegauge.app.stages.evaluate.bench import PAGES, EvaluateBench
from truegauge.app.stages.evaluate.model import EvaluateModel
from truegauge.app.stages.evaluate.section_page import SectionPage
from truegauge.app.stages.evaluate.thumbnails import thumbnail
from truegauge.app.stages.measure.bench import MeasureBench
from truegauge.app.stages.measure.form_page import FormModel, FormPage
from truegauge.app.stages.part.bench import PartBench
from truegauge.app.stages.part.nominal_table import NominalTable
from truegauge.app.stages.report.bench import ReportBench
from truegauge.app.stages.report.report_preview import ReportPreview
from truegauge.app.view.deviation_scale import DeviationScaleBar
from truegauge.app.view.outline_tool import MODES
from truegauge.app.view.proposals_strip import ProposalsStrip
from truegauge.app.view.section_panel import SectionPanel
from truegauge.app.view.view import View
from truegauge.app.widgets.painting import application_icon
from truegauge.app.widgets.question import ask
from truegauge.app.widgets.theme import DAY, NIGHT, THEMES, style_sheet
from truegauge.core.deviations.areas import OutsideArea
from truegauge.core.errors import ColumnsUnknownError, FormatError, shortened
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.plan.alignments import KIND_NAMES
from truegauge.core.plan.views import SavedView
from truegauge.core.sections.plane import upright
from truegauge.formats.files import write_whole
from truegauge.formats.part_kinds import PART_ENDINGS
from truegauge.formats.results import results_csv
from truegauge.formats.results_xlsx import results_xlsx
from truegauge.formats.scan import Columns
from truegauge.rendering.camera import STANDARD_VIEWS, Camera
from truegauge.rendering.report_views import report_with_views
from truegauge.reporting.html import write_html
from truegauge.reporting.pdf import write_pdf
from truegauge.reporting.report import Report

_PREVIEW_DELAY_MS = 250
_PAGE_WORDS = {
    "map": "deviations everywhere", "spots": "deviations at places", "sections": "cuts with dimensions",
    "points": "nominal and measured by name", "views": "pictures for the report, tags",
}  # fmt: skip
_BENCH, _WIDE_BENCH = 232, 292
_SAVE, _DISCARD, _OTHER_NAME, _REPLACE = "Save", "Discard", "Save under another name", "Replace it"


class MainWindow(QMainWindow):
    """The window of the application."""

    def __init__(self, session: Session, theme_name: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        session.document.may_let_sample_go = self.may_leave_sample
        self.was_left = False  # by the user, who was asked about unsaved work
        self._settings = QSettings("truegauge", "truegauge")
        self.theme = THEMES.get(theme_name or str(self._settings.value("theme", "day")), DAY)
        self.setWindowTitle("True Gauge")
        self.setWindowIcon(application_icon())
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self._pdf = b""
        self._preview_timer = QTimer(self)
        self._preview_timer.setSingleShot(True)
        self._preview_timer.setInterval(_PREVIEW_DELAY_MS)
        self._preview_timer.timeout.connect(self._refresh_preview)
        self._build()
        self.actions_table = Actions(self, self._table())
        self._connect()
        self.setStyleSheet(style_sheet(self.theme))
        self._on_stage_changed()
        self._place_floating()
        self.view.setFocus()

    # Layout ----------------------------------------------------------------------------------------------------

    def _build(self) -> None:
        s, t = self.session, self.theme
        central = QWidget()
        central.setObjectName("window")
        self.setCentralWidget(central)
        across = QHBoxLayout(central)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(0)
        self.rail = Rail(s, t)
        across.addWidget(self.rail)
        right = QVBoxLayout()
        right.setSpacing(0)
        across.addLayout(right, 1)
        self.header = Header(s)
        right.addWidget(self.header)
        below = QHBoxLayout()
        below.setSpacing(0)
        right.addLayout(below, 1)
        self.part_bench = PartBench(s, t, self.ask_part, self.edit_nominals)
        self.machine = MachineModel(s, self)
        self.devices = DevicesModel(self.machine, self)
        self.devices_bench = DevicesBench(self.devices, t, self.ask_catalogue)
        self.align, bring_in = (
            AlignModel(s, self),
            BringIn(self.ask_scan, self.ask_more, self.ask_turned, self.ask_touches, self.draw_outline),
        )
        self.guide = GuideModel(self.align, self)
        self.touching = TouchModel(self.machine, self)
        self.guide.machine = MachineForGuide(self.touching)
        self.align_bench = AlignBench(self.align, self.guide, t, bring_in)
        self.form = FormModel(s)
        self.measure_bench = MeasureBench(s, t, self.form, self.touching)
        self.evaluating = EvaluateModel(s, self)
        self.evaluate_bench = EvaluateBench(
            self.evaluating, self.ask_spots, self.ask_points, lambda: self.view.camera_to_save(), self._thumbnail
        )
        self.why_panel = WhyPanel(s, t)
        self.tolerances = ToleranceActions(s)
        self.report_bench = ReportBench(s, self.ask_save_pdf, self.ask_save_csv, self.ask_save_html, self.ask_save_xlsx)
        self.benches = QStackedWidget()
        self.benches.setObjectName("bench")
        self.benches.setFixedWidth(_BENCH)
        self._benches = {stage.key: stage.bench(self) for stage in STAGES.values()}
        for bench in (*self._benches.values(), self.why_panel):
            self.benches.addWidget(bench)
        below.addWidget(self.benches)
        self.center = QStackedWidget()
        self.view = View(s, t)
        self.view.set_aligning(self.align, AlignOverlay(self.align, self.guide))
        self.preview = ReportPreview()
        self.center.addWidget(self.view)
        self.center.addWidget(self.preview)
        self.section_page = SectionPage(self.evaluating, t)
        self.center.addWidget(self.section_page)
        self.machine_view = MachineView(self.devices, t)
        self.result_page = ResultPage(self.devices, t)
        for page in (self.machine_view, self.result_page):
            self.center.addWidget(page)
        self.form_page = FormPage(self.form, s, t)
        self.center.addWidget(self.form_page)
        self.readout = MachineReadout(self.touching, t)
        middle = QVBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.readout)
        middle.addWidget(self.center, 1)
        below.addLayout(middle, 1)
        self.ledger = Ledger(s, t)
        below.addWidget(self.ledger)
        self.scale = DeviationScaleBar(s, t, self.view)
        self.scale.hide()
        self.strip = ProposalsStrip(s, t, self.view)
        self.hover_label = QLabel(self.view)
        self.hover_label.setProperty("role", "chip")
        self.hover_label.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.hover_label.hide()
        self.section_panel = SectionPanel(s, t, self.view)
        self.before_after = BeforeAfter(self.align, self.view)
        self.notice = NoticeBar(self.center)

    def _connect(self) -> None:
        s = self.session
        s.stage_changed.connect(self._on_stage_changed)
        s.pointer.changed.connect(self._on_hover_changed)
        s.showing.changed.connect(self._place_floating)
        s.showing.changed.connect(self._choose_bench)
        s.showing.changed.connect(self._choose_center)
        s.document.plan_changed.connect(self._choose_center)
        self.devices.changed.connect(self._choose_center)
        self.evaluate_bench.map_page.area_wanted.connect(self._go_to_area)
        s.document.evaluated.connect(self._place_floating)
        s.queue.noticed.connect(self.notice.show_notice)
        s.queue.columns_wanted.connect(self._ask_columns)
        self.align.changed.connect(self._place_floating)
        self.guide.side_wanted.connect(self.view.turn_to)
        s.run_changed.connect(self.header.refresh)
        s.run_changed.connect(self.ledger.list.viewport().update)
        self.view.outline_closed.connect(self._on_outline_closed)
        self.notice.closed.connect(self.view.outline.cancel)
        s.document.plan_changed.connect(self._on_plan_changed)
        s.document.evaluated.connect(self._want_preview)
        self.header.finder_wanted.connect(self.open_finder)
        self.rail.menu_wanted.connect(self.open_menu)
        self.measure_bench.plot.enlarge_wanted.connect(self.toggle_form_page)
        self.form_page.closed.connect(self.toggle_form_page)
        for signal in (s.selection.changed, s.document.evaluated):
            signal.connect(self.form_page.update)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Keep what floats in its place."""
        super().resizeEvent(event)
        self._place_floating()
        self._want_preview()

    def showEvent(self, event: object) -> None:
        """Place what floats once sizes are known."""
        QTimer.singleShot(0, self._place_floating)

    def _place_floating(self) -> None:
        view = self.view
        s = self.session
        self.scale.setVisible(s.shown.wants_map or s.shown.scan_map)
        height = min(380, view.height() - 150)
        self.scale.setGeometry(view.width() - 108, max(40, (view.height() - height) // 2 - 20), 104, max(120, height))
        bar = self.before_after
        bar.move(max(14, (view.width() - bar.width()) // 2), 10)
        self.strip.move(14, view.height() - self.strip.height() - 96)
        if self.notice.isVisible():
            self.notice.place()
        self._place_hover()

    def _place_hover(self) -> None:
        self.hover_label.setFixedHeight(46 if "\n" in self.hover_label.text() else 27)
        self.hover_label.adjustSize()
        x = self.view.width() - self.hover_label.width() - 12
        self.hover_label.move(x, self.view.height() - self.hover_label.height() - 10)

    def _on_hover_changed(self) -> None:
        text = self.session.pointer.hover_text()
        self.hover_label.setText(text)
        self.hover_label.setVisible(bool(text))
        self._place_hover()

    def _on_stage_changed(self) -> None:
        self._choose_bench()
        self.before_after.refresh()
        self._choose_center()
        STAGES[self.session.stage].entered(self)
        self.view.update()
        self._place_floating()
        self._want_preview()

    def _choose_center(self) -> None:
        """Show in the middle what the stage has there."""
        s, stage = self.session, STAGES[self.session.stage]
        if self.center.currentWidget() is self.form_page and stage.keeps_form_page and not s.shown.section:
            return
        wanted = stage.center(self)
        if self.center.currentWidget() is not wanted:
            self.center.setCurrentWidget(wanted)

    def _go_to_area(self, area: OutsideArea) -> None:
        """Look square at an area that is outside, close enough to see it."""
        model = self.session.model
        if model is None:
            return
        up = upright(area.normal)[1]
        height = max(8 * area.size**0.5, 0.15 * model.diagonal)
        self.view.set_camera(Camera(area.place, area.normal, up, height))

    def _thumbnail(self, view: SavedView) -> QImage | None:
        """Draw a small picture of a saved view with the scene of the window."""
        return thumbnail(self.view, self.session, view)

    def ask_spots(self) -> None:
        """Let the user choose a table of spot checks."""
        self._ask_open("Spot checks from a table", "Tables (*.csv *.txt)", self.evaluating.add_from_table)

    def ask_points(self) -> None:
        """Let the user choose a table of nominal points."""
        self._ask_open(
            "Nominal points from a table", "Tables (*.csv *.txt)",
            lambda p: self.evaluating.compare_from_table(p, self.evaluate_bench.compare_page.chosen_parts()),
        )  # fmt: skip

    def ask_catalogue(self) -> None:
        """Let the user choose a file of probe components."""
        self._ask_open("Components from a file", "Catalogues (*.json)", self.devices.add_catalogue)

    def take_sample_out(self) -> None:
        """Leave the plan alone, ready for the next scan."""
        if self.session.sample is not None and self.may_leave_sample():
            self.session.document.take_sample_out()

    def may_leave_sample(self) -> bool:
        """Ask about touches and temperatures that were not saved; True when the sample may go."""
        if self.session.sample is None or self.session.document.sample_is_saved:
            return True
        answer = ask(
            self, "Unsaved sample", "The sample has measured points or temperatures that are not saved. Save it?",
            _SAVE, _DISCARD,
        )  # fmt: skip
        return self.save_sample() if answer == _SAVE else answer == _DISCARD

    def open_batch(self) -> None:
        """Open the batch page, with the plan as it was saved."""
        if self.session.document.plan_path is None or not self.session.document.history.is_saved:
            self.session.notify("save the plan first: a batch and an inbox work by the saved plan")
            return
        made = BatchDialog(self.session.document.plan_path, self)
        made.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        made.open()

    def _choose_bench(self) -> None:
        """Show the bench of the stage, or why a number is what it is."""
        s = self.session
        stage = STAGES[s.stage]
        why = s.shown.why and stage.tells_why
        self.benches.setFixedWidth(_WIDE_BENCH if why or stage.wide else _BENCH)
        self.benches.setCurrentWidget(self.why_panel if why else self._benches[s.stage])
        QTimer.singleShot(0, self._place_floating)  # once the view has its new width

    def go_to_construct(self) -> None:
        """Go to what can be constructed from the selection."""
        self.session.set_stage("measure")
        buttons = self.measure_bench.construct.buttons
        if buttons:
            buttons[0].setFocus()

    def toggle_form_page(self) -> None:
        """Show the form plot as a full page, or go back to the part."""
        there = self.center.currentWidget() is self.form_page
        self.center.setCurrentWidget(self.view if there else self.form_page)

    def _on_plan_changed(self) -> None:
        mark = "" if self.session.document.history.is_saved else "*"
        self.setWindowTitle(f"{self.session.plan.name}{mark} - True Gauge")
        self._want_preview()

    # Themes ----------------------------------------------------------------------------------------------------

    def toggle_theme(self) -> None:
        """Change between day and night."""
        self.theme = NIGHT if self.theme is DAY else DAY
        self._settings.setValue("theme", self.theme.name)
        self.setStyleSheet(style_sheet(self.theme))
        for widget in (
            self.rail,
            self.ledger,
            self.view,
            self.section_panel,
            self.scale,
            self.strip,
            self.measure_bench,
            self.align_bench,
            self.why_panel,
            self.section_page,
            self.devices_bench,
            self.machine_view,
            self.readout,
            self.result_page,
        ):
            widget.set_theme(self.theme)
        self.form_page.theme = self.theme
        self.form_page.update()

    # Files -----------------------------------------------------------------------------------------------------

    def ask_part(self) -> None:
        """Let the user choose a STEP file."""
        self._ask_open(
            "Open part",
            f"Parts: STEP, IGES, table of nominal features (*{' *'.join(PART_ENDINGS)})",
            self.session.files.open_part,
        )

    def edit_nominals(self) -> None:
        """Type in nominal features: a part without CAD."""
        table = NominalTable(self.session, self)
        table.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        table.open()

    def ask_scan(self) -> None:
        """Let the user choose a scan or a sample."""
        if self.may_leave_sample():
            self._ask_open(
                "Bring in a scan", f"Scans and samples (*{' *'.join(SCAN_ENDINGS)})", self.session.files.open_scan
            )

    def ask_more(self) -> None:
        """Let the user choose a scan that joins those of the sample."""
        self._ask_open(
            "Add a scan",
            f"Scans (*{' *'.join(SCAN_ENDINGS)})",
            lambda path: self.session.files.open_scan(path, add=True),
        )

    def ask_turned(self) -> None:
        """Let the user choose a scan of the part turned over; spheres of a diameter, or the part, join it."""
        diameter, wanted = QInputDialog.getDouble(
            self, "Add a scan of the turned part",
            "Diameter of spheres seen in both scans, mm (0: join by the part's own shape)", 0.0, 0.0, 1000.0, 3,
        )  # fmt: skip
        if wanted:
            self._ask_open("Add a scan of the turned part", f"Scans (*{' *'.join(SCAN_ENDINGS)})",
                           lambda path: self.session.files.add_turned_scan(path, diameter))  # fmt: skip

    def ask_touches(self) -> None:
        """Let the user choose a table of measured points."""
        self._ask_open("Bring in measured points", "Measured points (*.csv *.txt)", self.session.files.open_touches)

    def draw_outline(self, mode: str) -> None:
        """Draw around points in the view."""
        self.session.show(points=True)
        self.view.outline.start(mode)
        self.view.setFocus()

    def _on_outline_closed(self) -> None:
        self.notice.show_notice(
            Notice(
                "What lies inside the outline, as deep as it goes:", "Leave it out",
                lambda: self.view.add_outline(keep=False), "Keep only it", lambda: self.view.add_outline(keep=True),
            )
        )  # fmt: skip

    def _ask_columns(self, error: ColumnsUnknownError, then: Callable[[Columns], None]) -> None:
        asking = ColumnsDialog(error, self)
        asking.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        asking.accepted.connect(lambda: then(asking.columns()))
        asking.open()

    def ask_plan(self) -> None:
        """Let the user choose a plan."""
        if self.may_open_plan():
            self._ask_open("Open plan", f"Plans (*{PLAN_ENDING})", self.session.files.open_plan)

    def _ask_open(self, title: str, kinds: str, then: Callable[[Path], object]) -> None:
        name, _ = QFileDialog.getOpenFileName(self, title, self._folder(), f"{kinds};;All files (*)")
        if name:
            self._settings.setValue("folder", str(Path(name).parent))
            then(Path(name))

    def _ask_save(self, title: str, kinds: str, suggestion: str) -> Path | None:
        name, _ = QFileDialog.getSaveFileName(self, title, str(Path(self._folder()) / suggestion), kinds)
        if not name:
            return None
        self._settings.setValue("folder", str(Path(name).parent))
        path = Path(name)
        if path.suffix:
            return path
        path = path.with_suffix(Path(suggestion).suffix)
        # The dialog has asked about the name as it was typed, not about this one.
        if path.exists() and ask(self, title, f"{path.name} is there already. Replace it?", _REPLACE) != _REPLACE:
            return None
        return path

    def _folder(self) -> str:
        return str(self._settings.value("folder", str(Path.home())))

    def save(self) -> bool:
        """Save the plan where it was, or ask."""
        path = self.session.document.plan_path
        if path is None:
            return self.save_as()
        if self.session.files.plan_was_changed_elsewhere:
            answer = ask(
                self, "Changed by somebody else",
                f"{path.name} was changed by another window or program since it was opened here. Replacing it loses "
                "what they changed; under another name both stay.",
                _OTHER_NAME, _REPLACE,
            )  # fmt: skip
            if answer == _OTHER_NAME:
                return self.save_as()
            if answer != _REPLACE:
                return False
        return self.session.files.save_plan(path)

    def save_as(self) -> bool:
        """Ask where to save the plan."""
        path = self._ask_save(
            "Save plan", f"Plans (*{PLAN_ENDING})", f"{_file_name(self.session.plan.name)}{PLAN_ENDING}"
        )
        return self.session.files.save_plan(path) if path else False

    def save_sample(self) -> bool:
        """Ask where to save the sample; False when it was not saved."""
        if self.session.sample is None:
            return False
        name = f"{_file_name(self.session.sample.name)}.tgsample"
        path = self._ask_save("Save sample", "Samples (*.tgsample)", name)
        return path is not None and self.session.files.save_sample(path)

    def save_cloud(self) -> None:
        """Ask where to save the points that count, in part coordinates, each with its deviation."""
        path = self._ask_save("Save points", "PLY (*.ply)", f"{_file_name(self.session.plan.name)} points.ply")
        if path:
            self.session.files.save_cloud(path)

    def save_map(self) -> None:
        """Ask where to save the deviation map: as PLY with a deviation at each vertex, or its shape as STL."""
        path = self._ask_save("Save map", "PLY (*.ply);;STL (*.stl)", f"{_file_name(self.session.plan.name)} map.ply")
        if path:
            self.session.files.save_map(path)

    def new_plan(self) -> None:
        """Start over."""
        if self.may_leave():
            self.session.document.start_over()

    def may_leave(self) -> bool:
        """Ask about unsaved work, plan and sample; True when it may be left."""
        return self._may_leave_plan() and self.may_leave_sample()

    def _may_leave_plan(self) -> bool:
        if self.session.document.history.is_saved:
            return True
        name = shortened(self.session.plan.name)
        answer = ask(self, "Unsaved plan", f"Save the changes to {name}?", _SAVE, _DISCARD)
        return self.save() if answer == _SAVE else answer == _DISCARD

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """Accept files."""
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """Open the dropped files: plans first, then parts, then scans."""
        paths = [Path(u.toLocalFile()) for u in event.mimeData().urls() if u.isLocalFile()]
        rank = {PLAN_ENDING: 0, **dict.fromkeys(PART_ENDINGS, 1)}
        for path in sorted(paths, key=lambda p: rank.get(p.suffix.lower(), 2)):
            if not self._may_open(path):
                return
            self.session.files.open_file(path)

    def _may_open(self, path: Path) -> bool:
        """Ask about what opening a file would take the place of."""
        ending = path.suffix.lower()
        if ending == PLAN_ENDING:
            return self.may_open_plan()
        return ending not in SCAN_ENDINGS or self.may_leave_sample()

    def may_open_plan(self) -> bool:
        """Ask about the plan, and about touches of its features, which mean nothing to another plan."""
        sample = self.session.sample
        touched = sample is not None and bool(sample.touched)
        return self._may_leave_plan() and (not touched or self.may_leave_sample())

    # Report ----------------------------------------------------------------------------------------------------

    def make_pdf(self) -> bytes:
        """Make the report of what is evaluated now."""
        s = self.session
        if s.evaluation is None or s.evaluator is None:
            return b""
        made = datetime.datetime.now().strftime("%Y-%m-%d %H:%M")
        return write_pdf(report_with_views(s.evaluator, s.evaluation, s.sample, made, self.view.camera))

    def _want_preview(self) -> None:
        if self.session.stage == "report":
            self._preview_timer.start()

    def _refresh_preview(self) -> None:
        if self.session.stage == "report":
            self._make_report(self._show_report)

    def _show_report(self, pdf: bytes) -> None:
        self._pdf = pdf
        if self.session.stage == "report":
            self.preview.show_pdf(pdf)

    def _make_report(self, then: Callable[[bytes], None], write: Callable[[Report], bytes] = write_pdf) -> None:
        """Make the report of what is evaluated now, off the window's thread."""
        s = self.session
        evaluator, evaluation, sample, camera = s.evaluator, s.evaluation, s.sample, self.view.camera
        if evaluator is None or evaluation is None:
            return
        made = datetime.datetime.now().strftime("%Y-%m-%d %H:%M")
        s.queue.start(
            lambda progress: write(report_with_views(evaluator, evaluation, sample, made, camera)), then,
            "Making the report",
        )  # fmt: skip

    def ask_save_pdf(self) -> None:
        """Ask where to save the report."""
        path = self._ask_save("Save report", "PDF (*.pdf)", f"{_file_name(self.session.plan.name)}.pdf")
        if path:
            self._make_report(lambda pdf: self._write(path, pdf))

    def ask_save_html(self) -> None:
        """Ask where to save the report as one HTML file."""
        path = self._ask_save("Save report", "HTML (*.html)", f"{_file_name(self.session.plan.name)}.html")
        if path:
            self._make_report(lambda page: self._write(path, page), write_html)

    def ask_save_xlsx(self) -> None:
        """Ask where to save the table as a workbook."""
        evaluation = self.session.evaluation
        path = self._ask_save("Save table", "XLSX (*.xlsx)", f"{_file_name(self.session.plan.name)}.xlsx")
        if path and evaluation is not None:
            self._write(path, results_xlsx(evaluation, self.session.sample))

    def ask_save_csv(self) -> None:
        """Ask where to save the table."""
        evaluation = self.session.evaluation
        path = self._ask_save("Save table", "CSV (*.csv)", f"{_file_name(self.session.plan.name)}.csv")
        if path and evaluation is not None:
            self._write(path, results_csv(evaluation, self.session.sample))

    def _write(self, path: Path, data: bytes) -> None:
        try:
            write_whole(path, data)
        except FormatError as error:
            self.session.notify(error)

    # Commands --------------------------------------------------------------------------------------------------

    def open_finder(self) -> None:
        """Open the command finder."""
        finder = Finder(self.actions_table, self)
        finder.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        finder.move(self.mapToGlobal(QPoint((self.width() - 460) // 2, 70)))
        finder.show()
        finder.text.setFocus()

    def open_menu(self) -> None:
        """Open the menu beside its button."""
        menu = self.actions_table.menu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        button = self.rail.menu_button
        menu.popup(button.mapToGlobal(QPoint(button.width() + 2, 4)))

    def _open_page(self, page: str) -> None:
        self.session.set_stage("evaluate")
        self.evaluating.set_page(page)

    def _open_devices(self, page: str) -> None:
        self.session.set_stage("devices")
        self.devices.set_page(page)

    def _pick(self, what: str) -> None:
        self._open_page("spots")
        self.evaluating.pick_for(what)

    def _new_alignment(self, kind: str) -> None:
        self.session.set_stage("align")
        self.align.add(kind)

    def _table(self) -> list[Action]:
        s = self.session

        def has_part() -> bool:
            return s.model is not None

        def has_sample() -> bool:
            return s.sample is not None

        def has_cloud() -> bool:
            return s.evaluation is not None and not isinstance(s.evaluation.cloud, NotComputed)

        outlines = [
            Action(f"outline-{mode}", "Points", f"{title} in the view …", "", partial(self.draw_outline, mode),
                   has_cloud)
            for mode, title in MODES.items()
        ]  # fmt: skip
        views = [
            Action(f"view-{name}", "View", f"Show from {name}" if name != "corner" else "Show corner view",
                   f"Ctrl+{i + 1}", partial(self.view.show_standard, name), has_part)
            for i, name in enumerate(STANDARD_VIEWS)
        ]  # fmt: skip
        stages = [
            Action(f"stage-{stage.key}", "Stages", f"Go to {stage.title}", f"Alt+{i}", partial(s.set_stage, stage.key))
            for i, stage in enumerate(STAGES.values(), 1)
        ]  # fmt: skip
        alignments = [
            Action(f"new-{kind}", "Align", f"New alignment: {name}", "", partial(self._new_alignment, kind), has_part)
            for kind, name in KIND_NAMES.items()
        ]
        pages = [
            Action(
                f"page-{key}", "Evaluate", f"{words}: {_PAGE_WORDS[key]}", "", partial(self._open_page, key), has_part
            )
            for key, words in PAGES
        ]
        devices = [
            Action(f"devices-{key}", "Devices", f"Open {words}", "", partial(self._open_devices, key))
            for key, words in DEVICE_PAGES
        ]
        return [
            Action("open-part", "Plan", "Open part …", "Ctrl+O", self.ask_part),
            Action("nominals", "Plan", "Type in nominal features …", "Ctrl+Shift+N", self.edit_nominals),
            Action("bring-scan", "Plan", "Bring in a scan …", "Ctrl+I", self.ask_scan),
            Action("add-scan", "Plan", "Add a scan to the sample …", "Ctrl+Shift+I", self.ask_more, has_sample),
            Action("save-cloud", "Plan", "Save the points as PLY …", "", self.save_cloud, has_cloud),
            Action("save-map", "Plan", "Save the deviation map as PLY or STL …", "", self.save_map, has_cloud),
            Action("add-turned", "Plan", "Add a scan of the turned part …", "", self.ask_turned, has_sample),
            Action("bring-touches", "Plan", "Bring in measured points …", "", self.ask_touches, has_part),
            Action("take-out", "Plan", "Take the sample out of the plan", "", self.take_sample_out, has_sample),
            Action("batch", "Plan", "Inspect many scans, or watch a folder …", "Ctrl+Shift+B", self.open_batch,
                   has_part),
            Action("new-plan", "Plan", "New plan", "Ctrl+N", self.new_plan),
            Action("open-plan", "Plan", "Open plan …", "Ctrl+Shift+O", self.ask_plan),
            Action("save-plan", "Plan", "Save plan", "Ctrl+S", self.save),
            Action("save-plan-as", "Plan", "Save plan as …", "Ctrl+Shift+S", self.save_as),
            Action("save-sample", "Plan", "Save sample …", "", self.save_sample, has_sample),
            Action("quit", "Plan", "Quit", "Ctrl+Q", self.close),
            Action("undo", "Edit", "Undo", "Ctrl+Z", s.document.undo, lambda: bool(s.document.history.undo_label)),
            Action("redo", "Edit", "Redo", "Ctrl+Shift+Z", s.document.redo, lambda: bool(s.document.history.redo_label)),
            Action("accept", "Edit", "Add the first proposal", "Ctrl+Return", lambda: s.proposing.accept(0),
                   lambda: bool(s.proposing.proposals)),
            Action("edit-row", "Edit", "Edit the selected characteristic", "", self.ledger.edit_selected,
                   lambda: bool(s.selection.characteristic)),
            Action("edit-rows", "Edit", "Edit all selected characteristics …", "Ctrl+Shift+F2",
                   self.ledger.edit_several, lambda: len(self.ledger.selected()) > 1),
            Action("find-row", "Edit", "Find in the characteristics", "Ctrl+L", self.ledger.search.setFocus,
                   lambda: bool(s.plan.characteristics)),
            Action("outside-only", "Edit", "Only what is outside, or all characteristics", "Ctrl+Shift+L",
                   self.ledger.outside.toggle, lambda: bool(s.plan.characteristics)),
            Action("tier-composite", "Tolerances", "Add a composite tier below the selected frame", "",
                   partial(self.tolerances.add_tier, composite=True), self.tolerances.can_tier),
            Action("tier-single", "Tolerances", "Add a single segment below the selected frame", "",
                   partial(self.tolerances.add_tier, composite=False), self.tolerances.can_tier),
            Action("directions", "Tolerances", "Judge the selected frame in two directions, each a line of its own", "",
                   self.tolerances.add_other_direction, self.tolerances.can_have_directions),
            Action("exact", "Tolerances", "Theoretically exact dimension, or toleranced", "",
                   self.tolerances.toggle_exact, self.tolerances.can_be_exact),
            Action("general-profile", "Tolerances", "Add the general profile for faces without a tolerance", "",
                   self.tolerances.add_general_profile, has_part),
            Action("around", "Tolerances", "Select all around", "Shift+P", self.tolerances.take_around,
                   lambda: bool(s.selection.faces())),
            Action("between", "Tolerances", "Select from the first selected face to the last", "",
                   self.tolerances.take_between, lambda: len(s.selection.faces()) > 1),
            Action("why", "View", "Why this number", "Y", lambda: s.show(why=not s.shown.why),
                   lambda: bool(s.plan.characteristics)),
            Action("remove-row", "Edit", "Remove the selected characteristic", "", s.selection.remove_characteristic,
                   lambda: bool(s.selection.characteristic)),
            Action("construct", "Edit", "Construct from the selection", "Ctrl+B", self.go_to_construct,
                   lambda: bool(s.proposing.offers)),
            Action("remove-feature", "Edit", "Remove the selected features", "", s.selection.remove_features,
                   lambda: bool(s.selection.features())),
            Action("evaluate", "Edit", "Evaluate again", "", s.evaluating.evaluate, has_part),
            Action("clear-selection", "Edit", "Clear the selection", "", lambda: s.selection.select(()),
                   lambda: bool(s.selection.groups)),
            Action("fit", "View", "Fit the part into the view", "Ctrl+0", self.view.fit, has_part),
            *views,
            Action("hide", "View", "Hide the selected faces", "H", s.showing.hide_selected, lambda: bool(s.selection.faces())),
            Action("isolate", "View", "Show only the selected faces", "Shift+H", s.showing.show_only_selected,
                   lambda: bool(s.selection.faces())),
            Action("show-all", "View", "Show all faces", "Ctrl+H", s.showing.show_all, lambda: bool(s.shown.look.hidden)),
            Action("see-through", "View", "See through the part, or not", "T",
                   lambda: s.showing.set_look(opacity=OPAQUE if s.shown.look.opacity < 1 else SEE_THROUGH), has_part),
            Action("edges-only", "View", "Edges only, or surfaces", "W",
                   lambda: s.showing.set_look(edges_only=not s.shown.look.edges_only), has_part),
            Action("section", "View", "Section box on or off", "X", self.section_panel.toggle, has_part),
            Action("pick-behind", "View", "Select what lies behind (Alt+click)", "B", self.view.pick_behind_pointer,
                   has_part),
            Action("pattern", "Edit", "Select the whole pattern", "P", s.selection.take_pattern,
                   lambda: s.selection.pattern() is not None),
            Action("element", "Edit", "Select the whole slot or hole", "E", s.selection.take_element,
                   lambda: bool(s.selection.faces())),
            Action("width", "Edit", "Select the opposite face", "O", s.selection.take_width, lambda: bool(s.selection.faces())),
            Action("annotations", "Edit", "Take over the drawing (PMI) of the part", "Ctrl+D",
                   s.document.take_over_annotations, lambda: s.model is not None and s.model.annotations.count > 0),
            Action("map", "View", "Deviation map on or off", "Ctrl+M", lambda: s.show(map=not s.shown.map),
                   has_sample),
            Action("points", "View", "Points on or off", "Ctrl+P", lambda: s.show(points=not s.shown.points),
                   has_sample),
            Action("colors", "View", "Points in their own colours, or in one", "C",
                   lambda: s.show(colors=not s.shown.colors),
                   lambda: s.sample is not None and s.sample.colors is not None),
            Action("needles", "View", "Residual needles on or off", "", lambda: s.show(needles=not s.shown.needles),
                   has_sample),
            Action("form-plot", "View", "Form plot as a full page", "Ctrl+F", self.toggle_form_page,
                   lambda: self.form.current() is not None or self.center.currentWidget() is self.form_page),
            Action("theme", "View", "Day or night theme", "Ctrl+T", self.toggle_theme),
            *pages,
            *devices,
            Action("stop-machine", "Devices", "Stop the machine", "Ctrl+Shift+X", self.machine.stop,
                   lambda: self.machine.connected),
            Action("pick-spots", "Evaluate", "Pick places for spot checks", "Ctrl+Shift+K", partial(self._pick, "spot"),
                   has_cloud),
            Action("save-view", "Evaluate", "Save what is seen as a view", "Ctrl+Shift+V",
                   lambda: self.evaluating.save_view(self.view.camera_to_save()), has_part),
            Action("tidy-tags", "Evaluate", "Unpin the tags and show hidden ones again", "",
                   lambda: s.showing.set_tags("tidy the tags", pinned=(), hidden=()),
                   lambda: bool(s.showing.tags.pinned or s.showing.tags.hidden)),
            *outlines,
            Action("keep-section", "Points", "Keep what the section box shows", "",
                   self.align_bench.points.keep_section, has_cloud),
            *alignments,
            Action("in-force", "Align", "Put the chosen alignment in force", "Ctrl+Shift+A", self.align.put_in_force,
                   lambda: not self.align.is_in_force),
            Action("report-in", "Align", "Report the selected characteristic in the chosen alignment", "",
                   self.align.report_selected, lambda: bool(s.selection.characteristic)),
            Action("pick-targets", "Align", "Pick for the alignment, or select", "G",
                   lambda: self.align.set_picking(not self.align.picking), lambda: s.stage == "align"),
            Action("next-pose", "Align", "Next pose that fits", "N", lambda: self.align.step_candidate(1),
                   lambda: s.stage == "align"),
            Action("before-after", "Align", "Show before, or after", "A",
                   lambda: self.before_after.slider.setValue(0 if self.align.share > 0 else 100),
                   lambda: self.align.has_before),
            *stages,
            Action("save-pdf", "Report", "Save PDF …", "Ctrl+E", self.ask_save_pdf, lambda: s.evaluation is not None),
            Action("save-html", "Report", "Save HTML …", "", self.ask_save_html, lambda: s.evaluation is not None),
            Action("save-xlsx", "Report", "Save XLSX …", "", self.ask_save_xlsx, lambda: s.evaluation is not None),
            Action("save-csv", "Report", "Save CSV …", "", self.ask_save_csv, lambda: s.evaluation is not None),
            Action("finder", "Help", "Find a command …", "Ctrl+K", self.open_finder),
            Action("menu", "Help", "Open the menu", "Alt+M", self.open_menu),
        ]  # fmt: skip

    def closeEvent(self, event: QCloseEvent) -> None:
        """Ask about unsaved work, then stop all work."""
        if not self.may_leave():
            event.ignore()
            return
        self.was_left = True
        self.guide.stop()
        self.machine.close()
        self.session.close()
        self.view.scene.close()
        self.machine_view.scene.close()
        event.accept()


def _file_name(text: str) -> str:
    return "".join(c if c.isalnum() or c in "-_ ." else "_" for c in text).strip() or "plan"
