"""A check of the machine as the window sees it: begun, told, kept with the machine."""

from __future__ import annotations

from truegauge.app.stages.devices.run_model import RunOnBench
from truegauge.core.errors import DeviceError
from truegauge.core.probing.machine_check import MachineCheck, said
from truegauge.runs.checking import Checking
from truegauge.runs.events import CheckTouched
from truegauge.runs.machine_run import MachineRun


class CheckingModel(RunOnBench):
    """One check at a time. `sphere` and `gauge` say what it is done with."""

    busy_text, skip_text = "Checking the machine", "Leave it out"
    sphere = gauge = True

    @property
    def last(self) -> MachineCheck | None:
        """The last check of the machine."""
        checks = self.machine.record.checks
        return checks[-1] if checks else None

    def check(self) -> None:
        """Begin a check."""
        machine, session = self.machine, self.session
        if machine.cmm is None or machine.busy:
            return
        try:
            job = Checking(machine.cmm, session.plan.probing, machine.record, session.plan.device, self._from_run.emit,
                           machine.now, machine.known(), sphere=self.sphere, gauge=self.gauge,
                           operator=session.plan.title_block.inspector,
                           temperature_c=machine.temperature_c)  # fmt: skip
        except DeviceError as error:
            session.notify(error)
            return
        if self.gauge and machine.hands is not None:  # of the stand-in
            machine.do("gauge", standard=session.plan.probing.gauge.model_dump(mode="json"))
        self.begin(job)

    def ended(self, job: MachineRun) -> None:
        """Keep the check, and say what came of it."""
        assert isinstance(job, Checking)
        found = job.found()
        if self.gauge and self.machine.hands is not None:
            self.machine.do("no gauge")
        if found.form is None and not found.lengths:
            return  # all of it was left out
        self.machine.set_record(self.machine.record.with_check(found))
        words = said(found)
        self.session.notify(f"{words[:1].upper()}{words[1:]}.")

    def give_up(self) -> None:
        """Stop the check; nothing of it is kept."""
        super().give_up()
        if self.gauge and self.machine.hands is not None:
            self.machine.do("no gauge")

    def told(self, event: object) -> None:
        """Take in how far it is."""
        if self.run_state is not None and isinstance(event, CheckTouched):
            self.run_state.done, self.run_state.of = event.done, event.of
