"""Commands for saved choices of what is measured in a partial run."""

from dataclasses import dataclass

from truegauge.core.plan.document import Plan
from truegauge.core.plan.subsets import Subset


@dataclass(frozen=True, slots=True)
class SetSubset:
    """Save a choice of characteristics (ids) under a name, in the place of the one that has it; none takes it away."""

    name: str
    characteristics: tuple[str, ...]
    features: tuple[str, ...] = ()
    merge_key: str = ""

    @property
    def label(self) -> str:
        """What the user did."""
        return f"subset {self.name}"

    def apply(self, plan: Plan) -> Plan:
        """Return the changed plan."""
        kept = tuple(s for s in plan.subsets if s.name != self.name)
        if not self.characteristics and not self.features:
            return plan.replace(subsets=kept)
        made = Subset(name=self.name, characteristics=self.characteristics, features=self.features)
        return plan.replace(subsets=(*kept, made))
