"""Changes of the part and what it is made of."""

from dataclasses import dataclass

from truegauge.core.plan.alignments import BestFitAlignment
from truegauge.core.plan.document import Plan
from truegauge.core.plan.part import PartMaterial, PartReference
from truegauge.core.plan.references import with_faces_as_now, without_features
from truegauge.core.plan.title import TitleBlock
from truegauge.core.routes.document import Route


@dataclass(frozen=True, slots=True)
class SetPart:
    """Give the plan its part. Features and characteristics of another part do not survive.

    For a revision of the part, `new_of` pairs the numbers of old faces with those of the new ones; features keep what
    is found again. A feature of which nothing is left keeps its place with faces below zero: it cannot be measured
    until its faces are picked again.
    """

    part: PartReference
    name: str
    new_of: tuple[tuple[int, int], ...] | None = None
    label: str = "open part"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        if plan.part is not None and plan.part.sha256 == self.part.sha256:
            return plan.replace(part=self.part)
        if self.new_of is not None:
            return with_faces_as_now(plan, dict(self.new_of)).replace(part=self.part)
        plan = without_features(plan, frozenset(f.id for f in (*plan.all_features, *plan.readings)))
        return plan.replace(
            part=self.part,
            alignments=(BestFitAlignment(),),
            in_force=BestFitAlignment().id,
            features=(),
            constructed=(),
            spots=(),
            sections=(),
            compared=(),
            views=(),
            scale=plan.scale.replace(own=()),
            datums=(),
            characteristics=(),
            blades=(),
            silhouette=None,
            subsets=(),
            kept=(),
            # Without a part they are of the scan, and stay beside the first one.
            surface_checks=() if plan.part is not None else plan.surface_checks,
            readouts=() if plan.part is not None else plan.readouts,
            route=Route(),
            name=self.name,
            title_block=TitleBlock(title=self.name),
        )


@dataclass(frozen=True, slots=True)
class SetMaterial:
    """Say what the part is made of."""

    material: PartMaterial | None
    label: str = "set material"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        return plan.replace(material=self.material)
