"""How far a probe is from what stands around it, and how far it can move without meeting it."""

from dataclasses import dataclass
from typing import Protocol

import numpy as np

from truegauge.core.arrays import Floats, Points, Vector
from truegauge.core.probing.assembly import Bodies, StylusPlace

_SPACING = 2.5  # mm between the points that stand for a solid, at most
_SMALL = 1e-3
_ASKED = 1.0  # mm beyond the room asked for within which a ball's room is worked out again


class Obstacle(Protocol):
    """Something that a probe may meet."""

    @property
    def name(self) -> str:
        """What it is, in words."""

    def distances(self, points: Points, radii: Floats | float = 0.0) -> Floats:
        """Return the distance (n,) mm of points (n, 3) to it, negative inside.

        They are the middles of balls of `radii` (n,): where a ball has much room, less may be said than there is.
        """


@dataclass(frozen=True, slots=True, eq=False)
class ProbeShape:
    """A probe as balls: centres (n, 3) in the coordinates of the quill, radii (n,), what each belongs to."""

    centers: Points
    radii: Floats
    owner: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Meeting:
    """What met what, and where the quill was (3,)."""

    part: str  # of the probe
    obstacle: str
    at: Vector


def probe_shape(bodies: Bodies, tips: tuple[StylusPlace, ...] = (), *, shrink: float = 0.05) -> ProbeShape:
    """Return balls that stand for the solids of a probe, with the tips of `tips`; a little thinner than they are."""
    centers, radii, owner = [], [], []
    for start, end, radius, who in zip(bodies.starts, bodies.ends, bodies.radii, bodies.owner, strict=True):
        length = float(np.linalg.norm(end - start))
        count = max(2, int(np.ceil(length / min(_SPACING, max(radius, 0.4)))) + 1)
        # The ends are flat: balls that reach over them are drawn in.
        inset = min(radius, length / 2)
        for t in np.linspace(inset / max(length, 1e-9), 1 - inset / max(length, 1e-9), count):
            centers.append(start + t * (end - start))
            radii.append(max(radius - shrink, 0.05))
            owner.append(who)
    for s in tips:
        centers.append(s.center)
        radii.append(s.radius)
        owner.append(f"tip {s.name}")
    return ProbeShape(np.array(centers).reshape(-1, 3), np.array(radii), tuple(owner))


def room_of_each(
    centers: Points, radii: Floats, obstacles: tuple[Obstacle, ...]
) -> tuple[Floats, np.ndarray[tuple[int], np.dtype[np.int64]]]:  # fmt: skip
    """Return the room (n,) between balls and what is nearest to each, and which obstacle (n,) that is (-1: none)."""
    room, which = np.full(len(centers), np.inf), np.full(len(centers), -1, dtype=np.int64)
    for k, obstacle in enumerate(obstacles if len(centers) else ()):
        own = obstacle.distances(centers, radii) - radii
        nearer = own < room
        room[nearer], which[nearer] = own[nearer], k
    return room, which


def gap(shape: ProbeShape, at: Vector, obstacles: tuple[Obstacle, ...]) -> tuple[float, str, str]:
    """Return the smallest room between a probe at a place of the quill and anything, which part of it, and to what."""
    room, which = room_of_each(shape.centers + at, shape.radii, obstacles)
    if not len(room) or which.max() < 0:
        return np.inf, "", ""
    k = int(np.argmin(room))
    return float(room[k]), shape.owner[k], obstacles[which[k]].name


def first_meeting(
    shape: ProbeShape, start: Vector, end: Vector, obstacles: tuple[Obstacle, ...], margin: float = 0.0
) -> Meeting | None:
    """Return where a probe meets something on a straight way of the quill; None when the way is free.

    Every point of the probe moves as far as the quill, so that it may always go on by the room that is left
    (conservative advancement), and what had more room before than it has moved since need not be asked again.
    """
    way = end - start
    length = float(np.linalg.norm(way))
    done = 0.0
    room, which = room_of_each(shape.centers + start, shape.radii, obstacles)
    if not len(room):
        return None
    while True:
        k = int(np.argmin(room))
        if room[k] < margin:
            at = start + way * (done / length) if length > 0 else start
            return Meeting(shape.owner[k], obstacles[which[k]].name, at)
        if done >= length:
            return None
        step = min(length - done, max(float(room[k]) - margin, _SMALL if length < 1 else 0.02))
        done += step
        room -= step
        close = np.flatnonzero(room < margin + _ASKED)
        at = start + way * (done / length)
        room[close], which[close] = room_of_each(shape.centers[close] + at, shape.radii[close], obstacles)


def segment_distances(points: Points, start: Vector, end: Vector) -> Floats:
    """Return the distances (n,) of points to a straight piece of line."""
    along = end - start
    t = np.clip(((points - start) @ along) / max(float(along @ along), 1e-12), 0, 1)
    return np.asarray(np.linalg.norm(points - start - t[:, None] * along, axis=1))
