"""Evaluation: a pure function of plan, part and sample."""

from __future__ import annotations

from typing import TYPE_CHECKING

from truegauge.core.characteristics.registry import kind_named
from truegauge.core.deviations.deviation_map import DeviationMap
from truegauge.core.errors import EvaluationError
from truegauge.core.evaluation.judgement import result_of
from truegauge.core.evaluation.known_results import KnownResults
from truegauge.core.evaluation.results import Evaluation, Result
from truegauge.core.evaluation.trials import trial_context
from truegauge.core.evaluation.uncertainty import UncertaintyOf
from truegauge.core.nodes.aligned import AlignedCloud, colors_of
from truegauge.core.nodes.alignment import AlignmentOf
from truegauge.core.nodes.contents import Contents
from truegauge.core.nodes.context import Context
from truegauge.core.nodes.features import ConstructedFromFeatures, FeatureFromPoints, FromPoints
from truegauge.core.nodes.graph import Graph, NotComputed
from truegauge.core.nodes.keys import temperatures
from truegauge.core.nodes.map import MapOf
from truegauge.core.nodes.nominal import nominal_feature
from truegauge.core.nodes.part_index import PartIndex
from truegauge.core.nodes.shadow import SeenShadow
from truegauge.core.nodes.survey import FaceSurvey, SurveyOf
from truegauge.core.plan.document import Plan
from truegauge.core.progress import Progress, part_of, silent
from truegauge.core.shelf import NO_SHELF, Shelf

if TYPE_CHECKING:
    from truegauge.core.cad.elements import Elements
    from truegauge.core.cad.model import CadModel
    from truegauge.core.cad.patterns import Patterns
    from truegauge.core.cad.projection import Projector
    from truegauge.core.cad.recognition import Nominal
    from truegauge.core.clouds.raw import Colors
    from truegauge.core.features.extraction import Built, Measured
    from truegauge.core.nodes.cloud import Cloud
    from truegauge.core.plan.features import Group
    from truegauge.core.plan.requirements import Characteristic
    from truegauge.core.registration.alignment import Alignment
    from truegauge.core.samples.sample import Sample
    from truegauge.core.uncertainty.stated_errors import StatedErrors

_FEW_OUTCOMES = 3  # geometrical tolerances that may be evaluated while a window waits
_CONTEXTS = 4
_FROM_POINTS = FromPoints()


class Evaluator:
    """Evaluates plans against one part; remembers everything that did not change."""

    def __init__(self, model: CadModel, projector: Projector | None = None, shelf: Shelf = NO_SHELF) -> None:
        """`shelf` keeps what part and scans were prepared to, for the next time."""
        self.part = PartIndex(model, projector, shelf)
        self.graph = Graph()
        self._contexts: list[Context] = []
        self._trials: dict[tuple[int, StatedErrors, bool], Graph] = {}
        self._known = KnownResults()

    # The part ---------------------------------------------------------------------------------------------------

    @property
    def model(self) -> CadModel:
        """The part."""
        return self.part.model

    @property
    def projector(self) -> Projector:
        """Exact distances and picking."""
        return self.part.projector

    @property
    def can_pick(self) -> bool:
        """Whether exact distances can be asked for without waiting."""
        return self.part.can_pick

    @property
    def elements(self) -> Elements:
        """Holes, slots, fillets and what else the faces make up."""
        return self.part.elements

    @property
    def patterns(self) -> Patterns:
        """Equal elements in order."""
        return self.part.patterns

    @property
    def knows_patterns(self) -> bool:
        """Whether elements and patterns are found."""
        return self.part.knows_patterns

    # Contexts ---------------------------------------------------------------------------------------------------

    def context(self, plan: Plan, sample: Sample | None, alignment: str = "") -> Context:
        """Return what nodes of a plan and a sample are asked in: seen in an alignment, the one in force without one."""
        for known in self._contexts:
            if known.plan is plan and known.sample is sample:
                return known.seen_in(alignment or plan.in_force)
        contents = next((c.contents for c in self._contexts if c.plan is plan), None) or Contents(plan)
        made = Context(self.part, contents, sample, plan.in_force, self.graph, _FROM_POINTS, kind_named)
        # Another thread may change the list meanwhile: it is never altered, only replaced.
        self._contexts = [made, *self._contexts[: _CONTEXTS - 1]]
        return made.seen_in(alignment)

    def _trial(self, context: Context, number: int, forms: bool) -> Context:
        graph = self._trials.setdefault((number, context.plan.device, forms), Graph())
        return trial_context(context, graph, number, forms=forms)

    # Results ----------------------------------------------------------------------------------------------------

    def evaluate(self, plan: Plan, sample: Sample | None, *, progress: Progress = silent) -> Evaluation:
        """Compute all results; cheap for whatever was computed before."""
        context = self.context(plan, sample)
        if plan.silhouette is not None:  # it is seen where it lies: nothing is aligned
            seen = context.get(SeenShadow())
            placed = seen if isinstance(seen, NotComputed) else _NOT_ALIGNED
            results, partial = _of_this_run(plan, sample, self._known.results(context, self._judged))
            temperature = "" if sample is None else temperatures(plan, sample).say()
            return Evaluation(plan, placed, placed, {}, results, {}, temperature, partial, seen)
        alignment, cloud = self.aligned(plan, sample, progress=part_of(progress, 0, 0.75))
        features: dict[str, Measured | Built | NotComputed] = {}
        for i, feature in enumerate(plan.all_features):
            progress(0.75 + 0.15 * i / len(plan.all_features), feature.name)
            features[feature.id] = context.measured(feature.group)
        results = self._known.results(context, self._judged)
        alignments: dict[str, Alignment | NotComputed] = {}
        for i, own in enumerate(plan.alignments):
            share = 0.9 + 0.1 * i / len(plan.alignments)
            alignments[own.id] = context.telling(part_of(progress, share, 1.0)).get(AlignmentOf(own.id))
        progress(1.0, "")
        temperature = "" if sample is None else temperatures(plan, sample).say()
        results, partial = _of_this_run(plan, sample, results)
        return Evaluation(plan, alignment, cloud, features, results, alignments, temperature, partial)

    def _judged(self, context: Context, c: Characteristic) -> Result:
        return result_of(context, c, self._peek_uncertainty(context, c))

    def is_quick(self, plan: Plan, sample: Sample | None) -> bool:
        """Tell whether everything but judgements and a few zones is already computed."""
        if sample is None:
            return True
        context = self.context(plan, sample)
        if plan.silhouette is not None:
            return context.knows(SeenShadow())
        new = self._known.new_in(context)
        if not context.knows(AlignedCloud()) or not all(_knows(context, f.group) for f in plan.all_features):
            return False
        if len(new) < len(plan.characteristics):  # the last evaluation was of the same points
            return self._zones_missing(context, new) <= _FEW_OUTCOMES
        reported = {c.alignment for c in plan.characteristics if c.alignment}
        return (
            all(context.seen_in(i).knows(AlignedCloud()) for i in reported)
            and all(context.knows(AlignmentOf(own.id)) for own in plan.alignments)
            and self._zones_missing(context, new) <= _FEW_OUTCOMES
        )

    def _zones_missing(self, context: Context, wanted: tuple[Characteristic, ...]) -> int:
        missing = 0
        for c in wanted:
            seen, kind = context.seen_in(c.alignment), kind_named(c.kind)
            groups = () if kind.reading else tuple(context.plan.feature(f).group for f in c.features)
            if not all(_knows(seen, g) for g in groups):
                return _FEW_OUTCOMES + 1
            missing += kind.missing(seen, c)
        return missing

    def aligned(
        self, plan: Plan, sample: Sample | None, *, progress: Progress = silent
    ) -> tuple[Alignment | NotComputed, Cloud | NotComputed]:
        """Return the alignment in force and the aligned cloud."""
        context = self.context(plan, sample).telling(progress)
        cloud = context.get(AlignedCloud())
        return context.get(AlignmentOf()), cloud

    def alignment(self, plan: Plan, sample: Sample | None, alignment: str = "") -> Alignment | NotComputed:
        """Return one alignment of the plan, the one in force without an id."""
        return self.context(plan, sample).get(AlignmentOf(alignment))

    def nominal(self, group: Group, plan: Plan | None = None) -> Nominal | NotComputed:
        """Return the nominal feature of faces, or of a constructed feature of the plan."""
        return nominal_feature(self.context(plan or _EMPTY, None), group)

    def measured(self, plan: Plan, sample: Sample | None, group: Group) -> Measured | Built | NotComputed:
        """Return the measured feature; usable for faces that are not a feature of the plan (proposals)."""
        return self.context(plan, sample).measured(group)

    # Uncertainties ----------------------------------------------------------------------------------------------

    def uncertainty(
        self, plan: Plan, sample: Sample, c: Characteristic, *, progress: Progress = silent
    ) -> float | NotComputed:
        """Return the standard uncertainty of a characteristic, mm or rad; Monte Carlo takes some seconds."""
        context = self.context(plan, sample, c.alignment).telling(progress)
        found = context.get(UncertaintyOf(c, self._trial))
        self._known.uncertainty_is_known()
        return found

    def knows_uncertainty(self, plan: Plan, sample: Sample, c: Characteristic) -> bool:
        """Tell whether an uncertainty is worked out, so that its result has it."""
        return isinstance(self._peek_uncertainty(self.context(plan, sample, c.alignment), c), float)

    def _peek_uncertainty(self, context: Context, c: Characteristic) -> float | NotComputed | None:
        if context.sample is None:
            return None
        try:
            return context.peek(UncertaintyOf(c, self._trial))
        except EvaluationError:  # what it depends on is not in the plan: it has no value either
            return None

    def forget_trials(self) -> None:
        """Free the memory of the trials."""
        self._trials.clear()

    # For a window that must not wait ----------------------------------------------------------------------------

    def deviation_map(self, plan: Plan, sample: Sample | None) -> DeviationMap | NotComputed:
        """Return the deviation map."""
        return self.context(plan, sample).get(MapOf())

    def known_deviation_map(self, plan: Plan, sample: Sample | None) -> DeviationMap | None:
        """Return the map if it is computed already."""
        found = self.context(plan, sample).peek(MapOf())
        return found if isinstance(found, DeviationMap) else None

    def colors(self, plan: Plan, sample: Sample) -> Colors | None:
        """Return the colours of the points in the order of the aligned cloud; None where they have none."""
        return colors_of(self.context(plan, sample))

    def known_survey(self, plan: Plan, sample: Sample, faces: tuple[int, ...]) -> FaceSurvey | None:
        """Return what was measured of faces if it is computed already."""
        found = self.context(plan, sample).peek(SurveyOf(faces))
        return found if isinstance(found, FaceSurvey) else None

    def forget_other_samples(self, origin: str) -> None:
        """Free the memory of samples other than this one."""
        self._trials.clear()
        self._contexts = [c for c in self._contexts if c.sample is not None and c.sample.origin == origin]
        self._known.forget(origin)
        self.graph.forget_other_samples(origin)


def _of_this_run(plan: Plan, sample: Sample | None, results: tuple[Result, ...]) -> tuple[tuple[Result, ...], str]:
    """Return the results that were wanted of a sample; after a partial run also what it was, in words."""
    if sample is None or not sample.about.chosen:
        return results, ""
    chosen = set(sample.about.chosen)
    kept = tuple(r for r in results if r.characteristic.id in chosen)
    name = f" ({sample.about.subset})" if sample.about.subset else ""
    return kept, f"partial run{name}: {len(kept)} of {len(plan.characteristics)} characteristics"


_NOT_ALIGNED = NotComputed("a silhouette is measured as it lies: nothing is aligned")
_EMPTY = Plan()


def _knows(context: Context, group: Group) -> bool:
    return context.knows(ConstructedFromFeatures(group) if isinstance(group, str) else FeatureFromPoints(group))
