"""Proposals: the characteristics that make sense for exactly the selected features, with their live values."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from truegauge.core.association.features import Feature, Plane
from truegauge.core.authoring.new_features import feature_for, free_name, new_id
from truegauge.core.authoring.offers import geometric_offers, usual_zone
from truegauge.core.authoring.whole_elements import whole_element
from truegauge.core.cad.recognition import Nominal
from truegauge.core.characteristics.kind import Kind
from truegauge.core.characteristics.registry import KINDS
from truegauge.core.commands.command import Command, Several
from truegauge.core.commands.features import AddConstructed
from truegauge.core.commands.requirements import AddCharacteristic
from truegauge.core.constructions.build import Construction, offers
from truegauge.core.constructions.built import built_measured, built_nominal, nominal_operands
from truegauge.core.errors import EvaluationError
from truegauge.core.nodes.contents import Contents
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.nominal import in_report_frame, nominal_feature
from truegauge.core.nodes.outcomes import OutcomeOf, OutcomeToFeature
from truegauge.core.nodes.stated import StatedTolerance
from truegauge.core.plan.document import Plan
from truegauge.core.plan.features import ConstructedFeature, Group, NominalFeature
from truegauge.core.plan.requirements import Characteristic, DatumReference
from truegauge.core.tolerancing.zone import PLAIN, Zone

if TYPE_CHECKING:
    from truegauge.core.nodes.context import Context

Groups = tuple[Group, ...]
_OF_SLOTS = ("width", "slot_length")  # the sizes of a slot come before its place
_APART = 1e-6  # mm
_MOST = 48  # selected features for which something is proposed: more are a body to hide or show


@dataclass(frozen=True, slots=True)
class Proposal:
    """One offered characteristic. `groups` are in the order that the kind wants (toleranced, then datum).

    With `each`, the groups are equal features and every one gets the characteristic; `value` is then the worst.
    """

    kind: Kind
    groups: Groups
    nominal: float
    value: float | None
    reason: str
    each: bool = False
    datums: tuple[DatumReference, ...] = ()
    zone: Zone = PLAIN
    of_plane: bool = False
    datum: str = ""  # the letter of the second group, where the proposal brought it in by itself
    made: AddConstructed | None = None  # what the groups are made by first, where the plan does not have it yet

    @property
    def label(self) -> str:
        """The kind, with its datum system."""
        if self.datum:
            return f"{self.kind.label} to {self.datum}"
        return f"{self.kind.label} {' | '.join(d.say() for d in self.datums)}".strip()


def proposals(context: Context, selection: Groups) -> list[Proposal]:
    """Return what makes sense for the selected features, best first; nothing for free-form faces."""
    offered: list[Proposal] = []
    if len(selection) > _MOST:
        return offered
    whole = whole_element(context, selection)
    if whole is not None:
        made, of_it = whole
        after = context if made is None else context.of(Contents(made.apply(context.plan)))
        return [replace(p, made=made) for p in proposals(after, of_it)]
    nominals = [nominal_feature(context, g) for g in selection]
    known = tuple(n for n in nominals if not isinstance(n, NotComputed))
    in_systems = _in_systems(context, selection, known if len(known) == len(nominals) else ())
    if len(known) < len(nominals):
        return in_systems
    if len(selection) > 3:
        return _sorted([*_for_each(context, selection), *in_systems])
    for kind in kinds_in(context, known):
        if kind.geometric:
            if kind.to_the_second and len(selection) == 2:
                offered.append(_to_second(context, kind, selection))
            continue
        nominal = kind.nominal(_seen_by(context, kind, known))
        value = kind.offered(context, selection, known)
        reason = value.reason if isinstance(value, NotComputed) else ""
        offered.append(Proposal(kind, selection, nominal, None if isinstance(value, NotComputed) else value, reason))
    if len(selection) == 1:
        offered += _to_a_datum(context, selection[0], known[0])
    return _sorted([*offered, *in_systems])


def _to_a_datum(context: Context, group: Group, nominal: Nominal) -> list[Proposal]:
    """Offer the distance of a face to the first datum plane that it is parallel to."""
    kind = KINDS["distance"]
    for datum in context.plan.datums:
        base = context.plan.feature(datum.feature).group
        other = nominal_feature(context, base)
        if base == group or isinstance(other, NotComputed):
            continue
        both = (nominal, other)
        if not all(isinstance(n.feature, Plane) for n in both) or not kind.fits(both) or kind.nominal(both) < _APART:
            continue
        value = kind.offered(context, (group, base), both)
        known, reason = (None, value.reason) if isinstance(value, NotComputed) else (value, "")
        return [Proposal(kind, (group, base), kind.nominal(both), known, reason, of_plane=True, datum=datum.letter)]
    return []


def _sorted(offered: list[Proposal]) -> list[Proposal]:
    return sorted(offered, key=_sense)


def _sense(proposal: Proposal) -> float:
    """Return the place of a proposal.

    Of a face along a datum parallelism and distance come first, of a slanted one its angularity.
    """
    if proposal.datum:
        return -0.5
    if len(proposal.groups) == 1 and proposal.kind.name in _OF_SLOTS:
        return _OF_SLOTS.index(proposal.kind.name) / 10
    plain = [n for n in proposal.groups if not isinstance(n, str)]
    most = {"parallelism": 1, "angularity": 2}.get(proposal.kind.name, 0)
    first = 1 <= len(proposal.datums) <= most and len(plain) == 1
    return -1.0 if first and proposal.of_plane else float(proposal.kind.rank)


def _names(plan: Plan, groups: Groups) -> tuple[str, ...]:
    return tuple(f.name if (f := plan.feature_of(g)) is not None else "the selected face" for g in groups)


def _to_second(context: Context, kind: Kind, groups: Groups) -> Proposal:
    """Offer an orientation to the second selected feature: by its letter, where it has one."""
    datums = tuple(
        DatumReference(letter=d.letter) for d in context.plan.datums
        if context.plan.feature(d.feature).group == groups[1]
    )[:1]  # fmt: skip
    zone = PLAIN
    if datums:
        known = nominal_feature(context, groups[0])
        own = () if isinstance(known, NotComputed) else (known,)
        zone = usual_zone(context, kind.name, own, datums)
        stated = StatedTolerance(
            kind.name, groups[:1], _names(context.plan, groups[:1]), datums, zone=zone, needs=kind.needs
        )
        found = context.get(OutcomeOf(stated))
        groups = groups[:1]
    else:
        names = _names(context.plan, groups)
        second = OutcomeToFeature(kind.name, (groups[0], groups[1]), (names[0], names[1]), kind.needs)
        found = context.get(second)
    value, reason = (None, found.reason) if isinstance(found, NotComputed) else (found.value, "")
    return Proposal(kind, groups, 0.0, value, reason, datums=datums, zone=zone)


def _in_systems(context: Context, groups: Groups, nominals: tuple[Nominal, ...]) -> list[Proposal]:
    """Offer the tolerances that suit the selection and the labelled datums."""
    if not nominals and any(isinstance(g, str) for g in groups):
        return []
    found = []
    for name, datums in geometric_offers(context, groups, nominals):
        zone = usual_zone(context, name, nominals, datums)
        stated = StatedTolerance(name, groups, _names(context.plan, groups), datums, zone=zone, needs=KINDS[name].needs)
        outcome = context.get(OutcomeOf(stated))
        value, reason = (None, outcome.reason) if isinstance(outcome, NotComputed) else (outcome.value, "")
        plane = len(nominals) == 1 and isinstance(nominals[0].feature, Plane)
        found.append(Proposal(KINDS[name], groups, 0.0, value, reason, datums=datums, zone=zone, of_plane=plane))
    return found


def _seen_by(context: Context, kind: Kind, nominals: tuple[Nominal, ...]) -> tuple[Nominal, ...]:
    """Return nominal features as a kind takes them: in the frame of the alignment where its axes matter."""
    return in_report_frame(context, nominals) if kind.placed else nominals


def kinds_in(context: Context, known: tuple[Nominal, ...]) -> list[Kind]:
    """Return the kinds that make sense for features, seen in the frame of the alignment; best first."""
    fitting = [k for k in KINDS.values() if k.fits(_seen_by(context, k, known))]
    return sorted(fitting, key=lambda k: k.rank)


def _for_each(context: Context, selection: Groups) -> list[Proposal]:
    """Return what makes sense for every one of many equal features."""
    nominals = [nominal_feature(context, g) for g in selection]
    known = [n for n in nominals if not isinstance(n, NotComputed)]
    if len(known) < len(nominals):
        return []
    offered = []
    for kind in kinds_in(context, (known[0],)):
        if kind.geometric:
            continue
        seen = _seen_by(context, kind, tuple(known))
        if not all(kind.fits((n,)) and abs(kind.nominal((n,)) - kind.nominal((seen[0],))) < 1e-3 for n in seen):
            continue
        values = [kind.offered(context, (g,), (n,)) for g, n in zip(selection, known, strict=True)]
        numbers = [v for v in values if not isinstance(v, NotComputed)]
        nominal = kind.nominal((seen[0],))
        reason = next((v.reason for v in values if isinstance(v, NotComputed)), "")
        worst = max(numbers, key=lambda v: abs(v - nominal)) if numbers else None
        offered.append(Proposal(kind, selection, nominal, worst, reason, each=True))
    return offered


def accept(plan: Plan, proposal: Proposal, nominals: tuple[Nominal, ...]) -> Command:
    """Return the command that adds the proposed characteristic (one for each, where so offered) and its features.

    `nominals` are those of its groups, in the plan in which they are made.
    """
    if proposal.made is not None:
        rest = accept(proposal.made.apply(plan), replace(proposal, made=None), nominals)
        return Several((proposal.made, rest), rest.label)
    if not proposal.each:
        return _accept_one(plan, proposal, nominals)
    commands: list[Command] = []
    for group, nominal in zip(proposal.groups, nominals, strict=True):
        one = Proposal(proposal.kind, (group,), proposal.nominal, None, "")
        command = _accept_one(plan, one, (nominal,))
        plan = command.apply(plan)
        commands.append(command)
    return Several(tuple(commands), f"add {len(commands)} x {proposal.kind.label}")


def _accept_one(plan: Plan, proposal: Proposal, nominals: tuple[Nominal, ...]) -> AddCharacteristic:
    new: list[NominalFeature] = []
    used: list[NominalFeature | ConstructedFeature] = []
    for k, group in enumerate(proposal.groups):
        used.append(feature_for(plan, group, nominals[k] if nominals else None, new))
    lower, upper = proposal.kind.limits(nominals)
    number = plan.next_number
    name = f"{used[0].name} {proposal.kind.label}"
    if proposal.kind.geometric and (len(used) == 1 or not proposal.kind.to_the_second):
        name = f"{used[0].name}{f' and {len(used) - 1} more' if len(used) > 1 else ''} {proposal.kind.label}"
    elif len(used) > 1:
        name = f"{used[0].name} to {used[1].name}"
    characteristic = Characteristic(
        id=new_id(), number=number, name=name, kind=proposal.kind.name, features=tuple(f.id for f in used),
        nominal=proposal.nominal, lower=lower, upper=upper, datums=proposal.datums,
        zone=proposal.zone,
    )  # fmt: skip
    return AddCharacteristic(characteristic, tuple(new))


@dataclass(frozen=True, slots=True, eq=False)
class Offer:
    """One construction that can be made from the selection: what it gives, nominal and measured."""

    construction: Construction
    groups: Groups
    values: tuple[float, ...]
    nominal: Nominal
    measured: Feature | None
    reason: str


def construction_offers(context: Context, selection: Groups) -> list[Offer]:
    """Return the constructions that make sense for the selected features, with what each would give."""
    nominals = [nominal_feature(context, g) for g in selection]
    known = tuple(n for n in nominals if not isinstance(n, NotComputed))
    if not 1 <= len(selection) <= _MOST or len(known) != len(nominals):
        return []
    operands = nominal_operands(known)
    found = []
    for construction in offers(operands):
        values = tuple(round(v.default(operands), 3) for v in construction.values)
        offer = offered(context, construction, selection, values)
        if offer is not None:
            found.append(offer)
    return found


def offered(
    context: Context, construction: Construction, groups: Groups,
    values: tuple[float, ...],
) -> Offer | None:  # fmt: skip
    """Return what a construction gives with these values; None when it cannot be built from the nominal features."""
    nominals = tuple(n for g in groups if not isinstance(n := nominal_feature(context, g), NotComputed))
    try:
        nominal = built_nominal(construction.name, nominals, values)
    except EvaluationError:
        return None
    members = [context.measured(g) for g in groups]
    missing = next((m.reason for m in members if isinstance(m, NotComputed)), "")
    measured, reason = None, missing
    if not missing:
        there = tuple(m for m in members if not isinstance(m, NotComputed))
        try:
            measured = built_measured(construction.name, there, values, nominal).feature
        except EvaluationError as error:
            reason = str(error)
    return Offer(construction, groups, values, nominal, measured, reason)


def accept_construction(plan: Plan, offer: Offer, nominals: tuple[Nominal, ...]) -> AddConstructed:
    """Return the command that adds the constructed feature and the features it needs."""
    new: list[NominalFeature] = []
    members = tuple(feature_for(plan, g, n, new).id for g, n in zip(offer.groups, nominals, strict=True))
    made = ConstructedFeature(
        id=new_id(), name=free_name(plan, f"made {offer.construction.word}"),
        construction=offer.construction.name, members=members, values=offer.values,
    )  # fmt: skip
    return AddConstructed(made, tuple(new))
