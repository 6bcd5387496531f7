"""Commands for readouts."""

from dataclasses import dataclass

from truegauge.core.commands.by_id import put, without
from truegauge.core.plan.document import Plan
from truegauge.core.plan.readouts import Readout


@dataclass(frozen=True, slots=True)
class SetReadout:
    """Put a readout into the plan, in the place of the one with its id, or at the end."""

    readout: Readout
    merge_key: str = ""
    label: str = "readout"

    def apply(self, plan: Plan) -> Plan:
        """Return the changed plan."""
        return plan.replace(readouts=put(plan.readouts, self.readout))


@dataclass(frozen=True, slots=True)
class RemoveReadout:
    """Take a readout away."""

    readout_id: str
    merge_key: str = ""
    label: str = "remove readout"

    def apply(self, plan: Plan) -> Plan:
        """Return the changed plan."""
        return plan.replace(readouts=without(plan.readouts, self.readout_id))
