"""What a user does with a run that is under way or stands: pause, confirm, skip, leave a feature to the joystick."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from truegauge.core.errors import TrueGaugeError
from truegauge.core.routes.document import MeasureStep

if TYPE_CHECKING:
    from truegauge.app.document.session import Session
    from truegauge.app.stages.devices.machine_model import MachineModel
    from truegauge.app.stages.devices.touch_model import TouchModel
    from truegauge.jobs.plan_run import PlanRun

PAUSED = "paused"


class Interventions(QObject):
    """Of one run; the model of it says what it is, and how it goes on."""

    changed = Signal()
    machine: MachineModel
    touching: TouchModel
    session: Session
    run: PlanRun | None
    at: str
    why: str
    note: tuple[str, str]

    def open(self) -> None:
        """Show the page."""
        raise NotImplementedError

    def close_page(self) -> None:
        """Show the stage again."""
        raise NotImplementedError

    def go_on(self) -> None:
        """Go on from where it stands."""
        raise NotImplementedError

    def _take_sample(self) -> None:
        """Give the document what was touched so far."""
        raise NotImplementedError

    def pause(self) -> None:
        """Stop the machine; the touch that it is at is made again."""
        if self.at in ("running", "note"):
            self.why = PAUSED
            self.machine.stop()

    def confirm(self) -> None:
        """What the note says is done."""
        if self.run is not None and self.at == "note":
            self.run.program.confirmed.add(self.note[0])
            self.at = "running"
            self.changed.emit()

    def skip(self) -> None:
        """Leave out the step at which it stands, and go on."""
        if self.run is not None and self.at == "stopped":
            try:
                self.run.program.skip()
            except TrueGaugeError as error:
                self.session.notify(error)
                return
            self.go_on()

    def by_hand(self) -> None:
        """Leave the feature at which it stands to the joystick; the others are gone on with when it is touched."""
        step = None if self.run is None else self.run.program.now_at
        if self.run is None or self.at != "stopped" or not isinstance(step, MeasureStep):
            return
        self.run.program.skip()
        self._take_sample()
        feature = self.session.plan.feature(step.feature)
        self.why = f"touch {feature.name} by joystick, then go on"
        self.close_page()  # the joystick and the count of touches stand beside the view
        self.session.selection.select((feature.group,))
        self.touching.touch_again()
        self.touching.set_by_hand(True)
        self.session.notify(self.why, "Go on with the run", self._on_by_hand)

    def _on_by_hand(self) -> None:
        self.open()
        self.go_on()
