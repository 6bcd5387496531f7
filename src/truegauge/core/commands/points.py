"""Changes of what is done to the points."""

from dataclasses import dataclass

from truegauge.core.clouds.recipe import Recipe
from truegauge.core.plan.document import Plan
from truegauge.core.plan.points import PointLimits


@dataclass(frozen=True, slots=True)
class SetRecipe:
    """Change what is done to the points before anything else."""

    recipe: Recipe
    label: str = "change the points"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        return plan.replace(recipe=self.recipe)


@dataclass(frozen=True, slots=True)
class SetLimits:
    """Change which points have a deviation."""

    limits: PointLimits
    label: str = "change the limits of points"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        return plan.replace(limits=self.limits)
