"""Touching the reference sphere: around it, never through it, and by hand where nobody else can say where it is."""

from __future__ import annotations

from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.arrays import Mask, Normals, Vector, unit
from truegauge.core.errors import DeviceError
from truegauge.core.probing.assembly import StylusPlace
from truegauge.core.probing.clearance import first_meeting
from truegauge.core.probing.probing import StylusUse
from truegauge.core.probing.room import ProbeRoom
from truegauge.core.probing.sphere import TouchPattern, touch_directions
from truegauge.core.probing.sphere_access import reachable
from truegauge.core.probing.standing import Standing
from truegauge.devices.cmm.words import MachineTouch
from truegauge.runs.events import TouchWanted

if TYPE_CHECKING:
    from truegauge.runs.machine_run import MachineRun

_ARC = np.radians(40.0)
_CLEAR = 2.5
_ABOVE = 60.0  # mm over the sphere that travel goes
_BESIDE = 0.3  # mm that the probe keeps from the sphere on its way around


class SphereTouching:
    """Drives a run's machine around the reference sphere, with all that is known to stand around."""

    def __init__(self, run: MachineRun, known: Standing) -> None:
        self._run, self._known = run, known
        self._rooms: tuple[object, ProbeRoom] | None = None  # the last that was asked for

    def place(self, use: StylusUse) -> StylusPlace:
        """Return where a stylus is on its probe."""
        return self._run.probing.assembly(use.assembly).stylus(use.stylus, use.pose)

    def room(self, center: Vector | None) -> ProbeRoom:
        """Return what is known to stand around, with the sphere at a place (None: nobody knows)."""
        ceiling = self._run.cmm.highest_quill
        key = (None if center is None else center.tobytes(), ceiling)
        if self._rooms is None or self._rooms[0] != key:
            self._rooms = key, ProbeRoom(self._run.probing, self._known, center, above=_ABOVE, ceiling=ceiling)
        return self._rooms[1]

    def by_hand(self, use: StylusUse, why: str) -> MachineTouch:
        """Have somebody touch the sphere, and tell why."""
        self._run.cmm.forget_hand_touches()
        self._run.cmm.let_user_move(True)
        self._run.tell(TouchWanted(use, why))
        try:
            touch = self._run.cmm.wait_for_hand_touch(self._run.check)
            self._run.moving.normal = touch.out
            return touch
        finally:
            self._run.tell(TouchWanted(use, ""))
            if self._run.cmm.is_connected:
                self._run.cmm.let_user_move(False)

    def directions(self, use: StylusUse, pattern: TouchPattern, center: Vector) -> Normals:
        """Return where a stylus touches the sphere (n, 3), out of its centre; as even as it gets there."""
        probing, place = self._run.probing, self.place(use)
        room = self.room(center)
        shape = room.shape(use)[0]

        def gets_there(directions: Normals) -> Mask:
            approach = probing.settings.approach
            felt = probing.assembly(use.assembly).feels(use.pose, directions)
            obstacles = room.obstacles(use)
            return felt & reachable(shape, place, probing.sphere, directions, approach, center, obstacles)

        try:
            return touch_directions(pattern, place.direction, probing.sphere, place.radius + _CLEAR, gets_there)
        except ValueError as error:
            raise DeviceError(f"{probing.name_of(use)}: {error}") from error

    def touch(self, use: StylusUse, center: Vector, direction: Vector) -> MachineTouch:
        """Go before a place of the sphere around it, not through it, and touch."""
        probing, place = self._run.probing, self.place(use)
        sphere = probing.sphere
        reach = sphere.radius + place.radius + probing.settings.approach
        goal = center + reach * direction
        here = self._run.cmm.where()
        off = here - center
        distance = float(np.linalg.norm(off))
        room = self.room(center)
        legs: list[Vector] = []
        if distance < reach + 30.0 and distance > 0.8 * (sphere.radius + place.radius):
            steps = _around(off / distance, direction, -place.direction)
            legs = [center + (reach + 2.0) * step for step in steps]
        if legs and self._are_free(room, use, [here, *legs]):
            for leg in legs:
                self._run.cmm.go_to(leg, self._run.check)
            self._run.moving.normal = direction
        else:
            self._run.moving.to(room, use, goal, direction)
        return self._run.cmm.touch(center + sphere.radius * direction, direction, self._run.check)

    @staticmethod
    def _are_free(room: ProbeRoom, use: StylusUse, places: list[Vector]) -> bool:
        """Tell whether the whole probe meets nothing on the way over some places of its tip."""
        shape, place = room.shape(use)
        return all(
            first_meeting(shape, a - place.center, b - place.center, room.obstacles(use), _BESIDE) is None
            for a, b in pairwise(places)
        )


def _around(start: Vector, end: Vector, pole: Vector) -> list[Vector]:
    """Return directions from one to another, at most 40 degrees apart; over the pole when they are far apart."""
    angle = float(np.arccos(np.clip(start @ end, -1, 1)))
    if angle > np.radians(100.0) and start @ pole < np.cos(_ARC) and end @ pole < np.cos(_ARC):
        return [*_around(start, pole, pole), *_around(pole, end, pole)]
    count = max(1, int(np.ceil(angle / _ARC)))
    if count == 1:
        return [end]
    side = unit(end - (end @ start) * start)
    return [np.cos(angle * k / count) * start + np.sin(angle * k / count) * side for k in range(1, count + 1)]
