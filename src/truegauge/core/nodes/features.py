"""Measured features as nodes, from scans and from touches; how points are chosen for them, and their coverage."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, ClassVar

import numpy as np

from truegauge.core.arrays import Points, Rigid
from truegauge.core.association.fit import Criterion
from truegauge.core.constructions.built import built_measured
from truegauge.core.errors import EvaluationError
from truegauge.core.features.coverage import MOST_FOR_COVERAGE
from truegauge.core.features.extraction import Built, Extracted, ExtractionSettings, Measured, extract, measure
from truegauge.core.features.measured_surface import patch_surface
from truegauge.core.filters.form_map import FilterKind, FormFilter
from truegauge.core.nodes.aligned import AlignedCloud, ScannedCloud, chosen_from
from truegauge.core.nodes.alignment import AlignmentOf
from truegauge.core.nodes.context import Context
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.keys import features_key, goes_by_touches, scan_key, touched_key
from truegauge.core.nodes.node import Node
from truegauge.core.nodes.nominal import AreaOf, constructed, nominal_feature
from truegauge.core.nodes.touched import TouchedPoints
from truegauge.core.tolerancing.request import Patch

if TYPE_CHECKING:
    from collections.abc import Hashable

    from truegauge.core.plan.features import Group
    from truegauge.core.plan.points import Extraction
    from truegauge.core.tolerancing.outcome import Outcome

BY_USE = "by_use"
# Touches are few and each is there on purpose: none is left out, averaged, or too near to an edge.
TOUCH_EXTRACTION = ExtractionSettings(reach=np.inf, edge_margin=0.0, averaging=0.0, reject=0.0, max_angle=None)


def extraction_of(context: Context, faces: tuple[int, ...]) -> Extraction:
    """Return how points are chosen for faces: as their feature says, or their shape, or the plan."""
    plan = context.plan
    feature = plan.feature_with_faces(faces)
    if feature is not None and feature.extraction is not None:
        return feature.extraction
    if plan.extraction_of_shapes:
        known = nominal_feature(context, faces)
        shape = "free_form" if isinstance(known, NotComputed) else str(known.shape)
        for own in plan.extraction_of_shapes:
            if own.shape == shape:
                return own.extraction
    return plan.extraction


def extraction_settings(context: Context, faces: tuple[int, ...]) -> ExtractionSettings:
    """Return the settings of the extraction for faces."""
    if context.measured_sample.is_touched:
        return TOUCH_EXTRACTION
    own = extraction_of(context, faces)
    return ExtractionSettings(own.reach, own.edge_margin, own.averaging, own.reject, own.max_angle)


def chosen_points(context: Context, faces: tuple[int, ...]) -> Extracted:
    """Return which points are chosen for faces, and why others are not; for a view that follows a setting.

    Raises
    ------
    EvaluationError
        There is no aligned cloud.
    """
    there = chosen_from(context)
    settings = extraction_settings(context, faces)
    return extract(context.model, faces, there.points, there.found, there.usable, settings, there.normals)


@dataclass(frozen=True, slots=True)
class FeatureFromPoints(Node[Measured]):
    """A feature of faces, measured from a scan or from its touches."""

    faces: tuple[int, ...]
    of_features: ClassVar[bool] = False

    def key(self, context: Context) -> Hashable:
        said = context.contents.group(self.faces)
        feature = context.plan.feature_with_faces(self.faces)
        if feature is None or not goes_by_touches(context, feature.id):
            return (features_key(context), said)
        return (scan_key(context), touched_key(context, feature.id), said)  # other touches are no matter to it

    def compute(self, context: Context) -> Measured:
        criterion, own_filter = context.plan.association_of(self.faces)
        known = nominal_feature(context, self.faces)
        if isinstance(known, NotComputed):
            raise EvaluationError(known.reason)
        feature = context.plan.feature_with_faces(self.faces)
        by = None if criterion == BY_USE else Criterion(criterion)
        form_filter = FormFilter(FilterKind(own_filter.kind), own_filter.upr, own_filter.cutoff)
        if feature is None or not goes_by_touches(context, feature.id):
            there, settings = chosen_from(context), extraction_settings(context, self.faces)
            rows = chosen_points(context, self.faces).rows
            taken = None if there.taken is None else there.taken[rows]
            return measure(known, there.points, rows, settings, by, form_filter, taken=taken)
        own = context.measured_sample.touched.get(feature.id)
        if own is None:
            context.need(AlignmentOf(), "not aligned")
            raise EvaluationError("not touched yet")
        points = context.need(TouchedPoints(feature.id))
        taken = np.array([t.row for t in own.touches], dtype=np.int64)
        found = measure(known, points, np.arange(len(points)), TOUCH_EXTRACTION, by, form_filter, taken=taken)
        rows = np.array(own.rows, dtype=np.int64)
        if context.measured_sample.scans:  # the touches come after its points
            rows = rows + len(context.need(ScannedCloud()).points)
        return replace(found, rows=rows[found.rows], strays=rows[found.strays])


@dataclass(frozen=True, slots=True)
class ConstructedFromFeatures(Node[Built]):
    """A constructed feature, built from what was measured of its members."""

    feature: str

    def key(self, context: Context) -> Hashable:
        return (members_key(context, self.feature), context.contents.group(self.feature))

    def compute(self, context: Context) -> Built:
        known = nominal_feature(context, self.feature)
        if isinstance(known, NotComputed):
            raise EvaluationError(known.reason)
        made = constructed(context, self.feature)
        members: list[Measured | Built] = []
        for member in map(context.plan.feature, made.members):
            found = context.measured(member.group)
            if isinstance(found, NotComputed):
                raise EvaluationError(f"{member.name}: {found.reason}")
            members.append(found)
        return built_measured(made.construction, tuple(members), made.values, known)


def members_key(context: Context, *feature_ids: str) -> Hashable:
    """Return what the points of features of the plan depend on: of a sample of touches only their own touches."""
    sample = context.measured_sample
    if not sample.touched:
        return features_key(context)
    touched = tuple(touched_key(context, f) for f in feature_ids)
    return (scan_key(context) if sample.is_touched else features_key(context), touched)


def groups_key(context: Context, groups: tuple[Group, ...]) -> Hashable:
    """Return what the measured features of groups depend on: their points, and what the plan says of them."""
    features = [context.plan.feature_of(g) for g in groups]
    said = context.contents.groups(groups)
    known = [f.id for f in features if f is not None]
    if len(known) < len(features):  # faces that are no feature have their points from all touches
        return (features_key(context), said)
    return (members_key(context, *known), said)


class FromPoints:
    """Measured features as the points of the sample give them."""

    def measured(self, context: Context, group: Group) -> Measured | Built | NotComputed:
        """Return a measured feature."""
        if isinstance(group, str):
            return context.get(ConstructedFromFeatures(group))
        return context.get(FeatureFromPoints(group))

    def patch(self, context: Context, faces: tuple[int, ...]) -> Patch | NotComputed:
        """Return the points of any faces."""
        return context.get(PatchFromPoints(faces))

    def settled(self, context: Context, outcome: Node[Outcome]) -> tuple[Rigid, ...]:
        """Return that nothing was found before."""
        return ()


@dataclass(frozen=True, slots=True)
class PatchFromPoints(Node[Patch]):
    """The averaged points of any faces, free-form ones too."""

    faces: tuple[int, ...]
    of_features: ClassVar[bool] = False

    def key(self, context: Context) -> Hashable:
        own = self._touched(context)
        touched = None if not own else touched_key(context, own)
        return (features_key(context), context.contents.group(self.faces), touched)

    def _touched(self, context: Context) -> str:
        """Return the feature of the faces that was touched beside a scan; empty for none."""
        feature, sample = context.plan.feature_with_faces(self.faces), context.measured_sample
        there = feature is not None and bool(sample.scans) and feature.id in sample.touched
        return feature.id if there and feature is not None else ""

    def compute(self, context: Context) -> Patch:
        own = self._touched(context)
        if own:
            cloud, settings = context.need(AlignedCloud()), TOUCH_EXTRACTION
            count = cloud.touched[own] if cloud.touched else np.zeros(0, dtype=np.int64)
            usable = np.zeros(len(cloud.points), dtype=bool)
            usable[count] = cloud.found.face[count] >= 0
        else:
            cloud, settings = chosen_from(context), extraction_settings(context, self.faces)
            usable = cloud.usable
        pieces: list[Points] = []
        normals: list[Points] = []
        modes: list[np.ndarray] = []
        taken: list[np.ndarray] = []
        for face in self.faces:  # each for itself: averaging must not mix the two sides of an edge
            rows = extract(
                context.model, (face,), cloud.points, cloud.found, usable, settings, cloud.normals
            ).rows  # fmt: skip
            if not len(rows):
                continue
            feet, off = cloud.found.feet_at(rows), cloud.found.distance[rows]
            out = np.asarray(cloud.found.normals[rows], dtype=np.float64)
            if settings.averaging <= 0:
                pieces.append(feet + off[:, None] * out)
                if cloud.taken is not None:
                    taken.append(cloud.taken[rows])
                continue
            surface = patch_surface(feet, out, off, settings.averaging)
            pieces.append(surface.points)
            normals.append(surface.normals)
            modes.append(surface.modes)
        if not pieces:
            raise EvaluationError("no points of the scan belong to these faces")
        stated = np.concatenate(taken) if taken else None
        return Patch(
            self.faces, np.vstack(pieces), context.projector, settings.averaging <= 0, stated,
            np.vstack(normals) if normals else None, tuple(modes),
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class CoverageOf(Node[float]):
    """The share of the area of faces that has points."""

    faces: tuple[int, ...]
    of_features: ClassVar[bool] = False

    def key(self, context: Context) -> Hashable:
        return (features_key(context), context.contents.group(self.faces))

    def compute(self, context: Context) -> float:
        there = chosen_from(context)
        reach = extraction_of(context, self.faces).reach
        rows = np.flatnonzero(np.isin(there.found.face, self.faces) & there.usable)
        rows = rows[np.abs(there.found.distance[rows]) <= reach]
        places = there.found.feet_at(rows[:: max(1, len(rows) // MOST_FOR_COVERAGE)])
        return context.need(AreaOf(self.faces)).share(places)


def feature_named(context: Context, group: Group, name: str) -> Measured | Built:
    """Return a measured feature that something else needs.

    Raises
    ------
    EvaluationError
        Why it is not measured, with its name in front.
    """
    found = context.measured(group)
    if isinstance(found, NotComputed):
        raise EvaluationError(f"{name}: {found.reason}")
    return found
