"""Moves of a run on a machine: every one is planned around all that is known, and taken back the way it came."""

from collections.abc import Callable

import numpy as np

from truegauge.core.arrays import Points, Vector
from truegauge.core.errors import DeviceError
from truegauge.core.probing.probing import StylusUse
from truegauge.core.probing.room import ProbeRoom
from truegauge.core.probing.travel import NoWay
from truegauge.devices.cmm.machine import Cmm
from truegauge.devices.ipp.client import MachineRefused
from truegauge.devices.ipp.messages import BEYOND

_THERE = 1e-6  # mm


class Moving:
    """Drives the tip in use. `normal` is the direction out of the surface where it stands, None where there is none."""

    def __init__(self, cmm: Cmm, check: Callable[[], None]) -> None:
        self.cmm, self._check = cmm, check
        self.normal: Vector | None = None

    def to(self, room: ProbeRoom, use: StylusUse, place: Vector, out: Vector | None = None) -> None:
        """Go to a place, before a surface whose direction outwards is `out` (NoWay: it is not there, but free)."""
        for stop in room.way(use, self.cmm.where(), place, self.normal, out):
            self._go(stop)
        self.normal = out

    def along(self, places: Points, out: Vector | None) -> None:
        """Go along places (n, 3) that were planned and looked over before; `out` as in `to`."""
        for stop in places:
            self._go(stop)
        self.normal = out

    def up(self, room: ProbeRoom) -> None:
        """Go up over everything, so that the head can turn, the probe be changed, or the run end.

        Raises
        ------
        DeviceError
            There is no way: somebody has to move it by hand.
        """
        use = self.cmm.use or self._recognised(room)
        if use is not None and room.knows(use):
            try:
                here = self.cmm.where()
                for stop in room.way_up(use, here, self.normal):
                    if not np.allclose(stop, here, atol=_THERE):
                        self._go(stop)
            except NoWay as error:
                raise DeviceError(f"{error}: move the probe up by joystick, then go on") from error
        self.normal = None

    def take(self, room: ProbeRoom, use: StylusUse) -> None:
        """Take a stylus into use: over everything first; beside the rack again before the head of another probe turns.

        Raises
        ------
        DeviceError
            There is no way up, or the probe must be changed by hand.
        """
        self.up(room)
        if self.cmm.mounted != room.probing.assembly(use.assembly).name:
            self.cmm.take_stylus(room.probing, use, turn=False)
            if self.cmm.pose != use.pose:
                self.up(room)
        self.cmm.take_stylus(room.probing, use)

    def _go(self, stop: Vector) -> None:
        try:
            self.cmm.go_to(stop, self._check)
        except MachineRefused as error:
            if error.said.number in BEYOND and error.said.severity < 2:  # nothing was moved
                raise NoWay(f"the way leads beyond the travel of the machine ({error.said.words})") from error
            raise

    def _recognised(self, room: ProbeRoom) -> StylusUse | None:
        """Take what is on the machine into use as it stands: a program that was ended may have left it in the part."""
        probing = room.probing
        own = next((a for a in probing.assemblies if a.name == self.cmm.mounted), None)
        if own is None or not own.styli() or (self.cmm.pose not in own.poses and not self.cmm.turns):
            return None
        use = StylusUse(assembly=own.id, stylus=own.styli()[0].id, pose=self.cmm.pose)
        self.cmm.take_stylus(probing, use, turn=False)
        return use
