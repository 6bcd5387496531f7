"""Commands for readouts."""

from dataclasses import dataclass

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
        known = {r.id for r in plan.readouts}
        if self.readout.id not in known:
            return plan.replace(readouts=(*plan.readouts, self.readout))
        return plan.replace(readouts=tuple(self.readout if r.id == self.readout.id else r for r in plan.readouts))


@dataclass(frozen=True, slots=True)
class RemoveReadout:
    """Take a readout away."""

    readout_id: str
    merge_key: str = ""
    label: str = "remove readout"

    def apply(self, plan: Plan) -> Plan:
        """Return the changed plan."""
        return plan.replace(readouts=tuple(r for r in plan.readouts if r.id != self.readout_id))
