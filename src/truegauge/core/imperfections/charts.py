"""Surfaces laid out flat: two lengths along the surface (mm) and the height over it, there and back."""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats, Normals, Points, Vector


class Chart(ABC):
    """`period` is how far it is around in the first length; 0: it is not closed."""

    period: float = 0.0

    @abstractmethod
    def laid(self, points: Points) -> Points:
        """Return points (n, 3) mm as (n, 3): two lengths along the surface, and the height over it, mm."""

    @abstractmethod
    def back(self, laid: Points) -> Points:
        """Return where laid points (n, 3) are in space, mm."""

    @abstractmethod
    def out(self, laid: Points) -> Normals:
        """Return the direction (n, 3) in which the height grows."""

    @abstractmethod
    def spread(self, laid: Points) -> Floats:
        """Return how much area (n,) of the surface at the height of the points one of the chart stands for."""


@dataclass(frozen=True, slots=True)
class PlaneChart(Chart):
    """Over a plane: `axes` (3, 3), its rows along, along, and out."""

    origin: Vector
    axes: Points

    def laid(self, points: Points) -> Points:
        """See `Chart`."""
        return np.asarray((points - self.origin) @ self.axes.T)

    def back(self, laid: Points) -> Points:
        """See `Chart`."""
        return np.asarray(self.origin + laid @ self.axes)

    def out(self, laid: Points) -> Normals:
        """See `Chart`."""
        return np.broadcast_to(self.axes[2], (len(laid), 3))

    def spread(self, laid: Points) -> Floats:
        """See `Chart`."""
        return np.ones(len(laid))


@dataclass(frozen=True, slots=True)
class RoundChart(Chart):
    """Around an axis (the third row of `axes`): a cylinder, or a cone by its half angle (rad), unrolled.

    The first length is around, the second along the axis (on a cone: along the generator), both on the surface of
    `radius` at the origin. `sign` is -1 where the surface is seen from inside: heights grow towards the axis.
    `seam` (rad) is where it is cut; `is_closed` whether there are points all around.
    """

    origin: Vector
    axes: Points
    radius: float
    half_angle: float = 0.0
    sign: float = 1.0
    seam: float = 0.0
    is_closed: bool = True

    @property
    def period(self) -> float:  # type: ignore[override]
        """See `Chart`."""
        return 2 * np.pi * self.radius if self.is_closed else 0.0

    def laid(self, points: Points) -> Points:
        """See `Chart`."""
        p = (points - self.origin) @ self.axes.T
        across, along = np.hypot(p[:, 0], p[:, 1]), p[:, 2]
        s, c = np.sin(self.half_angle), np.cos(self.half_angle)
        around = np.mod(np.arctan2(p[:, 1], p[:, 0]) - self.seam, 2 * np.pi)
        off = across - self.radius
        return np.column_stack([self.radius * around, c * along + s * off, self.sign * (c * off - s * along)])

    def back(self, laid: Points) -> Points:
        """See `Chart`."""
        s, c = np.sin(self.half_angle), np.cos(self.half_angle)
        height = self.sign * laid[:, 2]
        along, off = c * laid[:, 1] - s * height, s * laid[:, 1] + c * height
        turn = laid[:, 0] / self.radius + self.seam
        across = self.radius + off
        p = np.column_stack([across * np.cos(turn), across * np.sin(turn), along])
        return np.asarray(self.origin + p @ self.axes)

    def out(self, laid: Points) -> Normals:
        """See `Chart`."""
        s, c = np.sin(self.half_angle), np.cos(self.half_angle)
        turn = laid[:, 0] / self.radius + self.seam
        n = np.column_stack([c * np.cos(turn), c * np.sin(turn), np.full(len(laid), -s)])
        return np.asarray(self.sign * n @ self.axes)

    def spread(self, laid: Points) -> Floats:
        """See `Chart`."""
        s, c = np.sin(self.half_angle), np.cos(self.half_angle)
        return np.asarray(np.abs(self.radius + s * laid[:, 1] + c * self.sign * laid[:, 2]) / self.radius)


@dataclass(frozen=True, slots=True)
class BallChart(Chart):
    """On a sphere about `center`: azimuthal, equidistant from where the third row of `axes` meets it.

    `sign` is -1 where it is seen from inside.
    """

    center: Vector
    axes: Points
    radius: float
    sign: float = 1.0

    def laid(self, points: Points) -> Points:
        """See `Chart`."""
        p = (points - self.center) @ self.axes.T
        across, off = np.hypot(p[:, 0], p[:, 1]), np.linalg.norm(p, axis=1)
        arc = self.radius * np.arctan2(across, p[:, 2])
        share = np.divide(arc, across, out=np.ones_like(arc), where=across > 0)
        return np.column_stack([share * p[:, 0], share * p[:, 1], self.sign * (off - self.radius)])

    def _way(self, laid: Points) -> Points:
        arc = np.hypot(laid[:, 0], laid[:, 1])
        turn = arc / self.radius
        share = np.divide(np.sin(turn), arc, out=np.full_like(arc, 1.0 / self.radius), where=arc > 0)
        return np.column_stack([share * laid[:, 0], share * laid[:, 1], np.cos(turn)])

    def back(self, laid: Points) -> Points:
        """See `Chart`."""
        away = self.radius + self.sign * laid[:, 2]
        return np.asarray(self.center + (away[:, None] * self._way(laid)) @ self.axes)

    def out(self, laid: Points) -> Normals:
        """See `Chart`."""
        return np.asarray(self.sign * self._way(laid) @ self.axes)

    def spread(self, laid: Points) -> Floats:
        """See `Chart`."""
        turn = np.hypot(laid[:, 0], laid[:, 1]) / self.radius
        return np.asarray(np.sinc(turn / np.pi) * (1.0 + self.sign * laid[:, 2] / self.radius) ** 2)


def axes_with(out: Vector, along: Vector | None = None) -> Points:
    """Return three axes (3, 3), the third along a direction, the first as near as can be to another."""
    z = np.asarray(out, dtype=np.float64) / np.linalg.norm(out)
    guess = np.eye(3)[int(np.argmin(np.abs(z)))] if along is None else np.asarray(along, dtype=np.float64)
    x = guess - (guess @ z) * z
    x /= np.linalg.norm(x)
    return np.array([x, np.cross(z, x), z])
