"""A stand-in for a portable arm: a made-up operator touches a part that stands in a pose unknown to all else."""

import numpy as np

from truegauge.core.arrays import Rigid, Vector, any_perpendicular
from truegauge.core.cad.projection import Projector
from truegauge.core.frames import apply, random_rigid
from truegauge.devices.protocol import DeviceEvent, Lost, PointBlock, Wanted


class DemoArm:
    """Touches the true surfaces with noise, and never exactly where it should."""

    name = identity = "the demo arm"

    def __init__(
        self, projector: Projector, device_from_part: Rigid | None = None, *, seed: int = 27, noise: float = 0.006,
        aim: float = 1.2,
    ) -> None:  # fmt: skip
        self.projector, self._noise, self._aim = projector, noise, aim
        self._rng = np.random.default_rng(seed)
        anywhere = random_rigid(self._rng, 250.0)
        self._device_from_part = anywhere if device_from_part is None else device_from_part
        self._places: list[Vector] = []
        self._connected = False
        self._slip = 0.0

    def connect(self) -> None:
        """Open the connection."""
        self._connected = True

    def close(self) -> None:
        """Close the connection."""
        self._connected = False

    def events(self) -> list[DeviceEvent]:
        """Return the points measured since the last call: they lie on the surface."""
        if not self._connected:
            return [Lost("the demo arm is not connected")]
        places, self._places = self._places, []
        return [PointBlock(np.array(places))] if places else []

    @property
    def has_operator(self) -> bool:
        """Whether somebody touches what is wanted: yes."""
        return True

    def slip_next(self, distance: float) -> None:
        """Let the next touch stand off the surface by a distance, mm: a chip under the stylus."""
        self._slip = distance

    def touch(self, wanted: Wanted) -> None:
        """Have the operator touch the surface near what is wanted."""
        x = any_perpendicular(wanted.out)
        across = self._rng.normal(0, self._aim, 2) @ np.vstack((x, np.cross(wanted.out, x)))
        near = np.asarray(wanted.place + across)[None]
        found = self.projector.deviations(near)
        foot, normal = found.feet[0], np.asarray(found.normals[0], dtype=np.float64)
        there = foot + (self._rng.normal(0, self._noise) + self._slip) * normal
        self._slip = 0.0
        self._places.append(apply(self._device_from_part, there))
