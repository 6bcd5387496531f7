"""What the characteristics of a feature ask of its touches."""

from __future__ import annotations

from typing import TYPE_CHECKING

from truegauge.core.association.features import Line
from truegauge.core.constructions.parts import axis_of
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.nominal import nominal_feature

if TYPE_CHECKING:
    from truegauge.core.nodes.context import Context
    from truegauge.core.plan.document import Plan
    from truegauge.core.plan.requirements import Characteristic


def datum_features(plan: Plan) -> frozenset[str]:
    """Return the features that others are measured from: of datums, and of the alignments in force."""
    found = {d.feature for d in plan.datums}
    wanted = plan.in_force
    while wanted:
        own = plan.alignment(wanted)
        found |= {use.feature for use in getattr(own, "datums", ())}
        wanted = own.base
    return frozenset(found)


def features_behind(plan: Plan, c: Characteristic) -> frozenset[str]:
    """Return the features without which a characteristic has no result: its own, and those of its datums."""
    letters = {x for d in c.datums for x in d.letters if plan.has_datum(x)}
    found = set(c.features) | {plan.datum(x).feature for x in letters}
    wanted = c.alignment or plan.in_force
    while wanted:
        own = plan.alignment(wanted)
        found |= {use.feature for use in getattr(own, "datums", ())}
        wanted = own.base
    return frozenset(found)


def axis_about(context: Context, feature_id: str) -> Line | None:
    """Return the axis that a feature runs out about, None where it does not: its touches lie in rings around it."""
    plan = context.plan
    for c in plan.by_feature.get(feature_id, ()):
        if not context.kind(c.kind).about_axis:
            continue
        for letter in (x for d in c.datums for x in d.letters if plan.has_datum(x)):
            known = nominal_feature(context, plan.feature(plan.datum(letter).feature).group)
            line = None if isinstance(known, NotComputed) else axis_of(known.feature)
            if line is not None:
                return line
    return None
