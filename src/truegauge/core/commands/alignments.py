"""Changes of alignments."""

from dataclasses import dataclass

from truegauge.core.plan.alignments import AnyAlignment
from truegauge.core.plan.document import Plan
from truegauge.core.plan.features import NominalFeature
from truegauge.core.routes.document import AlignStep


@dataclass(frozen=True, slots=True)
class SetAlignment:
    """Put an alignment into the plan: in the place of the one with its id, or at the end; `in_force` makes it so."""

    alignment: AnyAlignment
    in_force: bool = False
    new_features: tuple[NominalFeature, ...] = ()
    label: str = "change alignment"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        own = self.alignment
        if plan.has_alignment(own.id):
            every = tuple(own if a.id == own.id else a for a in plan.alignments)
        else:
            every = (*plan.alignments, own)
        return plan.replace(
            features=plan.features + self.new_features, alignments=every,
            in_force=own.id if self.in_force else plan.in_force,
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class RemoveAlignment:
    """Remove an alignment; those that start from it start from its base, and its base comes into force."""

    alignment_id: str
    label: str = "remove alignment"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        gone = plan.alignment(self.alignment_id)
        if len(plan.alignments) == 1:
            raise ValueError("a plan keeps at least one alignment")
        kept = tuple(a.replace(base=gone.base) if a.base == gone.id else a for a in plan.alignments if a.id != gone.id)
        in_force = plan.in_force if plan.in_force != gone.id else (gone.base or kept[0].id)
        reported = tuple(c.replace(alignment="") if c.alignment == gone.id else c for c in plan.characteristics)
        steps = tuple(s for s in plan.route.steps if not (isinstance(s, AlignStep) and s.alignment == gone.id))
        route = plan.route.replace(steps=steps)
        return plan.replace(alignments=kept, in_force=in_force, characteristics=reported, route=route)


@dataclass(frozen=True, slots=True)
class SetInForce:
    """Report by another alignment of the plan."""

    alignment_id: str
    label: str = "put alignment in force"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        return plan.replace(in_force=self.alignment_id)
