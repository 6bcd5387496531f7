"""What a feature offers to be built from: its place, its axis, its plane, its size."""

from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Points, Vector
from truegauge.core.association.features import (
    Circle,
    Cone,
    Countersink,
    Cylinder,
    Ellipse,
    Feature,
    Line,
    LineInPlane,
    ParallelPlanes,
    Plane,
    Point,
    Slot,
    Sphere,
    SquareSlot,
    Torus,
)


@dataclass(frozen=True, slots=True, eq=False)
class Operand:
    """A feature with the middle of what was measured of it (3,), and its extent along its axis or across, mm.

    `points` (n, 3) are those it is associated with; None of a nominal or a constructed feature.
    """

    feature: Feature
    middle: Vector
    length: float = 0.0
    points: Points | None = None


def place_of(feature: Feature) -> Vector | None:
    """Return the point that a feature stands for: itself or its centre; None for lines and planes."""
    if isinstance(feature, Point | Circle | Countersink | Ellipse | Slot | SquareSlot | Sphere | Torus):
        return feature.center
    return None


def axis_of(feature: Feature) -> Line | None:
    """Return the straight line that a feature stands for: itself or its axis."""
    match feature:
        case Line():
            return feature
        case LineInPlane() | Cylinder():
            return Line(feature.point, feature.direction)
        case Cone():
            return Line(feature.apex, feature.direction)
        case Torus():
            return Line(feature.center, feature.direction)
    return None


def own_axis_of(feature: Feature) -> Line | None:
    """Return the line of features that are nothing but an axis: not of a torus, which stands for its centre first."""
    return None if isinstance(feature, Torus) else axis_of(feature)


def plane_of(feature: Feature) -> Plane | None:
    """Return the plane that a feature stands for: itself, the middle of two, or the one it lies in."""
    match feature:
        case Plane():
            return feature
        case ParallelPlanes():
            return Plane(feature.center, feature.normal)
    return None


def radius_of(feature: Feature) -> float:
    """Return the radius of a round feature, else 0."""
    if isinstance(feature, Circle | Sphere | Cylinder):
        return feature.radius
    return feature.major_radius + feature.minor_radius if isinstance(feature, Torus) else 0.0


def foot_on_line(line: Line, point: Vector) -> Vector:
    """Return the point of a line nearest a point."""
    return np.asarray(line.point + float((point - line.point) @ line.direction) * line.direction)


def foot_on_plane(plane: Plane, point: Vector) -> Vector:
    """Return the point of a plane nearest a point."""
    return np.asarray(point - float((point - plane.point) @ plane.normal) * plane.normal)


def nearest_points(a: Line, b: Line) -> tuple[Vector, Vector] | None:
    """Return the points of two lines nearest each other; None when they are parallel."""
    cross = np.cross(a.direction, b.direction)
    square = float(cross @ cross)
    if square < 1e-14:
        return None
    between = b.point - a.point
    s = float(np.cross(between, b.direction) @ cross) / square
    t = float(np.cross(between, a.direction) @ cross) / square
    return np.asarray(a.point + s * a.direction), np.asarray(b.point + t * b.direction)
