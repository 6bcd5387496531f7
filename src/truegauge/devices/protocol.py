"""What every device that gives single points offers."""

from dataclasses import dataclass
from typing import Protocol

from truegauge.core.arrays import Vector


@dataclass(frozen=True, slots=True, eq=False)
class DevicePoint:
    """One measured point (3,) mm in the device's coordinates.

    With a `radius` it is the centre of a tip of that radius, which came in the direction `approach` (3,); without, it
    is compensated for the stylus already.
    """

    place: Vector
    radius: float = 0.0
    approach: Vector | None = None


class PointDevice(Protocol):
    """A device that an operator measures single points with: an arm, a CMM under its joystick, a tracker."""

    @property
    def name(self) -> str:
        """The name shown."""

    def connect(self) -> None:
        """Open the connection; raises `DeviceError` when there is none."""

    def poll(self) -> list[DevicePoint]:
        """Return the points measured since the last call; raises `DeviceError` when the device is lost."""

    def close(self) -> None:
        """Give the device back."""
