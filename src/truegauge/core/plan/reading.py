"""What the cloud says at spot checks, in sections and at points by name: nodes of the evaluation."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.arrays import Ints, Vector
from truegauge.core.clouds.near import NearIndex
from truegauge.core.deviations.spots import SpotReading, read_extreme, read_spot
from truegauge.core.errors import EvaluationError
from truegauge.core.frames import apply
from truegauge.core.plan.document import Characteristic, Plan
from truegauge.core.plan.graph import NotComputed, needed
from truegauge.core.plan.readings import ComparedPoint, Reading, Section, SectionDimension, SpotCheck
from truegauge.core.plan.results import Cloud
from truegauge.core.samples.sample import Sample
from truegauge.core.sections.dimension import Fitted, dimension_value, fit_span, span_rows
from truegauge.core.sections.measured import MeasuredSection, measured_section
from truegauge.core.sections.nominal import NominalSection, nominal_section
from truegauge.core.sections.plane import SectionPlane, section_plane

if TYPE_CHECKING:
    from truegauge.core.plan.evaluation import Evaluator

_FACING = 0.7  # cosine: a spot check without faces reads surfaces that face its way
_NO_SAMPLE = "no sample yet: bring in a scan"


@dataclass(frozen=True, slots=True, eq=False)
class SectionCurves:
    """The plane of a section, the nominal curve, and the measured one (or why there is none)."""

    plane: SectionPlane
    nominal: NominalSection
    measured: MeasuredSection | NotComputed


@dataclass(frozen=True, slots=True, eq=False)
class DimensionReading:
    """A dimension in a section: its values (mm or rad), and what was fitted, nominal and measured."""

    nominal: float
    value: float
    fitted_nominal: tuple[Fitted, ...]
    fitted: tuple[Fitted, ...]


@dataclass(frozen=True, slots=True, eq=False)
class ComparedReading:
    """A measured point less its nominal one: `delta` (3,) mm, along the normal where there is one."""

    place: Vector
    measured: Vector
    delta: Vector
    normal: Vector | None
    source: str

    @property
    def total(self) -> float:
        """The distance between the two, mm."""
        return float(np.linalg.norm(self.delta))

    @property
    def along_normal(self) -> float | None:
        """The difference along the normal, mm."""
        return None if self.normal is None else float(self.delta @ self.normal)


def _cloud_of(evaluator: Evaluator, plan: Plan, sample: Sample) -> Cloud:
    return needed(evaluator.aligned(plan, sample)[1])


def near_index(evaluator: Evaluator, plan: Plan, sample: Sample) -> NearIndex:
    """Return what finds points of the aligned cloud by place."""
    cloud = _cloud_of(evaluator, plan, sample)
    found = evaluator.graph.node(("near", *evaluator.cloud_key(plan, sample)), lambda: NearIndex(cloud.points))
    return needed(found)


def _key(evaluator: Evaluator, plan: Plan, sample: Sample, reading: Reading) -> Hashable:
    content = plan.content_of(reading.id) if plan.reading(reading.id) is reading else reading
    if isinstance(reading, ComparedPoint):
        return ("reading", *evaluator.seen_key(plan, sample), content, sample.data.touches, plan.features)
    return ("reading", *evaluator.seen_key(plan, sample), content)


def reading_is_known(evaluator: Evaluator, plan: Plan, sample: Sample, reading_id: str) -> bool:
    """Tell whether a reading is computed already."""
    reading = plan.reading(reading_id)
    return reading is None or evaluator.graph.peek(_key(evaluator, plan, sample, reading)) is not None


def spot_reading(evaluator: Evaluator, plan: Plan, sample: Sample | None, spot: SpotCheck) -> SpotReading | NotComputed:
    """Return the deviation at a spot check, or the extreme of its area."""
    if sample is None:
        return NotComputed(_NO_SAMPLE)
    return evaluator.graph.node(_key(evaluator, plan, sample, spot), lambda: _read_spot(evaluator, plan, sample, spot))


def _read_spot(evaluator: Evaluator, plan: Plan, sample: Sample, spot: SpotCheck) -> SpotReading:
    cloud = _cloud_of(evaluator, plan, sample)
    place = np.array(spot.place)
    normal = np.array(spot.normal) / np.linalg.norm(spot.normal)
    found = cloud.found
    reach = spot.radius if spot.reads == "at" else spot.area
    if reach > 0:
        # The points lie off the surface by their deviation, so that a little more than the radius is looked through.
        rows = near_index(evaluator, plan, sample).within(place, reach + 0.02 * evaluator.model.diagonal)
    else:
        rows = np.flatnonzero(np.isin(found.face, spot.faces))
    rows = rows[cloud.usable[rows] & ~found.on_edge[rows]]
    feet = found.feet_at(rows)
    belongs = np.isin(found.face[rows], spot.faces) if spot.faces else found.normals[rows] @ normal > _FACING
    if reach > 0:
        belongs &= ((feet - place) ** 2).sum(axis=1) <= reach**2
    rows, feet = rows[belongs], feet[belongs]
    if spot.reads == "at":
        direction = None if spot.direction is None else np.array(spot.direction) / np.linalg.norm(spot.direction)
        try:
            return read_spot(feet, found.distance[rows], place, normal, direction)
        except EvaluationError as error:
            raise EvaluationError(f"{spot.name}: {error} within {spot.radius:g} mm") from None
    return read_extreme(
        feet, np.asarray(found.normals[rows], dtype=np.float64), found.distance[rows], plan.extraction.averaging,
        highest=spot.reads == "highest",
    )  # fmt: skip


def section_curves(evaluator: Evaluator, plan: Plan, sample: Sample | None, section: Section) -> SectionCurves:
    """Return the curves of a section; the nominal one without a sample too."""
    plane = section_plane(section.origin, section.normal, section.across)
    nominal = needed(
        evaluator.graph.node(
            ("nominal", "section", section.origin, section.normal, section.across),
            lambda: nominal_section(evaluator.model, evaluator.projector, plane),
        )
    )
    if sample is None:
        return SectionCurves(plane, nominal, NotComputed(_NO_SAMPLE))

    def compute() -> MeasuredSection:
        cloud = _cloud_of(evaluator, plan, sample)
        half = section.thickness / 2
        index = near_index(evaluator, plan, sample)
        rows: Ints = index.in_slab(plane.origin, plane.normal, half + 0.02 * evaluator.model.diagonal)
        rows = rows[cloud.usable[rows] & ~cloud.found.on_edge[rows]]
        feet = cloud.found.feet_at(rows)
        inside = np.abs((feet - plane.origin) @ plane.normal) <= half
        rows, feet = rows[inside], feet[inside]
        found = cloud.found
        return measured_section(
            evaluator.projector, plane, nominal, feet, np.asarray(found.normals[rows], dtype=np.float64),
            found.distance[rows], np.asarray(found.face[rows], dtype=np.int64),
            section.thickness,
        )  # fmt: skip

    key = ("section", *evaluator.cloud_key(plan, sample), section.plane_content)
    return SectionCurves(plane, nominal, evaluator.graph.node(key, compute))


def nominal_fit(curves: SectionCurves, d: SectionDimension) -> tuple[Fitted, ...]:
    """Return what is fitted to the nominal curve in the spans of a dimension."""
    made = []
    for span in d.spans:
        rows = span_rows(curves.nominal, None, span.at, span.reach)
        exact = rows.curve[curves.nominal.exact[rows.curve]]
        made.append(fit_span(span.fits, curves.nominal.flat[exact], rows, np.zeros(len(exact))))
    return tuple(made)


def dimension_nominal(evaluator: Evaluator, plan: Plan, section: Section, d: SectionDimension) -> float | NotComputed:
    """Return the nominal value of a dimension, mm or rad."""
    key = ("nominal", "dimension", section.plane_content, d)
    return evaluator.graph.node(
        key, lambda: dimension_value(d.kind, nominal_fit(section_curves(evaluator, plan, None, section), d))
    )


def dimension_reading(
    evaluator: Evaluator, plan: Plan, sample: Sample | None, d: SectionDimension
) -> DimensionReading | NotComputed:
    """Return a dimension of a section, nominal and measured."""
    if sample is None:
        return NotComputed(_NO_SAMPLE)

    def compute() -> DimensionReading:
        section = plan.section_with(d.id)
        assert section is not None
        curves = section_curves(evaluator, plan, sample, section)
        nominal = nominal_fit(curves, d)
        measured = needed(curves.measured)
        fitted = []
        for k, span in enumerate(d.spans):
            rows = span_rows(curves.nominal, measured, span.at, span.reach)
            try:
                fitted.append(fit_span(span.fits, measured.flat[rows.measured], rows, measured.offsets[rows.measured]))
            except EvaluationError as error:
                raise EvaluationError(f"{section.name}, span {k + 1}: {error}") from None
        return DimensionReading(
            dimension_value(d.kind, nominal), dimension_value(d.kind, tuple(fitted)), nominal, tuple(fitted)
        )

    return evaluator.graph.node(_key(evaluator, plan, sample, d), compute)


def compared_reading(
    evaluator: Evaluator, plan: Plan, sample: Sample | None, point: ComparedPoint
) -> ComparedReading | NotComputed:
    """Return a measured point beside the nominal one of its name."""
    if sample is None:
        return NotComputed(_NO_SAMPLE)
    return evaluator.graph.node(_key(evaluator, plan, sample, point), lambda: _compare(evaluator, plan, sample, point))


def _compare(evaluator: Evaluator, plan: Plan, sample: Sample, point: ComparedPoint) -> ComparedReading:
    measured, source = _measured_point(evaluator, plan, sample, point)
    place = np.array(point.place)
    normal = None if point.normal is None else np.array(point.normal) / np.linalg.norm(point.normal)
    return ComparedReading(place, measured, measured - place, normal, source)


def _measured_point(evaluator: Evaluator, plan: Plan, sample: Sample, point: ComparedPoint) -> tuple[Vector, str]:
    wanted = point.name.strip().casefold()
    touches = [t for t in sample.data.touches if t.target.strip().casefold() == wanted]
    if touches:
        alignment = needed(evaluator.alignment(plan, sample), "not aligned")
        growth = alignment.growth * evaluator.growth(plan, sample)
        places = apply(alignment.part_from_scan, growth * np.array([t.place for t in touches]))
        return np.asarray(places.mean(axis=0)), "touch" if len(touches) == 1 else f"mean of {len(touches)} touches"
    feature = next((f for f in plan.all_features if f.name.strip().casefold() == wanted), None)
    if feature is None:
        raise EvaluationError(f"no touch and no feature is named {point.name}")
    found = evaluator.measured(plan, sample, feature.group)
    if isinstance(found, NotComputed):
        raise EvaluationError(f"{feature.name}: {found.reason}")
    return _point_of(found.feature, np.array(point.place), feature.name), "feature"


def _point_of(feature: object, place: Vector, name: str) -> Vector:
    """Return the point of a measured feature that stands for it: its centre, or where it is next to the place."""
    center = getattr(feature, "center", None)
    if center is not None:
        return np.asarray(center)
    point, direction = getattr(feature, "point", None), getattr(feature, "direction", None)
    if point is not None and direction is not None:  # an axis
        return np.asarray(point + float((place - point) @ direction) * direction)
    normal = getattr(feature, "normal", None)
    if point is not None and normal is not None:
        return np.asarray(place - float((place - point) @ normal) * normal)
    raise EvaluationError(f"{name} has no point to compare")


AnyReading = SpotReading | DimensionReading | ComparedReading


def reading_of(evaluator: Evaluator, plan: Plan, sample: Sample | None, reading_id: str) -> AnyReading | NotComputed:
    """Return what the cloud says for a reading of the plan."""
    reading = plan.reading(reading_id)
    if isinstance(reading, SpotCheck):
        return spot_reading(evaluator, plan, sample, reading)
    if isinstance(reading, SectionDimension):
        return dimension_reading(evaluator, plan, sample, reading)
    if isinstance(reading, ComparedPoint):
        return compared_reading(evaluator, plan, sample, reading)
    return NotComputed("this is no longer in the plan")


def reading_value(evaluator: Evaluator, plan: Plan, sample: Sample | None, c: Characteristic) -> float | NotComputed:
    """Return the value of a characteristic that is read off the cloud, mm or rad."""
    found = reading_of(evaluator, plan, sample, c.features[0])
    if isinstance(found, NotComputed):
        return found
    if isinstance(found, ComparedReading):
        return _part_of(found, c.kind.removeprefix("compare_"))
    return found.value


def _part_of(found: ComparedReading, part: str) -> float | NotComputed:
    if part == "total":
        return found.total
    if part == "normal":
        along = found.along_normal
        return NotComputed("the nominal point has no normal") if along is None else along
    return float(found.delta["xyz".index(part)])


def reading_uncertainty(evaluator: Evaluator, plan: Plan, sample: Sample, c: Characteristic) -> float:
    """Return the standard uncertainty of a reading, mm or rad: scatter of its points with the stated errors.

    Raises
    ------
    EvaluationError
        There is no value.
    """
    device = plan.device
    found = reading_of(evaluator, plan, sample, c.features[0])
    if isinstance(found, NotComputed):
        raise EvaluationError(found.reason)
    if isinstance(found, SpotReading):
        return float(np.hypot(found.random, device.of_probing))
    if isinstance(found, ComparedReading):
        away = float(np.linalg.norm(found.place))
        return float(np.sqrt(device.of_probing**2 + (away * device.of_scale) ** 2))
    random = np.array([f.scatter / np.sqrt(max(1, f.points)) for f in found.fitted])
    if c.kind == "section_angle":
        reaches = np.array([max(f.reach, 1e-9) for f in found.fitted])
        return float(np.linalg.norm(np.sqrt(3.0) * np.hypot(random, device.of_probing) / reaches))
    scale = found.value * device.of_scale
    return float(np.sqrt((random**2).sum() + len(random) * device.of_probing**2 + scale**2))


def anchor_of(evaluator: Evaluator, plan: Plan, sample: Sample | None, reading_id: str) -> Vector | None:
    """Return the place (3,) on the part that a reading belongs to."""
    reading = plan.reading(reading_id)
    if isinstance(reading, SpotCheck):
        found = spot_reading(evaluator, plan, sample, reading) if reading.reads != "at" else None
        return found.place if isinstance(found, SpotReading) else np.array(reading.place)
    if isinstance(reading, ComparedPoint):
        return np.array(reading.place)
    if isinstance(reading, SectionDimension):
        section = plan.section_with(reading.id)
        if section is not None:
            plane = section_plane(section.origin, section.normal, section.across)
            return np.asarray(plane.solid(np.array([reading.spans[0].at]))[0])
    return None
