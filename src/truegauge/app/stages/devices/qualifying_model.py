"""A run of qualifications as the window sees it."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject

from truegauge.app.stages.devices.machine_model import MachineModel
from truegauge.app.stages.devices.run_model import RunOnBench
from truegauge.core.errors import DeviceError
from truegauge.core.probing.probing import Probing, StylusUse
from truegauge.core.probing.records import needs_location
from truegauge.runs.events import SphereLocated, SphereTouched, StylusQualified

if TYPE_CHECKING:
    from truegauge.runs.machine_run import MachineRun


class QualifyingModel(RunOnBench):
    """One run at a time."""

    busy_text, skip_text = "Qualifying", "Skip the stylus"

    def __init__(self, machine: MachineModel, probing: Callable[[], Probing], parent: QObject | None = None) -> None:
        super().__init__(machine, parent)
        self._probing = probing

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
        self.begin(job)

    def ended(self, job: MachineRun) -> None:
        """Say what came of the styli."""
        from truegauge.runs.qualifying import Qualifying

        assert isinstance(job, Qualifying)
        failed, count = [q for q in job.done if not q.passes], len(job.done)
        if failed:
            self.session.notify(
                DeviceError(f"{len(failed)} of {count} styli failed: {failed[0].name}: {failed[0].text}")
            )
        else:
            self.session.notify(f"{count} {'stylus' if count == 1 else 'styli'} qualified.")

    def told(self, event: object) -> None:
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
        elif state is not None and isinstance(event, SphereTouched):
            state.use, state.done, state.of = event.use, event.done, event.of
