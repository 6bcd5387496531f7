"""Ways between touches: straight where nothing is in the way, else out, up, across, down and in.

What does not get out straight is led out by a search (`escape`).
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Points, Vector
from truegauge.core.errors import DeviceError
from truegauge.core.probing.clearance import Obstacle, ProbeShape, first_meeting, gap
from truegauge.core.probing.escape import DeadEnds, way_around, way_out

MARGIN = 0.8  # mm of room on the way
_LEAST = 0.05  # where the way begins or ends close to something
_REACHES = (0.0, 15.0, 40.0, 80.0)  # mm that a probe is drawn out before it goes up
_OFF, _OFF_STEP, _OFF_MOST, _OFF_LOSS = 0.3, 0.1, 2.0, 0.002  # mm by which it gets off what it touches, and tells that


class NoWay(DeviceError):
    """There is no way that meets nothing."""


@dataclass(frozen=True, slots=True, eq=False)
class Surroundings:
    """What a probe must not meet; `safe_z` is a height of the quill at which nothing is in the way."""

    obstacles: tuple[Obstacle, ...]
    safe_z: float
    dead: DeadEnds | None = None  # of the probe that moves


def find_way(
    shape: ProbeShape, start: Vector, end: Vector, around: Surroundings, leave: Sequence[Vector] = (),
    arrive: Sequence[Vector] = (),
) -> Points:  # fmt: skip
    """Return places (n, 3) of the quill, without the start, that lead to the end.

    Parameters
    ----------
    leave, arrive : sequence of (3,)
        Unit directions in which the probe may be drawn out at the start, and at the end; the best first.

    Raises
    ------
    NoWay
        Something is in the way whatever is tried; says what.
    """
    off = _off_contact(shape, start, around, leave)
    if off is not None:
        return np.vstack([off, find_way(shape, off, end, around, leave, arrive)])
    if first_meeting(shape, start, end, around.obstacles, _margin(shape, start, end, around)) is None:
        return end[None]
    top = max(around.safe_z, float(start[2]), float(end[2]))
    out = _way_up(shape, start, top, around, leave, "from where the stylus stands")
    into = _way_up(shape, end, top, around, arrive, "to the next touch")
    met = first_meeting(shape, out[-1], into[-1], around.obstacles, MARGIN)
    across: list[Vector] | None = [into[-1]]
    if met is not None:  # the rack stands higher, beside
        across = way_around(shape, out[-1], lambda at: into[-1], around.obstacles, MARGIN)
    if across is None:
        raise NoWay(f"{met.obstacle if met else 'something'} is in the way above everything: is the safe height right?")
    way = [start]
    for stop in (*out, *across, *into[::-1], end):
        if not np.allclose(stop, way[-1]):
            way.append(stop)
    return np.array(way[1:])


def _off_contact(shape: ProbeShape, at: Vector, around: Surroundings, directions: Sequence[Vector]) -> Vector | None:
    """Return a place (3,) beside `at` that touches nothing; None where nothing is touched, or no way leads off.

    A machine that was stopped while it touched stands there, a little into what is believed to be the surface: the
    room that is asked for on any way begins with none. The way off is one on which the room only grows.
    """
    room = gap(shape, at, around.obstacles)[0]
    if room >= _LEAST:
        return None
    steps = np.arange(1, round(_OFF_MOST / _OFF_STEP) + 1) * _OFF_STEP
    for direction in (*directions, *_away(shape, at, around)):
        before = room
        for step in steps:
            now = gap(shape, at + step * direction, around.obstacles)[0]
            if now < before - _OFF_LOSS:
                break
            if now >= _OFF:
                return np.asarray(at + step * direction)
            before = now
    return None


def _away(shape: ProbeShape, at: Vector, around: Surroundings) -> list[Vector]:
    """Return the unit direction in which the room grows most, from `at`; none where it does not tell."""
    h = _LEAST
    ways = np.eye(3) * h
    growth = np.array([
        gap(shape, at + w, around.obstacles)[0] - gap(shape, at - w, around.obstacles)[0] for w in ways
    ])  # fmt: skip
    length = float(np.linalg.norm(growth))
    return [growth / length] if length > 0.2 * h else []


def _way_up(
    shape: ProbeShape, at: Vector, top: float, around: Surroundings, directions: Sequence[Vector], where: str
) -> list[Vector]:
    """Return places that lead from `at` to the safe height, the last of them there."""
    blocked = ""
    for reach in _REACHES:
        for direction in directions if reach else (np.zeros(3),):
            beside = at + reach * direction
            above = np.array([beside[0], beside[1], max(top, float(beside[2]))])
            near = _margin(shape, at, beside, around)
            met = first_meeting(shape, at, beside, around.obstacles, near) if reach else None
            met = met or first_meeting(shape, beside, above, around.obstacles, near if not reach else MARGIN)
            if met is None:
                return [beside, above]
            blocked = met.obstacle
    likely = tuple(d for d in directions if np.linalg.norm(d) > 0)
    found = way_out(shape, at, top, around.obstacles, min(MARGIN, _margin(shape, at, at, around)), likely, around.dead)
    if found is not None:
        return found
    raise NoWay(f"there is no free way {where}: {blocked} is in the way")


def _margin(shape: ProbeShape, start: Vector, end: Vector, around: Surroundings) -> float:
    """Return the room asked for: less where the way begins or ends closer than that to something."""
    room = min(gap(shape, start, around.obstacles)[0], gap(shape, end, around.obstacles)[0])
    return float(min(MARGIN, max(_LEAST, 0.6 * room)))
