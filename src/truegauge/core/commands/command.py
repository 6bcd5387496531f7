"""What a change of a plan is: a label and a pure function of the plan."""

from dataclasses import dataclass
from typing import Protocol

from truegauge.core.plan.document import Plan


class Command(Protocol):
    """A change that can be undone. Commands with the same non-empty `merge_key` in a row become one entry."""

    @property
    def label(self) -> str:
        """What was done, for the undo menu."""

    @property
    def merge_key(self) -> str:
        """Key for drags; empty for none."""

    def apply(self, plan: Plan) -> Plan:
        """Return the changed plan."""


@dataclass(frozen=True, slots=True)
class Several:
    """Some commands as one step of undo."""

    commands: tuple[Command, ...]
    label: str
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        """Apply one after the other."""
        for command in self.commands:
            plan = command.apply(plan)
        return plan
