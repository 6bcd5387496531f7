"""The presentation model: what is open, selected, shown and being worked on. No widget; tests drive it."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from PySide6.QtCore import QObject, Signal

from truegauge.app.jobs import Job
from truegauge.app.look import Look
from truegauge.core.cad.elements import Element
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.nominal_part import NominalRow
from truegauge.core.cad.patterns import Pattern
from truegauge.core.cad.recognition import describe_face, whole_surface
from truegauge.core.cad.revision import Matching, match_faces
from truegauge.core.clouds.extent import scan_diagonal, unit_doubt
from truegauge.core.clouds.recipe import Recipe, Step, describe
from truegauge.core.errors import ColumnsUnknownError, FormatError, TrueGaugeError
from truegauge.core.plan.annotation_import import AnnotationImport, import_annotations
from truegauge.core.plan.commands import (
    AddCharacteristic,
    Command,
    RemoveCharacteristic,
    RemoveFeature,
    SetPart,
    SetRecipe,
    Several,
)
from truegauge.core.plan.document import ConstructedFeature, NominalFeature, PartReference, Plan
from truegauge.core.plan.graph import NotComputed
from truegauge.core.plan.history import History
from truegauge.core.plan.proposals import (
    Groups,
    Offer,
    Proposal,
    accept,
    accept_construction,
    construction_offers,
    offered,
    proposals,
)
from truegauge.core.plan.results import Evaluation
from truegauge.core.plan.sample import Sample
from truegauge.core.progress import Progress, part_of
from truegauge.formats.files import Content, content_key, read_bytes, write_whole
from truegauge.formats.nominal_csv import names_features, part_from_csv, rows_to_csv
from truegauge.formats.part import NOMINAL_ENDING, PART_ENDINGS, part_key, read_part
from truegauge.formats.plan_file import model_of_plan, read_plan, write_plan
from truegauge.formats.ply import ply_from_mesh, ply_from_points
from truegauge.formats.sample_file import open_sample, write_sample
from truegauge.formats.scan import SCAN_READERS, Columns
from truegauge.formats.stl import stl_from_mesh

if TYPE_CHECKING:
    from truegauge.core.arrays import Ints
    from truegauge.core.extraction import Built, Measured
    from truegauge.core.plan.evaluation import Evaluator

STAGES = ("part", "align", "measure", "evaluate", "report")
SCAN_ENDINGS = (*SCAN_READERS, ".tgsample")
PLAN_ENDING = ".tgplan"


@dataclass(frozen=True, slots=True, eq=False)
class Notice:
    """A message for the user: what happened, and possibly one or two things to do about it."""

    text: str
    action: str = ""
    callback: Callable[[], None] | None = None
    second: str = ""
    second_callback: Callable[[], None] | None = None
    calm: bool = False  # nothing is wrong


@dataclass(frozen=True, slots=True, eq=False)
class _Part:
    model: CadModel
    content: bytes


class Session(QObject):
    """What the window shows. Signals say what has happened; widgets listen and read."""

    plan_changed = Signal()
    part_changed = Signal()
    sample_changed = Signal()
    evaluated = Signal()
    selection_changed = Signal()
    proposals_changed = Signal()
    preview_changed = Signal()
    hover_changed = Signal()
    display_changed = Signal()
    stage_changed = Signal()
    busy_changed = Signal()
    noticed = Signal(object)
    columns_wanted = Signal(object, object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.history = History(Plan())
        self.model: CadModel | None = None  # there before the evaluator, which takes a moment longer
        self.evaluator: Evaluator | None = None
        self.part_content: bytes | None = None
        self.sample: Sample | None = None
        self.sample_contents: tuple[Content, ...] = ()
        self.evaluation: Evaluation | None = None
        self.selection: Groups = ()
        self.selected_characteristic = ""
        self.hovered_face = -1
        self.proposals: list[Proposal] = []
        self.offers: list[Offer] = []
        self.preview: Offer | None = None
        self.stage = "part"
        self.show_map = False
        self.show_points = False
        self.show_needles = True
        self.show_colors = False
        self.plan_path: Path | None = None
        self.busy_text, self.busy_fraction = "", 0.0
        self._executor = ThreadPoolExecutor(1, thread_name_prefix="truegauge")
        self._job: Job | None = None
        self._waiting: list[tuple[Callable[[Progress], Any], Callable[[Any], None], str, _Again | None]] = []
        self._again: _Again | None = None
        self._then: Callable[[Any], None] = lambda _: None
        self._job_text = ""
        self._closed = False
        self._generation = 0
        self._evaluators: dict[str, Evaluator] = {}
        self._parts: dict[str, _Part] = {}  # by content: undo may bring an earlier part back
        self._part_shown = ""
        self._matchings: dict[str, Matching] = {}  # by the content of the newer part
        self.annotation_gaps: tuple[str, ...] = ()
        self.look = Look()

    # What there is -----------------------------------------------------------------------------------------------

    @property
    def plan(self) -> Plan:
        """The plan as it is now."""
        return self.history.plan

    @property
    def is_busy(self) -> bool:
        """Whether work is going on."""
        return self._job is not None or bool(self._waiting)

    def missing(self, stage: str) -> str:
        """Say what a stage still needs; empty when nothing."""
        evaluation = self.evaluation
        if self.model is None:
            return "open a part first"
        if stage == "part":
            return ""
        if self.sample is None:
            return "bring in a scan"
        if stage == "align" and evaluation is not None:
            alignment = evaluation.alignment
            if isinstance(alignment, NotComputed):
                return alignment.reason
            return alignment.doubts[0] if alignment.doubts else ""
        if stage in ("measure", "evaluate", "report") and not self.plan.characteristics:
            return "add a characteristic: pick a face"
        return ""

    # Opening and saving --------------------------------------------------------------------------------------------

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
                doubt = unit_doubt(size, None if model is None else model.diagonal, sample.data.unit)
                if doubt is not None:
                    raise _WrongUnit(path, doubt.text, doubt.unit, sample.data.unit)
            return (sample, content) if present is None else (present.joined(sample), contents + content)

        def done(result: tuple[Sample, tuple[Content, ...]]) -> None:
            self.sample, self.sample_contents = result
            self.evaluation = None
            if self.evaluator is not None:
                self.evaluator.forget_other_samples(self.sample.key)
            self.sample_changed.emit()
            self._evaluate()

        self._start(work, done, f"Reading {path.name}", again=lambda u, c: self.open_scan(path, u or unit, c, add=add))

    def open_plan(self, path: Path) -> None:
        """Open a plan with its part; the sample stays and is evaluated by it."""

        def work(progress: Progress) -> tuple[Plan, _Part | None]:
            file = read_plan(path)
            if file.part is None:
                return file.plan, None
            model = model_of_plan(path, file, progress=part_of(progress, 0, 0.8))
            return file.plan, _Part(model, file.part)

        def done(result: tuple[Plan, _Part | None]) -> None:
            plan, part = result
            self.history = History(plan)
            self.plan_path = path
            if part is not None and plan.part is not None:
                self._parts = {plan.part.sha256: part}
            self._plan_has_changed()

        self._start(work, done, f"Opening {path.name}")

    def new_plan(self) -> None:
        """Start over with an empty plan; the sample goes too."""
        self.history = History(Plan())
        self.plan_path = None
        self.sample, self.sample_contents = None, ()
        self.sample_changed.emit()
        self._plan_has_changed()

    def save_plan(self, path: Path) -> bool:
        """Save the plan; False with a notice when that fails."""
        try:
            write_plan(path, self.plan, self.part_content)
        except FormatError as error:
            self.notify(error)
            return False
        self.plan_path = path
        self.history.mark_saved()
        self.plan_changed.emit()
        return True

    def save_sample(self, path: Path) -> bool:
        """Save the sample; False with a notice when that fails."""
        if self.sample is None:
            return False
        try:
            write_sample(path, self.sample, self.sample_contents)
        except FormatError as error:
            self.notify(error)
            return False
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

    # Editing -------------------------------------------------------------------------------------------------------

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

    def remove_selected_characteristic(self) -> None:
        """Remove the selected row."""
        if self.selected_characteristic:
            self.run(RemoveCharacteristic(self.selected_characteristic))

    # Selecting -----------------------------------------------------------------------------------------------------

    def hover(self, face: int) -> None:
        """The pointer is over a face (-1: none)."""
        if face != self.hovered_face:
            self.hovered_face = face
            self.hover_changed.emit()

    def hover_text(self) -> str:
        """Say what would be picked."""
        if self.model is None or self.hovered_face < 0:
            return ""
        text = describe_face(self.model, self.hovered_face)
        element = self.element_of(self.hovered_face)
        if element is not None and self.evaluator is not None:
            pattern = self.evaluator.patterns.of(element)
            text = element.describe() + (f" · one of a {pattern.describe()}" if pattern else "")
        elif self.model.faces[self.hovered_face].name:
            text = f"{self.model.faces[self.hovered_face].name}: {text}"
        feature = self.plan.feature_with_faces(whole_surface(self.model, self.hovered_face))
        return f"{feature.name}: {text}" if feature else text

    def element_of(self, face: int) -> Element | None:
        """Return what a face belongs to: a hole, a slot, ... None before that is worked out."""
        evaluator = self.evaluator
        return evaluator.elements.of_face(face) if evaluator is not None and evaluator.can_pick and face >= 0 else None

    def selected_pattern(self) -> Pattern | None:
        """Return the pattern that the selected faces are one of."""
        faces = self.selected_faces()
        element = self.element_of(faces[0]) if faces else None
        if element is None or self.evaluator is None or not set(faces) <= set(element.faces):
            return None
        return self.evaluator.patterns.of(element)

    def take_pattern(self) -> None:
        """Select, besides what is selected, the same faces of all the others of its pattern."""
        pattern = self.selected_pattern()
        if pattern is None:
            return
        element = next(m for m in pattern.members if set(self.selected_faces()) <= set(m.faces))
        places = [i for i, g in enumerate(element.groups) if g in self.selection] or [0]
        self.select_groups(tuple(m.groups[i] for m in pattern.members for i in places))

    def take_width(self) -> None:
        """Select the plane face that forms a width with the selected one too."""
        faces = self.selected_faces()
        if len(faces) == 1 and self.evaluator is not None:
            other = self.evaluator.elements.parallel_to(faces[0])
            if other is not None:
                self.select_groups((*self.selection, (other[0],)))

    def hovered_faces(self) -> tuple[int, ...]:
        """The faces that a click would pick."""
        if self.model is None or self.hovered_face < 0:
            return ()
        return whole_surface(self.model, self.hovered_face)

    def pick(self, face: int, *, add: bool = False) -> None:
        """Select the feature of a face; with `add` besides what is selected (again: take it out)."""
        if self.model is None:
            return
        if face < 0:
            if not add:
                self.select_groups(())
            return
        group = whole_surface(self.model, face)
        if not add:
            self.select_groups((group,))
        elif group in self.selection:
            self.select_groups(tuple(g for g in self.selection if g != group))
        else:
            self.select_groups((*self.selection, group))

    def select_groups(self, groups: Groups) -> None:
        """Select features by their faces; the ledger follows."""
        if groups == self.selection:
            return
        self.selection = groups
        self.preview = None
        related = self.related_characteristics()
        if self.selected_characteristic not in related:
            self.selected_characteristic = related[0] if related else ""
        self.selection_changed.emit()
        self._propose()

    def select_characteristic(self, characteristic_id: str) -> None:
        """Select a row of the ledger; the view follows."""
        if characteristic_id == self.selected_characteristic or not characteristic_id:
            return
        self.selected_characteristic = characteristic_id
        characteristic = self.plan.characteristic(characteristic_id)
        self.selection = tuple(self.plan.feature(f).group for f in characteristic.features)
        self.preview = None
        self.selection_changed.emit()
        self._propose()

    def related_characteristics(self) -> list[str]:
        """The characteristics whose features are all selected, then those that use a selected one."""
        chosen = {f.id for f in self.selected_features()}
        every = [c.id for c in self.plan.characteristics if chosen and set(c.features) == chosen]
        some = [c.id for c in self.plan.characteristics if chosen & set(c.features) and c.id not in every]
        return every + some

    def selected_faces(self) -> tuple[int, ...]:
        """All faces of the selection."""
        return tuple(f for group in self.selection for f in self.plan.faces_of(group))

    def selected_features(self) -> list[NominalFeature | ConstructedFeature]:
        """The features of the plan among the selected."""
        return [f for g in self.selection if (f := self.plan.feature_of(g)) is not None]

    def selected_measured(self) -> list[Measured | Built]:
        """The measured features among the selected."""
        evaluation = self.evaluation
        found = [evaluation.features.get(f.id) for f in self.selected_features()] if evaluation else []
        return [m for m in found if m is not None and not isinstance(m, NotComputed)]

    def selected_points(self) -> np.ndarray | None:
        """The points behind the selected features, part coordinates."""
        return self._points_of([m.rows for m in self.selected_measured()])

    def selected_strays(self) -> np.ndarray | None:
        """The points that were left out of the selected features, part coordinates."""
        return self._points_of([m.strays for m in self.selected_measured()])

    def _points_of(self, rows: list[Ints]) -> np.ndarray | None:
        evaluation = self.evaluation
        if evaluation is None or isinstance(evaluation.cloud, NotComputed) or not rows:
            return None
        return evaluation.cloud.points[np.concatenate(rows)]

    def accept(self, index: int = 0) -> None:
        """Take a proposal: it becomes a numbered characteristic."""
        if not 0 <= index < len(self.proposals) or self.evaluator is None:
            return
        proposal = self.proposals[index]
        nominals = tuple(self.evaluator.nominal(g, self.plan) for g in proposal.groups)
        command = accept(self.plan, proposal, tuple(n for n in nominals if not isinstance(n, NotComputed)))
        if self.run(command):
            last = command.commands[0] if isinstance(command, Several) else command
            if isinstance(last, AddCharacteristic):
                self.selected_characteristic = last.characteristic.id
            self.selection_changed.emit()

    def set_preview(self, offer: Offer | None) -> None:
        """Show what a construction would give, before it is made."""
        if offer is not self.preview:
            self.preview = offer
            self.preview_changed.emit()

    def offer_with(self, offer: Offer, values: tuple[float, ...]) -> Offer | None:
        """Return the same construction with other values; None when it cannot be built with them."""
        if self.evaluator is None:
            return None
        return offered(self.evaluator, self.plan, self.sample, offer.construction, offer.groups, values)

    def construct(self, offer: Offer) -> None:
        """Make a constructed feature and select it."""
        if self.evaluator is None:
            return
        nominals = tuple(
            n for g in offer.groups if not isinstance(n := self.evaluator.nominal(g, self.plan), NotComputed)
        )
        command = accept_construction(self.plan, offer, nominals)
        self.preview = None
        if self.run(command):
            self.select_groups((command.feature.id,))

    def remove_selected_features(self) -> None:
        """Remove the selected features with all that needs them."""
        features = self.selected_features()
        self.select_groups(())
        for feature in features:
            if self.plan.has_feature(feature.id):
                self.run(RemoveFeature(feature.id))

    # Showing -------------------------------------------------------------------------------------------------------

    def set_stage(self, stage: str) -> None:
        """Open a stage."""
        if stage != self.stage:
            self.stage = stage
            self.stage_changed.emit()

    def set_show_map(self, show: bool) -> None:
        """Turn the deviation map on or off."""
        if show != self.show_map:
            self.show_map = show
            self.display_changed.emit()
            self._make_map()

    def set_recipe(self, recipe: Recipe, label: str) -> None:
        """Change what is done to the points."""
        self.run(SetRecipe(recipe, label))

    def add_step(self, step: Step) -> None:
        """Do one more thing to the points."""
        self.set_recipe((*self.plan.recipe, step), describe(step).lower())

    def set_look(self, **changes: Any) -> None:
        """Change how the part is shown: hidden faces, transparency, edges only, section box."""
        self.look = replace(self.look, **changes)
        self.display_changed.emit()

    def hide_selected(self) -> None:
        """Hide the selected faces."""
        faces = frozenset(f for f in self.selected_faces() if f >= 0)
        self.select_groups(())
        self.set_look(hidden=self.look.hidden | faces)

    def show_only_selected(self) -> None:
        """Hide all faces but the selected ones and those of the same element."""
        if self.model is None:
            return
        wanted = set(self.selected_faces())
        for face in tuple(wanted):
            element = self.element_of(face)
            wanted |= set(element.faces) if element else set()
        self.set_look(hidden=frozenset(f.index for f in self.model.faces if f.index not in wanted))

    def show_all(self) -> None:
        """Show every face again."""
        self.set_look(hidden=frozenset())

    def set_show_points(self, show: bool) -> None:
        """Turn the points on or off."""
        if show != self.show_points:
            self.show_points = show
            self.display_changed.emit()

    def set_show_colors(self, show: bool) -> None:
        """Show the points in the colours that the scanner gave them, or in one."""
        if show != self.show_colors:
            self.show_colors = show
            self.display_changed.emit()

    def set_show_needles(self, show: bool) -> None:
        """Turn the residual needles of the selected feature on or off."""
        if show != self.show_needles:
            self.show_needles = show
            self.display_changed.emit()

    def notify(
        self, problem: Exception | str, action: str = "", callback: Callable[[], None] | None = None,
        second: str = "", second_callback: Callable[[], None] | None = None,
    ) -> None:  # fmt: skip
        """Show a message."""
        calm = isinstance(problem, str)
        self.noticed.emit(Notice(_words(problem), action, callback, second, second_callback, calm))

    # Working -------------------------------------------------------------------------------------------------------

    def evaluate_again(self) -> None:
        """Compute what is missing, after it was stopped."""
        self._evaluate()

    def cancel(self) -> None:
        """Stop the work that is going on, and what waits behind it."""
        self._waiting.clear()
        if self._job is not None:
            self._job.cancel()

    def close(self) -> None:
        """Stop all work and wait for it."""
        self._closed = True
        self.cancel()
        self._executor.shutdown(wait=True, cancel_futures=True)

    def _start(
        self, work: Callable[[Progress], Any], done: Callable[[Any], None], text: str, again: _Again | None = None
    ) -> None:
        """Work in the background; `again` does the same with a unit or columns that had to be asked for."""
        if self._closed:
            return
        self._waiting.append((work, done, text, again))
        if self._job is None:
            self._next()

    def _next(self) -> None:
        if not self._waiting:
            self.busy_text, self.busy_fraction = "", 0.0
            self.busy_changed.emit()
            return
        work, done, text, self._again = self._waiting.pop(0)
        job = Job(work, self)
        self._job, self._then, self._job_text = job, done, text
        self.busy_text, self.busy_fraction = text, 0.0
        job.progressed.connect(self._on_progressed)
        job.done.connect(self._on_done)
        job.failed.connect(self._on_failed)
        job.cancelled.connect(self._on_cancelled)
        self.busy_changed.emit()
        job.start(self._executor)

    def _on_progressed(self, job: Job, fraction: float, detail: str) -> None:
        if job is self._job:
            self.busy_text = f"{self._job_text}: {detail}" if detail else self._job_text
            self.busy_fraction = fraction
            self.busy_changed.emit()

    def _on_done(self, job: Job, result: object) -> None:
        then = self._then
        self._end(job)
        then(result)
        self._go_on()

    def _on_failed(self, job: Job, error: Exception) -> None:
        self._end(job)
        again = self._again
        if isinstance(error, _WrongUnit) and again is not None:
            unit, as_it_is = error.unit, error.read_as
            self.notify(error, f"Read as {unit}", lambda: again(unit, None), f"Keep {as_it_is}",
                        lambda: again(as_it_is, None))  # fmt: skip
        elif isinstance(error, ColumnsUnknownError) and again is not None:
            self.columns_wanted.emit(error, lambda columns: again("", columns))
        else:
            self.notify(error)
        self._go_on()

    def _on_cancelled(self, job: Job) -> None:
        self._end(job)
        if not self._closed and self.model is not None and self.evaluation is None:
            self.notify("stopped before the results were there", "Evaluate again", self.evaluate_again)
        self._go_on()

    def _end(self, job: Job) -> None:
        self._job = None
        job.deleteLater()

    def _go_on(self) -> None:
        if self._job is None:
            self._next()

    def _set_part(self, part: _Part | None) -> None:
        self.model = part.model if part else None
        self.evaluator = self._evaluators.get(self.model.key) if self.model else None
        self.part_content = part.content if part else None
        self.evaluation = None
        self.look = Look()
        self.selection, self.selected_characteristic, self.hovered_face = (), "", -1
        self.proposals, self.offers, self.preview = [], [], None
        self.part_changed.emit()
        self.selection_changed.emit()
        self.proposals_changed.emit()

    def _plan_has_changed(self) -> None:
        wanted = self.plan.part.sha256 if self.plan.part else ""
        if wanted != self._part_shown:
            self._part_shown = wanted
            self._set_part(self._parts.get(wanted))
        gone = tuple(g for g in self.selection if isinstance(g, str) and self.plan.feature_of(g) is None)
        if gone:
            self.select_groups(tuple(g for g in self.selection if g not in gone))
        if self.selected_characteristic not in {c.id for c in self.plan.characteristics}:
            self.selected_characteristic = ""
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
            return

        def work(progress: Progress) -> Evaluation | None:
            if generation != self._generation:
                return None
            progress(0.0, "preparing the surfaces")
            prepared = evaluator or _evaluator(model)
            self._evaluators[model.key] = prepared
            _ = prepared.projector
            _ = prepared.patterns
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

        self._start(work, done, "Evaluating" if sample is not None else "Preparing")

    def _make_map(self) -> None:
        """Compute the map when it is wanted and not known yet."""
        evaluator, plan, sample = self.evaluator, self.plan, self.sample
        if not self.show_map or evaluator is None or sample is None:
            return
        if evaluator.known_deviation_map(plan, sample) is None and self.evaluation is not None:
            self._start(
                lambda progress: evaluator.deviation_map(plan, sample),
                lambda _: self.display_changed.emit(),
                "Deviation map",
            )

    def _propose(self) -> None:
        evaluator, plan, sample, selection = self.evaluator, self.plan, self.sample, self.selection
        if evaluator is None or not selection:
            self.proposals, self.offers = [], []
            self.proposals_changed.emit()
            return

        def work(progress: Progress) -> tuple[list[Proposal], list[Offer]]:
            found = proposals(evaluator, plan, sample, selection)
            return found, construction_offers(evaluator, plan, sample, selection)

        def done(found: tuple[list[Proposal], list[Offer]]) -> None:
            if selection == self.selection:
                self.proposals, self.offers = found
                self.proposals_changed.emit()

        self._start(work, done, "Measuring the selection")


class _WrongUnit(FormatError):
    """The size of a scan speaks for another unit than the one that it was read by."""

    def __init__(self, path: object, reason: str, unit: str, read_as: str) -> None:
        super().__init__(path, reason)
        self.unit, self.read_as = unit, read_as


_Again = Callable[[str, Columns | None], None]


def _evaluator(model: CadModel) -> Evaluator:
    from truegauge.core.plan.evaluation import Evaluator

    return Evaluator(model)


def _words(problem: Exception | str) -> str:
    if isinstance(problem, str | TrueGaugeError):
        return str(problem)
    errors = getattr(problem, "errors", None)
    if callable(errors):
        return str(errors()[0]["msg"]).removeprefix("Value error, ")
    return f"something went wrong inside the program ({type(problem).__name__}: {problem}); your work is kept"
