"""The probe that is really there: not quite as its description says, and slow to say that it touches."""

import hashlib

import numpy as np

from truegauge.core.arrays import Vector, unit
from truegauge.core.frames import apply, rotate, rotation_about
from truegauge.core.probing.assembly import HeadPose, ProbeAssembly, StylusPlace, head_turn
from truegauge.devices.cmm_sim.settings import MachineSettings

_BUILD = 0.06  # mm that tips are off where they should be, standard deviation
_SIZE = 0.002  # mm of the diameter of a tip
_STIFF = 0.0012  # mm of bending of a stem of 20 mm under the force of a touch from the side
_DELAY_S = 0.00015
_WRONG_DIAMETER = 0.5


class PhysicalProbe:
    """An assembly as somebody put it together."""

    def __init__(self, assembly: ProbeAssembly, settings: MachineSettings, seed: int) -> None:
        self.assembly = assembly
        self._settings, self._seed = settings, seed
        self._rng = np.random.default_rng(self._number("repeat"))
        self.pose = assembly.poses[0]
        self._turn = np.eye(4)
        self.take_pose(self.pose)

    def _number(self, what: str) -> list[int]:
        text = f"{self._seed} {self.assembly.content_key} {what}"
        return [int.from_bytes(hashlib.sha256(text.encode()).digest()[:8], "big")]

    def take_pose(self, pose: HeadPose) -> None:
        """Move the head: its error in a pose is always the same, but for its repeatability."""
        self.pose = pose
        fixed = np.random.default_rng(self._number(f"pose {pose}")).normal(0, self._settings.pose_error, 3)
        angles = fixed + self._rng.normal(0, self._settings.pose_repeat, 3)
        own = self.assembly.articulation
        turn = np.eye(4)
        if own is not None:
            pivot = np.array(own.pivot)
            turn = rotation_about(unit(angles + 1e-15), float(np.linalg.norm(angles)))
            turn[:3, 3] = pivot - turn[:3, :3] @ pivot
        self._turn = turn

    def place(self, stylus_id: str, *, bent: float = 0.0) -> StylusPlace:
        """Return where a tip really is, in the coordinates of the quill."""
        nominal = self.assembly.stylus(stylus_id, self.pose)
        rng = np.random.default_rng(self._number(f"tip {stylus_id}"))
        off = rng.normal(0, _BUILD, 3)
        if bent:
            off += bent * 2.2 * unit(np.array([1.0, 0.6, 0.1]))
        own = self.assembly.articulation
        if own is not None:
            off = rotate(head_turn(own, self.pose), off)  # it is built on the part that turns
        center = apply(self._turn, nominal.center + off)
        return StylusPlace(
            nominal.id, nominal.name, nominal.tip, center, rotate(self._turn, nominal.direction), nominal.reach
        )

    def diameter(self, stylus_id: str, *, wrong: float = 0.0) -> float:
        """Return the true diameter of a tip, mm."""
        nominal = self.assembly.stylus(stylus_id, self.pose).tip.diameter
        rng = np.random.default_rng(self._number(f"size {stylus_id}"))
        return float(nominal + rng.normal(0, _SIZE) - wrong * _WRONG_DIAMETER)

    def pre_travel(self, stylus: StylusPlace, approach: Vector, speed: float, *, bent: float = 0.0) -> float:
        """Return how far the machine goes on after the tip touches, mm, before the sensor says so.

        A stem bends under the force of the touch, most from the side; a sensor that rests on three points needs more
        force in three directions; the answer takes its time.
        """
        along = float(approach @ stylus.direction)
        side = approach - along * stylus.direction
        across = float(np.linalg.norm(side))
        lever = (stylus.reach / 20.0) ** 2
        lobes = 0.0
        if across > 1e-9:
            x, y = self._across(stylus.direction)
            angle = float(np.arctan2(side @ y, side @ x))
            lobes = np.cos(3 * angle)
            if bent:
                lobes += bent * 75.0 * (1 + np.cos(2 * angle))
        travel = 0.0008 + _STIFF * lever * across**2 * (1 + 0.22 * lobes)
        return float(travel + _DELAY_S * speed)

    @staticmethod
    def _across(direction: Vector) -> tuple[Vector, Vector]:
        helper = np.array([0.0, 1.0, 0.0]) if abs(direction[1]) < 0.9 else np.array([1.0, 0.0, 0.0])
        x = unit(np.cross(helper, direction))
        return x, np.cross(direction, x)
