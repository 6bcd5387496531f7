"""Commands that change the route of a plan."""

from dataclasses import dataclass

from truegauge.core.plan.document import Plan
from truegauge.core.routes.document import Route


@dataclass(frozen=True, slots=True)
class SetRoute:
    """Change the route: its steps, their order, what it is planned around."""

    route: Route
    label: str
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        return plan.replace(route=self.route)
