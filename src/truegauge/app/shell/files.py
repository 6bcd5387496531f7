"""Asking for files: what to open, where to save, and what may be left that is not saved."""

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QFileDialog, QInputDialog, QWidget

from truegauge.app.document.files import PLAN_ENDING, SCAN_ENDINGS
from truegauge.app.document.session import Session
from truegauge.app.shell.batch.dialog import BatchDialog
from truegauge.app.shell.columns_dialog import ColumnsDialog
from truegauge.app.shell.recent import RecentPlans
from truegauge.app.widgets.action import Action
from truegauge.app.widgets.question import ask, open_dialog
from truegauge.app.widgets.theme import LiveTheme
from truegauge.core.errors import ColumnsUnknownError, shortened
from truegauge.core.nodes.graph import NotComputed
from truegauge.formats.part_kinds import PART_ENDINGS
from truegauge.formats.pictures import SUFFIXES
from truegauge.formats.scan import Columns

_SAVE, _DISCARD, _OTHER_NAME, _REPLACE = "Save", "Discard", "Save under another name", "Replace it"
SCANS = f"Scans (*{' *'.join(SCAN_ENDINGS)})"


class FileDialogs:
    """The questions of a window about files."""

    def __init__(self, window: QWidget, session: Session, settings: QSettings, theme: LiveTheme) -> None:
        self._window, self._session, self._settings, self._theme = window, session, settings, theme
        self.recent = RecentPlans(settings)
        self._noted: Path | None = None
        session.document.may_let_sample_go = self.may_leave_sample
        session.queue.columns_wanted.connect(self._ask_columns)

    def commands(self) -> list[Action]:
        """The commands on files."""
        s = self._session

        def has_part() -> bool:
            return s.model is not None

        def has_sample() -> bool:
            return s.sample is not None

        def has_cloud() -> bool:
            return s.evaluation is not None and not isinstance(s.evaluation.cloud, NotComputed)

        return [
            Action("new-plan", "Plan", "New plan", "Ctrl+N", self.new_plan, first=True),
            Action("open-plan", "Plan", "Open plan …", "Ctrl+Shift+O", self.ask_plan, first=True),
            Action("save-plan", "Plan", "Save plan", "Ctrl+S", self.save, first=True),
            Action("save-plan-as", "Plan", "Save plan as …", "Ctrl+Shift+S", self.save_as),
            Action("open-part", "Plan", "Open part …", "Ctrl+O", self.ask_part, apart=True),
            Action("bring-scan", "Plan", "Bring in a scan …", "Ctrl+I", self.ask_scan, apart=True),
            Action("add-scan", "Plan", "Add a scan to the sample …", "Ctrl+Shift+I", self.ask_more, has_sample),
            Action("add-turned", "Plan", "Add a scan of the turned part …", "", self.ask_turned, has_sample),
            Action("bring-touches", "Plan", "Bring in measured points …", "", self.ask_touches, has_part),
            Action("take-out", "Plan", "Take the sample out of the plan", "", self.take_sample_out, has_sample),
            Action("save-sample", "Plan", "Save sample …", "", self.save_sample, has_sample, apart=True),
            Action("save-cloud", "Plan", "Save the points as PLY …", "", self.save_cloud, has_cloud),
            Action("save-map", "Plan", "Save the deviation map as PLY or STL …", "", self.save_map, has_cloud),
            Action("batch", "Plan", "Inspect many scans, or watch a folder …", "Ctrl+Shift+B", self.open_batch,
                   lambda: has_part() or s.plan.silhouette is not None, apart=True),
        ]  # fmt: skip

    def note_plan(self) -> None:
        """Remember the plan that is open among the last ones."""
        path = self._session.document.plan_path
        if path is not None and path != self._noted:
            self._noted = path
            self.recent.note(path)

    def keep_picture(self, view: QWidget) -> None:
        """Keep what is seen of the plan, for the list of the last ones."""
        path = self._session.document.plan_path
        if path is not None and self._session.model is not None and view.isVisible():
            self.recent.keep_picture(path, view.grab())

    def open_dropped(self, paths: list[Path]) -> None:
        """Open files: plans first, then parts, then scans."""
        rank = {PLAN_ENDING: 0, **dict.fromkeys(PART_ENDINGS, 1)}
        for path in sorted(paths, key=lambda p: rank.get(p.suffix.lower(), 2)):
            if not self._may_open(path):
                return
            self._session.files.open_file(path)

    def ask_part(self) -> None:
        """Let the user choose a STEP file."""
        self.ask_open(
            "Open part",
            f"Parts: STEP, IGES, table of nominal features (*{' *'.join(PART_ENDINGS)})",
            self._session.files.open_part,
        )

    def ask_scan(self) -> None:
        """Let the user choose a scan or a sample."""
        if self.may_leave_sample():
            if self._session.plan.silhouette is not None:
                kinds = f"Pictures and samples (*{' *'.join((*SUFFIXES, '.tgsample'))})"
                self.ask_open("Open a picture", kinds, self._session.files.open_scan)
                return
            self.ask_open(
                "Bring in a scan", f"Scans and samples (*{' *'.join(SCAN_ENDINGS)})", self._session.files.open_scan
            )

    def ask_more(self) -> None:
        """Let the user choose a scan that joins those of the sample."""
        self.ask_open(
            "Add a scan",
            SCANS,
            lambda path: self._session.files.open_scan(path, add=True),
        )

    def ask_turned(self) -> None:
        """Let the user choose a scan of the part turned over; spheres of a diameter, or the part, join it."""
        diameter, wanted = QInputDialog.getDouble(
            self._window, "Add a scan of the turned part",
            "Diameter of spheres seen in both scans, mm (0: join by the part's own shape)", 0.0, 0.0, 1000.0, 3,
        )  # fmt: skip
        if wanted:
            self.ask_open("Add a scan of the turned part", SCANS,
                           lambda path: self._session.files.add_turned_scan(path, diameter))  # fmt: skip

    def ask_touches(self) -> None:
        """Let the user choose a table of measured points."""
        self.ask_open("Bring in measured points", "Measured points (*.csv *.txt)", self._session.files.open_touches)

    def _ask_columns(self, error: ColumnsUnknownError, then: Callable[[Columns], None]) -> None:
        asking = ColumnsDialog(error, self._window)
        asking.accepted.connect(lambda: then(asking.columns()))
        open_dialog(asking)

    def ask_plan(self) -> None:
        """Let the user choose a plan."""
        if self.may_open_plan():
            self.ask_open("Open plan", f"Plans (*{PLAN_ENDING})", self._session.files.open_plan)

    def open_recent(self, path: Path) -> None:
        """Open a plan that was open before."""
        if self.may_open_plan():
            self._session.files.open_plan(path)

    def open_example(self, plan: Path, scan: Path | None) -> None:
        """Open a plan of the demo workshop, with a scan of a part."""
        if self.may_open_plan() and self.may_leave_sample():
            self._session.document.take_sample_out()
            self._session.files.open_plan(plan, as_example=True)
            if scan is not None:
                self._session.files.open_scan(scan)

    def ask_open(self, title: str, kinds: str, then: Callable[[Path], object]) -> None:
        """Let the user choose a file."""
        name, _ = QFileDialog.getOpenFileName(self._window, title, self._folder(), f"{kinds};;All files (*)")
        if name:
            self._settings.setValue("folder", str(Path(name).parent))
            then(Path(name))

    def ask_folder(self, title: str) -> Path | None:
        """Let the user choose a folder."""
        name = QFileDialog.getExistingDirectory(self._window, title, self._folder())
        if not name:
            return None
        self._settings.setValue("folder", name)
        return Path(name)

    def ask_save(self, title: str, kinds: str, suggestion: str) -> Path | None:
        """Let the user say where to save; None when it shall not be."""
        name, _ = QFileDialog.getSaveFileName(self._window, title, str(Path(self._folder()) / suggestion), kinds)
        if not name:
            return None
        self._settings.setValue("folder", str(Path(name).parent))
        path = Path(name)
        if path.suffix:
            return path
        path = path.with_suffix(Path(suggestion).suffix)
        # The dialog has asked about the name as it was typed, not about this one.
        text = f"{path.name} is there already. Replace it?"
        if path.exists() and ask(self._window, title, text, _REPLACE) != _REPLACE:
            return None
        return path

    def _folder(self) -> str:
        return str(self._settings.value("folder", str(Path.home())))

    def save(self) -> bool:
        """Save the plan where it was, or ask."""
        path = self._session.document.plan_path
        if path is None:
            return self.save_as()
        if self._session.files.plan_was_changed_elsewhere:
            answer = ask(
                self._window, "Changed by somebody else",
                f"{path.name} was changed by another window or program since it was opened here. Replacing it loses "
                "what they changed; under another name both stay.",
                _OTHER_NAME, _REPLACE,
            )  # fmt: skip
            if answer == _OTHER_NAME:
                return self.save_as()
            if answer != _REPLACE:
                return False
        return self._session.files.save_plan(path)

    def save_as(self) -> bool:
        """Ask where to save the plan."""
        path = self.ask_save(
            "Save plan", f"Plans (*{PLAN_ENDING})", f"{file_name(self._session.plan.name)}{PLAN_ENDING}"
        )
        return self._session.files.save_plan(path) if path else False

    def save_sample(self) -> bool:
        """Ask where to save the sample; False when it was not saved."""
        if self._session.sample is None:
            return False
        name = f"{file_name(self._session.sample.name)}.tgsample"
        path = self.ask_save("Save sample", "Samples (*.tgsample)", name)
        return path is not None and self._session.files.save_sample(path)

    def save_cloud(self) -> None:
        """Ask where to save the points that count, in part coordinates, each with its deviation."""
        path = self.ask_save("Save points", "PLY (*.ply)", f"{file_name(self._session.plan.name)} points.ply")
        if path:
            self._session.files.save_cloud(path)

    def save_map(self) -> None:
        """Ask where to save the deviation map: as PLY with a deviation at each vertex, or its shape as STL."""
        path = self.ask_save("Save map", "PLY (*.ply);;STL (*.stl)", f"{file_name(self._session.plan.name)} map.ply")
        if path:
            self._session.files.save_map(path)

    def new_plan(self) -> None:
        """Start over."""
        if self.may_leave():
            self._session.document.start_over()

    def take_sample_out(self) -> None:
        """Leave the plan alone, ready for the next scan."""
        if self._session.sample is not None and self.may_leave_sample():
            self._session.document.take_sample_out()

    def open_batch(self) -> None:
        """Open the batch page, with the plan as it was saved."""
        s = self._session
        path = s.document.plan_path
        if path is None or not s.document.history.is_saved:
            s.notify("save the plan first: a batch and an inbox work by the saved plan")
            return
        measured_from = any(check.reference == "scan" for check in s.plan.surface_checks)
        earlier = s.surfaces.earlier_file if measured_from else None
        open_dialog(BatchDialog(path, self._theme, self.open_sample, self._window, earlier))

    def open_sample(self, scan: Path, number: int) -> None:
        """Bring in a scan of a batch; with a number show why this characteristic is what it is."""
        if not self.may_leave_sample():
            return
        s = self._session
        chosen = next((c.id for c in s.plan.characteristics if c.number == number), "")
        s.files.open_scan(scan)
        if chosen:
            s.set_stage("evaluate")
            s.selection.select_characteristic(chosen)
            s.show(why=True)

    def may_leave(self) -> bool:
        """Ask about unsaved work, plan and sample; True when it may be left."""
        return self._may_leave_plan() and self.may_leave_sample()

    def _may_leave_plan(self) -> bool:
        if self._session.document.history.is_saved:
            return True
        name = shortened(self._session.plan.name)
        answer = ask(self._window, "Unsaved plan", f"Save the changes to {name}?", _SAVE, _DISCARD)
        return self.save() if answer == _SAVE else answer == _DISCARD

    def may_leave_sample(self) -> bool:
        """Ask about touches and temperatures that were not saved; True when the sample may go."""
        if self._session.sample is None or self._session.document.sample_is_saved:
            return True
        text = "The sample has measured points or temperatures that are not saved. Save it?"
        answer = ask(self._window, "Unsaved sample", text, _SAVE, _DISCARD)
        return self.save_sample() if answer == _SAVE else answer == _DISCARD

    def _may_open(self, path: Path) -> bool:
        """Ask about what opening a file would take the place of."""
        ending = path.suffix.lower()
        if ending == PLAN_ENDING:
            return self.may_open_plan()
        return ending not in SCAN_ENDINGS or self.may_leave_sample()

    def may_open_plan(self) -> bool:
        """Ask about the plan, and about touches of its features, which mean nothing to another plan."""
        sample = self._session.sample
        touched = sample is not None and bool(sample.touched)
        return self._may_leave_plan() and (not touched or self.may_leave_sample())


def file_name(text: str) -> str:
    """Return a name for a file that says what it holds."""
    return "".join(c if c.isalnum() or c in "-_ ." else "_" for c in text).strip() or "plan"
