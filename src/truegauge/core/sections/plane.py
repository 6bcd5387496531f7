"""The plane of a section with its own coordinates."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Mask, Points, Vector
from truegauge.core.association.axes import axes_along

Flat = NDArray[np.float64]  # (n, 2) mm, coordinates of the section


def upright(normal: Vector) -> Points:
    """Return rows x, y, normal of a right-handed frame, x along an axis of the part where that can be."""
    for axis in np.eye(3):
        if abs(float(axis @ normal)) < 0.7:
            x = axis - float(axis @ normal) * normal
            x /= np.linalg.norm(x)
            return np.vstack([x, np.cross(normal, x), normal])
    return axes_along(normal)


@dataclass(frozen=True, slots=True, eq=False)
class SectionPlane:
    """`origin` (3,) mm, and unit vectors: `across` and `up` in the plane, `normal` towards the eye."""

    origin: Vector
    across: Vector
    up: Vector
    normal: Vector

    def flat(self, points: Points) -> Flat:
        """Return the coordinates (n, 2) in the section of points (n, 3)."""
        return np.asarray((points - self.origin) @ np.array([self.across, self.up]).T)

    def heights(self, points: Points) -> Floats:
        """Return how far (n,) points (n, 3) are off the plane, towards the eye."""
        return np.asarray((points - self.origin) @ self.normal)

    def normals_at(self, points: Points) -> Points:
        """Return the normals (n, 3) of the plane beside points (n, 3): all the same."""
        return np.broadcast_to(self.normal, np.shape(points))

    def is_beside(self, points: Points) -> Mask:
        """Return which points (n, 3) the plane is in reach of: all."""
        return np.ones(len(points), dtype=bool)

    def through(self, points: Points) -> SectionPlane:
        """Return a plane with the coordinates of the parallel ones that points (n, 3) lie in: this one."""
        return self

    def flat_directions(self, vectors: Points, at: Points | None = None) -> Flat:
        """Return the part (n, 2) of directions (n, 3) that lies in the plane, the same at all points (n, 3)."""
        return np.asarray(vectors @ np.array([self.across, self.up]).T)

    def solid(self, flat: Flat) -> Points:
        """Return the points (n, 3) in part coordinates at coordinates (n, 2) of the section."""
        return np.asarray(self.origin + flat @ np.array([self.across, self.up]))


def section_plane(
    origin: tuple[float, float, float], normal: tuple[float, float, float],
    across: tuple[float, float, float] | None = None,
) -> SectionPlane:  # fmt: skip
    """Return the plane; without a direction `across` one along an axis of the part."""
    z = np.array(normal) / np.linalg.norm(normal)
    if across is None:
        x, y, _ = upright(z)
        # Read a drawing upright: z of the part up where it lies in the plane.
        if abs(x[2]) > abs(y[2]):
            x, y = (-y, x) if x[2] > 0 else (y, -x)
        elif y[2] < 0:
            x, y = -x, -y
    else:
        x = np.array(across) - float(np.array(across) @ z) * z
        x /= np.linalg.norm(x)
        y = np.cross(z, x)
    return SectionPlane(np.array(origin, dtype=np.float64), x, y, z)
