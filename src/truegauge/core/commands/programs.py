"""Taking over a program that was brought in, as one edit."""

from dataclasses import dataclass

from truegauge.core.plan.document import Plan


@dataclass(frozen=True, slots=True)
class TakeProgram:
    """What was made of a plan and a program takes the plan's place; the part stays."""

    made: Plan
    label: str = "bring in a program"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        """Return the changed plan."""
        return self.made.replace(part=plan.part, revision=plan.revision)
