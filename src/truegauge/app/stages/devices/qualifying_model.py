"""A run of qualifications as the window sees it: begun, gone on with, skipped, and what it tells."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from truegauge.app.stages.devices.machine_model import MachineModel
from truegauge.core.errors import DeviceError
from truegauge.core.probing.probing import Probing, StylusUse
from truegauge.core.probing.records import needs_location
from truegauge.runs.events import SphereLocated, SphereTouched, StylusQualified, TouchWanted
from truegauge.runs.machine_run import run_until_it_stands

if TYPE_CHECKING:
    from truegauge.runs.qualifying import Qualifying


@dataclass(slots=True)
class RunState:
    """A run of qualifications as it is shown."""

    job: Qualifying
    text: str = ""  # what the user must do now; empty: nothing
    use: StylusUse | None = None
    done: int = 0
    of: int = 0
    stopped: str = ""  # why it stands; it can go on


class QualifyingModel(QObject):
    """One run at a time."""

    changed = Signal()
    _from_run = Signal(object)  # what it tells: delivered in the window's thread

    def __init__(self, machine: MachineModel, probing: Callable[[], Probing], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.session, self.machine, self._probing = machine.session, machine, probing
        self.run_state: RunState | None = None
        self._from_run.connect(self._on_told)

    @property
    def probing(self) -> Probing:
        """The probes of the plan."""
        return self._probing()

    def locates_first(self, uses: tuple[StylusUse, ...]) -> bool:
        """Whether the master locates the sphere before these styli."""
        return needs_location(self.machine.record, self.probing, uses)

    def seconds(self, uses: tuple[StylusUse, ...]) -> float:
        """Return how long qualifying takes, roughly."""
        if self.machine.cmm is None or not uses:
            return 0.0
        from truegauge.runs.qualifying import Qualifying

        return Qualifying(self.machine.cmm, self.probing, self.machine.record, uses).seconds()

    def sphere_moved(self) -> None:
        """Remember that the sphere may stand elsewhere now."""
        location = self.machine.record.location
        if location is not None:
            self.machine.set_record(self.machine.record.replace(location=location.replace(may_have_moved=True)))

    def qualify(self, uses: tuple[StylusUse, ...]) -> None:
        """Qualify styli, the master first where it must locate the sphere."""
        machine = self.machine
        if machine.cmm is None or not uses or machine.busy:
            return
        from truegauge.runs.qualifying import Qualifying

        tell, now = self._from_run.emit, machine.now
        try:
            job = Qualifying(machine.cmm, self.probing, machine.record, uses, tell, now, machine.known())
        except DeviceError as error:
            self.session.notify(error)
            return
        self.run_state = RunState(job)
        self.go_on()

    def go_on(self) -> None:
        """Begin or go on with the run."""
        state = self.run_state
        if state is None or self.machine.busy:
            return
        again, state.stopped, state.text = bool(state.stopped), "", ""
        job = state.job

        self.machine.run(lambda progress: run_until_it_stands(job, progress, again=again), self._on_ended, "Qualifying")
        self.changed.emit()

    def _on_ended(self, why: str) -> None:
        state = self.run_state
        if state is None:
            return
        state.text = ""
        if why:
            state.stopped = why
            self.session.notify(DeviceError(why), "Go on", self.go_on, "Skip the stylus", self.skip)
        else:
            failed = [q for q in state.job.done if not q.passes]
            count = len(state.job.done)
            self.run_state = None
            if failed:
                self.session.notify(
                    DeviceError(f"{len(failed)} of {count} styli failed: {failed[0].name}: {failed[0].text}")
                )
            else:
                self.session.notify(f"{count} {'stylus' if count == 1 else 'styli'} qualified.")
        self.machine.ask_state()
        self.changed.emit()

    def skip(self) -> None:
        """Leave the stylus at which it stands, and go on with the others."""
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
        """Stop the run; what was qualified stays."""
        if self.machine.busy:
            self.machine.stop()
        self.run_state = None
        self.changed.emit()

    def _on_told(self, event: object) -> None:
        """Take in what a run tells."""
        state = self.run_state
        if isinstance(event, StylusQualified):
            record, told = self.machine.record, event.record
            # A stylus is told again when its judgement changed afterwards.
            before = next((q for q in record.qualifications if (q.key, q.at) == (told.key, told.at)), None)
            record = record if before is None else record.without(before)
            self.machine.set_record(record.with_qualification(told))
        elif isinstance(event, SphereLocated):
            self.machine.set_record(self.machine.record.replace(location=event.location))
        elif state is not None and isinstance(event, TouchWanted):
            state.use, state.text = event.use, event.why
        elif state is not None and isinstance(event, SphereTouched):
            state.use, state.done, state.of = event.use, event.done, event.of
        self.changed.emit()
