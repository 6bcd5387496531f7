"""Commands for surface checks."""

from dataclasses import dataclass

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
        if self.check.id not in {c.id for c in plan.surface_checks}:
            return plan.replace(surface_checks=(*plan.surface_checks, self.check))
        checks = tuple(self.check if c.id == self.check.id else c for c in plan.surface_checks)
        return plan.replace(surface_checks=checks)


@dataclass(frozen=True, slots=True)
class RemoveSurfaceCheck:
    """Take a surface check away."""

    check_id: str
    merge_key: str = ""
    label: str = "remove surface check"

    def apply(self, plan: Plan) -> Plan:
        """Return the changed plan."""
        return plan.replace(surface_checks=tuple(c for c in plan.surface_checks if c.id != self.check_id))
