"""What the cloud says in sections: the curves, nominal and measured, and their dimensions as nodes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.errors import EvaluationError
from truegauge.core.nodes.aligned import AlignedCloud, NearPoints
from truegauge.core.nodes.graph import NotComputed, needed
from truegauge.core.nodes.keys import cloud_key, features_key
from truegauge.core.nodes.node import Node
from truegauge.core.plan.readings import Section, SectionDimension
from truegauge.core.sections.dimension import Fitted, dimension_value, fit_span, span_rows
from truegauge.core.sections.measured import MeasuredSection, measured_section
from truegauge.core.sections.nominal import NominalSection, nominal_section
from truegauge.core.sections.plane import SectionPlane, section_plane

if TYPE_CHECKING:
    from collections.abc import Hashable

    from truegauge.core.arrays import Ints
    from truegauge.core.nodes.context import Context


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


def plane_of_section(section: Section) -> SectionPlane:
    """Return the plane of a section with its axes."""
    return section_plane(section.origin, section.normal, section.across)


@dataclass(frozen=True, slots=True)
class NominalCurve(Node[NominalSection]):
    """The nominal curve of a section."""

    section: Section
    of_sample = False
    of_features = False

    def key(self, context: Context) -> Hashable:
        return (self.section.origin, self.section.normal, self.section.across)

    def compute(self, context: Context) -> NominalSection:
        return nominal_section(context.model, context.projector, plane_of_section(self.section))


@dataclass(frozen=True, slots=True)
class MeasuredCurve(Node[MeasuredSection]):
    """The measured curve of a section."""

    section: Section
    of_features = False

    def key(self, context: Context) -> Hashable:
        return (cloud_key(context), self.section.plane_content)

    def compute(self, context: Context) -> MeasuredSection:
        section, plane = self.section, plane_of_section(self.section)
        nominal = context.need(NominalCurve(section))
        cloud, half = context.need(AlignedCloud()), section.thickness / 2
        index, found = context.need(NearPoints()), cloud.found
        rows: Ints = index.in_slab(plane.origin, plane.normal, half + 0.02 * context.model.diagonal)
        rows = rows[cloud.usable[rows] & ~found.on_edge[rows]]
        feet = found.feet_at(rows)
        inside = np.abs((feet - plane.origin) @ plane.normal) <= half
        rows, feet = rows[inside], feet[inside]
        return measured_section(
            context.projector, plane, nominal, feet, np.asarray(found.normals[rows], dtype=np.float64),
            found.distance[rows], np.asarray(found.face[rows], dtype=np.int64), section.thickness,
        )  # fmt: skip


def section_curves(context: Context, section: Section) -> SectionCurves:
    """Return the curves of a section; the nominal one without a sample too.

    Raises
    ------
    EvaluationError
        The plane does not cut the part.
    """
    nominal = context.need(NominalCurve(section))
    return SectionCurves(plane_of_section(section), nominal, context.get(MeasuredCurve(section)))


def nominal_fit(curves: SectionCurves, d: SectionDimension) -> tuple[Fitted, ...]:
    """Return what is fitted to the nominal curve in the spans of a dimension."""
    made = []
    for span in d.spans:
        rows = span_rows(curves.nominal, None, span.at, span.reach)
        exact = rows.curve[curves.nominal.exact[rows.curve]]
        made.append(fit_span(span.fits, curves.nominal.flat[exact], rows, np.zeros(len(exact))))
    return tuple(made)


@dataclass(frozen=True, slots=True)
class DimensionNominal(Node[float]):
    """The nominal value of a dimension, mm or rad; of one that the plan does not have yet too."""

    section: Section
    dimension: SectionDimension
    of_sample = False
    of_features = False

    def key(self, context: Context) -> Hashable:
        return (self.section.plane_content, self.dimension)

    def compute(self, context: Context) -> float:
        curves = section_curves(context.without_sample(), self.section)
        return dimension_value(self.dimension.kind, nominal_fit(curves, self.dimension))


@dataclass(frozen=True, slots=True)
class DimensionIn(Node[DimensionReading]):
    """A dimension of a section, nominal and measured."""

    dimension: SectionDimension
    of_features = False

    def key(self, context: Context) -> Hashable:
        return (features_key(context), context.contents.reading(self.dimension.id))

    def compute(self, context: Context) -> DimensionReading:
        d = self.dimension
        section = context.plan.section_with(d.id)
        assert section is not None
        curves = section_curves(context, section)
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
