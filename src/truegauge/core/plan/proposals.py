"""Proposals: the characteristics that make sense for exactly the selected features, with their live values."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from typing import TYPE_CHECKING

from truegauge.core.association.features import Cone, Cylinder, Plane, Sphere, Torus
from truegauge.core.cad.recognition import Nominal
from truegauge.core.plan.commands import AddCharacteristic
from truegauge.core.plan.document import Characteristic, NominalFeature, Plan
from truegauge.core.plan.graph import NotComputed
from truegauge.core.plan.sample import Sample
from truegauge.core.tolerancing.kinds import Kind, kinds_for

if TYPE_CHECKING:
    from truegauge.core.plan.evaluation import Evaluator

FaceGroups = tuple[tuple[int, ...], ...]


@dataclass(frozen=True, slots=True)
class Proposal:
    """One offered characteristic. `faces` are in the order that the kind wants (toleranced, then datum)."""

    kind: Kind
    faces: FaceGroups
    nominal: float
    value: float | None
    reason: str


def proposals(evaluator: Evaluator, plan: Plan, sample: Sample | None, selection: FaceGroups) -> list[Proposal]:
    """Return what makes sense for the selected features, best first; nothing for free-form faces."""
    offered: list[Proposal] = []
    if not 1 <= len(selection) <= 2:
        return offered
    nominals = [evaluator.nominal(f) for f in selection]
    if any(isinstance(n, NotComputed) for n in nominals):
        return offered
    known = tuple(n for n in nominals if not isinstance(n, NotComputed))
    for kind in kinds_for(known):
        value = evaluator.value(plan, sample, kind.name, selection)
        reason = value.reason if isinstance(value, NotComputed) else ""
        offered.append(
            Proposal(kind, selection, kind.nominal(known), None if isinstance(value, NotComputed) else value, reason)
        )
    return offered


def accept(plan: Plan, proposal: Proposal, nominals: tuple[Nominal, ...]) -> AddCharacteristic:
    """Return the command that adds the proposed characteristic and the features it needs."""
    new: list[NominalFeature] = []
    used: list[NominalFeature] = []
    for faces, nominal in zip(proposal.faces, nominals, strict=True):
        feature = plan.feature_with_faces(faces)
        if feature is None:
            feature = NominalFeature(id=_new_id(), name=_name(plan, nominal, len(new)), faces=faces)
            new.append(feature)
        used.append(feature)
    lower, upper = proposal.kind.limits(nominals)
    number = max((c.number for c in plan.characteristics), default=0) + 1
    name = f"{used[0].name} {proposal.kind.label}"
    if len(used) > 1:
        name = f"{used[0].name} to {used[1].name}"
    characteristic = Characteristic(
        id=_new_id(), number=number, name=name, kind=proposal.kind.name, features=tuple(f.id for f in used),
        nominal=proposal.nominal, lower=lower, upper=upper,
    )  # fmt: skip
    return AddCharacteristic(characteristic, tuple(new))


def new_feature(plan: Plan, faces: tuple[int, ...], nominal: Nominal) -> NominalFeature:
    """Return a feature with a name of its own for faces that the plan does not have yet."""
    return NominalFeature(id=_new_id(), name=_name(plan, nominal, 0), faces=faces)


def _name(plan: Plan, nominal: Nominal, offset: int) -> str:
    f = nominal.feature
    hole = nominal.outward < 0
    match f:
        case Plane():
            word = "plane"
        case Cylinder():
            word = "bore" if hole else "boss"
        case Sphere():
            word = "socket" if hole else "ball"
        case Cone():
            word = "conical seat" if hole else "cone"
        case Torus():
            word = "torus"
        case _:
            word = str(f.shape)
    taken = {x.name for x in plan.features}
    number = 1 + offset
    while f"{word} {number}" in taken:
        number += 1
    return f"{word} {number}"


def _new_id() -> str:
    return uuid.uuid4().hex[:12]
