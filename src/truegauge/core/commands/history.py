"""Undo and redo: the plans themselves, which share what did not change."""

from dataclasses import dataclass

from truegauge.core.commands.command import Command
from truegauge.core.plan.document import Plan
from truegauge.core.plan.references import with_steps_of_new_features


@dataclass(frozen=True, slots=True)
class _Entry:
    label: str
    merge_key: str
    before: Plan
    after: Plan


class History:
    """The current plan and the way back."""

    def __init__(self, plan: Plan) -> None:
        self._plan = plan
        self._done: list[_Entry] = []
        self._undone: list[_Entry] = []
        self._saved: Plan | None = plan

    @property
    def plan(self) -> Plan:
        """The plan as it is now."""
        return self._plan

    @property
    def is_saved(self) -> bool:
        """Whether the plan is the one last saved."""
        return self._plan is self._saved

    @property
    def undo_label(self) -> str:
        """What undo would take back; empty when there is nothing."""
        return self._done[-1].label if self._done else ""

    @property
    def redo_label(self) -> str:
        """What redo would do again; empty when there is nothing."""
        return self._undone[-1].label if self._undone else ""

    def run(self, command: Command) -> bool:
        """Apply a command; False when it changes nothing (then nothing is recorded)."""
        after = with_steps_of_new_features(self._plan, command.apply(self._plan))
        if after == self._plan:
            return False
        before = self._plan
        if command.merge_key and self._done and self._done[-1].merge_key == command.merge_key and not self._undone:
            before = self._done.pop().before
        self._done.append(_Entry(command.label, command.merge_key, before, after))
        self._undone.clear()
        self._plan = after
        return True

    def end_merge(self) -> None:
        """Close a drag: the next command starts an entry of its own."""
        if self._done and self._done[-1].merge_key:
            last = self._done.pop()
            self._done.append(_Entry(last.label, "", last.before, last.after))

    def undo(self) -> bool:
        """Go one entry back; False when there is none."""
        if not self._done:
            return False
        entry = self._done.pop()
        self._undone.append(entry)
        self._plan = entry.before
        return True

    def redo(self) -> bool:
        """Go one entry forward; False when there is none."""
        if not self._undone:
            return False
        entry = self._undone.pop()
        self._done.append(entry)
        self._plan = entry.after
        return True

    def forget_redo(self) -> None:
        """Something that is not of the plan was done since: what was taken back is not done again."""
        self._undone.clear()

    def mark_saved(self, plan: Plan | None = None) -> None:
        """Remember that a plan, else the one as it is now, is on disk."""
        self._saved = plan or self._plan

    def mark_unsaved(self) -> None:
        """Remember that the plan as it is now is on no disk the user knows of."""
        self._saved = None
