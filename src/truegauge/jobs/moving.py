"""Moves of a run on a machine: every one is planned around all that is known, and taken back the way it came."""

from collections.abc import Callable

from truegauge.core.arrays import Vector
from truegauge.core.probing.probing import StylusUse
from truegauge.core.probing.room import ProbeRoom
from truegauge.devices.cmm import Cmm


class Moving:
    """Drives the tip in use. `normal` is the direction out of the surface where it stands, None where there is none."""

    def __init__(self, cmm: Cmm, check: Callable[[], None]) -> None:
        self.cmm, self._check = cmm, check
        self.normal: Vector | None = None

    def to(self, room: ProbeRoom, use: StylusUse, place: Vector, out: Vector | None = None) -> None:
        """Go to a place, before a surface whose direction outwards is `out` (NoWay: nothing was moved)."""
        for stop in room.way(use, self.cmm.where(), place, self.normal, out):
            self.cmm.go_to(stop, self._check)
        self.normal = out

    def up(self, room: ProbeRoom) -> None:
        """Go up over everything, so that the head can turn, the probe be changed, or the run end (NoWay)."""
        use = self.cmm.use or self._recognised(room)
        if use is not None and room.probing.has_stylus(use):
            for stop in room.way_up(use, self.cmm.where(), self.normal):
                self.cmm.go_to(stop, self._check)
        self.normal = None

    def _recognised(self, room: ProbeRoom) -> StylusUse | None:
        """Take what is on the machine into use as it stands: a program that was ended may have left it in the part."""
        probing = room.probing
        own = next((a for a in probing.assemblies if a.name == self.cmm.mounted), None)
        if own is None or self.cmm.pose not in own.poses or not own.styli():
            return None
        use = StylusUse(assembly=own.id, stylus=own.styli()[0].id, pose=self.cmm.pose)
        self.cmm.take_stylus(probing, use, turn=False)
        return use
