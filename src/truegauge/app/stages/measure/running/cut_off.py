"""Runs that were cut off, or left for other work: their journals, one for each machine."""

from __future__ import annotations

import re
from pathlib import Path
from typing import TYPE_CHECKING

from platformdirs import user_state_path

from truegauge.app.stages.devices.machine_model import MachineModel
from truegauge.core.errors import FormatError

if TYPE_CHECKING:
    from truegauge.jobs.plan_run import PlanRun
    from truegauge.runs.journal import Journal, RunAbout
    from truegauge.runs.state import RunState


def journal_folder() -> Path:
    """Return where the journals of runs are kept until they are over."""
    return user_state_path("truegauge") / "runs"


class CutOff:
    """The run on a machine that another process has begun and not ended; looked for when it is asked to."""

    def __init__(self, machine: MachineModel) -> None:
        self._machine = machine
        self.found: tuple[RunAbout, RunState] | None = None
        self._left: list[Journal] = []
        machine.changed.connect(self._close_left)

    @property
    def path(self) -> Path:
        """Where the run on this machine is kept."""
        words = re.sub(r"[^A-Za-z0-9.]+", "-", self._machine.machine).strip("-.")[:60] or "machine"
        return journal_folder() / f"{words}.tgrun"

    def look(self) -> None:
        """See whether there is one; a damaged one is told once."""
        from truegauge.runs.journal import Journal

        self.found = None
        if self._machine.connected and self.path.exists():
            try:
                self.found = Journal.read(self.path)
            except FormatError as error:
                self._machine.session.notify(error)

    def give_up(self) -> bool:
        """Forget it, its touches are lost; False where another program goes on with it."""
        from truegauge.runs.journal import Journal

        try:
            Journal.give_up(self.path)
        except FormatError as error:
            self._machine.session.notify(error)
            return False
        self.found = None
        return True

    def leave(self, run: PlanRun) -> None:
        """Stop a run so that it can be gone on with later; a touch that is being made is still kept."""
        self._left.append(run.journal)
        if self._machine.busy:
            self._machine.stop()
        self._close_left()

    def _close_left(self) -> None:
        if not self._machine.busy:
            while self._left:
                self._left.pop().close()
