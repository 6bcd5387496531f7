"""Coordinate systems of the I++ server: the machine's own, one that moves on it, and the part's.

A transformation is written ``X0, Y0, Z0, Theta, Psi, Phi``: the origin, and the angles of Euler in degrees. From the
outer system one turns about z by Psi, then about the new x by Theta (0 to 180), then about the new z by Phi.
"""

from dataclasses import dataclass, field

import numpy as np

from truegauge.core.arrays import Rigid, Vector
from truegauge.core.frames import apply, invert, rigid, rotate, rotation_about
from truegauge.devices.cmm_sim.words import MachineStopped
from truegauge.devices.ipp import messages as m

MACHINE, MOVEABLE, PART = "MachineCsy", "MoveableMachineCsy", "PartCsy"
SYSTEMS = (MACHINE, MOVEABLE, PART)
_X, _Z = np.array([1.0, 0.0, 0.0]), np.array([0.0, 0.0, 1.0])


def from_numbers(values: tuple[float, ...]) -> Rigid:
    """Return ``outer_from_inner`` of six numbers.

    Raises
    ------
    MachineStopped
        Not six, or Theta is out of its range.
    """
    if len(values) != 6:
        raise MachineStopped(m.ARGUMENT, "a transformation has six numbers: X0, Y0, Z0, Theta, Psi, Phi", 0)
    if not 0 <= values[3] <= 180:
        raise MachineStopped(m.THETA, "Theta goes from 0 to 180 degrees", 0)
    theta, psi, phi = np.radians(values[3:])
    turn = rotation_about(_Z, psi) @ rotation_about(_X, theta) @ rotation_about(_Z, phi)
    return rigid(turn[:3, :3], np.array(values[:3]))


def to_numbers(outer_from_inner: Rigid) -> tuple[float, ...]:
    """Return the six numbers of a transformation."""
    r = outer_from_inner[:3, :3]
    theta = float(np.arccos(np.clip(r[2, 2], -1, 1)))
    if np.hypot(r[0, 2], r[1, 2]) > 1e-9:
        psi, phi = float(np.arctan2(r[0, 2], -r[1, 2])), float(np.arctan2(r[2, 0], r[2, 1]))
    else:  # only the sum (or difference) of both is known
        psi, phi = float(np.arctan2(r[1, 0], r[0, 0])), 0.0
    angles = (float(np.degrees(a)) for a in (theta, psi, phi))
    return (*(float(v) for v in outer_from_inner[:3, 3]), *angles)


@dataclass(slots=True)
class Frames:
    """The systems of a session: which one is in use, and how they lie in each other."""

    active: str = MACHINE
    machine_from_moveable: Rigid = field(default_factory=lambda: np.eye(4))
    moveable_from_part: Rigid = field(default_factory=lambda: np.eye(4))
    named: dict[str, Rigid] = field(default_factory=dict)  # of parts

    def machine_from_active(self) -> Rigid:
        """Return how the system in use lies in the machine's."""
        if self.active == MACHINE:
            return np.eye(4)
        if self.active == MOVEABLE:
            return self.machine_from_moveable
        return np.asarray(self.machine_from_moveable @ self.moveable_from_part)

    def place_in(self, place: Vector) -> Vector:
        """Return a place (3,) of the system in use in the machine's."""
        return np.asarray(apply(self.machine_from_active(), place[None])[0])

    def place_out(self, place: Vector) -> Vector:
        """Return a place (3,) of the machine in the system in use."""
        return np.asarray(apply(invert(self.machine_from_active()), place[None])[0])

    def direction_in(self, direction: Vector) -> Vector:
        """Return a direction (3,) of the system in use in the machine's."""
        return np.asarray(rotate(self.machine_from_active(), direction[None])[0])

    def direction_out(self, direction: Vector) -> Vector:
        """Return a direction (3,) of the machine in the system in use."""
        return np.asarray(rotate(invert(self.machine_from_active()), direction[None])[0])

    def transformation(self, name: str) -> Rigid:
        """Return the transformation of a system (MachineStopped: it has none)."""
        if name == MOVEABLE:
            return self.machine_from_moveable
        if name == PART:
            return self.moveable_from_part
        raise MachineStopped(m.ARGUMENT, f"{name} has no transformation: {MOVEABLE} and {PART} have", 0)

    def set_transformation(self, name: str, numbers: tuple[float, ...]) -> None:
        """Lay a system elsewhere (MachineStopped: it cannot be)."""
        made = from_numbers(numbers)
        if name == MOVEABLE:
            self.machine_from_moveable = made
        elif name == PART:
            self.moveable_from_part = made
        else:
            self.transformation(name)
