"""The machine as a device of a guided alignment."""

from collections import deque

import numpy as np

from truegauge.app.stages.devices.touch_model import TouchModel
from truegauge.core.errors import DeviceError
from truegauge.core.plan.alignments import GuideTarget
from truegauge.devices.protocol import DevicePoint


class MachineForGuide:
    """The machine as a device of a guided alignment: its operator touches with the joystick."""

    def __init__(self, touches: TouchModel) -> None:
        self._touches = touches
        self.name = "the machine"

    @property
    def is_there(self) -> bool:
        """Whether a machine is connected."""
        return self._touches.machine.connected

    @property
    def has_operator(self) -> bool:
        """Whether it is the stand-in, which has one."""
        return self._touches.machine.hands is not None

    def touch_target(self, target: GuideTarget) -> None:
        """Have the operator of the stand-in touch a target on a surface."""
        if target.kind == "surface":
            self._touches.machine.operator_touches(np.array(target.place), np.array(target.direction))
        else:
            self._touches.session.notify("touch holes and balls with the joystick")

    def connect(self) -> None:
        """Begin to take touches."""
        if not self._touches.machine.connected:
            raise DeviceError("no machine is connected: connect to one in the Devices stage")
        self._touches.for_guide = deque()

    def poll(self) -> list[DevicePoint]:
        """Return what was touched since the last call."""
        waiting = self._touches.for_guide
        if not self._touches.machine.connected:
            raise DeviceError("the connection to the machine was lost; the touches so far are kept")
        found: list[DevicePoint] = []
        while waiting:
            found.append(waiting.popleft())
        return found

    def close(self) -> None:
        """Take no more touches."""
        self._touches.for_guide = None
