"""A device that the window is connected to, for all who want its points."""

from __future__ import annotations

import time
from collections.abc import Callable

from truegauge.devices.arm_sim.arm import ArmStandIn
from truegauge.devices.live.device import LiveDevice
from truegauge.devices.protocol import DeviceEvent, Lost, PointBlock, Wanted

_COMES_S = 1.0  # in which a touch of the stand-in is on this side of the line


class Line:
    """One device. Who borrows it gets its points; words go to everybody."""

    def __init__(self, device: LiveDevice, stand_in: ArmStandIn | None = None) -> None:
        self.device, self.stand_in = device, stand_in
        self.borrowers: list[Borrowed] = []
        self.touches = 0  # that came
        self.is_gone = False  # given back

    def take(self, events: list[DeviceEvent]) -> None:
        """Hand on what came."""
        for event in events:
            if isinstance(event, PointBlock):
                self.touches += len(event)
                for one in self.borrowers:
                    one.kept.append(event)


class Borrowed:
    """The device for somebody who measures with it for a while (`devices.protocol.PointDevice`)."""

    def __init__(self, line: Line, poll: Callable[[], None]) -> None:
        self.line, self._poll = line, poll
        self.kept: list[DeviceEvent] = []

    @property
    def name(self) -> str:
        """The name shown."""
        return self.line.device.name

    @property
    def identity(self) -> str:
        """What tells it, and so its coordinates, from every other one."""
        return self.line.device.identity

    def connect(self) -> None:
        """Take its points from now on."""
        self.line.borrowers.append(self)

    def close(self) -> None:
        """Give it back."""
        if self in self.line.borrowers:
            self.line.borrowers.remove(self)

    def events(self) -> list[DeviceEvent]:
        """Return what came since the last call."""
        self._poll()
        return self.drain()

    def drain(self) -> list[DeviceEvent]:
        """Return what the line has taken since the last call, without asking the device."""
        found, self.kept = self.kept, []
        if self.line.is_gone:
            found.append(Lost(f"{self.name} is not connected any more; the touches so far are kept"))
        return found

    @property
    def stand_in(self) -> ArmStandIn | None:
        """The stand-in behind it, if it is one of this window."""
        return self.line.stand_in

    @property
    def has_operator(self) -> bool:
        """Whether somebody touches what is wanted."""
        return self.line.stand_in is not None

    def touch(self, wanted: Wanted) -> None:
        """Let the hand of the stand-in touch; the point comes by `events`."""
        arm, device = self.line.stand_in, self.line.device
        seq = None if arm is None else arm.touch(wanted.place, wanted.out)
        end = time.monotonic() + _COMES_S
        while seq is not None and not device.has(seq) and time.monotonic() < end:
            time.sleep(0.002)
