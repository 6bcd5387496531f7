"""What is touched by hand at the machine: a device like others, with what the window knows of its styli."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QObject, Signal

from truegauge.app.stages.devices.machine_model import MachineModel
from truegauge.core.errors import DeviceError
from truegauge.core.probing.probing import StylusUse
from truegauge.devices.cmm.words import MachineTouch
from truegauge.devices.protocol import DeviceEvent, Lost, PointBlock, Wanted


class HandTouches(QObject):
    """Touches with a stylus that nobody knows, or that may not measure, do not count, and it is said why.

    Who connects takes the touches as from any device; else they are `touched`, for features.
    """

    name = "the machine"
    changed = Signal()
    touched = Signal(object)  # a ProbedTouch of the selected feature

    def __init__(self, machine: MachineModel, feature: Callable[[], str | None], parent: QObject | None = None) -> None:
        """`feature` gives the id of the feature that is touched, empty for none yet; None: nothing is taken."""
        super().__init__(parent)
        self._machine, self._session, self._feature = machine, machine.session, feature
        self._waiting: deque[DeviceEvent] | None = None  # for the one who is connected
        machine.touched.connect(self._on_touched)

    @property
    def identity(self) -> str:
        """The machine."""
        return self._machine.machine

    # As a device --------------------------------------------------------------------------------------------------

    def connect(self) -> None:  # type: ignore[override]
        """Begin to take touches."""
        if not self._machine.connected:
            raise DeviceError("no machine is connected: connect to one in the Devices stage")
        self._waiting = deque()

    def events(self) -> list[DeviceEvent]:
        """Return what was touched since the last call."""
        found = list(self._waiting or ())
        if self._waiting:
            self._waiting.clear()
        if not self._machine.connected:
            found.append(Lost("the connection to the machine was lost; the touches so far are kept"))
        return found

    def close(self) -> None:
        """Take no more touches."""
        self._waiting = None

    @property
    def has_operator(self) -> bool:
        """Whether it is the stand-in, which has one."""
        return self._machine.hands is not None

    def touch(self, wanted: Wanted) -> None:
        """Have the operator of the stand-in touch what is wanted."""
        if wanted.hand_free:
            self._session.notify("touch holes and balls with the joystick")
        else:
            self._machine.operator_touches(wanted.place, wanted.out)

    # The stylus ---------------------------------------------------------------------------------------------------

    def stylus_in_use(self) -> StylusUse | None:
        """The stylus that touches now."""
        from truegauge.runs.stylus import stylus_on

        cmm = self._machine.cmm
        return None if cmm is None else stylus_on(cmm, self._session.plan.probing)

    def say_stylus(self, use: StylusUse) -> None:
        """Take the word of the user for what touches now."""
        cmm, probing = self._machine.cmm, self._session.plan.probing
        if cmm is not None and not self._machine.busy:
            self._machine.run(
                lambda progress: cmm.believe_stylus(probing, use), lambda _: self.changed.emit(), "Taking the stylus"
            )

    def _on_touched(self, touch: MachineTouch) -> None:
        feature = self._feature()
        if self._waiting is None and feature is None:
            return
        from truegauge.runs.stylus import Stylus

        use = self.stylus_in_use()
        if use is None:
            self._session.notify("the touch does not count: say first which stylus touches, above the view")
            self.changed.emit()
            return
        machine = self._machine
        stylus = Stylus(self._session.plan.probing, machine.record, use, machine.temperature_c, machine.now())
        if stylus.why_not:
            self._session.notify(DeviceError(f"the touch does not count: {stylus.why_not}. Qualify it first."))
            return
        made = stylus.touched(touch, feature or "")
        if self._waiting is None:
            self.touched.emit(made)
        else:
            self._waiting.append(PointBlock(np.array([made.place]), made.radius, np.array([made.approach])))
