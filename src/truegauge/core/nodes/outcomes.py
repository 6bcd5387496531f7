"""Geometrical tolerances as nodes: the zone that holds the features in their datum system."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from truegauge.core.association.features import Cylinder
from truegauge.core.datums.common import DatumAssociation
from truegauge.core.datums.given import SystemDatum
from truegauge.core.datums.system import establish
from truegauge.core.errors import EvaluationError
from truegauge.core.features.extraction import Built, Measured
from truegauge.core.features.held_by_points import DIRECTION, need_held
from truegauge.core.nodes.cutting import cutting_normal
from truegauge.core.nodes.datum_parts import datum_parts
from truegauge.core.nodes.datum_systems import SystemOf, system_content, system_points
from truegauge.core.nodes.features import feature_named, groups_key
from truegauge.core.nodes.graph import NotComputed, needed
from truegauge.core.nodes.keys import features_key
from truegauge.core.nodes.node import Node
from truegauge.core.nodes.nominal import nominal_feature
from truegauge.core.nodes.stated import StatedTolerance
from truegauge.core.tolerancing import profile
from truegauge.core.tolerancing.geometric import LOCATION, ORIENTATION, evaluate, evaluate_together
from truegauge.core.tolerancing.outcome import Outcome
from truegauge.core.tolerancing.request import Request, Unit, are_opposite

if TYPE_CHECKING:
    from truegauge.core.nodes.context import Context
    from truegauge.core.plan.features import Group

_PAIRING = (*LOCATION, *ORIENTATION)
_SHORT = 0.5  # of its radius: a hole that short has its place from one ring


@dataclass(frozen=True, slots=True)
class OutcomeOf(Node[Outcome]):
    """The outcome of a tolerance; of one that the plan does not have too (proposals)."""

    stated: StatedTolerance

    def key(self, context: Context) -> Hashable:
        stated, plan, contents = self.stated, context.plan, context.contents
        cut = stated.zone.cut_datum
        cutting = contents.feature(plan.datum(cut).feature) if plan.has_datum(cut) else None
        return (
            stated_points(context, stated), contents.groups(stated.groups), stated.content, plan.standard,
            system_content(context, stated.datums), cutting,
        )  # fmt: skip

    def compute(self, context: Context) -> Outcome:
        return evaluate(_request(context, self.stated))


@dataclass(frozen=True, slots=True)
class OutcomesTogether(Node[tuple[Outcome, ...]]):
    """The outcomes of tolerances that are one simultaneous requirement; their limits weigh them against each other."""

    members: tuple[StatedTolerance, ...]

    def key(self, context: Context) -> Hashable:
        return tuple((OutcomeOf(m).key(context), m.tolerance) for m in self.members)

    def compute(self, context: Context) -> tuple[Outcome, ...]:
        return tuple(evaluate_together([_request(context, m) for m in self.members]))


@dataclass(frozen=True, slots=True)
class OutcomeToFeature(Node[Outcome]):
    """The outcome of an orientation to a feature that serves as the datum without a letter: the second of two."""

    kind: str
    groups: tuple[Group, Group]
    names: tuple[str, str]
    needs: tuple[str, ...]

    def key(self, context: Context) -> Hashable:
        plan = context.plan
        return (groups_key(context, self.groups), self.kind, plan.standard, plan.datum_association)

    def compute(self, context: Context) -> Outcome:
        units = _units(context, StatedTolerance(self.kind, self.groups[:1], self.names[:1], needs=self.needs))
        datum = feature_named(context, self.groups[1], self.names[1])
        need_held(self.needs, (datum,), self.names[1:])
        own = SystemDatum(self.names[1], tuple(datum_parts(self.names[1:], [datum])))
        system = establish(
            [own], DatumAssociation(context.plan.datum_association), center=context.part.middle,
            length=context.model.diagonal,
        )  # fmt: skip
        return evaluate(Request(self.kind, units, system, standard=context.plan.standard))


def stated_points(context: Context, stated: StatedTolerance) -> Hashable:
    """Return what the points behind a tolerance depend on; faces without an ideal feature are read off all points."""
    if any(isinstance(nominal_feature(context, g), NotComputed) for g in stated.groups):
        return features_key(context)
    return (groups_key(context, stated.groups), system_points(context, stated.datums))


def _request(context: Context, stated: StatedTolerance) -> Request:
    system = needed(context.get(SystemOf(stated.datums)))
    units, zone = _units(context, stated), stated.zone
    if zone.cut:
        own = units[0].nominal if units[0].measured else None
        zone = zone.replace(direction=cutting_normal(context, zone, own))
    settled = context.features.settled(context, OutcomeOf(stated))
    return Request(stated.kind, units, system, zone, stated.modifiers, stated.tolerance, context.plan.standard, settled)


def _units(context: Context, stated: StatedTolerance) -> tuple[Unit, ...]:
    """Return the toleranced features: two opposite planes in a row are one feature of size where that is meant."""
    units: list[Unit] = []
    k = 0
    while k < len(stated.groups):
        group, name = stated.groups[k], stated.names[k]
        sizes = stated.sizes[k] if k < len(stated.sizes) else (None, None)
        if stated.kind in profile.KINDS:
            units.append(_profile_unit(context, group, name))
            k += 1
            continue
        found = _held(feature_named(context, group, name), stated, name)
        if stated.kind in _PAIRING and k + 1 < len(stated.groups):
            other = feature_named(context, stated.groups[k + 1], stated.names[k + 1])
            if are_opposite(found.nominal.feature, other.nominal.feature):
                units.append(Unit(f"{name} and {stated.names[k + 1]}", (found, other), sizes=sizes))
                k += 2
                continue
        units.append(Unit(name, (found,), sizes=sizes))
        k += 1
    return tuple(units)


def _held(found: Measured | Built, stated: StatedTolerance, name: str) -> Measured | Built:
    """Return a feature that holds what the kind needs; of a hole that is short its place is enough for a location."""
    needs, feature = stated.needs, found.nominal.feature
    if stated.kind in LOCATION and isinstance(feature, Cylinder) and found.nominal.length <= _SHORT * feature.radius:
        needs = tuple(n for n in needs if n != DIRECTION)
    need_held(needs, (found,), (name,))
    return found


def _profile_unit(context: Context, group: Group, name: str) -> Unit:
    """Return a feature with points, or a patch for faces that are no one ideal surface."""
    known = nominal_feature(context, group)
    if not isinstance(known, NotComputed):
        return Unit(name, (feature_named(context, group, name),))
    if isinstance(group, str) or any(f < 0 for f in group):
        raise EvaluationError(f"{name}: {known.reason}")
    return Unit(name, patch=needed(context.patch(group), name))
