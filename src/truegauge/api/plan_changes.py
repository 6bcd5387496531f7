"""A plan with its part: changed by commands, undone, saved."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from truegauge.core.commands.history import History
from truegauge.core.errors import TrueGaugeError
from truegauge.core.evaluation.evaluator import Evaluator
from truegauge.core.plan.document import Plan as PlanDocument
from truegauge.formats.disk_shelf import DiskShelf
from truegauge.formats.plan_file import write_plan

if TYPE_CHECKING:
    from truegauge.core.cad.model import CadModel
    from truegauge.core.commands.command import Command
    from truegauge.core.nodes.context import Context


class PlanChanges:
    """A plan with its part: changing it, and keeping it."""

    def __init__(
        self, document: PlanDocument, model: CadModel, part: bytes | None = None, path: Path | None = None,
        evaluator: Evaluator | None = None,
    ) -> None:  # fmt: skip
        self._history = History(document)
        self._part = part
        self.model, self.path = model, path
        self.evaluator = evaluator or Evaluator(model, shelf=DiskShelf())

    def __repr__(self) -> str:
        d = self.document
        return f"<plan {d.name}: {len(d.characteristics)} characteristics, {len(d.all_features)} features>"

    @property
    def document(self) -> PlanDocument:
        """The plan as it is now; it never changes itself."""
        return self._history.plan

    @property
    def name(self) -> str:
        """The name."""
        return self.document.name

    @property
    def context(self) -> Context:
        """What nominal features and what follows from them are asked in."""
        return self.evaluator.context(self.document, None)

    # Changes ----------------------------------------------------------------------------------------------------

    def run(self, command: Command) -> None:
        """Change the plan by any command of `truegauge.core.commands`.

        Raises
        ------
        ValueError
            The command makes no valid plan.
        """
        self._history.run(command)

    def undo(self) -> bool:
        """Take the last change back; False when there is none."""
        return self._history.undo()

    def redo(self) -> bool:
        """Do the last change that was taken back again; False when there is none."""
        return self._history.redo()

    def save(self, path: str | Path | None = None) -> Path:
        """Save the plan with its part; where it was opened or saved last, if no path is given.

        Raises
        ------
        FormatError
            It cannot be written.
        TrueGaugeError
            The plan was never saved, and no path is given.
        """
        wanted = self.path if path is None else Path(path)
        if wanted is None:
            raise TrueGaugeError("the plan was never saved: give a path")
        write_plan(wanted, self.document, self._part)
        self._history.mark_saved()
        self.path = wanted
        return wanted
