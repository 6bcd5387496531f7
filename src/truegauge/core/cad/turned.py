"""Turned surfaces of a part, and which of them share an axis."""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Vector
from truegauge.core.cad.element import FaceGroup
from truegauge.core.cad.model import Surface

SAME_LENGTH = 1e-3  # mm
SAME_ANGLE = 1e-4


@dataclass(frozen=True, slots=True, eq=False)
class Turned:
    """A turned surface group: extent along z from `low` to `high`, and how far round it goes (rad)."""

    group: FaceGroup
    surface: Surface
    low: float
    high: float
    turn: float

    @property
    def inside(self) -> bool:
        """Whether the material lies outside of it: a hole."""
        return self.surface.outward < 0

    @property
    def axis_point(self) -> Vector:
        """The middle of its axis."""
        return np.asarray(self.surface.origin + (self.low + self.high) / 2 * self.surface.z)


class Coaxial:
    """Turned faces by their axes."""

    def __init__(self, turned: list[Turned]) -> None:
        from scipy.spatial import cKDTree

        self._turned = turned
        self._tree = cKDTree(np.array([_axis_key(t.surface) for t in turned])) if turned else None

    def of(self, one: Turned) -> list[Turned]:
        """Return those on the axis of one."""
        if self._tree is None:
            return []
        rows: set[int] = set()
        for sign in (1.0, -1.0):
            rows |= set(self._tree.query_ball_point(_axis_key(one.surface, sign), 4 * SAME_LENGTH))
        return [self._turned[k] for k in sorted(rows) if are_coaxial(self._turned[k].surface, one.surface)]


def _axis_key(s: Surface, sign: float = 1.0) -> NDArray[np.float64]:
    """Return the place of an axis nearest to the origin, and its direction weighed so that its tolerance is alike."""
    return np.concatenate([s.origin - float(s.origin @ s.z) * s.z, sign * s.z * SAME_LENGTH / SAME_ANGLE])


def are_coaxial(a: Surface, b: Surface) -> bool:
    """Tell whether two turned surfaces share their axis."""
    if np.linalg.norm(np.cross(a.z, b.z)) > SAME_ANGLE:
        return False
    between = b.origin - a.origin
    return bool(np.linalg.norm(between - (between @ a.z) * a.z) < SAME_LENGTH)


def largest_radius(t: Turned) -> float:
    """Return the radius of the wider end of a cone, mm."""
    slope = math.tan(t.surface.half_angle)
    return max(t.surface.radius + h * slope for h in (t.low, t.high))
