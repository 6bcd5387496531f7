"""How far a probe is from what stands around it, and how far it can move without meeting it."""

from dataclasses import dataclass
from typing import Protocol

import numpy as np

from truegauge.core.arrays import Floats, Points, Vector
from truegauge.core.probing.assembly import Bodies, StylusPlace

_SPACING = 2.5  # mm between the points that stand for a solid, at most
_SMALL = 1e-3


class Obstacle(Protocol):
    """Something that a probe may meet."""

    @property
    def name(self) -> str:
        """What it is, in words."""

    def distances(self, points: Points) -> Floats:
        """Return the distance (n,) mm of points (n, 3) to it, negative inside."""


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


def gap(shape: ProbeShape, at: Vector, obstacles: tuple[Obstacle, ...]) -> tuple[float, str, str]:
    """Return the smallest room between a probe at a place of the quill and anything, which part of it, and to what."""
    best = (np.inf, "", "")
    if not len(shape.centers):
        return best
    centers = shape.centers + at
    for obstacle in obstacles:
        room = obstacle.distances(centers) - shape.radii
        k = int(np.argmin(room))
        if room[k] < best[0]:
            best = (float(room[k]), shape.owner[k], obstacle.name)
    return best


def first_meeting(
    shape: ProbeShape, start: Vector, end: Vector, obstacles: tuple[Obstacle, ...], margin: float = 0.0
) -> Meeting | None:
    """Return where a probe meets something on a straight way of the quill; None when the way is free.

    Every point of the probe moves as far as the quill, so that it may always go on by the room that is left
    (conservative advancement).
    """
    way = end - start
    length = float(np.linalg.norm(way))
    done = 0.0
    while True:
        at = start + way * (done / length) if length > 0 else start
        room, part, obstacle = gap(shape, at, obstacles)
        if room < margin:
            return Meeting(part, obstacle, at)
        if done >= length:
            return None
        done = min(length, done + max(room - margin, _SMALL if length < 1 else 0.02))


def segment_distances(points: Points, start: Vector, end: Vector) -> Floats:
    """Return the distances (n,) of points to a straight piece of line."""
    along = end - start
    t = np.clip(((points - start) @ along) / max(float(along @ along), 1e-12), 0, 1)
    return np.asarray(np.linalg.norm(points - start - t[:, None] * along, axis=1))
