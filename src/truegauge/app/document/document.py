"""The plan with its part, and the sample that it is evaluated on: edited here, evaluated by others."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, QTimer, Signal

from truegauge.app.document.opened import Kept, OpenedPart
from truegauge.app.document.point_steps import PointSteps
from truegauge.app.document.queue import WorkQueue
from truegauge.core.authoring.annotations import AnnotationImport, import_annotations
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.revision import Matching
from truegauge.core.clouds.recipe import Recipe, Step, describe
from truegauge.core.commands.command import Command
from truegauge.core.commands.history import History
from truegauge.core.commands.part import SetPart
from truegauge.core.commands.points import SetRecipe
from truegauge.core.errors import TrueGaugeError
from truegauge.core.evaluation.results import Evaluation
from truegauge.core.plan.document import Plan
from truegauge.core.plan.part import PartReference
from truegauge.core.samples.document import ProbedTouch, SampleData, Touch
from truegauge.core.samples.points import PointsChange
from truegauge.core.samples.sample import Sample
from truegauge.formats.files import Content, Stamp, content_key

if TYPE_CHECKING:
    from truegauge.core.evaluation.evaluator import Evaluator

_STREAM_S = 0.6
_NO_PART, _SHADOW = "no part", "silhouette"  # keys of what has no part
_PROBED_MS = 250  # from a touch to the evaluation of it, and of those that came meanwhile


class Document(QObject):
    """What is open. Every change of it makes it `stale`: whoever evaluates listens to that."""

    plan_changed = Signal()
    part_changed = Signal()
    sample_changed = Signal()
    sample_data_changed = Signal()
    stale = Signal()
    evaluated = Signal()

    def __init__(self, queue: WorkQueue, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.queue = queue
        self.history = History(Plan())
        self.model: CadModel | None = None  # there before the evaluator, which takes a moment longer
        self.evaluator: Evaluator | None = None
        self.evaluators: dict[str, Evaluator] = {}  # by the part that they were made for
        self.part_content: bytes | None = None
        self.sample: Sample | None = None
        self.sample_contents: tuple[Content, ...] = ()
        self.evaluation: Evaluation | None = None
        self.plan_path: Path | None = None
        self.plan_stamp: Stamp | None = None  # what its file was when it was read or written last
        self.annotation_gaps: tuple[str, ...] = ()
        self.sample_is_saved = True  # touches and temperatures are the operator's work
        self.keeper: Callable[[Callable[[], None]], None] | None = None  # keeps what is not saved
        # Of devices that keep what nobody has confirmed: the series of their numbers, and up to which it is here.
        self.devices: dict[str, tuple[str, int]] = {}
        self.may_let_sample_go: Callable[[], bool] = lambda: True  # asks, where there is a window
        self._point_steps = PointSteps()
        self._probed_at = -1e9
        self._probed_timer = QTimer(self)
        self._probed_timer.setSingleShot(True)
        self._probed_timer.setInterval(_PROBED_MS)
        self._probed_timer.timeout.connect(self._evaluate_probed)
        self._parts: dict[str, OpenedPart] = {}  # by content: undo may bring an earlier part back
        self._part_shown = ""
        self._matchings: dict[str, Matching] = {}  # by the content of the newer part

    def keep(self, then: Callable[[], None]) -> None:
        """Have what there is kept safe, `then` go on (on any thread); at once where nothing keeps it."""
        if self.keeper is None:
            then()
        else:
            self.keeper(then)

    def notify(
        self, problem: Exception | str, action: str = "", callback: Callable[[], None] | None = None,
        second: str = "", second_callback: Callable[[], None] | None = None,
    ) -> None:  # fmt: skip
        """Show a message."""
        self.queue.notify(problem, action, callback, second, second_callback)

    @property
    def plan(self) -> Plan:
        """The plan as it is now."""
        return self.history.plan

    def run(self, command: Command) -> bool:
        """Apply a command to the plan; a refused one becomes a notice."""
        try:
            changed = self.history.run(command)
        except (ValueError, TrueGaugeError) as error:
            self.notify(error)
            return False
        if changed:
            self._point_steps.forget_redo()
            self._plan_has_changed()
        return changed

    def change_points(self, change: PointsChange) -> None:
        """Change what points of the sample serve, or are called, or whether they are there."""
        if self.sample is not None and self._measured_more(change.done(self.sample)):
            self.history.end_merge()  # else the plan that this belongs to would be gone with the next step of a drag
            self._point_steps.record(self.plan, self.sample, change)
            self.history.forget_redo()

    @property
    def undo_label(self) -> str:
        """What undo would take back; empty when there is nothing."""
        points = self._point_steps.to_undo(self.plan, self.sample)
        return self.history.undo_label if points is None else points.label

    @property
    def redo_label(self) -> str:
        """What redo would do again; empty when there is nothing."""
        points = self._point_steps.to_redo(self.plan, self.sample)
        return self.history.redo_label if points is None else points.label

    def undo(self) -> None:
        """Take the last edit back."""
        points = self._point_steps.to_undo(self.plan, self.sample)
        if points is not None and self.sample is not None:
            self._point_steps.undone()
            self._measured_more(points.undone(self.sample))
        elif self.history.undo():
            self._plan_has_changed()

    def redo(self) -> None:
        """Do the last undone edit again."""
        points = self._point_steps.to_redo(self.plan, self.sample)
        if points is not None and self.sample is not None:
            self._point_steps.redone()
            self._measured_more(points.done(self.sample))
        elif self.history.redo():
            self._plan_has_changed()

    @property
    def matching(self) -> Matching | None:
        """How the part compares with the revision before it; None when there was none."""
        return self._matchings.get(self._part_shown)

    def take_over_annotations(self) -> None:
        """Make datums and characteristics of the part's PMI."""
        model, plan = self.model, self.plan
        if model is not None:
            self.queue.start(
                lambda progress: import_annotations(model, plan), lambda found: self._take_over(plan, found),
                "Taking over the drawing",
            )  # fmt: skip

    def _take_over(self, plan: Plan, found: AnnotationImport) -> None:
        if self.plan is not plan:  # it was changed meanwhile: numbers and names may be taken
            self.take_over_annotations()
            return
        if found.command.commands:
            self.run(found.command)
        text = f"{found.datums} datums and {found.characteristics} characteristics taken over from the part"
        if found.left_out:
            text += f"; {len(found.left_out)} things were not understood (listed in the Part stage)"
        self.annotation_gaps = found.left_out
        self.notify(f"{text}.")
        self.plan_changed.emit()

    def take_sample_out(self) -> None:
        """Leave the plan without a sample: ready for the next scan."""
        if self.evaluator is not None:
            self.evaluator.forget_other_samples("")
        self._set_sample(None, (), saved=True)
        self.stale.emit()

    def set_recipe(self, recipe: Recipe, label: str) -> None:
        """Change what is done to the points."""
        self.run(SetRecipe(recipe, label))

    def add_step(self, step: Step) -> None:
        """Do one more thing to the points."""
        self.set_recipe((*self.plan.recipe, step), describe(step).lower())

    def use_sample(self, sample: Sample, contents: tuple[Content, ...], *, saved: bool = True) -> None:
        """Evaluate another sample; `contents` are the files of its scans, `saved` whether it is in a file itself."""
        if self.evaluator is not None:
            self.evaluator.forget_other_samples(sample.origin)
        self.evaluation = None
        self._set_sample(sample, contents, saved=saved)
        self.stale.emit()

    def show_picture(self, sample: Sample) -> None:
        """Evaluate the picture of a camera as it is now; the next one takes its place, and none is lost with it."""
        self._set_sample(sample, (), saved=True)
        self.stale.emit()

    def _set_sample(self, sample: Sample | None, contents: tuple[Content, ...], *, saved: bool) -> None:
        self.sample, self.sample_contents, self.sample_is_saved = sample, contents, saved
        self.sample_changed.emit()

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
        self.stale.emit()
        return True

    def set_touches(self, touches: tuple[Touch, ...], device: str = "") -> None:
        """Give the sample its touches, from a device where it says who it is; without a scan they are a sample."""
        if self.sample is None:
            self.use_sample(Sample.of(SampleData(name="Touches", touches=touches, device=device)), (), saved=False)
        else:
            sample = self.sample.with_named(touches)
            self._measured_more(sample.saying(device=device) if device else sample)

    def take_scan(self, sample: Sample, contents: tuple[Content, ...]) -> None:
        """Take what a device has scanned: beside what was measured in the same coordinates, else in place of it.

        That it was added to a scan which is there is told: it may be of the next part.
        """
        present = self.sample
        if present is None or not present.contributions or present.about.device != sample.about.device:
            self.use_sample(sample, contents, saved=False)
            return
        self.use_sample(present.joined(sample), (*self.sample_contents, *contents), saved=False)
        if present.scans:
            words = f"added to the scan that was there: {len(present.points):,} and {len(sample.points):,} points"
            self.notify(words, "Only this scan", lambda: self.use_sample(sample, contents, saved=False))

    def set_probed(
        self, touches: tuple[ProbedTouch, ...], temperature_c: float | None = None, device: str = ""
    ) -> None:  # fmt: skip
        """Give the sample its touches of features; it is evaluated again soon, however fast they come.

        Touches of a machine are not in the coordinates of a scan of another device: such a scan is let go of.
        """
        sample = self.sample
        # Who says of no device has touched at one that nobody knows, but where such touches are there already.
        foreign = sample is not None and (sample.about.device != device if device else not sample.probed)
        if sample is None or (len(sample.points) and foreign):
            sample = Sample.of(SampleData(name="Touches", temperature_c=temperature_c))
            self.sample_contents = ()
            self.evaluation = None
            self.sample = sample
            self.sample_changed.emit()
        if sample.about.temperature_c is None and temperature_c is not None:
            sample = sample.saying(temperature_c=temperature_c)
        if device and sample.about.device != device:
            sample = sample.saying(device=device)
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
            self.stale.emit()

    def _set_part(self, part: OpenedPart | None) -> None:
        self.model = part.model if part else None
        self.evaluator = self.evaluators.get(self.model.key) if self.model else self._without_part()
        self.part_content = part.content if part else None
        self.evaluation = None
        self.part_changed.emit()

    def _without_part(self) -> Evaluator | None:
        """Return what evaluates silhouettes, which need no part; None for other plans."""
        if self.plan.silhouette is None:
            return None
        if _NO_PART not in self.evaluators:
            from truegauge.core.cad.no_part import no_part
            from truegauge.core.evaluation.evaluator import Evaluator

            self.evaluators[_NO_PART] = Evaluator(no_part())
        return self.evaluators[_NO_PART]

    def _plan_has_changed(self) -> None:
        wanted = self.plan.part.sha256 if self.plan.part else _SHADOW if self.plan.silhouette is not None else ""
        if wanted != self._part_shown:
            self._part_shown = wanted
            self._set_part(self._parts.get(wanted))
        self.plan_changed.emit()
        self.stale.emit()

    def use_part(self, part: OpenedPart, matching: Matching | None, file_name: str) -> None:
        """Make a part the part of the plan; a revision of the one before (`matching`) keeps the plan's features."""
        reference = PartReference(file_name=file_name, sha256=content_key(part.content))
        self._parts[reference.sha256] = part
        if matching is not None and matching.is_same_part and self.plan.part is not None:
            if reference.sha256 != self.plan.part.sha256:
                self._matchings[reference.sha256] = matching
            self._open_revision(reference, matching)
        elif not self.run(SetPart(reference, Path(file_name).stem)):
            self._plan_has_changed()

    def use_plan(self, plan: Plan, part: OpenedPart | None, path: Path | None, stamp: Stamp | None) -> None:
        """Work on another plan; the sample stays and is evaluated by it."""
        self._set_plan(plan, part, path, stamp)
        self._plan_has_changed()

    def _set_plan(self, plan: Plan, part: OpenedPart | None, path: Path | None, stamp: Stamp | None) -> None:
        self.history = History(plan)
        self.plan_path, self.plan_stamp = path, stamp
        if part is not None and plan.part is not None:
            self._parts = {plan.part.sha256: part}

    def take_up(
        self, kept: Kept, plan: Plan, part: OpenedPart | None, sample: Sample | None, contents: tuple[Content, ...]
    ) -> None:
        """Go on with work that was kept, which stays unsaved."""
        self._set_plan(plan, part, kept.plan_path, kept.stamp)
        self.devices = self.devices | kept.devices
        if not kept.plan_is_saved:
            self.history.mark_unsaved()
        self.evaluation = None
        self._set_sample(sample, contents, saved=sample is None or kept.sample_is_saved)
        self._plan_has_changed()

    def start_over(self) -> None:
        """Begin with an empty plan; the sample goes too."""
        self._set_plan(Plan(), None, None, None)
        self._set_sample(None, (), saved=True)
        self._plan_has_changed()

    def plan_was_saved(self, plan: Plan, path: Path, stamp: Stamp) -> None:
        """Know which plan is in a file: it may have changed while it was written."""
        self.plan_path, self.plan_stamp = path, stamp
        self.history.mark_saved(plan)
        self.plan_changed.emit()

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
