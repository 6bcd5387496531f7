"""What must fit into a zone: each row is a function of the motion whose largest value is the width of the zone.

A motion is a twist (6,): a turn vector (rad) about a point, then a shift (mm), as in `core.datums.freedoms`.
"""

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Points, Rigid, Vector
from truegauge.core.association.features import Feature
from truegauge.core.frames import apply

Matrix = NDArray[np.float64]
# Signed distances (m,) of moved points, and the unit directions (m, 3) in which they grow.
Distances = Callable[[Points], tuple[Floats, Points]]
_Off = tuple[Floats, Points, Points]


def against(feature: Feature, points: Points) -> tuple[Floats, Points]:
    """Return signed distances (n,) of points to a feature and the directions (n, 3) in which they grow."""
    return feature.distances(points), feature.outward(points)


@dataclass(frozen=True, slots=True, eq=False)
class Linear:
    """Values (m,) at a pose and their derivatives (m, 6)."""

    values: Floats
    slopes: Matrix


@dataclass(frozen=True, slots=True, eq=False)
class SurfaceRows:
    """Points (m, 3) against an ideal surface: ``scale * side * (d - middle) - allowance`` for each side.

    `scale` 2 on both sides gives the width of a zone that is symmetrical about `middle`. With `hard`, the values do
    not widen the zone: they must not be above zero (the boundary of a datum).
    """

    points: Points
    distances: Distances
    scale: float | Floats = 2.0
    sides: tuple[float, ...] = (1.0, -1.0)
    middle: float = 0.0
    allowance: float = 0.0
    hard: bool = False
    unit: int = 0
    _last: list[tuple[Rigid, _Off]] = field(default_factory=list, init=False, repr=False)

    def off(self, pose: Rigid) -> tuple[Floats, Points, Points]:
        """Return signed distances from the middle (m,), the moved points and the directions (m, 3)."""
        if self._last and self._last[0][0] is pose:  # a descent asks for level and slopes at one pose
            return self._last[0][1]
        moved = apply(pose, self.points)
        d, normals = self.distances(moved)
        found = d - self.middle, moved, normals
        self._last[:] = [(pose, found)]
        return found

    def linear(self, pose: Rigid, about: Vector) -> Linear:
        """Return values and slopes, the sides one after the other."""
        d, moved, normals = self.off(pose)
        scale = np.broadcast_to(np.asarray(self.scale, dtype=np.float64), d.shape)
        slopes = np.hstack([np.cross(moved - about, normals), normals]) * scale[:, None]
        values = scale * d
        return Linear(
            np.concatenate([side * values - self.allowance for side in self.sides]),
            np.vstack([side * slopes for side in self.sides]),
        )

    def worst(self, pose: Rigid) -> tuple[float, int]:
        """Return the largest value, without the allowance, and the row of its point."""
        d, _, _ = self.off(pose)
        each = np.max([side * np.asarray(self.scale) * d for side in self.sides], axis=0)
        row = int(np.argmax(each))
        return float(each[row]), row


@dataclass(frozen=True, slots=True, eq=False)
class RoundRows:
    """Points (m, 3) in a cylindrical or spherical zone: ``scale * |off| - allowance``.

    `along` (d, 3) are the orthonormal directions that count (two across an axis, three for a point), from `place`.
    """

    points: Points
    place: Vector
    along: Matrix
    scale: float = 2.0
    allowance: float = 0.0
    unit: int = 0

    def off(self, pose: Rigid) -> tuple[Matrix, Points]:
        """Return the vectors (m, d) from the true place, and the moved points."""
        moved = apply(pose, self.points)
        return np.asarray((moved - self.place) @ self.along.T), moved

    def vectors(self, pose: Rigid, about: Vector) -> tuple[Matrix, NDArray[np.float64]]:
        """Return the vectors (m, d) and their slopes (m, d, 6)."""
        off, moved = self.off(pose)
        arms = np.cross((moved - about)[:, None, :], self.along[None])
        return off, np.concatenate([arms, np.broadcast_to(self.along, arms.shape)], axis=2)

    def worst(self, pose: Rigid) -> tuple[float, int]:
        """Return the largest value, without the allowance, and the row of its point."""
        each = self.scale * np.linalg.norm(self.off(pose)[0], axis=1)
        row = int(np.argmax(each))
        return float(each[row]), row


Rows = SurfaceRows | RoundRows
