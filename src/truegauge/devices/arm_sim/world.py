"""The arm and what it touches: true places, and what the arm believes of them."""

from typing import Protocol

import numpy as np

from truegauge.core.arrays import Floats, Points, Rigid, Vector, unit
from truegauge.core.frames import apply, rigid, rotation_about
from truegauge.devices.arm_sim.settings import ArmSettings
from truegauge.devices.made_part import MadePart

_CONTACT = 1e-5  # mm
_WAVES = 3  # of the error, an axis
BALL = 25.0  # mm, the diameter of a sphere to check with
_BESIDE = 35.0  # mm beside the part that seats stand
_FAR = 400.0  # mm that are felt for a surface


class DeviceError(Protocol):
    """Where a device is wrong about its tip."""

    def at(self, places: Points) -> Points:
        """Return the errors (n, 3) mm at places (n, 3) of the device."""


class ReachError:
    """Where the tip really is when the arm says a place: smooth over the room, and larger the farther it reaches.

    A distance between two places is wrong by less than `constant` + L x `per_metre`: over short lengths by the slope of
    the error, over long ones by twice its size.
    """

    def __init__(self, settings: ArmSettings, rng: np.random.Generator) -> None:
        directions = rng.normal(size=(_WAVES, 3))
        lengths = rng.uniform(900.0, 1600.0, _WAVES)  # mm of a wave: joints make errors that change slowly
        self._waves = 2 * np.pi * directions / np.linalg.norm(directions, axis=1)[:, None] / lengths[:, None]
        self._phases = rng.uniform(0, 2 * np.pi, _WAVES)
        ways = rng.normal(size=(_WAVES, 3))
        self._ways = ways / np.linalg.norm(ways, axis=1)[:, None] / _WAVES
        self._size = 0.65 * settings.constant
        self._reach = settings.reach

    def at(self, places: Points) -> Points:
        """Return the errors (n, 3) mm at places (n, 3) of the arm."""
        share = np.clip(np.linalg.norm(places, axis=1) / self._reach, 0.0, 1.2)
        waves = np.sin(places @ self._waves.T + self._phases)
        return np.asarray(self._size * share[:, None] * (waves @ self._ways))


class ArmWorld:
    """The part stands somewhere before the arm, whose base is the origin of its coordinates."""

    def __init__(
        self, part: MadePart, settings: ArmSettings, seed: int, device_from_part: Rigid | None = None
    ) -> None:  # fmt: skip
        self.settings, self.rng = settings, np.random.default_rng([seed, 27])
        self.part = part
        self.error: DeviceError = ReachError(settings, np.random.default_rng([seed, 28]))
        corners = part.projector.tree.corners.reshape(-1, 3)
        low, high = corners.min(axis=0), corners.max(axis=0)
        self._middle = (low + high) / 2
        part.machine_from_part = self._somewhere() if device_from_part is None else np.array(device_from_part)
        self.touches = 0

    def _somewhere(self) -> Rigid:
        """Return a pose of the part that the arm reaches, upright or not."""
        axis = unit(self.rng.normal(size=3))
        turn = rotation_about(axis, float(self.rng.uniform(-np.pi, np.pi)))[:3, :3]
        angle = self.rng.uniform(-np.pi, np.pi)
        far = self.rng.uniform(0.35, 0.6) * self.settings.reach
        place = np.array([far * np.cos(angle), far * np.sin(angle), self.rng.uniform(-200, 200)])
        return rigid(turn, place - turn @ self._middle)

    @property
    def device_from_part(self) -> Rigid:
        """Where the part stands in truth."""
        return self.part.machine_from_part

    def push(self, by: Vector) -> None:
        """Let the arm be moved (3,) mm: the part stands elsewhere in its coordinates."""
        pose = self.part.machine_from_part.copy()
        pose[:3, 3] -= by
        self.part.machine_from_part = pose

    @property
    def seats(self) -> Points:
        """The seats for the tip that stand beside the part: where its centre comes to lie, (n, 3) mm of the part."""
        low, high = self.part.box
        x, y = (low[0] - _BESIDE, high[0] + _BESIDE), (low[1] - _BESIDE, high[1] + _BESIDE)
        return np.array([(x[0], y[0], low[2]), (x[1], y[0], low[2]), (x[1], y[1], low[2]), (x[0], y[1], high[2])])

    def at_seat(self, number: int) -> Vector:
        """Return where the tip is in a seat, (3,) mm of the device."""
        return np.asarray(apply(self.part.machine_from_part, self.seats[number][None])[0])

    @property
    def ball(self) -> Vector:
        """The middle (3,) mm of a sphere of `BALL` mm that stands beside the part, in the coordinates of the device."""
        low, high = self.part.box
        at = np.array([[high[0] + 2 * _BESIDE, (low[1] + high[1]) / 2, low[2] + BALL]])
        return np.asarray(apply(self.part.machine_from_part, at)[0])

    def stand_elsewhere(self, motion: Rigid) -> None:
        """Let the device be moved: what it had at a place it has at `motion` of that now."""
        self.part.machine_from_part = motion @ self.part.machine_from_part

    def room(self, at: Vector) -> float:
        """Return how much room a tip at a place (3,) has."""
        return float(self.part.distances(at[None], self.settings.radius)[0]) - self.settings.radius

    def before(self, place: Vector, away: Vector, most: float) -> Vector | None:
        """Return where a tip can stand before a place of the surface, at most so far (mm); None: it does not fit."""
        found, off = None, self.settings.radius + 0.3
        while off <= self.settings.radius + most:
            at = place + off * away
            room = self.room(at)
            if room <= 0.05:
                # Just off the surface it may seem to touch still: nobody hits it quite.
                if found is not None or off > self.settings.radius + 3.0:
                    break
                off += 0.3
                continue
            found = at
            off += max(room, 0.2)
        return found

    def contact(self, start: Vector, direction: Vector) -> Vector | None:
        """Return the centre of the tip (3,) where it touches on its way from `start`; None: it meets nothing.

        The tip goes on by the room that is left, which ends at the first contact (sphere tracing).
        """
        way, at, done = unit(direction), np.array(start), 0.0
        while done < _FAR:
            room = self.room(at)
            if room < _CONTACT:
                return at
            at, done = at + room * way, done + room
        return None

    def believed(self, places: Points) -> Floats:
        """Return what the arm says (n, 3) of true places of its tip, held still."""
        held = self.rng.normal(0, self.settings.noise, places.shape)
        return np.asarray(places + self.error.at(places) + held)
