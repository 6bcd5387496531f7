"""What can be in the way: the part, the reference sphere, the table, fixtures, probes in the rack."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.arrays import Floats, Points, Rigid, Vector, box_corners
from truegauge.core.frames import apply, invert, rotate
from truegauge.core.meeting.gjk import WIDTH
from truegauge.core.meeting.swept import Around, Nearest, Solids, ball, cylinder, moved, nearest_at, solids_at
from truegauge.core.meeting.swept import box as box_of
from truegauge.core.probing.assembly import Bodies
from truegauge.core.probing.clearance import body_solids, segment_distances
from truegauge.core.probing.sphere import ReferenceSphere

if TYPE_CHECKING:
    from truegauge.core.cad.projection import Projector

_FAR = 15.0  # mm between a ball and the box of the part from which its surfaces need not be asked
FOOT_LENGTH, FOOT_RADIUS = 12.0, 16.0  # mm, of what the stem of the sphere stands on
_TABLE_REACH, _TABLE_DEPTH = 5000.0, 500.0  # mm


def sphere_solids(record: ReferenceSphere, center: Vector) -> list[Floats]:
    """Return the reference sphere with its stem and foot as solids."""
    foot = center + record.stem * (record.stem_length + record.radius)
    return [ball(center, record.radius), cylinder(center, foot, record.stem_diameter / 2),
            cylinder(foot, foot + FOOT_LENGTH * record.stem, FOOT_RADIUS)]  # fmt: skip


def _near(name: str, theirs: list[Floats], solids: Solids, way: Vector, limit: float) -> Nearest | None:
    return nearest_at(solids, way, [Around.of_solids(name, theirs)], limit)


class PartObstacle:
    """The part as designed, where the alignment has it; `growth` is how much larger it is than designed."""

    name = "the part"

    def __init__(self, projector: Projector, box: Points, machine_from_part: Rigid, growth: float = 1.0) -> None:
        self.projector, self._box = projector, box
        self.machine_from_part, self.growth = machine_from_part, growth

    @property
    def box(self) -> Points:
        """Its box (2, 3) in its own coordinates, mm."""
        return self._box

    @property
    def top(self) -> float:
        """The height of its box where it lies, mm."""
        return float(apply(self.machine_from_part, self.growth * box_corners(self._box))[:, 2].max())

    def distances(self, points: Points, radii: Floats | float = 0.0) -> Floats:
        """Return the distances (n,) to its surfaces; of balls with much room those to its box."""
        local = apply(invert(self.machine_from_part), points) / self.growth
        outside = np.maximum(np.maximum(self._box[0] - local, local - self._box[1]), 0.0)
        found = np.linalg.norm(outside, axis=1)
        near = np.flatnonzero(found - radii <= _FAR)
        if len(near):
            found[near] = self.near(np.ascontiguousarray(local[near]))
        return np.asarray(found * self.growth)

    def reach(self) -> tuple[Vector, Vector]:
        """Return the corners (3,) of a box around it."""
        corners = apply(self.machine_from_part, self.growth * box_corners(self._box))
        return corners.min(axis=0), corners.max(axis=0)

    def nearest(self, solids: Solids, way: Vector, limit: float) -> Nearest | None:
        """Return how near solids come to its facets, as designed."""
        part_from_machine = invert(self.machine_from_part)
        own = moved(solids, part_from_machine)
        own[:, 1:] /= self.growth
        shift = rotate(part_from_machine, way[None])[0] / self.growth
        facets = Around(self.name, np.zeros((0, WIDTH)), self.projector.tree)
        found = nearest_at(own, shift, [facets], limit / self.growth)
        if found is None:
            return None
        at = apply(self.machine_from_part, self.growth * found.at[None])[0]
        return Nearest(found.distance * self.growth, found.solid, found.name, at)

    def near(self, local: Points) -> Floats:
        """Return the distances (n,) of points close to it, in its own coordinates."""
        return self.projector.deviations(local).distance


class SphereObstacle:
    """The reference sphere with its stem and foot, where it was located."""

    name = "the reference sphere"

    def __init__(self, record: ReferenceSphere, center: Vector) -> None:
        self.record, self.center = record, center
        self._known: tuple[Vector, Vector, Vector, Around] | None = None  # for a centre: stem, foot, all as solids

    def _stands(self) -> tuple[Vector, Vector, Around]:
        """Return the direction of its stem, the end of it, and all of it: asked for again and again."""
        if self._known is None or self._known[0] is not self.center:
            stem = self.record.stem
            foot = self.center + stem * (self.record.stem_length + self.record.radius)
            whole = Around.of_solids(self.name, sphere_solids(self.record, self.center))
            self._known = self.center, stem, foot, whole
        return self._known[1:]

    def radii(self, off: Points) -> Floats | float:
        """Return the radius of the ball in the directions `off` (n, 3) from its centre."""
        return self.record.radius

    def distances(self, points: Points, radii: Floats | float = 0.0) -> Floats:
        """Return the distances (n,) to its surfaces."""
        off = points - self.center
        ball = np.linalg.norm(off, axis=1) - self.radii(off)
        along, foot, _ = self._stands()
        stem = segment_distances(points, self.center, foot) - self.record.stem_diameter / 2
        base = segment_distances(points, foot, foot + FOOT_LENGTH * along) - FOOT_RADIUS
        return np.asarray(np.minimum(np.minimum(ball, stem), base))

    def reach(self) -> tuple[Vector, Vector]:
        """Return the corners (3,) of a box around it."""
        along, stem_end, _ = self._stands()
        foot = stem_end + FOOT_LENGTH * along
        room = max(self.record.radius, FOOT_RADIUS)
        return np.minimum(self.center, foot) - room, np.maximum(self.center, foot) + room

    def nearest(self, solids: Solids, way: Vector, limit: float) -> Nearest | None:
        """Return how near solids come to it."""
        return nearest_at(solids, way, [self._stands()[2]], limit)


@dataclass(frozen=True, slots=True)
class Table:
    """The table of the machine: everything below a height."""

    z: float
    name: str = "the table"

    def distances(self, points: Points, radii: Floats | float = 0.0) -> Floats:
        """Return the heights (n,) above it."""
        return np.asarray(points[:, 2] - self.z)

    def reach(self) -> tuple[Vector, Vector]:
        """Return the corners (3,) of a box around it."""
        return np.full(3, -np.inf), np.array([np.inf, np.inf, self.z])

    def nearest(self, solids: Solids, way: Vector, limit: float) -> Nearest | None:
        """Return how near solids come to it."""
        middle = np.array([solids[0, 2], solids[0, 3], self.z])
        reach = np.array([_TABLE_REACH, _TABLE_REACH, 0.0])
        row = box_of(middle - reach - np.array([0.0, 0.0, _TABLE_DEPTH]), middle + reach)
        return _near(self.name, [row], solids, way, limit)


@dataclass(frozen=True, slots=True, eq=False)
class BoxObstacle:
    """Something on the table, as a box along the axes of the machine: its corners (3,) mm."""

    name: str
    low: Vector
    high: Vector

    def distances(self, points: Points, radii: Floats | float = 0.0) -> Floats:
        """Return the distances (n,) to its surface, negative inside."""
        beyond = np.maximum(self.low - points, points - self.high)
        outside = np.linalg.norm(np.maximum(beyond, 0.0), axis=1)
        return np.asarray(np.where(outside > 0, outside, beyond.max(axis=1)))

    def reach(self) -> tuple[Vector, Vector]:
        """Return the corners (3,) of a box around it."""
        return self.low, self.high

    def nearest(self, solids: Solids, way: Vector, limit: float) -> Nearest | None:
        """Return how near solids come to it."""
        return _near(self.name, [box_of(self.low, self.high)], solids, way, limit)


class ParkedProbe:
    """A probe in its port of the rack; `at` is where the quill stands when it is taken, mm in machine coordinates."""

    def __init__(self, name: str, bodies: Bodies, at: Vector) -> None:
        self.name = f"{name}, in the rack,"
        self._starts, self._ends, self._radii = bodies.starts + at, bodies.ends + at, bodies.radii
        self._solids = list(solids_at(body_solids(bodies), at))
        ends = np.vstack([self._starts, self._ends])
        self.middle = ends.mean(axis=0)
        self._low, self._high = ends.min(axis=0) - self._radii.max(), ends.max(axis=0) + self._radii.max()

    def distances(self, points: Points, radii: Floats | float = 0.0) -> Floats:
        """Return the distances (n,) to its solids; of balls with much room those to the box around them."""
        found = np.linalg.norm(np.maximum(np.maximum(self._low - points, points - self._high), 0.0), axis=1)
        near = np.flatnonzero(found - radii <= _FAR)
        if len(near):
            own = points[near]
            found[near] = np.min([
                segment_distances(own, a, b) - r
                for a, b, r in zip(self._starts, self._ends, self._radii, strict=True)
            ], axis=0)  # fmt: skip
        return np.asarray(found)

    def reach(self) -> tuple[Vector, Vector]:
        """Return the corners (3,) of a box around it."""
        return self._low, self._high

    def nearest(self, solids: Solids, way: Vector, limit: float) -> Nearest | None:
        """Return how near solids come to it."""
        return _near(self.name, self._solids, solids, way, limit)


@dataclass(frozen=True, slots=True, eq=False)
class UnlocatedPart:
    """A part of which nobody knows where it stands: all below a height, but for what is kept free of it.

    Those are upright columns around standards that are touched: `centers` (n, 3) and `radius`, mm.
    """

    z: float
    centers: Points
    radius: float
    name: str = "a part that is not located yet"

    def distances(self, points: Points, radii: Floats | float = 0.0) -> Floats:
        """Return how far (n,) points are within what is free."""
        apart = points[:, None, :2] - self.centers[None, :, :2]
        beside = self.radius - np.linalg.norm(apart, axis=2).min(axis=1)
        return np.asarray(np.maximum(points[:, 2] - self.z, beside))

    def reach(self) -> tuple[Vector, Vector]:
        """Return a box that nothing is in: it is a guess, for which balls are good enough."""
        return np.full(3, np.inf), np.full(3, -np.inf)

    def nearest(self, solids: Solids, way: Vector, limit: float) -> Nearest | None:
        """Return None: it is never asked."""
        return None
