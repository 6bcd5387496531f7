"""Commands for surface checks."""

from dataclasses import dataclass

from truegauge.core.commands.by_id import put, without
from truegauge.core.plan.document import Plan
from truegauge.core.plan.surface_checks import SurfaceCheck


@dataclass(frozen=True, slots=True)
class SetSurfaceCheck:
    """Put a surface check into the plan, in the place of the one with its id, or at the end."""

    check: SurfaceCheck
    merge_key: str = ""
    label: str = "surface check"

    def apply(self, plan: Plan) -> Plan:
        """Return the changed plan."""
        return plan.replace(surface_checks=put(plan.surface_checks, self.check))


@dataclass(frozen=True, slots=True)
class RemoveSurfaceCheck:
    """Take a surface check away."""

    check_id: str
    merge_key: str = ""
    label: str = "remove surface check"

    def apply(self, plan: Plan) -> Plan:
        """Return the changed plan."""
        return plan.replace(surface_checks=without(plan.surface_checks, self.check_id))
