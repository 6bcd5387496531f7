"""Ways between touches: straight where nothing is in the way, else up, across and down."""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from truegauge.core.arrays import Points, Vector
from truegauge.core.errors import DeviceError
from truegauge.core.probing.clearance import Obstacle, ProbeShape, first_meeting, gap

MARGIN = 0.8  # mm of room on the way


class NoWay(DeviceError):
    """There is no way that meets nothing."""


@dataclass(frozen=True, slots=True, eq=False)
class Surroundings:
    """What a probe must not meet; `safe_z` is a height of the quill at which nothing is in the way."""

    obstacles: tuple[Obstacle, ...]
    safe_z: float


def find_way(
    shape: ProbeShape, start: Vector, end: Vector, around: Surroundings, leave: Vector | None = None,
    arrive: Vector | None = None,
) -> Points:  # fmt: skip
    """Return places (n, 3) of the quill, without the start, that lead to the end.

    Parameters
    ----------
    leave, arrive : (3,), optional
        The directions out of the surface at the start and at the end: the way may begin and end along them.

    Raises
    ------
    NoWay
        Something is in the way whatever is tried; says what.
    """
    if first_meeting(shape, start, end, around.obstacles, _margin(shape, start, end, around)) is None:
        return end[None]
    last = None
    for reach in (0.0, 15.0, 40.0, 80.0):
        for out in (0.0, reach):
            first = start if leave is None else start + out * leave
            final = end if arrive is None else end + reach * arrive
            top = max(around.safe_z, float(first[2]), float(final[2]))
            stops = [first, np.array([*first[:2], top]), np.array([*final[:2], top]), final, end]
            way = [start]
            for stop in stops:
                if not np.allclose(stop, way[-1]):
                    way.append(stop)
            last = _blocked(shape, way, around)
            if last is None:
                return np.array(way[1:])
    raise NoWay(f"there is no free way to the next touch: {last} is in the way")


def _blocked(shape: ProbeShape, way: list[Vector], around: Surroundings) -> str | None:
    for k, (a, b) in enumerate(pairwise(way)):
        ends = k in (0, len(way) - 2)
        margin = _margin(shape, a, b, around) if ends else MARGIN
        met = first_meeting(shape, a, b, around.obstacles, margin)
        if met is not None:
            return met.obstacle
    return None


def _margin(shape: ProbeShape, start: Vector, end: Vector, around: Surroundings) -> float:
    """Return the room asked for: less where the way begins or ends closer than that to something."""
    room = min(gap(shape, start, around.obstacles)[0], gap(shape, end, around.obstacles)[0])
    return float(min(MARGIN, max(0.05, 0.6 * room)))
