"""Evaluating in the background whenever the document is stale, and what is worked out ahead of being asked for."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from truegauge.app.document.document import Document
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.recognition import whole_surface
from truegauge.core.evaluation.results import Evaluation
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.survey import survey_some
from truegauge.core.progress import Progress, part_of
from truegauge.drawing.tag_layout import load_ahead

if TYPE_CHECKING:
    from truegauge.core.evaluation.evaluator import Evaluator

_SURVEY_S = 0.4  # at a time


class Evaluating(QObject):
    """Judges at once what is quick, and works the rest out on the queue; a newer request replaces an older."""

    more_known = Signal()  # what may be shown, but is no result: the map, patterns

    def __init__(self, document: Document, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._generation = 0
        self._wants_map = False
        document.stale.connect(self.evaluate)
        document.queue.stopped.connect(self._was_stopped)

    def want_map(self, wants: bool) -> None:
        """Have the deviation map at hand from now on, or not."""
        if wants and not self._wants_map:
            self._wants_map = True
            self._make_map()
        self._wants_map = wants

    def evaluate(self) -> None:
        """Evaluate now when only judgements changed, else in the background; a newer request replaces an older."""
        self._generation += 1
        d = self._document
        generation, evaluator, plan, sample = self._generation, d.evaluator, d.plan, d.sample
        model = self._document.model
        if plan.silhouette is not None and evaluator is not None:
            self._evaluate_shadow(evaluator, generation)
            return
        if model is None:
            self._document.evaluation = None
            self._document.evaluated.emit()
            return
        if evaluator is not None and evaluator.can_pick and evaluator.is_quick(plan, sample):
            self._document.evaluation = evaluator.evaluate(plan, sample)
            self._document.evaluated.emit()
            self._make_map()
            self._find_patterns()
            self._survey()
            return

        # A map that is looked at comes with its results; else they do not wait for it.
        with_map = sample is not None and self._wants_map and d.evaluation is not None

        def work(progress: Progress) -> Evaluation | None:
            if generation != self._generation:
                return None
            progress(0.0, "preparing the surfaces")
            load_ahead()
            prepared = evaluator or _evaluator(model)
            d.evaluators[model.key] = prepared
            _ = prepared.projector
            evaluation = prepared.evaluate(plan, sample, progress=part_of(progress, 0, 0.9))
            if with_map:
                progress(0.92, "deviation map")
                prepared.deviation_map(plan, sample)
            return evaluation

        def done(evaluation: Evaluation | None) -> None:
            if self._document.model is model:
                self._document.evaluator = d.evaluators.get(model.key)
            if evaluation is not None and generation == self._generation:
                self._document.evaluation = evaluation
                self._document.evaluated.emit()
                self._make_map(wanted=True)
            self._find_patterns()
            self._survey()

        self._document.queue.start(work, done, "Evaluating" if sample is not None else "Preparing")

    def _evaluate_shadow(self, evaluator: Evaluator, generation: int) -> None:
        """Evaluate a silhouette: at once where its picture was measured already."""
        d = self._document
        plan, sample = d.plan, d.sample

        def done(evaluation: Evaluation) -> None:
            if generation == self._generation:
                d.evaluation = evaluation
                d.evaluated.emit()

        if evaluator.is_quick(plan, sample):
            done(evaluator.evaluate(plan, sample))
        else:
            d.queue.start(lambda progress: evaluator.evaluate(plan, sample), done, "Measuring")

    def _survey(self, start: int = 0) -> None:
        """Measure every face in the background, so that the view can tell at once what is under the pointer.

        A little at a time: whatever else is asked for comes in between.
        """
        evaluator, plan, sample, evaluation = (
            self._document.evaluator,
            self._document.plan,
            self._document.sample,
            self._document.evaluation,
        )
        if evaluator is None or sample is None or evaluation is None or isinstance(evaluation.cloud, NotComputed):
            return
        last, generation = len(evaluator.model.faces) - 1, self._generation
        if start > last or evaluator.known_survey(plan, sample, whole_surface(evaluator.model, last)) is not None:
            return

        def done(reached: int) -> None:
            if generation == self._generation:  # else the newer evaluation begins again
                self._survey(reached)

        self._document.queue.start(
            lambda progress: survey_some(evaluator.context(plan, sample), start, _SURVEY_S, progress), done,
            "Measuring every face",
        )  # fmt: skip

    def _find_patterns(self) -> None:
        """Look for holes, slots and patterns once the part can be picked; nothing else waits for them."""
        evaluator = self._document.evaluator
        if evaluator is not None and not evaluator.knows_patterns:
            self._document.queue.start(
                lambda progress: evaluator.part.find_patterns(progress),
                lambda _: self.more_known.emit(),
                "Looking for holes and patterns",
            )

    def _make_map(self, *, wanted: bool = False) -> None:
        """Compute the map when it is wanted (or will be, as one looks at results) and not known yet."""
        evaluator, plan, sample = self._document.evaluator, self._document.plan, self._document.sample
        if not (wanted or self._wants_map) or evaluator is None or sample is None:
            return
        if evaluator.known_deviation_map(plan, sample) is None and self._document.evaluation is not None:
            self._document.queue.start(
                lambda progress: evaluator.deviation_map(plan, sample),
                lambda _: self.more_known.emit(),
                "Deviation map",
            )

    def _was_stopped(self) -> None:
        if self._document.model is not None and self._document.evaluation is None:
            self._document.notify("stopped before the results were there", "Evaluate again", self.evaluate)


def _evaluator(model: CadModel) -> Evaluator:
    from truegauge.core.evaluation.evaluator import Evaluator
    from truegauge.formats.disk_shelf import DiskShelf
    from truegauge.rendering.outline import outermost_places

    outermost_places(model)  # tags ask for it when they are painted first
    return Evaluator(model, shelf=DiskShelf())
