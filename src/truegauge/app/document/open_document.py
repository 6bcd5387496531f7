"""What is open: plan, part and sample, read, saved, edited and evaluated. No widget; tests drive it."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from PySide6.QtCore import QObject, QTimer, Signal

from truegauge.app.document.queue import WorkQueue, WrongUnit
from truegauge.app.document.stage import STAGES
from truegauge.core.authoring.annotations import AnnotationImport, import_annotations
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.nominal_part import NominalRow
from truegauge.core.cad.recognition import whole_surface
from truegauge.core.cad.revision import Matching, match_faces
from truegauge.core.clouds.extent import scan_diagonal, unit_doubt
from truegauge.core.clouds.recipe import Recipe, Step, describe
from truegauge.core.commands.command import Command
from truegauge.core.commands.history import History
from truegauge.core.commands.part import SetPart
from truegauge.core.commands.points import SetRecipe
from truegauge.core.errors import FormatError, TrueGaugeError
from truegauge.core.evaluation.results import Evaluation
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.survey import survey_some
from truegauge.core.plan.document import Plan
from truegauge.core.plan.part import PartReference
from truegauge.core.progress import Progress, part_of
from truegauge.core.samples.document import ProbedTouch, SampleData, Touch
from truegauge.core.samples.sample import Sample
from truegauge.formats.files import Content, Stamp, content_key, read_bytes, write_whole
from truegauge.formats.nominal_csv import names_features, part_from_csv, rows_to_csv
from truegauge.formats.part import read_part
from truegauge.formats.part_kinds import NOMINAL_ENDING, PART_ENDINGS, part_key
from truegauge.formats.plan_file import PlanFile, model_of_plan, read_plan, write_plan
from truegauge.formats.ply import ply_from_mesh, ply_from_points
from truegauge.formats.sample_file import open_sample, write_sample
from truegauge.formats.scan import SCAN_READERS, Columns
from truegauge.formats.stl import stl_from_mesh
from truegauge.formats.touches_csv import read_touches

if TYPE_CHECKING:
    from truegauge.core.evaluation.evaluator import Evaluator

SCAN_ENDINGS = (*SCAN_READERS, ".tgsample")
PLAN_ENDING = ".tgplan"
_SURVEY_S = 0.4  # at a time
_STREAM_S = 0.6
_PROBED_MS = 250  # from a touch to the evaluation of it, and of those that came meanwhile


@dataclass(frozen=True, slots=True, eq=False)
class _Part:
    model: CadModel
    content: bytes


@dataclass(frozen=True, slots=True)
class Kept:
    """Unsaved work as it was kept: files of plan and sample, what is newer about the sample, and where it came from."""

    plan: Path
    sample: Path | None
    data: SampleData | None  # touches and temperatures, newer than the sample's file
    plan_path: Path | None
    stamp: Stamp | None
    plan_is_saved: bool
    sample_is_saved: bool
    name: str


class OpenDocument(WorkQueue):
    """The plan with its part, and the sample that it is evaluated on."""

    plan_changed = Signal()
    part_changed = Signal()
    sample_changed = Signal()
    sample_data_changed = Signal()
    evaluated = Signal()
    display_changed = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.history = History(Plan())
        self.model: CadModel | None = None  # there before the evaluator, which takes a moment longer
        self.evaluator: Evaluator | None = None
        self.part_content: bytes | None = None
        self.sample: Sample | None = None
        self.sample_contents: tuple[Content, ...] = ()
        self.evaluation: Evaluation | None = None
        self.plan_path: Path | None = None
        self.plan_stamp: Stamp | None = None  # what its file was when it was read or written last
        self.annotation_gaps: tuple[str, ...] = ()
        self.show_map = False
        self.sample_is_saved = True  # touches and temperatures are the operator's work
        self.may_let_sample_go: Callable[[], bool] = lambda: True  # asks, where there is a window
        self._generation = 0
        self._probed_at = -1e9
        self._probed_timer = QTimer(self)
        self._probed_timer.setSingleShot(True)
        self._probed_timer.setInterval(_PROBED_MS)
        self._probed_timer.timeout.connect(self._evaluate_probed)
        self._evaluators: dict[str, Evaluator] = {}
        self._parts: dict[str, _Part] = {}  # by content: undo may bring an earlier part back
        self._part_shown = ""
        self._matchings: dict[str, Matching] = {}  # by the content of the newer part

    @property
    def plan(self) -> Plan:
        """The plan as it is now."""
        return self.history.plan

    def missing(self, stage: str) -> str:
        """Say what a stage still needs; empty when nothing."""
        return STAGES[stage].missing(self)

    def open_file(self, path: Path, unit: str = "") -> None:
        """Open whatever the file is by its ending: a part, a scan or sample, or a plan."""
        ending = path.suffix.lower()
        if ending in PART_ENDINGS and (ending != NOMINAL_ENDING or names_features(path)):
            self.open_part(path)
        elif ending in SCAN_ENDINGS:
            self.open_scan(path, unit)
        elif ending == PLAN_ENDING:
            self.open_plan(path)
        else:
            known = ", ".join((*PART_ENDINGS, *SCAN_ENDINGS, PLAN_ENDING))
            self.notify(FormatError(path, f"this kind of file cannot be opened; use one of {known}"))

    def open_part(self, path: Path) -> None:
        """Read a part and make it the part of the plan; a revision of the part keeps the plan's features."""

        def read(progress: Progress) -> _Part:
            return _Part(read_part(path, progress=part_of(progress, 0, 0.8)), read_bytes(path))

        self._use_part(read, path.name)

    def use_nominals(self, rows: tuple[NominalRow, ...], file_name: str) -> None:
        """Make typed nominal features the part of the plan."""

        def build(progress: Progress) -> _Part:
            content = rows_to_csv(rows)
            return _Part(part_from_csv(Path(file_name), content, part_key(content)), content)

        self._use_part(build, file_name)

    def _use_part(self, read: Callable[[Progress], _Part], file_name: str) -> None:
        before = self.model if self.plan.all_features else None

        def work(progress: Progress) -> tuple[_Part, Matching | None]:
            part = read(progress)
            return part, None if before is None else match_faces(before, part.model)

        def done(result: tuple[_Part, Matching | None]) -> None:
            part, matching = result
            reference = PartReference(file_name=file_name, sha256=content_key(part.content))
            self._parts[reference.sha256] = part
            if matching is not None and matching.is_same_part and self.plan.part is not None:
                if reference.sha256 != self.plan.part.sha256:
                    self._matchings[reference.sha256] = matching
                self._open_revision(reference, matching)
            elif not self.run(SetPart(reference, Path(file_name).stem)):
                self._plan_has_changed()

        self._start(work, done, f"Reading {file_name}")

    def _open_revision(self, reference: PartReference, matching: Matching) -> None:
        command = SetPart(reference, self.plan.name, tuple(sorted(matching.new_of.items())), "open revision")
        if not self.run(command):
            self._plan_has_changed()
            return
        lost = [f.name for f in self.plan.features if min(f.faces) < 0]
        text = (
            f"{reference.file_name} is a revision: {matching.same} faces as before, {len(matching.changes)} changed, "
        )
        text += f"{len(matching.added)} new, {len(matching.gone)} gone."
        if lost:
            text += f" Not found again: {', '.join(lost[:4])}{' …' if len(lost) > 4 else ''}."

        def start_over() -> None:
            self.run(SetPart(reference, Path(reference.file_name).stem, label="start a new plan"))

        self.notify(text, "Start a new plan instead", start_over)

    @property
    def matching(self) -> Matching | None:
        """How the part compares with the revision before it; None when there was none."""
        return self._matchings.get(self._part_shown)

    def take_over_annotations(self) -> AnnotationImport | None:
        """Make datums and characteristics of the part's PMI."""
        if self.model is None:
            return None
        found = import_annotations(self.model, self.plan)
        if found.command.commands:
            self.run(found.command)
        text = f"{found.datums} datums and {found.characteristics} characteristics taken over from the part"
        if found.left_out:
            text += f"; {len(found.left_out)} things were not understood (listed in the Part stage)"
        self.annotation_gaps = found.left_out
        self.notify(f"{text}.")
        self.plan_changed.emit()
        return found

    def open_scan(self, path: Path, unit: str = "", columns: Columns | None = None, *, add: bool = False) -> None:
        """Bring in a scan, or open a sample; everything is evaluated again.

        With `add` the scan joins those of the present sample, in whose coordinates it must be.
        """
        present = self.sample if add else None
        contents = self.sample_contents if add else ()

        def work(progress: Progress) -> tuple[Sample, tuple[Content, ...]]:
            progress(0.1, "")
            sample, content = open_sample(path, unit, columns, progress=part_of(progress, 0.1, 0.9))
            progress(0.9, "")
            model = self.model
            # A unit that the user chose is believed; what a file does not tell is compared with the part.
            if not unit and path.suffix.lower() != ".tgsample":
                size = scan_diagonal(sample.points)
                doubt = unit_doubt(size, None if model is None else model.diagonal, sample.unit)
                if doubt is not None:
                    raise WrongUnit(path, doubt.text, doubt.unit, sample.unit)
            return (sample, content) if present is None else (present.joined(sample), contents + content)

        def done(result: tuple[Sample, tuple[Content, ...]]) -> None:
            self._use_sample(*result)
            self.sample_is_saved = present is None  # scans joined are in no file yet

        self._start(
            work,
            done,
            f"Reading {path.name}",
            again=lambda u, c: self.open_scan(path, u or unit, c or columns, add=add),
        )

    def open_plan(self, path: Path) -> None:
        """Open a plan with its part; the sample stays and is evaluated by it."""

        def work(progress: Progress) -> tuple[PlanFile, _Part | None]:
            file = read_plan(path)
            return file, _part_of_plan(path, file, part_of(progress, 0, 0.8))

        def done(result: tuple[PlanFile, _Part | None]) -> None:
            file, part = result
            self._use_plan(file.plan, part, path, file.stamp)
            self._plan_has_changed()

        self._start(work, done, f"Opening {path.name}")

    def _use_plan(self, plan: Plan, part: _Part | None, path: Path | None, stamp: Stamp | None) -> None:
        self.history = History(plan)
        self.plan_path, self.plan_stamp = path, stamp
        if part is not None and plan.part is not None:
            self._parts = {plan.part.sha256: part}

    def restore(self, kept: Kept, then: Callable[[], None]) -> None:
        """Take up unsaved work again, which stays unsaved; `then` is called when it is there."""

        def work(progress: Progress) -> tuple[PlanFile, _Part | None, Sample | None, tuple[Content, ...]]:
            file = read_plan(kept.plan)
            part = _part_of_plan(kept.plan, file, part_of(progress, 0, 0.5))
            sample: Sample | None = None
            contents: tuple[Content, ...] = ()
            if kept.sample is not None:
                sample, contents = open_sample(kept.sample, progress=part_of(progress, 0.5, 0.9))
            elif kept.data is not None:
                sample = Sample.of(kept.data)
            if sample is not None and kept.data is not None:
                sample = sample.with_data(kept.data)
            return file, part, sample, contents

        def done(result: tuple[PlanFile, _Part | None, Sample | None, tuple[Content, ...]]) -> None:
            file, part, sample, contents = result
            self._use_plan(file.plan, part, kept.plan_path, kept.stamp)
            if not kept.plan_is_saved:
                self.history.mark_unsaved()
            self.sample, self.sample_contents, self.evaluation = sample, contents, None
            self.sample_is_saved = sample is None or kept.sample_is_saved
            self.sample_changed.emit()
            self._plan_has_changed()
            then()

        self._start(work, done, f"Bringing back {kept.name}")

    def new_plan(self) -> None:
        """Start over with an empty plan; the sample goes too."""
        self.history = History(Plan())
        self.plan_path = self.plan_stamp = None
        self.sample, self.sample_contents = None, ()
        self.sample_is_saved = True
        self.sample_changed.emit()
        self._plan_has_changed()

    def save_plan(self, path: Path) -> bool:
        """Save the plan; False with a notice when that fails."""
        try:
            stamp = write_plan(path, self.plan, self.part_content)
        except FormatError as error:
            self.notify(error)
            return False
        self.plan_path, self.plan_stamp = path, stamp
        self.history.mark_saved()
        self.plan_changed.emit()
        return True

    @property
    def plan_was_changed_elsewhere(self) -> bool:
        """Whether the plan's file is not what it was when it was read or written here last."""
        return self.plan_path is not None and self.plan_stamp is not None and not self.plan_stamp.is_of(self.plan_path)

    def save_sample(self, path: Path) -> bool:
        """Save the sample; False with a notice when that fails."""
        if self.sample is None:
            return False
        try:
            write_sample(path, self.sample, self.sample_contents)
        except FormatError as error:
            self.notify(error)
            return False
        self.sample_is_saved = True
        return True

    def save_cloud(self, path: Path) -> bool:
        """Save the points that count, in part coordinates, each with its deviation; False with a notice on failure."""
        evaluation = self.evaluation
        if evaluation is None or isinstance(evaluation.cloud, NotComputed):
            return False
        points, found = evaluation.cloud.points, evaluation.cloud.found
        rows = np.flatnonzero(evaluation.cloud.usable)
        return self._write(
            path, lambda: ply_from_points(
                points[rows], normals=found.normals[rows], values=found.distance[rows],
                comment="part coordinates in mm, deviation in mm",
            )
        )  # fmt: skip

    def save_map(self, path: Path) -> bool:
        """Save the deviation map as a mesh: PLY with a deviation at each vertex, or its shape as STL."""
        if self.evaluator is None:
            return False
        found = self.evaluator.deviation_map(self.plan, self.sample)
        if isinstance(found, NotComputed):
            self.notify(found.reason)
            return False
        mesh, values = found.fine, found.fine_values
        if path.suffix.lower() == ".stl":
            return self._write(path, lambda: stl_from_mesh(mesh.vertices, mesh.triangles))
        return self._write(path, lambda: ply_from_mesh(mesh.vertices, mesh.triangles, values))

    def _write(self, path: Path, make: Callable[[], bytes]) -> bool:
        try:
            write_whole(path, make())
        except FormatError as error:
            self.notify(error)
            return False
        return True

    def run(self, command: Command) -> bool:
        """Apply a command to the plan; a refused one becomes a notice."""
        try:
            changed = self.history.run(command)
        except (ValueError, TrueGaugeError) as error:
            self.notify(error)
            return False
        if changed:
            self._plan_has_changed()
        return changed

    def undo(self) -> None:
        """Take the last edit back."""
        if self.history.undo():
            self._plan_has_changed()

    def redo(self) -> None:
        """Do the last undone edit again."""
        if self.history.redo():
            self._plan_has_changed()

    def take_sample_out(self) -> None:
        """Leave the plan without a sample: ready for the next scan."""
        self.sample, self.sample_contents = None, ()
        self.sample_is_saved = True
        if self.evaluator is not None:
            self.evaluator.forget_other_samples("")
        self.sample_changed.emit()
        self._evaluate()

    def set_recipe(self, recipe: Recipe, label: str) -> None:
        """Change what is done to the points."""
        self.run(SetRecipe(recipe, label))

    def add_step(self, step: Step) -> None:
        """Do one more thing to the points."""
        self.set_recipe((*self.plan.recipe, step), describe(step).lower())

    def _use_sample(self, sample: Sample, contents: tuple[Content, ...]) -> None:
        self.sample, self.sample_contents = sample, contents
        self.sample_is_saved = True
        self.evaluation = None
        if self.evaluator is not None:
            self.evaluator.forget_other_samples(sample.origin)
        self.sample_changed.emit()
        self._evaluate()

    def set_sample_data(self, **changes: Any) -> bool:
        """Change what is written about the sample (temperatures, touches); the points stay. False when refused."""
        if self.sample is None:
            return False
        try:
            about = self.sample.saying(**changes)
        except ValueError as error:
            self.notify(error)
            return False
        return self._measured_more(about)

    def _measured_more(self, sample: Sample) -> bool:
        """Take up what more is known of the sample; False where nothing is new."""
        if self.sample is None or sample.data == self.sample.data:
            return False
        self.sample = sample
        self.sample_is_saved = False
        self.sample_data_changed.emit()
        self._evaluate()
        return True

    def set_touches(self, touches: tuple[Touch, ...]) -> None:
        """Give the sample its touches; without a scan they are a sample of their own."""
        if self.sample is None:
            self._use_sample(Sample.of(SampleData(name="Touches", touches=touches)), ())
            self.sample_is_saved = False
        else:
            self._measured_more(self.sample.with_named(touches))

    def set_probed(self, touches: tuple[ProbedTouch, ...], temperature_c: float | None = None) -> None:
        """Give the sample its touches of features; it is evaluated again soon, however fast they come.

        Touches of a machine are not in the coordinates of a scan: a scan that is there is let go of.
        """
        sample = self.sample
        if sample is None or len(sample.points):
            sample = Sample.of(SampleData(name="Touches", temperature_c=temperature_c))
            self.sample_contents = ()
            self.evaluation = None
            self.sample = sample
            self.sample_changed.emit()
        if sample.about.temperature_c is None and temperature_c is not None:
            sample = sample.saying(temperature_c=temperature_c)
        self._probed_at = time.monotonic()
        self.sample = sample.with_probed(touches)
        self.sample_is_saved = False
        self.sample_data_changed.emit()
        if not self._probed_timer.isActive():
            self._probed_timer.start()

    @property
    def touches_come_in(self) -> bool:
        """Whether touches come in one after the other: the view need not be fine meanwhile."""
        return time.monotonic() - self._probed_at < _STREAM_S

    def _evaluate_probed(self) -> None:
        if self.sample is not None:
            if self.evaluator is not None:
                self.evaluator.forget_other_samples(self.sample.origin)
            self._evaluate()

    def add_turned_scan(self, path: Path, diameter: float) -> None:
        """Add a scan of the part after it was moved or turned over: spheres of a diameter (mm) seen in both place it.

        With a diameter of 0 the part itself does: both scans are fitted to it.
        """
        present, contents, evaluator = self.sample, self.sample_contents, self.evaluator
        if present is None or evaluator is None:
            return

        model, projector = evaluator.model, evaluator.projector

        def work(progress: Progress) -> tuple[Sample, tuple[Content, ...], tuple[str, ...]]:
            from truegauge.core.samples.joining import joined_by_part, joined_by_spheres

            other, content = open_sample(path, progress=part_of(progress, 0.0, 0.3))
            rest = part_of(progress, 0.3, 0.95)
            if diameter > 0:
                joined, notes = joined_by_spheres(present, other, diameter, progress=rest)
            else:
                joined, notes = joined_by_part(present, other, model, projector, progress=rest)
            return joined, contents + content, notes

        def done(result: tuple[Sample, tuple[Content, ...], tuple[str, ...]]) -> None:
            joined, every, notes = result
            self._use_sample(joined, every)
            self.sample_is_saved = False
            self.notify(f"{path.name} joined by {joined.files[-1].placed_by}. {'. '.join(notes)}".strip())

        self._start(work, done, f"Joining {path.name}")

    def open_touches(self, path: Path) -> None:
        """Bring in measured points with names (a table) as touches of the sample."""
        try:
            touches = read_touches(path)
        except FormatError as error:
            self.notify(error)
            return
        self.set_touches((*(self.sample.data.touches if self.sample else ()), *touches))
        self.notify(f"{len(touches)} measured points from {path.name}.")

    def evaluate_again(self) -> None:
        """Compute what is missing, after it was stopped."""
        self._evaluate()

    def _set_part(self, part: _Part | None) -> None:
        self.model = part.model if part else None
        self.evaluator = self._evaluators.get(self.model.key) if self.model else None
        self.part_content = part.content if part else None
        self.evaluation = None
        self._forget_selection()

    def _plan_has_changed(self) -> None:
        wanted = self.plan.part.sha256 if self.plan.part else ""
        if wanted != self._part_shown:
            self._part_shown = wanted
            self._set_part(self._parts.get(wanted))
        self._keep_selection_possible()
        self.plan_changed.emit()
        self._evaluate()

    def _evaluate(self) -> None:
        """Evaluate now when only judgements changed, else in the background; a newer request replaces an older."""
        self._generation += 1
        generation, evaluator, plan, sample = self._generation, self.evaluator, self.plan, self.sample
        model = self.model
        if model is None:
            self.evaluation = None
            self.evaluated.emit()
            return
        if evaluator is not None and evaluator.can_pick and evaluator.is_quick(plan, sample):
            self.evaluation = evaluator.evaluate(plan, sample)
            self.evaluated.emit()
            self._propose()
            self._make_map()
            self._find_patterns()
            self._survey()
            return

        def work(progress: Progress) -> Evaluation | None:
            if generation != self._generation:
                return None
            progress(0.0, "preparing the surfaces")
            prepared = evaluator or _evaluator(model)
            self._evaluators[model.key] = prepared
            _ = prepared.projector
            evaluation = prepared.evaluate(plan, sample, progress=part_of(progress, 0, 0.9))
            if sample is not None:
                progress(0.92, "deviation map")
                prepared.deviation_map(plan, sample)
            return evaluation

        def done(evaluation: Evaluation | None) -> None:
            if self.model is model:
                self.evaluator = self._evaluators.get(model.key)
            if evaluation is not None and generation == self._generation:
                self.evaluation = evaluation
                self.evaluated.emit()
                self._propose()
            self._find_patterns()
            self._survey()

        self._start(work, done, "Evaluating" if sample is not None else "Preparing")

    def _survey(self, start: int = 0) -> None:
        """Measure every face in the background, so that the view can tell at once what is under the pointer.

        A little at a time: whatever else is asked for comes in between.
        """
        evaluator, plan, sample, evaluation = self.evaluator, self.plan, self.sample, self.evaluation
        if evaluator is None or sample is None or evaluation is None or isinstance(evaluation.cloud, NotComputed):
            return
        last, generation = len(evaluator.model.faces) - 1, self._generation
        if start > last or evaluator.known_survey(plan, sample, whole_surface(evaluator.model, last)) is not None:
            return

        def done(reached: int) -> None:
            if generation == self._generation:  # else the newer evaluation begins again
                self._survey(reached)

        self._start(
            lambda progress: survey_some(evaluator.context(plan, sample), start, _SURVEY_S, progress), done,
            "Measuring every face",
        )  # fmt: skip

    def _find_patterns(self) -> None:
        """Look for holes, slots and patterns once the part can be picked; nothing else waits for them."""
        evaluator = self.evaluator
        if evaluator is not None and not evaluator.knows_patterns:
            self._start(
                lambda progress: evaluator.part.find_patterns(progress),
                lambda _: self.display_changed.emit(),
                "Looking for holes and patterns",
            )

    @property
    def wants_map(self) -> bool:
        """Whether the map is shown."""
        return self.show_map

    def _make_map(self) -> None:
        """Compute the map when it is wanted and not known yet."""
        evaluator, plan, sample = self.evaluator, self.plan, self.sample
        if not self.wants_map or evaluator is None or sample is None:
            return
        if evaluator.known_deviation_map(plan, sample) is None and self.evaluation is not None:
            self._start(
                lambda progress: evaluator.deviation_map(plan, sample),
                lambda _: self.display_changed.emit(),
                "Deviation map",
            )

    def _was_stopped(self) -> None:
        if self.model is not None and self.evaluation is None:
            self.notify("stopped before the results were there", "Evaluate again", self.evaluate_again)

    # What a selection has to do when the document changes -----------------------------------------------------------

    def _forget_selection(self) -> None:
        """The part is another one."""
        self.part_changed.emit()

    def _keep_selection_possible(self) -> None:
        """The plan may have lost what is selected."""

    def _propose(self) -> None:
        """There are new results for what is selected."""


def _part_of_plan(path: Path, file: PlanFile, progress: Progress) -> _Part | None:
    if file.part is None:
        return None
    return _Part(model_of_plan(path, file, progress=progress), file.part)


def _evaluator(model: CadModel) -> Evaluator:
    from truegauge.core.evaluation.evaluator import Evaluator

    return Evaluator(model)
