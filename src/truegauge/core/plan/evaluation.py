"""Evaluation: a pure function of plan, part and sample."""

import threading
import weakref
from collections.abc import Hashable
from dataclasses import replace
from functools import cached_property

import numpy as np

from truegauge.core.arrays import Rigid, Vector, frozen
from truegauge.core.association.fit import Criterion
from truegauge.core.cad.elements import Elements
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.patterns import Patterns
from truegauge.core.cad.projection import Projector
from truegauge.core.cad.recognition import Nominal, nominal_of
from truegauge.core.clouds.cleaning import Cleaned, clean
from truegauge.core.clouds.prepared import PreparedCloud, prepare
from truegauge.core.clouds.raw import Colors
from truegauge.core.clouds.recipe import Recipe, works_before
from truegauge.core.constructions.built import built_measured, built_nominal
from truegauge.core.datums.common import DatumAssociation
from truegauge.core.deviations.deviation_map import (
    COARSE,
    FINE,
    DeviationMap,
    MapMesh,
    coarse_values,
    map_mesh,
    map_values,
)
from truegauge.core.deviations.statistics import statistics
from truegauge.core.deviations.strays import stray_points
from truegauge.core.errors import EvaluationError
from truegauge.core.features.coverage import MOST_FOR_COVERAGE, AreaSamples
from truegauge.core.features.extraction import Built, Extracted, ExtractionSettings, Measured, extract, measure
from truegauge.core.features.held_by_points import DIRECTION, PLACE
from truegauge.core.filters.form_map import FilterKind, FormFilter
from truegauge.core.frames import apply
from truegauge.core.plan.aligning import Aligning, compute_alignment, frame_from_part, nominal_operand
from truegauge.core.plan.alignments import DatumAlignment
from truegauge.core.plan.asked import Asked
from truegauge.core.plan.document import LAST_CLOUD_KEY, Characteristic, ConstructedFeature, Extraction, Group, Plan
from truegauge.core.plan.graph import Graph, NotComputed, needed
from truegauge.core.plan.judging import result_of
from truegauge.core.plan.reading import reading_is_known
from truegauge.core.plan.results import Cloud, Evaluation, Result
from truegauge.core.plan.survey import FaceSurvey, survey_face
from truegauge.core.plan.tolerances import measured_patch, outcome_is_known
from truegauge.core.plan.touched import TOUCH_EXTRACTION, touched_cloud
from truegauge.core.plan.uncertain import make_trial, standard_uncertainty, uncertainty_key
from truegauge.core.progress import Progress, part_of, silent
from truegauge.core.registration.alignment import Alignment
from truegauge.core.samples.sample import Sample
from truegauge.core.temperature import REFERENCE_C, Temperatures
from truegauge.core.tolerancing.kinds import KINDS, Kind, kind_named, need_held
from truegauge.core.tolerancing.request import Patch
from truegauge.core.uncertainty.stated_errors import StatedErrors

# Points farther than this share of the diagonal from the part have no deviation: they are not the part.
REACH_SHARE = 0.02
BY_USE = "by_use"
NO_ROWS = np.zeros(0, dtype=np.int64)
# What all geometrical tolerances depend on besides themselves.
_SHARED = ("features", "constructed", "extraction", "extraction_of_shapes", "datums", "standard", "datum_association",
           "limits", "recipe", "alignments", "in_force", "material")  # fmt: skip
_FEW_OUTCOMES = 3  # geometrical tolerances that may be evaluated while a window waits


class Evaluator:
    """Evaluates plans against one part; remembers everything that did not change."""

    def __init__(self, model: CadModel, projector: Projector | None = None) -> None:
        self.model = model
        self._projector = projector
        self._building = threading.Lock()
        self.graph = Graph()
        self._last: tuple[Plan, Sample] | None = None
        self._trials: dict[tuple[int, StatedErrors, bool], Evaluator] = {}
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

    def find_patterns(self, progress: Progress) -> None:
        """Find elements and patterns, unless they are known; parts of thousands of holes take seconds."""
        if not self.knows_patterns:
            self.elements.find(part_of(progress, 0.0, 0.8))
            self.__dict__["patterns"] = Patterns(self.elements, part_of(progress, 0.8, 1.0))

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
        alignment, cloud = self.aligned(plan, sample, progress=part_of(progress, 0, 0.75))
        features: dict[str, Measured | Built | NotComputed] = {}
        for i, feature in enumerate(plan.all_features):
            progress(0.75 + 0.15 * i / len(plan.all_features), feature.name)
            features[feature.id] = self.measured(plan, sample, feature.group)
        results = tuple(self._result(plan, sample, c) for c in plan.characteristics)
        alignments: dict[str, Alignment | NotComputed] = {}
        for i, own in enumerate(plan.alignments):
            share = 0.9 + 0.1 * i / len(plan.alignments)
            alignments[own.id] = self.alignment(plan, sample, own.id, progress=part_of(progress, share, 1.0))
        progress(1.0, "")
        if sample is not None:
            self._last = (plan, sample)
        temperature = "" if sample is None else temperatures(plan, sample).say()
        return Evaluation(plan, alignment, cloud, features, results, alignments, temperature)

    def is_quick(self, plan: Plan, sample: Sample | None) -> bool:
        """Tell whether everything but judgements is already computed."""
        if sample is None:
            return True
        stored = self.graph.peek
        reported = {c.alignment for c in plan.characteristics if c.alignment}
        return (
            all(stored(("cloud", _cloud_key(plan.seen_in(i), sample))) is not None for i in {"", *reported})
            and all(stored(_alignment_key(plan, sample, own.id)) is not None for own in plan.alignments)
            and all(stored(self._measured_key(plan, sample, f.group)) is not None for f in plan.all_features)
            and all(
                stored(self._measured_key(plan.seen_in(c.alignment), sample, plan.feature(f).group)) is not None
                for c in plan.characteristics
                if c.alignment and not _is_reading(c)
                for f in c.features
            )
            and all(
                reading_is_known(self, plan.seen_in(c.alignment), sample, c.features[0])
                for c in plan.characteristics
                if _is_reading(c)
            )
            and sum(not self._is_known(plan, sample, c) for c in self._new_in(plan, sample)) <= _FEW_OUTCOMES
        )

    def _new_in(self, plan: Plan, sample: Sample) -> list[Characteristic]:
        """Return the characteristics that the last evaluation did not have; all where anything else is different."""
        before = self._last
        if before is None or before[1] is not sample:
            return list(plan.characteristics)
        # Members that stayed are the same objects, so that this compares little.
        if any(getattr(before[0], name) != getattr(plan, name) for name in _SHARED):
            return list(plan.characteristics)
        there = {id(c) for c in before[0].characteristics}
        return [c for c in plan.characteristics if id(c) not in there]

    def _is_known(self, plan: Plan, sample: Sample, c: Characteristic) -> bool:
        return not self.is_geometric(c.kind) or outcome_is_known(self, plan.seen_in(c.alignment), sample, c)

    def alignment(
        self, plan: Plan, sample: Sample | None, alignment_id: str = "", *, progress: Progress = silent
    ) -> Alignment | NotComputed:
        """Return one alignment of the plan, the one in force without an id; those that it starts from come first."""
        if sample is None:
            return NotComputed("no sample yet: bring in a scan")
        own = plan.alignment(alignment_id)
        base: Alignment | NotComputed | None = None
        if own.base:
            base = self.alignment(plan, sample, own.base, progress=part_of(progress, 0, 0.5))

        def measured(feature_id: str) -> tuple[str, Nominal, Measured | Built]:
            feature = plan.feature(feature_id)
            letter = next((d.letter for d in plan.datums if d.feature == feature_id), feature.name)
            nominal = needed(self.nominal(feature.group, plan), feature.name)
            found = self.measured(plan.seen_in(own.base), sample, feature.group)
            if isinstance(found, NotComputed):
                raise EvaluationError(f"{feature.name}: {found.reason}")
            first = isinstance(own, DatumAlignment) and own.datums[0].feature == feature_id
            need_held((DIRECTION, PLACE) if first else (PLACE,), (found,), (feature.name,))
            return letter, nominal, found

        def compute() -> Alignment:
            cloud: PreparedCloud | None = None
            if len(sample.points):
                cloud = needed(self._prepared(plan, sample, part_of(progress, 0.0, 0.15)))
                kept = needed(self._cleaned(plan, sample, progress)).kept
                if not kept.all():
                    cloud = replace(cloud, isolated=cloud.isolated | ~kept)
            growth = temperatures(plan, sample).growth
            touches = tuple(
                t.replace(place=(t.place[0] * growth, t.place[1] * growth, t.place[2] * growth))
                for t in sample.data.touches
            )
            before = None if base is None else needed(base, f"{plan.alignment(own.base).name or 'its base'}")
            name = plan.alignment(own.base).name if own.base else ""
            return compute_alignment(
                own,
                Aligning(self.model, self.projector, cloud, before, name, measured, touches,
                         part_of(progress, 0.2, 1.0), DatumAssociation(plan.datum_association)),
            )  # fmt: skip

        return self.graph.node(_alignment_key(plan, sample, own.id), compute)

    def _prepared(self, plan: Plan, sample: Sample, progress: Progress) -> PreparedCloud | NotComputed:
        if not len(sample.points):
            return NotComputed("the sample has no scan, only touches")
        growth = temperatures(plan, sample).growth
        return self.graph.node(
            ("prepared", _points_key(plan, sample)), lambda: prepare(sample.points, growth=growth, progress=progress)
        )

    def _cleaned(self, plan: Plan, sample: Sample, progress: Progress) -> Cleaned | NotComputed:
        first = _steps_before(plan)

        def compute() -> Cleaned:
            cloud = needed(self._prepared(plan, sample, progress))
            if not first:
                return Cleaned(np.ones(len(cloud.raw), dtype=bool), ())
            return clean(cloud.points, first, spacing=cloud.spacing, progress=part_of(progress, 0.1, 0.15))

        return self.graph.node(("cleaned", _points_key(plan, sample), first), compute)

    def aligned(
        self, plan: Plan, sample: Sample | None, *, progress: Progress = silent
    ) -> tuple[Alignment | NotComputed, Cloud | NotComputed]:
        """Return the alignment in force and the aligned cloud."""
        if sample is None:
            missing = NotComputed("no sample yet: bring in a scan")
            return missing, missing
        prepared = self._prepared(plan, sample, part_of(progress, 0, 0.15))
        alignment = self.alignment(plan, sample, progress=part_of(progress, 0.15, 0.75))

        def compute_cloud() -> Cloud:
            if not len(sample.points) and sample.data.probed:
                aligned = needed(alignment, "not aligned")
                return touched_cloud(self, plan, sample, aligned, temperatures(plan, sample).growth)
            return self._cloud(
                plan, sample, needed(prepared), needed(self._cleaned(plan, sample, silent)),
                needed(alignment, "not aligned"), part_of(progress, 0.75, 1),
            )  # fmt: skip

        return alignment, self.graph.node(("cloud", _cloud_key(plan, sample)), compute_cloud)

    def colors(self, plan: Plan, sample: Sample) -> Colors | None:
        """Return the colours of the points in the order of the aligned cloud; None where they have none."""
        prepared = self.graph.peek(("prepared", _points_key(plan, sample)))
        if sample.colors is None or not isinstance(prepared, PreparedCloud):
            return None
        return np.asarray(sample.colors[prepared.order])

    def _cloud(
        self, plan: Plan, sample: Sample, prepared: PreparedCloud, cleaned: Cleaned, alignment: Alignment,
        progress: Progress,
    ) -> Cloud:  # fmt: skip
        scan = prepared.points
        if alignment.growth != 1.0:
            scan *= alignment.growth
        points = frozen(np.ascontiguousarray(apply(alignment.part_from_scan, scan)))
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
        rows = np.flatnonzero(counted)
        stray = np.zeros(len(points), dtype=bool)
        stray[rows] = stray_points(found.face[rows], found.distance[rows])
        return Cloud(
            points, found, frozen(usable), statistics(found.distance[rows], stray[rows]), frozen(~kept), left_out,
            normals, stray=frozen(stray),
        )  # fmt: skip

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
        return ("measured", sample.key, _cloud_key(plan, sample), _extraction_key(plan), plan.content_of(group))

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
            nominal, there = needed(self.nominal(group)), needed(cloud)
            settings = self.extraction_settings(plan, group, there)
            feature = plan.feature_with_faces(group)
            own = None if there.touched is None or feature is None else there.touched.get(feature.id, NO_ROWS)
            if own is not None and not len(own):
                raise EvaluationError("not touched yet")
            rows = (
                own
                if own is not None
                else extract(self.model, group, there.points, there.found, there.usable, settings, there.normals).rows
            )
            chosen = FormFilter(FilterKind(form_filter.kind), form_filter.upr, form_filter.cutoff)
            return measure(
                nominal, there.points, rows, settings, None if criterion == BY_USE else Criterion(criterion), chosen,
                taken=None if there.taken is None else there.taken[rows],
            )  # fmt: skip

        return self.graph.node(key, compute)

    def extraction_of(self, plan: Plan, faces: tuple[int, ...]) -> Extraction:
        """Return how points are chosen for faces: as their feature says, or their shape, or the plan."""
        feature = plan.feature_with_faces(faces)
        if feature is not None and feature.extraction is not None:
            return feature.extraction
        if plan.extraction_of_shapes:
            nominal = self.nominal(faces)
            shape = "free_form" if isinstance(nominal, NotComputed) else str(nominal.shape)
            for own in plan.extraction_of_shapes:
                if own.shape == shape:
                    return own.extraction
        return plan.extraction

    def extraction_settings(self, plan: Plan, faces: tuple[int, ...], cloud: Cloud) -> ExtractionSettings:
        """Return the settings of the extraction for faces."""
        if cloud.touched is not None:
            return TOUCH_EXTRACTION
        own = self.extraction_of(plan, faces)
        return ExtractionSettings(own.reach, own.edge_margin, own.averaging, own.reject, own.max_angle)

    def chosen(self, plan: Plan, sample: Sample, faces: tuple[int, ...]) -> Extracted:
        """Return which points are chosen for faces, and why others are not; for a view that follows a setting."""
        there = needed(self.aligned(plan, sample)[1])
        settings = self.extraction_settings(plan, faces, there)
        return extract(self.model, faces, there.points, there.found, there.usable, settings, there.normals)

    def coverage(self, plan: Plan, sample: Sample, faces: tuple[int, ...]) -> float | NotComputed:
        """Return the share of the area of faces that has points."""
        samples = self.graph.node(("nominal", "area", faces), lambda: AreaSamples(self.model, faces))

        def compute() -> float:
            there = needed(self.aligned(plan, sample)[1])
            reach = self.extraction_of(plan, faces).reach
            rows = np.flatnonzero(np.isin(there.found.face, faces) & there.usable)
            rows = rows[np.abs(there.found.distance[rows]) <= reach]
            return needed(samples).share(there.found.feet_at(rows[:: max(1, len(rows) // MOST_FOR_COVERAGE)]))

        return self.graph.node(("coverage", *self.seen_key(plan, sample), plan.content_of(faces)), compute)

    def survey(self, plan: Plan, sample: Sample, faces: tuple[int, ...]) -> FaceSurvey | NotComputed:
        """Return what was measured of faces, quickly and for any face."""
        return self.graph.node(self._survey_key(plan, sample, faces), lambda: survey_face(self, plan, sample, faces))

    def known_survey(self, plan: Plan, sample: Sample, faces: tuple[int, ...]) -> FaceSurvey | None:
        """Return what was measured of faces if it is computed already, for a window that must not wait."""
        found = self.graph.peek(self._survey_key(plan, sample, faces))
        return found if isinstance(found, FaceSurvey) else None

    def _survey_key(self, plan: Plan, sample: Sample, faces: tuple[int, ...]) -> Hashable:
        return ("survey", *self.seen_key(plan, sample), plan.content_of(faces))

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
        """Return the value of a kind for features, without a datum system (see `geometric_outcome` for those)."""
        if sample is None:
            return NotComputed("no sample yet: bring in a scan")
        members = tuple(self.measured(plan, sample, g) for g in groups)
        placed = kind in KINDS and KINDS[kind].placed

        def compute() -> float:
            missing = next((m.reason for m in members if isinstance(m, NotComputed)), None)
            if missing is not None:
                raise EvaluationError(missing)
            known = tuple(m for m in members if not isinstance(m, NotComputed))
            need_held(kind_named(kind).needs, known)
            if placed:
                frame = needed(self.frame(plan), "its frame")
                known = tuple(_seen_from(m, frame) for m in known)
            return kind_named(kind).value(known)

        contents = tuple(plan.content_of(g) for g in groups)
        axes = self._frame_content(plan) if placed else None
        return self.graph.node(
            ("value", sample.key, _cloud_key(plan, sample), _extraction_key(plan), kind, contents, axes), compute
        )

    def frame(self, plan: Plan, alignment_id: str = "") -> Rigid | NotComputed:
        """Return ``frame_from_part`` of an alignment: what its coordinates are reported in; known without a sample."""
        own = plan.alignment(alignment_id)

        def compute() -> Rigid:
            operands, names, axes = [], [], []
            for use in own.datums if isinstance(own, DatumAlignment) else ():
                feature = plan.feature(use.feature)
                nominal = needed(self.nominal(feature.group, plan), feature.name)
                operands.append(nominal_operand(nominal))
                names.append(feature.name)
                axes.append(use.axis)
            return frame_from_part(own, operands, axes, names)

        return self.graph.node(("frame", self._frame_content(plan.seen_in(alignment_id))), compute)

    @staticmethod
    def _frame_content(plan: Plan) -> Hashable:
        own = plan.alignment()
        uses = own.datums if isinstance(own, DatumAlignment) and any(d.axis for d in own.datums) else ()
        return (own.offset, own.turns, tuple((plan.content_of(plan.feature(d.feature).group), d.axis) for d in uses))

    def nominals_for(self, kind: Kind, plan: Plan, nominals: tuple[Nominal, ...]) -> tuple[Nominal, ...]:
        """Return nominal features as a kind takes them: in the frame of the alignment where its axes matter."""
        frame = self.frame(plan) if kind.placed else None
        if frame is None or isinstance(frame, NotComputed) or np.array_equal(frame, np.eye(4)):
            return nominals
        return tuple(_nominal_from(n, frame) for n in nominals)

    @staticmethod
    def is_geometric(kind: str) -> bool:
        """Whether a kind is evaluated in a datum system."""
        return kind in KINDS and KINDS[kind].geometric

    @cached_property
    def model_middle(self) -> Vector:
        """The middle of the box of the part, (3,) mm."""
        vertices = self.model.mesh.vertices
        return np.asarray((vertices.min(axis=0) + vertices.max(axis=0)) / 2)

    def seen_key(self, plan: Plan, sample: Sample) -> tuple[Hashable, ...]:
        """Return what every measured feature of a plan depends on."""
        return (sample.key, _cloud_key(plan, sample), _extraction_key(plan))

    @staticmethod
    def cloud_key(plan: Plan, sample: Sample) -> tuple[Hashable, ...]:
        """Return what everything depends on that needs the aligned cloud and no extraction."""
        return (sample.key, _cloud_key(plan, sample))

    @staticmethod
    def growth(plan: Plan, sample: Sample) -> float:
        """Return what lengths of the sample are multiplied by for their size at the reference temperature."""
        return temperatures(plan, sample).growth

    def patch(self, plan: Plan, sample: Sample, faces: tuple[int, ...]) -> Patch | NotComputed:
        """Return the averaged points of any faces, free-form ones too."""
        _, cloud = self.aligned(plan, sample)
        return self.graph.node(
            ("patch", *self.seen_key(plan, sample), plan.content_of(faces)),
            lambda: measured_patch(self, plan, needed(cloud), faces),
        )

    def known_uncertainty(self, plan: Plan, sample: Sample | None, c: Characteristic) -> float | None:
        """Return the standard uncertainty of a characteristic (mm or rad) if it is computed already."""
        found = None if sample is None else self.graph.peek(uncertainty_key(self, plan, sample, c))
        return found if isinstance(found, float) else None

    def why_no_uncertainty(self, plan: Plan, sample: Sample | None, c: Characteristic) -> str:
        """Return why a characteristic has no uncertainty; empty while it is not worked out yet."""
        found = None if sample is None else self.graph.peek(uncertainty_key(self, plan, sample, c))
        return f"it has no uncertainty: {found.reason}" if isinstance(found, NotComputed) else ""

    def uncertainty(
        self, plan: Plan, sample: Sample, c: Characteristic, *, progress: Progress = silent
    ) -> float | NotComputed:
        """Return the standard uncertainty of a characteristic, mm or rad; Monte Carlo takes some seconds."""
        plan = plan.seen_in(c.alignment)
        return self.graph.node(
            uncertainty_key(self, plan, sample, c), lambda: standard_uncertainty(self, plan, sample, c, progress)
        )

    def trial(self, number: int, device: StatedErrors, *, forms: bool) -> "Evaluator":
        """Return an evaluator that sees the features of one trial of the uncertainty; kept while they are few."""
        made = self._trials.get((number, device, forms))
        if made is None:
            made = self._trials[number, device, forms] = make_trial(self, number, forms=forms)
        return made

    def settled_poses(self, plan: Plan, sample: Sample, asked: Asked) -> tuple[Rigid, ...]:
        """Return where the zones of a tolerance were found before its points moved a little: nowhere yet."""
        return ()

    def forget_trials(self) -> None:
        """Free the memory of the trials."""
        self._trials.clear()

    def _result(self, plan: Plan, sample: Sample | None, characteristic: Characteristic) -> Result:
        plan = plan.seen_in(characteristic.alignment)
        return result_of(self, plan, sample, characteristic)

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
            values = map_values(fine, there.found, there.usable)
            return DeviationMap(fine, values, coarse, coarse_values(coarse, fine, values))

        return self.graph.node(("map", sample.key, _cloud_key(plan, sample)), compute)

    def known_deviation_map(self, plan: Plan, sample: Sample | None) -> DeviationMap | None:
        """Return the map if it is computed already, for a window that must not wait."""
        if sample is None:
            return None
        found = self.graph.peek(("map", sample.key, _cloud_key(plan, sample)))
        return found if isinstance(found, DeviationMap) else None

    def forget_other_samples(self, key: str) -> None:
        """Free the memory of samples other than this one."""
        self._trials.clear()
        self.graph.forget(lambda k: not isinstance(k, tuple) or k[0] in ("nominal", "frame") or _sample_of(k) == key)


def _nominal_from(nominal: Nominal, frame: Rigid) -> Nominal:
    return replace(nominal, feature=nominal.feature.moved(frame), center=apply(frame, nominal.center))


def _seen_from(measured: Measured | Built, frame: Rigid) -> Measured | Built:
    """Return a measured feature in another frame, as far as kinds that look at places and directions need it."""
    if np.array_equal(frame, np.eye(4)):
        return measured
    nominal = _nominal_from(measured.nominal, frame)
    return Built(measured.feature.moved(frame), nominal, measured.rows, measured.strays, measured.held)


def temperatures(plan: Plan, sample: Sample) -> Temperatures:
    """Return the temperatures of the sample with the material of the plan; the reference where nothing is known."""
    data = sample.data
    return Temperatures(
        REFERENCE_C if data.temperature_c is None else data.temperature_c,
        REFERENCE_C if data.scale_temperature_c is None else data.scale_temperature_c,
        0.0 if plan.material is None else plan.material.expansion,
        data.scale_expansion,
    )


def _extraction_key(plan: Plan) -> Hashable:
    own = plan.extraction_of_shapes
    return (plan.extraction, own) if own else plan.extraction


def _is_reading(c: Characteristic) -> bool:
    return c.kind in KINDS and KINDS[c.kind].reading


def _points_key(plan: Plan, sample: Sample) -> Hashable:
    """Return what the prepared points depend on."""
    return (sample.key, temperatures(plan, sample).growth)


def _steps_before(plan: Plan) -> Recipe:
    return tuple(step for step in plan.recipe if works_before(step))


def _alignment_key(plan: Plan, sample: Sample, alignment_id: str) -> Hashable:
    """Return what an alignment depends on: touches only where it can use them."""
    chain, own = [], plan.alignment(alignment_id)
    while True:
        chain.append(own.kind)
        if not own.base:
            break
        own = plan.alignment(own.base)
    touches = sample.data.touches if {"guided", "matched_points"} & set(chain) else ()
    # What extraction sees of the points matters to alignments by features.
    seen: Hashable = (plan.limits, plan.recipe) if len(chain) > 1 else _steps_before(plan)
    if "datums" in chain:
        seen = (seen, plan.datum_association)
    return ("alignment", _points_key(plan, sample), plan.alignment_content(alignment_id), touches, seen)


def _cloud_key(plan: Plan, sample: Sample) -> Hashable:
    """Return what the aligned cloud depends on; asked for by every node, so kept with the plan for the last sample."""
    kept = plan.__dict__.get(LAST_CLOUD_KEY)
    if kept is None or kept[0]() is not sample:
        key = _Hashed((sample.key, _alignment_key(plan, sample, ""), plan.limits, plan.recipe))
        # Plans live on in the history of edits: they must not keep samples alive.
        kept = plan.__dict__[LAST_CLOUD_KEY] = (weakref.ref(sample), key)
    found: Hashable = kept[1]
    return found


class _Hashed:
    """A key whose hash is worked out once; equal to any other with the same content."""

    __slots__ = ("_hash", "content")

    def __init__(self, content: tuple[Hashable, ...]) -> None:
        self.content = content
        self._hash = hash(content)

    def __hash__(self) -> int:
        return self._hash

    def __eq__(self, other: object) -> bool:
        return self is other or (isinstance(other, _Hashed) and self.content == other.content)


def _sample_of(key: object) -> object:
    second = key[1] if isinstance(key, tuple) and len(key) > 1 else None
    if isinstance(second, _Hashed):
        return second.content[0]
    return second[0] if isinstance(second, tuple) else second
