"""A run on the machine as a bench shows it: begun, gone on with, skipped, and what the user must do now."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from truegauge.app.stages.devices.machine_model import MachineModel
from truegauge.core.errors import DeviceError
from truegauge.core.probing.probing import StylusUse
from truegauge.runs.events import TouchWanted
from truegauge.runs.machine_run import run_until_it_stands

if TYPE_CHECKING:
    from truegauge.runs.machine_run import MachineRun


@dataclass(slots=True)
class RunState:
    """A run as it is shown."""

    job: MachineRun
    text: str = ""  # what the user must do now; empty: nothing
    use: StylusUse | None = None
    done: int = 0
    of: int = 0
    stopped: str = ""  # why it stands; it can go on


class RunOnBench(QObject):
    """One run at a time. Subclasses begin it, take in what it tells, and say what came of it."""

    changed = Signal()
    _from_run = Signal(object)  # what it tells: delivered in the window's thread
    busy_text = "Running"
    skip_text = "Skip"

    def __init__(self, machine: MachineModel, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.session, self.machine = machine.session, machine
        self.run_state: RunState | None = None
        self._from_run.connect(self._on_told)

    def begin(self, job: MachineRun) -> None:
        """Begin with a run."""
        self.run_state = RunState(job)
        self.go_on()

    def go_on(self) -> None:
        """Begin or go on with the run."""
        state = self.run_state
        if state is None or self.machine.busy:
            return
        again, state.stopped, state.text = bool(state.stopped), "", ""
        job = state.job
        self.machine.run(
            lambda progress: run_until_it_stands(job, progress, again=again), self._on_ended, self.busy_text
        )
        self.changed.emit()

    def _on_ended(self, why: str) -> None:
        state = self.run_state
        if state is None:
            return
        state.text = ""
        if why:
            state.stopped = why
            self.session.notify(DeviceError(why), "Go on", self.go_on, self.skip_text, self.skip)
        else:
            self.run_state = None
            self.ended(state.job)
        self.machine.ask_state()
        self.changed.emit()

    def ended(self, job: MachineRun) -> None:
        """Say what came of a run that is done."""

    def told(self, event: object) -> None:
        """Take in what a run tells, beyond what is to be touched."""

    def skip(self) -> None:
        """Leave the step at which it stands, and go on with the others."""
        state = self.run_state
        if state is None or self.machine.busy:
            return
        try:
            state.job.skip()
        except DeviceError as error:
            self.session.notify(error)
            return
        self.go_on()

    def give_up(self) -> None:
        """Stop the run; what it has told stays."""
        if self.machine.busy:
            self.machine.stop()
        self.run_state = None
        self.changed.emit()

    def _on_told(self, event: object) -> None:
        if self.run_state is not None and isinstance(event, TouchWanted):
            self.run_state.use, self.run_state.text = event.use, event.why
        else:
            self.told(event)
        self.changed.emit()
