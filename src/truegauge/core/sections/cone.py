"""The cone or cylinder of a section about an axis, unrolled: its own coordinates, in which lengths on it are true."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.sections.plane import SectionPlane

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats, Mask, Points, Vector
    from truegauge.core.sections.plane import Flat


@dataclass(frozen=True, slots=True, eq=False)
class SectionCone:
    """About `axis` through `center`, (3,) mm; at the centre it is `radius` off it, and rises along it by `rise`, rad.

    It is unrolled about its generator towards `outward` (3,), square to the axis: x goes along that, y around. Of
    cones beside each other, one a point, the radii may be (n,).
    """

    center: Vector
    axis: Vector
    outward: Vector
    radius: float | Floats
    rise: float

    @property
    def origin(self) -> Vector:
        """Where the coordinates begin (3,), mm."""
        return np.asarray(self.center + self.radius * self.outward)

    @property
    def across(self) -> Vector:
        """The direction (3,) of x at the origin."""
        return np.asarray(np.cos(self.rise) * self.axis + np.sin(self.rise) * self.outward)

    @property
    def up(self) -> Vector:
        """The direction (3,) of y at the origin."""
        return np.cross(self.outward, self.axis)

    @property
    def normal(self) -> Vector:
        """The direction (3,) off the cone at the origin, away from the axis."""
        return np.asarray(np.cos(self.rise) * self.outward - np.sin(self.rise) * self.axis)

    def _polar(self, points: Points) -> tuple[Floats, Floats, Floats]:
        """Return how far along the axis and off it points (n, 3) are, and around it, rad, from the generator on."""
        off = points - self.center
        along = off @ self.axis
        x, y = off @ self.outward, off @ self.up
        return along, np.hypot(x, y), np.arctan2(y, x)

    def _outwards(self, turn: Floats) -> Points:
        return np.asarray(np.cos(turn)[:, None] * self.outward + np.sin(turn)[:, None] * self.up)

    def heights(self, points: Points) -> Floats:
        """Return how far (n,) points (n, 3) are off the cone, outwards."""
        along, off, _ = self._polar(points)
        return np.asarray(np.cos(self.rise) * (off - self.radius) - np.sin(self.rise) * along)

    def normals_at(self, points: Points) -> Points:
        """Return the unit normals (n, 3) of the cone beside points (n, 3)."""
        return np.asarray(np.cos(self.rise) * self._outwards(self._polar(points)[2]) - np.sin(self.rise) * self.axis)

    def is_beside(self, points: Points) -> Mask:
        """Return which points (n, 3) are on the side of the axis that the cone is unrolled about the middle of."""
        return np.asarray((points - self.center) @ self.outward > 0)

    def flat(self, points: Points) -> Flat:
        """Return the coordinates (n, 2) of the feet of points (n, 3)."""
        along, off, turn = self._polar(points)
        own = along * np.cos(self.rise) + (off - self.radius) * np.sin(self.rise)
        unrolled = turn * np.sin(self.rise)
        # Places of a circle about the tip of the cone, written so that they hold where that is far away or nowhere.
        around = self.radius * turn
        x = own * np.cos(unrolled) - around * np.sin(unrolled / 2) * np.sinc(unrolled / (2 * np.pi))
        return np.column_stack([x, own * np.sin(unrolled) + around * np.sinc(unrolled / np.pi)])

    def flat_directions(self, vectors: Points, at: Points | None = None) -> Flat:
        """Return the part (n, 2) of directions (n, 3) along the cone beside points (n, 3); without, at the origin."""
        if at is None:
            return np.asarray(vectors @ np.array([self.across, self.up]).T)
        turn = self._polar(at)[2]
        out = self._outwards(turn)
        along = np.cos(self.rise) * (vectors @ self.axis) + np.sin(self.rise) * np.einsum("ij,ij->i", vectors, out)
        around = np.einsum("ij,ij->i", vectors, np.cross(out, self.axis))
        c, s = np.cos(turn * np.sin(self.rise)), np.sin(turn * np.sin(self.rise))
        return np.column_stack([along * c - around * s, along * s + around * c])

    def solid(self, flat: Flat) -> Points:
        """Return the points (n, 3) in part coordinates at coordinates (n, 2) of the section."""
        x, y = np.asarray(flat, dtype=np.float64).T
        k = np.sin(self.rise)
        turn = y / self.radius if k == 0.0 else np.arctan2(k * y, self.radius + k * x) / k
        tip = np.hypot(self.radius + k * x, k * y)
        own = (2 * self.radius * x + k * (x * x + y * y)) / (tip + self.radius)
        off = self.radius + own * k
        return np.asarray(
            self.center + (own * np.cos(self.rise))[:, None] * self.axis + off[:, None] * self._outwards(turn)
        )

    def through(self, points: Points) -> SectionCone:
        """Return the cones beside this one that points (n, 3) lie on, with the same rise."""
        return replace(self, radius=self.radius + self.heights(points) / np.cos(self.rise))


SectionSurface = SectionPlane | SectionCone
