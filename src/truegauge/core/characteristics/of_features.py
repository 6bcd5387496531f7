"""Kinds whose values follow from measured features alone: sizes, forms, distances, angles, coordinates."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.arrays import Rigid
from truegauge.core.characteristics.kind import Kind, Limits, Nominals, Told, groups_of
from truegauge.core.errors import EvaluationError
from truegauge.core.features.extraction import Built, Measured
from truegauge.core.features.held_by_points import PLACE, need_held
from truegauge.core.nodes.datum_systems import SystemOf, system_content, system_points
from truegauge.core.nodes.features import feature_named, groups_key
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.node import Node
from truegauge.core.nodes.nominal import ReportFrame, frame_content, seen_from
from truegauge.core.tolerancing.size import Sizes, sizes_by
from truegauge.core.tolerancing.size_rule import SizeRule

if TYPE_CHECKING:
    from truegauge.core.nodes.context import Context
    from truegauge.core.plan.document import Plan
    from truegauge.core.plan.features import Group
    from truegauge.core.plan.requirements import Characteristic, DatumReference

MeasuredFeatures = tuple[Measured | Built, ...]


def _nothing(features: MeasuredFeatures) -> float:
    raise EvaluationError("this kind is not evaluated from features alone")


@dataclass(frozen=True, kw_only=True)
class OfFeatures(Kind):
    """A kind whose value is a function of measured features."""

    value: Callable[[MeasuredFeatures], float] = _nothing

    def tell(self, context: Context, c: Characteristic, limits: Limits) -> Told:
        """Return the value: a size by its rule, in the datum system where there is one."""
        groups, rule = groups_of(context.plan, c), self.rule(context.plan, c)
        if rule is not None:
            value, said = context.need(SizesOf(groups, rule)).told(*limits)
            return Told(value, notes=(said,))
        if c.datums and self.placed:
            return Told(context.need(ValueInSystem(self, groups, c.features, c.datums)))
        return Told(context.need(ValueOf(self, groups)))

    def offered(self, context: Context, groups: tuple[Group, ...], nominals: Nominals) -> float | NotComputed:
        """Return the value for features of a selection."""
        return context.get(ValueOf(self, groups))

    def points_key(self, context: Context, c: Characteristic) -> Hashable:
        """Return what the features depend on, with the axes that the value is told in."""
        axes = (frame_content(context) if not c.datums else _system_key(context, c.datums)) if self.placed else None
        return (groups_key(context, groups_of(context.plan, c)), axes)

    def content(self, plan: Plan, c: Characteristic) -> Hashable:
        """Return how it is read; of many sizes the limits decide which is told."""
        limits = (c.lower, c.upper) if self.rule(plan, c) is not None else ()
        return (self.name, c.modifiers, c.zone, plan.usual_size, limits)


@dataclass(frozen=True, slots=True)
class ValueOf(Node[float]):
    """The value of a kind for features, in the axes of the alignment where it depends on them."""

    kind: OfFeatures
    groups: tuple[Group, ...]

    def key(self, context: Context) -> Hashable:
        axes = frame_content(context) if self.kind.placed else None
        return (groups_key(context, self.groups), self.kind.name, axes)

    def compute(self, context: Context) -> float:
        known = measured_members(context, self.groups, self.kind.needs)
        if self.kind.placed:
            frame = context.need(ReportFrame(), "its frame")
            known = tuple(_seen_from(m, frame) for m in known)
        return self.kind.value(known)


@dataclass(frozen=True, slots=True)
class ValueInSystem(Node[float]):
    """A coordinate or a distance along an axis in a datum system."""

    kind: OfFeatures
    groups: tuple[Group, ...]
    features: tuple[str, ...]
    datums: tuple[DatumReference, ...]

    def key(self, context: Context) -> Hashable:
        return (groups_key(context, self.groups), self.kind.name, _system_key(context, self.datums))

    def compute(self, context: Context) -> float:
        system = context.need(SystemOf(self.datums))
        plan = context.plan
        members = [
            feature_named(context, g, plan.feature(f).name) for g, f in zip(self.groups, self.features, strict=True)
        ]
        placed = tuple(Built(m.feature.moved(system.part_from_measured), m.nominal, m.rows, m.strays) for m in members)
        return self.kind.value(placed)


def _system_key(context: Context, datums: tuple[DatumReference, ...]) -> Hashable:
    return (system_points(context, datums), system_content(context, datums))


@dataclass(frozen=True, slots=True)
class SizesOf(Node[Sizes]):
    """The sizes of a feature by a rule: which of many is told is decided by the limits."""

    groups: tuple[Group, ...]
    rule: SizeRule

    def key(self, context: Context) -> Hashable:
        return (groups_key(context, self.groups), self.rule)

    def compute(self, context: Context) -> Sizes:
        return sizes_by(measured_members(context, self.groups, (PLACE,)), self.rule)


def measured_members(context: Context, groups: tuple[Group, ...], needs: tuple[str, ...]) -> MeasuredFeatures:
    """Return the measured features of groups.

    Raises
    ------
    EvaluationError
        One is not measured, or its touches do not hold what is needed.
    """
    found: list[Measured | Built] = []
    for group in groups:
        one = context.measured(group)
        if isinstance(one, NotComputed):
            raise EvaluationError(one.reason)
        found.append(one)
    need_held(needs, found)
    return tuple(found)


def _seen_from(measured: Measured | Built, frame: Rigid) -> Measured | Built:
    """Return a measured feature in another frame, as far as kinds that look at places and directions need it."""
    if np.array_equal(frame, np.eye(4)):
        return measured
    nominal = seen_from(measured.nominal, frame)
    return Built(measured.feature.moved(frame), nominal, measured.rows, measured.strays, measured.held)
