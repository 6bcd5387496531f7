"""A slot or a countersink, chosen by its faces, as one feature of the plan."""

from __future__ import annotations

from typing import TYPE_CHECKING

from truegauge.core.association.features import Cone, Cylinder
from truegauge.core.authoring.new_features import feature_for
from truegauge.core.cad.recognition import Nominal
from truegauge.core.commands.features import AddConstructed
from truegauge.core.constructions.build import offers
from truegauge.core.constructions.built import nominal_operands
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.nominal import nominal_feature
from truegauge.core.plan.document import Plan
from truegauge.core.plan.features import ConstructedFeature, Group, NominalFeature

if TYPE_CHECKING:
    from truegauge.core.cad.element import Element
    from truegauge.core.nodes.context import Context

Groups = tuple[Group, ...]
_MORE_THAN_HALF = 3.5  # rad


def whole_element(context: Context, selection: Groups) -> tuple[AddConstructed | None, tuple[Group]] | None:
    """Return what makes one feature of a slot or countersink whose faces are selected (None: it is there), and it."""
    faces = [g for g in selection if not isinstance(g, str)]
    if len(faces) < max(2, len(selection)) or not context.part.knows_patterns:
        return None
    element = context.part.elements.made_of(faces)
    found = None if element is None else element_as_feature(context, element)
    return None if found is None else (found[0], (found[1],))


def element_as_feature(context: Context, element: Element) -> tuple[AddConstructed | None, str] | None:
    """Return what makes one feature of a slot or countersink (None: it is there), and its id; None for all others."""
    plan = context.plan
    groups = (*element.groups, *context.part.elements.entry_of(element)) if len(element.groups) == 2 else element.groups
    known = tuple(n for g in groups if not isinstance(n := nominal_feature(context, g), NotComputed))
    if len(known) < len(groups):
        return None
    word = next((c.name for c in offers(nominal_operands(known)) if c.name in ("slot", "countersink")), "")
    if not word:
        return None
    for there in plan.constructed:
        if there.construction == word and {plan.feature(m).group for m in there.members} == set(groups):
            return None, there.id
    name = _name_for_all(plan, word)
    new: list[NominalFeature] = []
    members = tuple(feature_for(plan, g, n, new).id for g, n in zip(groups, known, strict=True))
    named: list[NominalFeature] = []
    for f in new:
        named.append(_named_in(f, name, known[groups.index(f.faces)], named))
    # The same selection gives the same feature, so that what was worked out for its proposals serves it once taken.
    made = ConstructedFeature(
        id=f"{word} of {'-'.join(str(f) for g in groups for f in g)}", name=name, construction=word,
        members=members,
    )  # fmt: skip
    return AddConstructed(made, tuple(named)), made.id


def _named_in(feature: NominalFeature, of: str, nominal: Nominal, before: list[NominalFeature]) -> NominalFeature:
    """Return a member of a slot or countersink with a name that says what it is in it."""
    match nominal.feature:
        case Cone():
            word = "cone"
        case Cylinder():
            word = "bore" if nominal.arc > _MORE_THAN_HALF else "end"
        case _:
            word = "entry" if "countersink" in of else "side"
    k = sum(f.name.startswith(f"{of} {word}") for f in before)
    return feature.replace(name=f"{of} {word} {k + 1}" if word in ("end", "side") else f"{of} {word}")


def _name_for_all(plan: Plan, word: str) -> str:
    """Return a name that is free, and free as the beginning of its members' names."""
    taken = [f.name for f in plan.all_features]
    number = 1
    while any(t == f"{word} {number}" or t.startswith(f"{word} {number} ") for t in taken):
        number += 1
    return f"{word} {number}"
