"""What can be in the way: the part, the reference sphere, the table, fixtures, probes in the rack."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.arrays import Floats, Points, Rigid, Vector
from truegauge.core.frames import apply, invert
from truegauge.core.probing.assembly import Bodies
from truegauge.core.probing.clearance import segment_distances
from truegauge.core.probing.sphere import ReferenceSphere

if TYPE_CHECKING:
    from truegauge.core.cad.projection import Projector

_FAR = 15.0  # mm between a ball and the box of the part from which its surfaces need not be asked
_FOOT_LENGTH, _FOOT_RADIUS = 12.0, 16.0


class PartObstacle:
    """The part as designed, where the alignment has it; `growth` is how much larger it is than designed."""

    name = "the part"

    def __init__(self, projector: Projector, box: Points, machine_from_part: Rigid, growth: float = 1.0) -> None:
        self.projector, self._box = projector, box
        self.machine_from_part, self.growth = machine_from_part, growth

    @property
    def top(self) -> float:
        """The height of its box where it lies, mm."""
        low, high = self._box
        corners = np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
        return float(apply(self.machine_from_part, self.growth * corners)[:, 2].max())

    def distances(self, points: Points, radii: Floats | float = 0.0) -> Floats:
        """Return the distances (n,) to its surfaces; of balls with much room those to its box."""
        local = apply(invert(self.machine_from_part), points) / self.growth
        outside = np.maximum(np.maximum(self._box[0] - local, local - self._box[1]), 0.0)
        found = np.linalg.norm(outside, axis=1)
        near = np.flatnonzero(found - radii <= _FAR)
        if len(near):
            found[near] = self.near(np.ascontiguousarray(local[near]))
        return np.asarray(found * self.growth)

    def near(self, local: Points) -> Floats:
        """Return the distances (n,) of points close to it, in its own coordinates."""
        return self.projector.deviations(local).distance


class SphereObstacle:
    """The reference sphere with its stem and foot, where it was located."""

    name = "the reference sphere"

    def __init__(self, record: ReferenceSphere, center: Vector) -> None:
        self.record, self.center = record, center

    def radii(self, off: Points) -> Floats | float:
        """Return the radius of the ball in the directions `off` (n, 3) from its centre."""
        return self.record.radius

    def distances(self, points: Points, radii: Floats | float = 0.0) -> Floats:
        """Return the distances (n,) to its surfaces."""
        off = points - self.center
        ball = np.linalg.norm(off, axis=1) - self.radii(off)
        foot = self.center + self.record.stem * (self.record.stem_length + self.record.radius)
        stem = segment_distances(points, self.center, foot) - self.record.stem_diameter / 2
        base = segment_distances(points, foot, foot + _FOOT_LENGTH * self.record.stem) - _FOOT_RADIUS
        return np.asarray(np.minimum(np.minimum(ball, stem), base))


@dataclass(frozen=True, slots=True)
class Table:
    """The table of the machine: everything below a height."""

    z: float
    name: str = "the table"

    def distances(self, points: Points, radii: Floats | float = 0.0) -> Floats:
        """Return the heights (n,) above it."""
        return np.asarray(points[:, 2] - self.z)


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


class ParkedProbe:
    """A probe in its port of the rack; `at` is where the quill stands when it is taken, mm in machine coordinates."""

    def __init__(self, name: str, bodies: Bodies, at: Vector) -> None:
        self.name = f"{name}, in the rack,"
        self._starts, self._ends, self._radii = bodies.starts + at, bodies.ends + at, bodies.radii
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


@dataclass(frozen=True, slots=True, eq=False)
class UnlocatedPart:
    """A part of which nobody knows where it stands: all below a height, but for what is kept free of it.

    That is an upright column around the reference sphere: `center` (3,) and `radius`, mm.
    """

    z: float
    center: Vector
    radius: float
    name: str = "a part that is not located yet"

    def distances(self, points: Points, radii: Floats | float = 0.0) -> Floats:
        """Return how far (n,) points are within what is free."""
        beside = self.radius - np.linalg.norm(points[:, :2] - self.center[:2], axis=1)
        return np.asarray(np.maximum(points[:, 2] - self.z, beside))
