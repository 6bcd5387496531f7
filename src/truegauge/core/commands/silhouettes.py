"""Commands for silhouettes."""

from dataclasses import dataclass

from truegauge.core.plan.document import Plan
from truegauge.core.plan.references import without_characteristics
from truegauge.core.plan.requirements import Characteristic
from truegauge.core.plan.silhouette import Silhouette


@dataclass(frozen=True, slots=True)
class SetSilhouette:
    """Put a silhouette into the plan, in the place of the one that is there; characteristics of sizes that are gone go.

    `added` are characteristics of new sizes. A plan that becomes one for silhouettes has no part.
    """

    silhouette: Silhouette
    label: str = "silhouette"
    added: tuple[Characteristic, ...] = ()
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        """Return the changed plan."""
        had = set() if plan.silhouette is None else {s.id for s in plan.silhouette.sizes}
        gone = had - {s.id for s in self.silhouette.sizes}
        own = frozenset(c.id for c in plan.characteristics if gone & set(c.features))
        changed = without_characteristics(plan, own) if own else plan
        return changed.replace(silhouette=self.silhouette, characteristics=(*changed.characteristics, *self.added))
