"""A device that the window is connected to, for all who want its points."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.frames import apply, rotate
from truegauge.devices.arm_sim.arm import ArmStandIn
from truegauge.devices.live.device import LiveDevice
from truegauge.devices.protocol import DeviceEvent, Lost, PointBlock, Wanted
from truegauge.devices.scanner_sim.scanner import ScannerStandIn
from truegauge.palette import DEVICE_COLORS

if TYPE_CHECKING:
    from truegauge.core.arrays import Rigid

_COMES_S = 1.0  # in which a touch of the stand-in is on this side of the line
COLORS = len(DEVICE_COLORS)


class Line:
    """One device. Who borrows it gets its points; words go to everybody."""

    def __init__(self, device: LiveDevice, stand_in: ArmStandIn | ScannerStandIn | None = None, color: int = 0) -> None:
        self.device, self.stand_in = device, stand_in
        self.color = color  # of COLORS
        self.borrowers: list[Borrowed] = []
        self.touches = 0  # that came
        self.kept = 0  # number up to which all is kept, and confirmed
        self.was_told = False  # that it is not joined to the sample
        self.holders: set[object] = set()  # who takes its points, and says when they are kept
        self.is_gone = False  # given back
        self.lent: Callable[[], None] = lambda: None  # called when it is borrowed, or given back

    @property
    def kind(self) -> str:
        """arm, scanner, tracker, gauge."""
        return self.device.kind

    @property
    def borrowed_raw(self) -> bool:
        """Whether somebody wants its points as it measures them."""
        return any(b.as_measured for b in self.borrowers)

    @property
    def has_tip(self) -> bool:
        """Whether it touches."""
        return self.kind in ("arm", "tracker")

    def take(self, events: list[DeviceEvent], sample_from_device: Rigid | None) -> None:
        """Hand on what came, in coordinates of the sample; what has no place in them goes to who wants it as it is."""
        for event in events:
            if not isinstance(event, PointBlock):
                continue
            self.touches += len(event)
            joined = None if sample_from_device is None else placed(event, sample_from_device)
            for one in self.borrowers:
                wanted = event if one.as_measured else joined
                if wanted is not None:
                    one.kept.append(wanted)


def placed(block: PointBlock, pose: Rigid) -> PointBlock:
    """Return points moved by a rigid transform (4, 4)."""
    if np.array_equal(pose, np.eye(4)):
        return block
    return replace(
        block, places=apply(pose, block.places),
        approach=None if block.approach is None else rotate(pose, block.approach),
        beams=None if block.beams is None else rotate(pose, block.beams.astype(np.float64)).astype(np.float32),
    )  # fmt: skip


class Borrowed:
    """The device for somebody who measures with it for a while (`devices.protocol.PointDevice`)."""

    def __init__(
        self, line: Line, poll: Callable[[], None], identity: Callable[[], str], *, as_measured: bool = False
    ) -> None:
        """`identity` tells whose coordinates its points are in; with `as_measured` they are its own."""
        self.line, self._poll, self._identity = line, poll, identity
        self.as_measured = as_measured
        self.kept: list[DeviceEvent] = []

    @property
    def name(self) -> str:
        """The name shown."""
        return self.line.device.name

    @property
    def identity(self) -> str:
        """What tells the coordinates of its points from all others."""
        return self._identity()

    def connect(self) -> None:
        """Take its points from now on."""
        self.line.borrowers.append(self)
        self.line.lent()

    def close(self) -> None:
        """Give it back."""
        if self in self.line.borrowers:
            self.line.borrowers.remove(self)
            self.line.lent()

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
        """The stand-in that touches behind it, if it is one of this window."""
        own = self.line.stand_in
        return own if isinstance(own, ArmStandIn) else None

    @property
    def has_operator(self) -> bool:
        """Whether somebody touches what is wanted."""
        return self.stand_in is not None

    def touch(self, wanted: Wanted) -> None:
        """Let the hand of the stand-in touch; the point comes by `events`."""
        arm = self.stand_in
        if arm is not None:
            self._wait_for(arm.touch(wanted.place, wanted.out))

    def seat(self, number: int) -> None:
        """Let the hand of the stand-in put the tip into the seat of a number; the point comes by `events`."""
        arm = self.stand_in
        if arm is not None:
            self._wait_for(arm.seat(number))

    def ball(self, number: int) -> None:
        """Let the hand of the stand-in touch the sphere beside the part; the point comes by `events`."""
        arm = self.stand_in
        if arm is not None:
            self._wait_for(arm.ball(number))

    def _wait_for(self, seq: int | None) -> None:
        device, end = self.line.device, time.monotonic() + _COMES_S
        while seq is not None and not device.has(seq) and time.monotonic() < end:
            time.sleep(0.002)
