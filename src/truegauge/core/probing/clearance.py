"""How far a probe is from what stands around it, and how far it can move without meeting it.

Balls stand for its solids where much has to be asked quickly. They lie within the solids, whose ends are flat: at the
rims of a thick one (a head) they miss millimetres. What they find free is therefore looked at by the solids themselves.
"""

from dataclasses import dataclass, field
from typing import Protocol

import numpy as np
from numba import njit

from truegauge.core.arrays import Floats, Mask, Points, Vector, for_reading
from truegauge.core.meeting.gjk import WIDTH
from truegauge.core.meeting.swept import Nearest, Solids, box_around, cylinder, solids_at
from truegauge.core.probing.assembly import Bodies, StylusPlace

_SPACING = 2.5  # mm between the points that stand for a solid, at most
_SMALL = 1e-3
_ASKED = 1.0  # mm beyond the room asked for within which a ball's room is worked out again
_MEETS = 1e-6  # mm: what is nearer meets
_HALVINGS = 20  # of a way, until the place where it meets something is told


class Obstacle(Protocol):
    """Something that a probe may meet."""

    @property
    def name(self) -> str:
        """What it is, in words."""

    def distances(self, points: Points, radii: Floats | float = 0.0) -> Floats:
        """Return the distance (n,) mm of points (n, 3) to it, negative inside.

        They are the middles of balls of `radii` (n,): where a ball has much room, less may be said than there is.
        """

    def reach(self) -> tuple[Vector, Vector]:
        """Return the corners (3,) of a box around it."""

    def nearest(self, solids: Solids, way: Vector, limit: float) -> Nearest | None:
        """Return how near solids come that are shifted by `way` (3,); None: not within `limit` mm."""


@dataclass(frozen=True, slots=True, eq=False)
class ProbeShape:
    """A probe as balls: centres (n, 3) in the coordinates of the quill, radii (n,), what each belongs to.

    `solids` (m, width) are its bodies as they are, without tips, and what each of them belongs to.
    """

    centers: Points
    radii: Floats
    owner: tuple[str, ...]
    solids: Solids = field(default_factory=lambda: np.zeros((0, WIDTH)))
    owner_of_solids: tuple[str, ...] = ()

    def only(self, balls: Mask, without: str) -> "ProbeShape":
        """Return some of its balls (n,), and the solids of all but one component."""
        rows = [k for k, o in enumerate(self.owner_of_solids) if o != without]
        owner = tuple(o for o, keep in zip(self.owner, balls, strict=True) if keep)
        return ProbeShape(self.centers[balls], self.radii[balls], owner, self.solids[rows],
                          tuple(self.owner_of_solids[k] for k in rows))  # fmt: skip


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
    solids = body_solids(bodies)
    return ProbeShape(np.array(centers).reshape(-1, 3), np.array(radii), tuple(owner), solids, bodies.owner)


def body_solids(bodies: Bodies) -> Solids:
    """Return the bodies of a probe as solids (n, width)."""
    rows = [cylinder(s, e, r) for s, e, r in zip(bodies.starts, bodies.ends, bodies.radii, strict=True)]
    return np.array(rows).reshape(-1, WIDTH)


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


def gap(
    shape: ProbeShape, at: Vector, obstacles: tuple[Obstacle, ...], exactly: float = 2.0
) -> tuple[float, str, str]:  # fmt: skip
    """Return the smallest room between a probe at a place of the quill and anything, which part of it, and to what.

    More than `exactly` mm may be said to be more than it is. What meets has less than none: how deep it is, only the
    balls tell.
    """
    room, which = room_of_each(shape.centers + at, shape.radii, obstacles)
    best = (np.inf, "", "")
    if len(room) and which.max() >= 0:
        k = int(np.argmin(room))
        best = float(room[k]), shape.owner[k], obstacles[which[k]].name
    if best[0] > 0:
        found = nearest_solid(shape, at, at, obstacles, min(best[0], exactly))
        if found is not None:
            room_left = found.distance if found.distance > _MEETS else -_SMALL
            best = room_left, shape.owner_of_solids[found.solid], found.name
    return best


def nearest_solid(
    shape: ProbeShape, start: Vector, end: Vector, obstacles: tuple[Obstacle, ...], limit: float
) -> Nearest | None:  # fmt: skip
    """Return what the solids of a probe come nearest to on a straight way; None: nothing within `limit` mm."""
    best: Nearest | None = None
    if not len(shape.solids):
        return best
    own, way = solids_at(shape.solids, start), end - start
    low, high = box_around(own, way)
    for obstacle in obstacles:
        lowest, highest = obstacle.reach()
        if (low < highest + limit).all() and (high > lowest - limit).all():
            best = obstacle.nearest(own, way, limit if best is None else best.distance) or best
    return best


def first_meeting(
    shape: ProbeShape, start: Vector, end: Vector, obstacles: tuple[Obstacle, ...], margin: float = 0.0
) -> Meeting | None:
    """Return where a probe meets something on a straight way of the quill; None when the way is free.

    With a negative margin, as on the way out of something, only the balls are asked.
    """
    met = _first_by_balls(shape, start, end, obstacles, margin)
    if met is not None or margin < 0:
        return met
    found = nearest_solid(shape, start, end, obstacles, margin)
    if found is None:
        return None
    low, high = 0.0, 1.0
    for _ in range(_HALVINGS):
        half = (low + high) / 2
        free = nearest_solid(shape, start, start + half * (end - start), obstacles, margin) is None
        low, high = (half, high) if free else (low, half)
    return Meeting(shape.owner_of_solids[found.solid], found.name, start + low * (end - start))


def _first_by_balls(
    shape: ProbeShape, start: Vector, end: Vector, obstacles: tuple[Obstacle, ...], margin: float
) -> Meeting | None:
    """Return the first meeting of the balls.

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
    out = np.empty(len(points))
    _to_segment(for_reading(points), np.asarray(start, dtype=np.float64), np.asarray(end, dtype=np.float64), out)
    return out


@njit(cache=True, nogil=True)
def _to_segment(points, start, end, out):  # type: ignore[no-untyped-def]
    ax, ay, az = end[0] - start[0], end[1] - start[1], end[2] - start[2]
    square = max(ax * ax + ay * ay + az * az, 1e-12)
    for i in range(points.shape[0]):
        x, y, z = points[i, 0] - start[0], points[i, 1] - start[1], points[i, 2] - start[2]
        t = min(max((x * ax + y * ay + z * az) / square, 0.0), 1.0)
        x, y, z = x - t * ax, y - t * ay, z - t * az
        out[i] = np.sqrt(x * x + y * y + z * z)
