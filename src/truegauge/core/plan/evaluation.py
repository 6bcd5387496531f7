"""Evaluation: a pure function of plan, part and sample."""

import threading
from collections.abc import Hashable
from dataclasses import replace
from functools import cached_property

import numpy as np

from truegauge.core.arrays import frozen
from truegauge.core.association import Criterion
from truegauge.core.cad.elements import Elements
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.patterns import Patterns
from truegauge.core.cad.projection import Projector
from truegauge.core.cad.recognition import Nominal, nominal_of
from truegauge.core.clouds.cleaning import Cleaned, clean
from truegauge.core.clouds.prepared import PreparedCloud, prepare
from truegauge.core.clouds.raw import Colors
from truegauge.core.clouds.recipe import works_before
from truegauge.core.constructions.built import built_measured, built_nominal
from truegauge.core.deviations.deviation_map import COARSE, FINE, DeviationMap, MapMesh, map_mesh, map_values
from truegauge.core.deviations.statistics import statistics
from truegauge.core.errors import EvaluationError
from truegauge.core.extraction import Built, ExtractionSettings, Measured, extract, measure
from truegauge.core.filters.form_map import FilterKind, FormFilter
from truegauge.core.frames import apply
from truegauge.core.plan.document import Characteristic, ConstructedFeature, Group, Plan
from truegauge.core.plan.graph import Graph, NotComputed, needed
from truegauge.core.plan.results import Cloud, Evaluation, Result
from truegauge.core.plan.sample import Sample
from truegauge.core.progress import Progress, part_of, silent
from truegauge.core.registration.align import AlignmentSettings, align
from truegauge.core.registration.alignment import Alignment
from truegauge.core.tolerancing.judgement import State, judge
from truegauge.core.tolerancing.kinds import KINDS, kind_named

# Points farther than this share of the diagonal from the part have no deviation: they are not the part.
REACH_SHARE = 0.02
BY_USE = "by_use"


class Evaluator:
    """Evaluates plans against one part; remembers everything that did not change."""

    def __init__(self, model: CadModel, projector: Projector | None = None) -> None:
        self.model = model
        self._projector = projector
        self._building = threading.Lock()
        self.graph = Graph()
        self._map_meshes: tuple[MapMesh, MapMesh] | None = None

    @property
    def projector(self) -> Projector:
        """Exact distances and picking; built at the first use, which takes a moment."""
        with self._building:
            if self._projector is None:
                self._projector = Projector(self.model)
            return self._projector

    @cached_property
    def elements(self) -> Elements:
        """Holes, slots, fillets and what else the faces make up."""
        return Elements(self.model)

    @cached_property
    def patterns(self) -> Patterns:
        """Equal elements in order."""
        return Patterns(self.elements)

    @property
    def knows_patterns(self) -> bool:
        """Whether elements and patterns are found, so that a window can use them without waiting."""
        return "patterns" in self.__dict__

    @property
    def can_pick(self) -> bool:
        """Whether the projector is built, so that a window can use it without waiting."""
        return self._projector is not None

    def evaluate(self, plan: Plan, sample: Sample | None, *, progress: Progress = silent) -> Evaluation:
        """Compute all results; cheap for whatever was computed before."""
        alignment, cloud = self.aligned(plan, sample, progress=part_of(progress, 0, 0.85))
        features: dict[str, Measured | Built | NotComputed] = {}
        for i, feature in enumerate(plan.all_features):
            progress(0.85 + 0.15 * i / len(plan.all_features), feature.name)
            features[feature.id] = self.measured(plan, sample, feature.group)
        results = tuple(self._result(plan, sample, c) for c in plan.characteristics)
        progress(1.0, "")
        return Evaluation(plan, alignment, cloud, features, results)

    def is_quick(self, plan: Plan, sample: Sample | None) -> bool:
        """Tell whether everything but judgements is already computed."""
        if sample is None:
            return True
        stored = self.graph.peek
        return stored(("cloud", _cloud_key(plan, sample))) is not None and all(
            stored(self._measured_key(plan, sample, f.group)) is not None for f in plan.all_features
        )

    def aligned(
        self, plan: Plan, sample: Sample | None, *, progress: Progress = silent
    ) -> tuple[Alignment | NotComputed, Cloud | NotComputed]:
        """Return the alignment and the aligned cloud."""
        if sample is None:
            missing = NotComputed("no sample yet: bring in a scan")
            return missing, missing
        prepared = self.graph.node(
            ("prepared", sample.key), lambda: prepare(sample.points, progress=part_of(progress, 0, 0.15))
        )
        first = tuple(step for step in plan.recipe if works_before(step))

        def compute_cleaned() -> Cleaned:
            cloud = needed(prepared)
            if not first:
                return Cleaned(np.ones(len(cloud.raw), dtype=bool), ())
            return clean(cloud.points, first, spacing=cloud.spacing, progress=part_of(progress, 0.1, 0.15))

        cleaned = self.graph.node(("cleaned", sample.key, first), compute_cleaned)

        def compute_alignment() -> Alignment:
            cloud = needed(prepared)
            kept = needed(cleaned).kept
            used = replace(cloud, isolated=cloud.isolated | ~kept) if first else cloud
            return align(
                used, self.model, self.projector, AlignmentSettings(plan.alignment.trim),
                progress=part_of(progress, 0.15, 0.75),
            )  # fmt: skip

        alignment = self.graph.node(("alignment", sample.key, plan.alignment, first), compute_alignment)

        def compute_cloud() -> Cloud:
            return self._cloud(
                plan, sample, needed(prepared), needed(cleaned), needed(alignment, "not aligned"),
                part_of(progress, 0.75, 1),
            )  # fmt: skip

        return alignment, self.graph.node(("cloud", _cloud_key(plan, sample)), compute_cloud)

    def colors(self, sample: Sample) -> Colors | None:
        """Return the colours of the points in the order of the aligned cloud; None where they have none."""
        prepared = self.graph.peek(("prepared", sample.key))
        if sample.colors is None or not isinstance(prepared, PreparedCloud):
            return None
        return np.asarray(sample.colors[prepared.order])

    def _cloud(
        self, plan: Plan, sample: Sample, prepared: PreparedCloud, cleaned: Cleaned, alignment: Alignment,
        progress: Progress,
    ) -> Cloud:  # fmt: skip
        points = frozen(np.ascontiguousarray(apply(alignment.part_from_scan, prepared.points)))
        normals = None
        if sample.normals is not None:
            normals = np.ascontiguousarray(sample.normals[prepared.order] @ alignment.part_from_scan[:3, :3].T)
        limits = plan.limits
        found = self.projector.deviations(
            points, max_distance=limits.max_distance or REACH_SHARE * self.model.diagonal,
            normals=normals, max_angle=limits.max_angle or np.pi, progress=part_of(progress, 0, 0.8),
        )  # fmt: skip
        for array in (found.distance, found.face, found.on_edge, found.normals):
            frozen(array)
        later = tuple(step for step in plan.recipe if not works_before(step))
        cropped = clean(
            points, later, normals=normals, spacing=prepared.spacing, found=found, among=cleaned.kept,
            progress=part_of(progress, 0.8, 1),
        )  # fmt: skip
        kept = cropped.kept
        earlier, afterwards = iter(cleaned.left_out), iter(cropped.left_out)
        left_out = tuple(next(earlier if works_before(step) else afterwards) for step in plan.recipe)
        usable = (found.face >= 0) & ~prepared.isolated & ~alignment.table & kept
        counted = usable & ~found.on_edge
        if not counted.any():
            raise EvaluationError("no point lies near the part")
        return Cloud(points, found, frozen(usable), statistics(found.distance[counted]), frozen(~kept), left_out)

    def nominal(self, group: Group, plan: Plan | None = None) -> Nominal | NotComputed:
        """Return the nominal feature of faces, or of a constructed feature of the plan."""
        if not isinstance(group, str):
            return self.graph.node(("nominal", group), lambda: nominal_of(self.model, group))
        assert plan is not None
        made = plan.feature_of(group)
        if not isinstance(made, ConstructedFeature):
            return NotComputed("this feature is no longer there")

        def compute() -> Nominal:
            members: list[Nominal] = []
            for member in map(plan.feature, made.members):
                members.append(needed(self.nominal(member.group, plan), member.name))
            return built_nominal(made.construction, tuple(members), made.values)

        return self.graph.node(("nominal", plan.content_of(group)), compute)

    @staticmethod
    def _measured_key(plan: Plan, sample: Sample, group: Group) -> Hashable:
        return ("measured", sample.key, _cloud_key(plan, sample), plan.extraction, plan.content_of(group))

    def measured(self, plan: Plan, sample: Sample | None, group: Group) -> Measured | Built | NotComputed:
        """Return the measured feature; usable for faces that are not a feature of the plan (proposals)."""
        if sample is None:
            return NotComputed("no sample yet: bring in a scan")
        key = self._measured_key(plan, sample, group)
        if isinstance(group, str):
            return self.graph.node(key, lambda: self._built(plan, sample, group))
        _, cloud = self.aligned(plan, sample)
        criterion, form_filter = plan.association_of(group)

        def compute() -> Measured:
            settings = ExtractionSettings(**plan.extraction.model_dump())
            nominal, there = needed(self.nominal(group)), needed(cloud)
            rows = extract(self.model, group, there.points, there.found, there.usable, settings)
            chosen = FormFilter(FilterKind(form_filter.kind), form_filter.upr, form_filter.cutoff)
            return measure(
                nominal, there.points, rows, settings, None if criterion == BY_USE else Criterion(criterion), chosen
            )

        return self.graph.node(key, compute)

    def _built(self, plan: Plan, sample: Sample, group: str) -> Built:
        nominal = needed(self.nominal(group, plan))
        made = plan.feature_of(group)
        assert isinstance(made, ConstructedFeature)
        members: list[Measured | Built] = []
        for member in map(plan.feature, made.members):
            found = self.measured(plan, sample, member.group)
            if isinstance(found, NotComputed):
                raise EvaluationError(f"{member.name}: {found.reason}")
            members.append(found)
        return built_measured(made.construction, tuple(members), made.values, nominal)

    def value(self, plan: Plan, sample: Sample | None, kind: str, groups: tuple[Group, ...]) -> float | NotComputed:
        """Return the value of a kind for features."""
        if sample is None:
            return NotComputed("no sample yet: bring in a scan")
        if kind in KINDS and KINDS[kind].carried:
            return self.graph.node(("carried", sample.key, kind), lambda: KINDS[kind].value(()))
        members = tuple(self.measured(plan, sample, g) for g in groups)

        def compute() -> float:
            missing = next((m.reason for m in members if isinstance(m, NotComputed)), None)
            if missing is not None:
                raise EvaluationError(missing)
            return kind_named(kind).value(tuple(m for m in members if not isinstance(m, NotComputed)))

        contents = tuple(plan.content_of(g) for g in groups)
        return self.graph.node(
            ("value", sample.key, _cloud_key(plan, sample), plan.extraction, kind, contents), compute
        )

    def _result(self, plan: Plan, sample: Sample | None, characteristic: Characteristic) -> Result:
        features = [plan.feature(f) for f in characteristic.features]
        value = self.value(plan, sample, characteristic.kind, tuple(f.group for f in features))
        if isinstance(value, NotComputed):
            reason = value.reason
            for feature in features if sample is not None else ():
                if isinstance(self.measured(plan, sample, feature.group), NotComputed):
                    reason = f"{feature.name}: {reason}"
                    break
            return Result(characteristic, None, State.NOT_MEASURED, reason)
        state = judge(value, characteristic.lower_limit, characteristic.upper_limit)
        return Result(characteristic, value, state, "")

    def deviation_map(self, plan: Plan, sample: Sample | None) -> DeviationMap | NotComputed:
        """Return the deviation map."""
        if sample is None:
            return NotComputed("no sample yet: bring in a scan")
        _, cloud = self.aligned(plan, sample)

        def compute() -> DeviationMap:
            there = needed(cloud)
            if self._map_meshes is None:
                self._map_meshes = (map_mesh(self.model, FINE), map_mesh(self.model, COARSE))
            fine, coarse = self._map_meshes
            return DeviationMap(
                fine, map_values(fine, there.found, there.usable), coarse,
                map_values(coarse, there.found, there.usable),
            )  # fmt: skip

        return self.graph.node(("map", sample.key, _cloud_key(plan, sample)), compute)

    def known_deviation_map(self, plan: Plan, sample: Sample | None) -> DeviationMap | None:
        """Return the map if it is computed already, for a window that must not wait."""
        if sample is None:
            return None
        found = self.graph.peek(("map", sample.key, _cloud_key(plan, sample)))
        return found if isinstance(found, DeviationMap) else None

    def forget_other_samples(self, key: str) -> None:
        """Free the memory of samples other than this one."""
        self.graph.forget(lambda k: not isinstance(k, tuple) or k[0] in ("nominal",) or _sample_of(k) == key)


def _cloud_key(plan: Plan, sample: Sample) -> Hashable:
    """Return what the aligned cloud depends on."""
    return (sample.key, plan.alignment, plan.limits, plan.recipe)


def _sample_of(key: object) -> object:
    second = key[1] if isinstance(key, tuple) and len(key) > 1 else None
    return second[0] if isinstance(second, tuple) else second
