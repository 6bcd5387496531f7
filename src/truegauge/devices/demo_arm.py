"""A stand-in for a portable arm: a made-up operator touches a part that stands in a pose unknown to all else."""

import numpy as np

from truegauge.core.arrays import Rigid, Vector, any_perpendicular
from truegauge.core.cad.projection import Projector
from truegauge.core.errors import DeviceError
from truegauge.core.frames import apply, random_rigid
from truegauge.devices.protocol import DevicePoint


class DemoArm:
    """Touches the true surfaces with noise, and never exactly where it should."""

    name = "Demo arm"

    def __init__(
        self, projector: Projector, device_from_part: Rigid | None = None, *, seed: int = 27, noise: float = 0.006,
        aim: float = 1.2,
    ) -> None:  # fmt: skip
        self.projector, self._noise, self._aim = projector, noise, aim
        self._rng = np.random.default_rng(seed)
        anywhere = random_rigid(self._rng, 250.0)
        self._device_from_part = anywhere if device_from_part is None else device_from_part
        self._points: list[DevicePoint] = []
        self._connected = False
        self._slip = 0.0

    def connect(self) -> None:
        """Open the connection."""
        self._connected = True

    def close(self) -> None:
        """Close the connection."""
        self._connected = False

    def poll(self) -> list[DevicePoint]:
        """Return the points measured since the last call."""
        if not self._connected:
            raise DeviceError("the demo arm is not connected")
        points, self._points = self._points, []
        return points

    def slip_next(self, distance: float) -> None:
        """Let the next touch stand off the surface by a distance, mm: a chip under the stylus."""
        self._slip = distance

    def touch(self, place: Vector, direction: Vector) -> None:
        """Have the operator touch the surface near a place (3,) of the part; `direction` points out of it."""
        across = self._rng.normal(0, self._aim, 2) @ np.vstack(_across(direction))
        near = np.asarray(place + across)[None]
        found = self.projector.deviations(near)
        foot, normal = found.feet[0], np.asarray(found.normals[0], dtype=np.float64)
        there = foot + (self._rng.normal(0, self._noise) + self._slip) * normal
        self._slip = 0.0
        self._points.append(DevicePoint(apply(self._device_from_part, there)))

    def touch_sphere(self, center: Vector, diameter: float, up: Vector) -> None:
        """Have the operator touch a sphere that stands beside the part somewhere on its upper half."""
        out = self._rng.normal(size=3)
        out /= np.linalg.norm(out)
        out = out if out @ up > 0 else -out
        there = center + (diameter / 2 + self._rng.normal(0, self._noise)) * out
        self._points.append(DevicePoint(apply(self._device_from_part, there)))


def _across(direction: Vector) -> tuple[Vector, Vector]:
    x = any_perpendicular(direction)
    return x, np.cross(direction, x)
