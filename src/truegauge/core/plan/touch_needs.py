"""What the characteristics of a feature ask of its touches."""

from __future__ import annotations

from typing import TYPE_CHECKING

from truegauge.core.association.features import Line
from truegauge.core.cad.recognition import Nominal
from truegauge.core.constructions.parts import axis_of

if TYPE_CHECKING:
    from truegauge.core.plan.document import Plan
    from truegauge.core.plan.evaluation import Evaluator
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


def axis_about(evaluator: Evaluator, plan: Plan, feature_id: str) -> Line | None:
    """Return the axis that a feature runs out about, None where it does not: its touches lie in rings around it."""
    for c in plan.by_feature.get(feature_id, ()):
        if c.kind not in ("circular_runout", "total_runout"):
            continue
        for letter in (x for d in c.datums for x in d.letters if plan.has_datum(x)):
            nominal = evaluator.nominal(plan.feature(plan.datum(letter).feature).group, plan)
            line = axis_of(nominal.feature) if isinstance(nominal, Nominal) else None
            if line is not None:
                return line
    return None
