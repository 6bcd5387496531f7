"""What every device that gives points offers: it is connected to, asked for events, and given back."""

from dataclasses import dataclass
from typing import Protocol, runtime_checkable

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Points, Vector


@dataclass(frozen=True, slots=True, eq=False)
class PointBlock:
    """Points in the order in which they were measured: places (n, 3) in mm, in the device's coordinates.

    They are centres of a tip of `radius` mm that came in the directions `approach` (n, 3); radius None: of a tip that
    is known by its qualification, not by the device. Without a tip (radius 0) they lie on the surface; of a scanner
    `beams` (n, 3) lead from them to it, `intensities` (n,) say how bright they are. `time` (s) is by its clock.
    """

    places: Points
    radius: float | None = 0.0
    approach: Points | None = None
    beams: NDArray[np.float32] | None = None
    intensities: NDArray[np.uint8] | None = None
    time: float = 0.0

    def __len__(self) -> int:
        return len(self.places)


@dataclass(frozen=True, slots=True)
class Said:
    """What a device says by itself, in words: an alarm, a warning."""

    words: str


@dataclass(frozen=True, slots=True)
class Lost:
    """The connection has ended, and what to do. What was measured before is in the events before."""

    words: str


DeviceEvent = PointBlock | Said | Lost


class PointDevice(Protocol):
    """A device that somebody measures points with: an arm, a machine under its joystick, a tracker."""

    @property
    def name(self) -> str:
        """The name shown."""

    @property
    def identity(self) -> str:
        """What tells it, and so its coordinates, from every other one."""

    def connect(self) -> None:
        """Open the connection; raises `DeviceError` when there is none."""

    def events(self) -> list[DeviceEvent]:
        """Return what came since the last call, in its order; does not wait."""

    def close(self) -> None:
        """Give the device back."""


@dataclass(frozen=True, slots=True, eq=False)
class Wanted:
    """What somebody is asked to touch: a place (3,) of the part, the direction (3,) out of what is touched there.

    `hand_free` says that no straight way from outside leads to it: into a hole, around a ball.
    """

    place: Vector
    out: Vector
    hand_free: bool = False


@runtime_checkable
class Operated(Protocol):
    """A stand-in, whose made-up operator touches what is wanted."""

    @property
    def has_operator(self) -> bool:
        """Whether there is one now."""

    def touch(self, wanted: Wanted) -> None:
        """Let the operator touch; the point comes by `events`."""
