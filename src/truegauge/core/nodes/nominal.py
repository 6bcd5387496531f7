"""Nominal features, and the frame that the coordinates of an alignment are reported in: known without a sample."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.arrays import Rigid
from truegauge.core.cad.recognition import Nominal, nominal_of
from truegauge.core.constructions.built import built_nominal
from truegauge.core.constructions.parts import Operand
from truegauge.core.datums.named_frame import frame_by_naming, shifted_frame
from truegauge.core.errors import EvaluationError
from truegauge.core.features.coverage import AreaSamples
from truegauge.core.frames import apply
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.node import Node
from truegauge.core.plan.alignments import AlignmentDatum, AnyAlignment, DatumAlignment
from truegauge.core.plan.features import ConstructedFeature

if TYPE_CHECKING:
    from truegauge.core.nodes.context import Context
    from truegauge.core.plan.features import Group


@dataclass(frozen=True, slots=True)
class NominalFace(Node[Nominal]):
    """The nominal feature of faces of the part."""

    faces: tuple[int, ...]
    of_sample = False
    of_features = False

    def key(self, context: Context) -> Hashable:
        return self.faces

    def compute(self, context: Context) -> Nominal:
        return nominal_of(context.model, self.faces)


@dataclass(frozen=True, slots=True)
class NominalConstruction(Node[Nominal]):
    """The nominal feature of a constructed feature of the plan."""

    feature: str
    of_sample = False
    of_features = False

    def key(self, context: Context) -> Hashable:
        return context.contents.group(self.feature)

    def compute(self, context: Context) -> Nominal:
        made = constructed(context, self.feature)
        members = []
        for member in map(context.plan.feature, made.members):
            found = nominal_feature(context, member.group)
            if isinstance(found, NotComputed):
                raise EvaluationError(f"{member.name}: {found.reason}")
            members.append(found)
        return built_nominal(made.construction, tuple(members), made.values)


def constructed(context: Context, feature_id: str) -> ConstructedFeature:
    """Return a constructed feature of the plan.

    Raises
    ------
    EvaluationError
        The plan does not have it.
    """
    made = context.plan.feature_of(feature_id)
    if not isinstance(made, ConstructedFeature):
        raise EvaluationError("this feature is no longer there")
    return made


def nominal_feature(context: Context, group: Group) -> Nominal | NotComputed:
    """Return the nominal feature of faces, or of a constructed feature of the plan."""
    return context.get(NominalConstruction(group) if isinstance(group, str) else NominalFace(group))


def known_nominals(context: Context, groups: tuple[Group, ...]) -> tuple[Nominal, ...]:
    """Return the nominal features of groups; those that are none are left out."""
    return tuple(n for n in (nominal_feature(context, g) for g in groups) if not isinstance(n, NotComputed))


@dataclass(frozen=True, slots=True)
class AreaOf(Node[AreaSamples]):
    """Places all over some faces, to tell how much of them has points."""

    faces: tuple[int, ...]
    of_sample = False
    of_features = False

    def key(self, context: Context) -> Hashable:
        return self.faces

    def compute(self, context: Context) -> AreaSamples:
        return AreaSamples(context.model, self.faces)


@dataclass(frozen=True, slots=True)
class ReportFrame(Node[Rigid]):
    """``frame_from_part`` of the alignment: what coordinates are reported in."""

    of_sample = False
    of_features = False

    def key(self, context: Context) -> Hashable:
        return frame_content(context)

    def compute(self, context: Context) -> Rigid:
        own = context.plan.alignment(context.alignment)
        frame = np.eye(4)
        uses = named_axes(own)
        operands, names = [], []
        for use in uses:
            feature = context.plan.feature(use.feature)
            found = nominal_feature(context, feature.group)
            if isinstance(found, NotComputed):
                raise EvaluationError(f"{feature.name}: {found.reason}")
            operands.append(nominal_operand(found))
            names.append(feature.name)
        if uses:
            frame = frame_by_naming(operands, [use.axis for use in uses], names, center=np.zeros(3))
        return np.asarray(shifted_frame(np.array(own.offset), np.array(own.turns)) @ frame)


def frame_content(context: Context) -> Hashable:
    """Return what the frame of the alignment depends on."""
    own = context.plan.alignment(context.alignment)
    uses = named_axes(own)
    return (own.offset, own.turns, tuple((context.contents.feature(d.feature), d.axis) for d in uses))


def named_axes(own: AnyAlignment) -> tuple[AlignmentDatum, ...]:
    """Return the datums of an alignment that name the axes of its frame; none where no axis is named."""
    uses = own.datums if isinstance(own, DatumAlignment) else ()
    return uses if any(use.axis for use in uses) else ()


def nominal_operand(found: Nominal) -> Operand:
    """Return a nominal feature as datums take it."""
    return Operand(found.feature, found.center, found.length)


def seen_from(found: Nominal, frame: Rigid) -> Nominal:
    """Return a nominal feature in another frame."""
    return replace(found, feature=found.feature.moved(frame), center=apply(frame, found.center))


def in_report_frame(context: Context, nominals: tuple[Nominal, ...]) -> tuple[Nominal, ...]:
    """Return nominal features in the frame of the alignment, as kinds see them that depend on its axes."""
    frame = context.get(ReportFrame())
    if isinstance(frame, NotComputed) or np.array_equal(frame, np.eye(4)):
        return nominals
    return tuple(seen_from(n, frame) for n in nominals)
