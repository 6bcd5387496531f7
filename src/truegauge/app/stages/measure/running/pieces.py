"""Several pieces on the table: run one after the other, each into a sample of its own that is saved by itself."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from truegauge.app.shell.files import file_name
from truegauge.app.stages.devices.machine_model import MachineModel
from truegauge.core.routes.pieces import Pieces

if TYPE_CHECKING:
    from truegauge.core.arrays import Rigid
    from truegauge.jobs.plan_run import PlanRun


class PiecesOnTable:
    """Which of them is run. `ask_folder` asks where their samples are to be saved."""

    def __init__(self, machine: MachineModel) -> None:
        self._machine = machine
        self.ask_folder: Callable[[], Path | None] = lambda: None
        self.folder: Path | None = None
        self.number = 0
        self._first: Rigid | None = None  # where the first one was found

    @property
    def layout(self) -> Pieces | None:
        """How they stand; None where there is only one."""
        layout = self._machine.session.plan.route.pieces
        return None if layout is None or layout.count == 1 else layout

    @property
    def count(self) -> int:
        """How many there are."""
        return 1 if self.layout is None else self.layout.count

    def begin_anew(self) -> None:
        """Begin with the first one."""
        self.number, self._first = 0, None

    def next(self) -> None:
        """Go on to the next one: `begin_anew` was for the part, not for the table."""
        self.number, self._first = self._done + 1, self._found

    def pose(self, known: Rigid | None) -> Rigid | None:
        """Return where the piece lies, by the first one where that was found; else where the part is known to lie."""
        layout, sample = self.layout, self._machine.session.sample
        if layout is None:
            return known
        if self.number == 0:  # the sample that is open may be of the last piece of the load before
            return self._found if sample is not None and sample.origin == self._origin else known
        return known if self._first is None else layout.pose(self._first, self.number)

    def may_start(self) -> bool:
        """Ask where the samples are saved, once; False where that was not said."""
        if self.layout is not None and self.folder is None:
            self.folder = self.ask_folder()
            if self.folder is not None and self._machine.hands is not None:  # of the stand-in
                self._machine.do("pieces", pieces=self.layout.model_dump(mode="json"))
        return self.layout is None or self.folder is not None

    def take(self, run: PlanRun) -> bool:
        """Save the sample of a piece that is done; True where another one is to be run."""
        layout, session = self.layout, self._machine.session
        if layout is None or not self.may_start():
            return False
        assert self.folder is not None
        self._done, self._found = self.number, layout.first(run.state.machine_from_part, run.piece)
        sample = session.sample
        self._origin = "" if sample is None else sample.origin
        if sample is None or not session.files.save_sample(self.free_path(sample.name)):
            return False
        return self.number + 1 < layout.count

    def free_path(self, name: str) -> Path:
        """Return where a sample of a name is saved: nothing that is there is written over."""
        assert self.folder is not None
        path, k = self.folder / f"{file_name(name)}.tgsample", 1
        while path.exists():
            k += 1
            path = self.folder / f"{file_name(name)} ({k}).tgsample"
        return path

    @property
    def beside(self) -> str:
        """Which of them it is, behind the name of its sample; empty where there is only one."""
        return "" if self.layout is None else f" piece {self.number + 1}"

    def say(self) -> str:
        """Say which of them it is; empty where there is only one."""
        return "" if self.layout is None else f"Piece {self.number + 1} of {self.count}. "

    # Of the piece that was run last: its number and sample, and where the first one lies by it.
    _done, _origin = 0, ""
    _found: np.ndarray | None = None
