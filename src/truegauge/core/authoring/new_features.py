"""Features that the plan does not have yet: their ids, and names that nothing else has."""

from __future__ import annotations

import uuid
from collections.abc import Set

from truegauge.core.association.features import Cone, Cylinder, Plane, Sphere, Torus
from truegauge.core.cad.recognition import Nominal
from truegauge.core.plan.document import Plan
from truegauge.core.plan.features import ConstructedFeature, Group, NominalFeature


def feature_for(
    plan: Plan, group: Group, nominal: Nominal | None, new: list[NominalFeature]
) -> NominalFeature | ConstructedFeature:
    """Return the feature of a group; faces that are none yet become one, which is added to `new`."""
    feature = plan.feature_of(group)
    if feature is not None:
        return feature
    assert not isinstance(group, str)
    made = NominalFeature(id=new_id(), name=feature_name(plan, nominal, {f.name for f in new}), faces=group)
    new.append(made)
    return made


def new_feature(plan: Plan, faces: tuple[int, ...], nominal: Nominal) -> NominalFeature:
    """Return a feature with a name of its own for faces that the plan does not have yet."""
    return NominalFeature(id=new_id(), name=feature_name(plan, nominal), faces=faces)


def feature_name(plan: Plan, nominal: Nominal | None, more: Set[str] = frozenset()) -> str:
    """Return a name that no feature of the plan has yet, nor `more`; without a nominal feature of a free-form face."""
    if nominal is None:
        return free_name(plan, "surface", more)
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
    return free_name(plan, word, more)


def free_name(plan: Plan, word: str, more: Set[str] = frozenset()) -> str:
    """Return the word with the first number that no feature of the plan has yet, nor `more`."""
    taken = {x.name for x in plan.all_features} | more
    number = 1
    while f"{word} {number}" in taken:
        number += 1
    return f"{word} {number}"


def new_id() -> str:
    """Return an id that no other thing of any plan has."""
    return uuid.uuid4().hex[:12]
