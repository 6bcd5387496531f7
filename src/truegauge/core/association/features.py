"""Ideal features in space, and the signed distance of points to them."""

from dataclasses import dataclass, fields
from enum import StrEnum
from typing import Any, ClassVar

import numpy as np

from truegauge.core.arrays import Floats, Points, Rigid, Vector
from truegauge.core.frames import apply, rotate

DIRECTIONS = ("direction", "normal")


class Shape(StrEnum):
    """The shapes of ideal features."""

    POINT = "point"
    LINE = "line"
    PLANE = "plane"
    CIRCLE = "circle"
    SPHERE = "sphere"
    CYLINDER = "cylinder"
    CONE = "cone"
    TORUS = "torus"


@dataclass(frozen=True, slots=True, eq=False)
class Feature:
    """Base of the ideal features; lengths in mm, angles in rad, directions of unit length."""

    shape: ClassVar[Shape]

    def distances(self, points: Points) -> Floats:
        """Return the signed distances (n,): positive away from the axis or centre, or on the normal's side."""
        raise NotImplementedError

    def moved(self, to_from: Rigid) -> "Feature":
        """Return the feature in another frame."""
        changes: dict[str, Any] = {}
        for name, value in self.parameters.items():
            if isinstance(value, np.ndarray):
                changes[name] = rotate(to_from, value) if name in DIRECTIONS else apply(to_from, value)
            else:
                changes[name] = value
        return type(self)(**changes)

    @property
    def parameters(self) -> dict[str, Any]:
        """The parameters by name, as in results and reference data: places and directions (3,), lengths, angles."""
        return {f.name: getattr(self, f.name) for f in fields(self)}


def _axial(points: Points, origin: Vector, direction: Vector) -> tuple[Floats, Floats]:
    """Return heights along and distances from an axis."""
    local = points - origin
    height = local @ direction
    return height, np.linalg.norm(local - np.outer(height, direction), axis=1)


@dataclass(frozen=True, slots=True, eq=False)
class Point(Feature):
    """A point."""

    shape: ClassVar[Shape] = Shape.POINT
    center: Vector

    def distances(self, points: Points) -> Floats:
        """Return distances (never negative)."""
        return np.asarray(np.linalg.norm(points - self.center, axis=1))


@dataclass(frozen=True, slots=True, eq=False)
class Line(Feature):
    """A straight line in space."""

    shape: ClassVar[Shape] = Shape.LINE
    point: Vector
    direction: Vector

    def distances(self, points: Points) -> Floats:
        """Return distances (never negative)."""
        return _axial(points, self.point, self.direction)[1]


@dataclass(frozen=True, slots=True, eq=False)
class Plane(Feature):
    """A plane."""

    shape: ClassVar[Shape] = Shape.PLANE
    point: Vector
    normal: Vector

    def distances(self, points: Points) -> Floats:
        """Return heights over the plane."""
        return np.asarray((points - self.point) @ self.normal)


@dataclass(frozen=True, slots=True, eq=False)
class Circle(Feature):
    """A circle in a plane in space; distances are measured in space."""

    shape: ClassVar[Shape] = Shape.CIRCLE
    center: Vector
    normal: Vector
    radius: float

    def distances(self, points: Points) -> Floats:
        """Return radial distances in the plane of the circle."""
        return np.asarray(_axial(points, self.center, self.normal)[1] - self.radius)


@dataclass(frozen=True, slots=True, eq=False)
class Sphere(Feature):
    """A sphere."""

    shape: ClassVar[Shape] = Shape.SPHERE
    center: Vector
    radius: float

    def distances(self, points: Points) -> Floats:
        """Return radial distances."""
        return np.asarray(np.linalg.norm(points - self.center, axis=1) - self.radius)


@dataclass(frozen=True, slots=True, eq=False)
class Cylinder(Feature):
    """A cylinder; `point` is the point of the axis nearest the centroid of the points."""

    shape: ClassVar[Shape] = Shape.CYLINDER
    point: Vector
    direction: Vector
    radius: float

    def distances(self, points: Points) -> Floats:
        """Return radial distances."""
        return np.asarray(_axial(points, self.point, self.direction)[1] - self.radius)


@dataclass(frozen=True, slots=True, eq=False)
class Cone(Feature):
    """A cone; `direction` leads from the apex into the cone."""

    shape: ClassVar[Shape] = Shape.CONE
    apex: Vector
    direction: Vector
    half_angle_rad: float

    def distances(self, points: Points) -> Floats:
        """Return distances to the mantle."""
        height, radial = _axial(points, self.apex, self.direction)
        return np.asarray(radial * np.cos(self.half_angle_rad) - height * np.sin(self.half_angle_rad))


@dataclass(frozen=True, slots=True, eq=False)
class Torus(Feature):
    """A torus."""

    shape: ClassVar[Shape] = Shape.TORUS
    center: Vector
    direction: Vector
    major_radius: float
    minor_radius: float

    def distances(self, points: Points) -> Floats:
        """Return distances to the surface."""
        height, radial = _axial(points, self.center, self.direction)
        return np.asarray(np.hypot(radial - self.major_radius, height) - self.minor_radius)
