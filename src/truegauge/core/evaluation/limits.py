"""The limits that hold in the end: stated ones, general tolerances, and what reciprocity gives back."""

from __future__ import annotations

from typing import TYPE_CHECKING

from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.nominal import known_nominals
from truegauge.core.tolerancing.general import stated_length_tolerance
from truegauge.core.tolerancing.request import are_opposite, width_nominal

if TYPE_CHECKING:
    from truegauge.core.nodes.context import Context
    from truegauge.core.plan.requirements import Characteristic

Limits = tuple[float | None, float | None]


def limits_in_force(context: Context, c: Characteristic) -> tuple[float | None, float | None, str]:
    """Return the limits of a characteristic, or those of the general tolerances where it has none, and their name."""
    stated = context.plan.general
    if c.lower is not None or c.upper is not None or c.basic or not stated.say():
        return c.lower, c.upper, ""
    kind = context.kind(c.kind)
    if stated.linear is not None and stated.size is None and kind.breaks_an_edge(context, c):
        t = stated_length_tolerance(c.nominal, stated.linear, broken_edge=True)
        return (None, None, "") if t is None else (-t, t, stated.say())
    groups = () if kind.reading else tuple(context.plan.named(f).group for f in c.features)
    found = kind.general(stated, c.nominal, known_nominals(context, groups))
    return (*found, stated.say()) if found != (None, None) else (None, None, "")


def limits_of_value(c: Characteristic, lower: float | None, upper: float | None) -> Limits:
    """Return limits that are deviations from the nominal as the smallest and largest value."""
    return None if lower is None else c.nominal + lower, None if upper is None else c.nominal + upper


def with_reciprocity(
    context: Context, c: Characteristic, lower: float | None, upper: float | None
) -> tuple[float | None, float | None, tuple[str, ...]]:
    """Let the size take what a tolerance at maximum material with reciprocity leaves unused (ISO 2692:2021, 6)."""
    plan = context.plan
    for other in plan.given_back.get(c.features[0], ()):
        kind = context.kind(other.kind)
        if other.upper is None or not kind.geometric:
            continue
        found, hole = kind.outcome(context, other), _is_hole(context, c)
        if found is None or isinstance(found, NotComputed) or hole is None:
            continue
        mine = {plan.named(f).name for f in c.features}
        own = next((u for u in found.units if set(u.name.split(" and ")) == mine), None)
        if own is None:
            continue
        unused = max(0.0, other.upper - own.value)
        if unused == 0.0:
            return lower, upper, ()
        said = (f"reciprocity: {unused:.4f} mm of characteristic {other.number} is unused and widens the size",)
        if hole == ("M" in other.modifiers):
            return None if lower is None else lower - unused, upper, said
        return lower, None if upper is None else upper + unused, said
    return lower, upper, ()


def _is_hole(context: Context, c: Characteristic) -> bool | None:
    """Tell a hole or slot from a shaft or tongue; None for what is no feature of size."""
    known = known_nominals(context, tuple(context.plan.named(f).group for f in c.features))
    if len(known) < len(c.features):
        return None
    if len(known) == 1:
        return known[0].outward < 0
    if len(known) == 2 and are_opposite(known[0].feature, known[1].feature):
        return width_nominal(known[0], known[1]).outward < 0
    return None
