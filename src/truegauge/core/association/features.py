"""Ideal features in space, and the signed distance of points to them."""

from dataclasses import dataclass
from enum import StrEnum
from typing import Any, ClassVar, Self

import numpy as np

from truegauge.core.arrays import Floats, Points, Rigid, Vector, for_reading
from truegauge.core.association import kernels
from truegauge.core.association.axes import axes_along, flat_axes
from truegauge.core.frames import apply, rotate

PLACES = ("point", "center", "apex")
DIRECTIONS = ("direction", "normal")
LENGTHS = ("radius", "major_radius", "minor_radius", "length", "width", "depth")


class Shape(StrEnum):
    """The shapes of ideal features."""

    POINT = "point"
    LINE = "line"
    PLANE = "plane"
    CIRCLE = "circle"
    ELLIPSE = "ellipse"
    SLOT = "slot"
    SQUARE_SLOT = "square_slot"
    SPHERE = "sphere"
    CYLINDER = "cylinder"
    CONE = "cone"
    TORUS = "torus"
    WIDTH = "width"
    COUNTERSINK = "countersink"


@dataclass(frozen=True, slots=True)
class Pose:
    """Where a shape is: origin (3,), rows x, y, z of its own axes (3, 3), sizes (2,), and the kernels' code for it."""

    code: int
    origin: Vector
    axes: Points
    sizes: Floats

    def read(self) -> tuple[Any, ...]:
        """Return code, origin, axes and sizes as the kernels read them."""
        return self.code, for_reading(self.origin), for_reading(self.axes), for_reading(self.sizes)

    def distances(self, points: Points) -> Floats:
        """Return the signed distances (n,) of points to the shape."""
        code, *own = self.read()
        return np.asarray(kernels.signed_distances(code, *own, for_reading(points)))  # type: ignore[no-untyped-call]


@dataclass(frozen=True, slots=True, eq=False)
class Feature:
    """Base of the ideal features; lengths in mm, angles in rad, directions of unit length."""

    shape: ClassVar[Shape]

    @property
    def pose(self) -> Pose:
        """The feature as the kernels see it."""
        raise NotImplementedError

    @classmethod
    def at(cls, pose: Pose) -> Self:
        """Return the feature with a pose."""
        raise NotImplementedError

    def distances(self, points: Points) -> Floats:
        """Return the signed distances (n,): positive away from the axis or centre, or on the normal's side."""
        return self.pose.distances(points)

    def outward(self, points: Points) -> Points:
        """Return the unit directions (n, 3) in which the distances grow."""
        code, *own = self.pose.read()
        return np.asarray(kernels.gradients(code, *own, for_reading(points)))  # type: ignore[no-untyped-call]

    def moved(self, to_from: Rigid) -> Self:
        """Return the feature in another frame."""
        changes: dict[str, Any] = {}
        for name, value in self.parameters.items():
            if isinstance(value, np.ndarray):
                changes[name] = rotate(to_from, value) if name in DIRECTIONS else apply(to_from, value)
            else:
                changes[name] = value
        return type(self)(**changes)

    def scaled(self, factor: float, shift: Vector) -> Self:
        """Return the feature of points that are multiplied, then shifted."""
        changes = [
            value * factor + shift if name in PLACES else value * factor if name in LENGTHS else value
            for name, value in self.parameters.items()
        ]
        return type(self)(*changes)

    def with_direction(self, name: str, value: Vector) -> Self:
        """Return the feature with another direction."""
        return type(self)(**{**self.parameters, name: value})

    @property
    def parameters(self) -> dict[str, Any]:
        """The parameters by name, as in results and reference data: places and directions (3,), lengths, angles."""
        names: tuple[str, ...] = self.__slots__  # type: ignore[attr-defined]
        return {name: getattr(self, name) for name in names}


def _sizes(first: float = 0.0, second: float = 0.0) -> Floats:
    return np.array([first, second])


@dataclass(frozen=True, slots=True, eq=False)
class Point(Feature):
    """A point."""

    shape: ClassVar[Shape] = Shape.POINT
    center: Vector

    @property
    def pose(self) -> Pose:
        """A sphere without radius: distances are never negative."""
        return Pose(kernels.SPHERE, self.center, np.eye(3), _sizes())

    @classmethod
    def at(cls, pose: Pose) -> Self:
        """Return the origin of the pose."""
        return cls(pose.origin)


@dataclass(frozen=True, slots=True, eq=False)
class Line(Feature):
    """A straight line in space; distances are never negative."""

    shape: ClassVar[Shape] = Shape.LINE
    point: Vector
    direction: Vector

    @property
    def pose(self) -> Pose:
        """The line along z."""
        return Pose(kernels.LINE, self.point, axes_along(self.direction), _sizes())

    @classmethod
    def at(cls, pose: Pose) -> Self:
        """Return the line along z."""
        return cls(pose.origin, pose.axes[2])


@dataclass(frozen=True, slots=True, eq=False)
class LineInPlane(Feature):
    """A straight line in a plane given by its normal; distances are signed and measured in the plane."""

    shape: ClassVar[Shape] = Shape.LINE
    point: Vector
    direction: Vector
    normal: Vector

    @property
    def pose(self) -> Pose:
        """The line along x, the plane across z."""
        return Pose(kernels.FLAT_LINE, self.point, flat_axes(self.direction, self.normal), _sizes())

    @classmethod
    def at(cls, pose: Pose) -> Self:
        """Return the line along x."""
        return cls(pose.origin, pose.axes[0], pose.axes[2])


@dataclass(frozen=True, slots=True, eq=False)
class Plane(Feature):
    """A plane."""

    shape: ClassVar[Shape] = Shape.PLANE
    point: Vector
    normal: Vector

    @property
    def pose(self) -> Pose:
        """The plane across z."""
        return Pose(kernels.PLANE, self.point, axes_along(self.normal), _sizes())

    @classmethod
    def at(cls, pose: Pose) -> Self:
        """Return the plane across z."""
        return cls(pose.origin, pose.axes[2])


@dataclass(frozen=True, slots=True, eq=False)
class Circle(Feature):
    """A circle in a plane in space; distances are measured in that plane."""

    shape: ClassVar[Shape] = Shape.CIRCLE
    center: Vector
    normal: Vector
    radius: float

    @property
    def pose(self) -> Pose:
        """The circle across z."""
        return Pose(kernels.CIRCLE, self.center, axes_along(self.normal), _sizes(self.radius))

    @classmethod
    def at(cls, pose: Pose) -> Self:
        """Return the circle across z."""
        return cls(pose.origin, pose.axes[2], float(pose.sizes[0]))


@dataclass(frozen=True, slots=True, eq=False)
class Ellipse(Feature):
    """An ellipse in a plane in space, its long axis along `direction`; distances are measured in that plane."""

    shape: ClassVar[Shape] = Shape.ELLIPSE
    center: Vector
    normal: Vector
    direction: Vector
    major_radius: float
    minor_radius: float

    @property
    def pose(self) -> Pose:
        """The long axis along x."""
        axes = flat_axes(self.direction, self.normal)
        return Pose(kernels.ELLIPSE, self.center, axes, _sizes(self.major_radius, self.minor_radius))

    @classmethod
    def at(cls, pose: Pose) -> Self:
        """Return the ellipse, its longer axis first."""
        a, b = (float(s) for s in pose.sizes)
        long_axis = pose.axes[0] if a >= b else pose.axes[1]
        return cls(pose.origin, pose.axes[2], long_axis, max(a, b), min(a, b))


@dataclass(frozen=True, slots=True, eq=False)
class Slot(Feature):
    """A slot with round ends in a plane in space; `length` over all along `direction`."""

    shape: ClassVar[Shape] = Shape.SLOT
    center: Vector
    normal: Vector
    direction: Vector
    length: float
    width: float

    @property
    def pose(self) -> Pose:
        """The length along x."""
        axes = flat_axes(self.direction, self.normal)
        return Pose(kernels.ROUND_SLOT, self.center, axes, _sizes((self.length - self.width) / 2, self.width / 2))

    @classmethod
    def at(cls, pose: Pose) -> Self:
        """Return the slot along x."""
        straight, half = (float(s) for s in pose.sizes)
        return cls(pose.origin, pose.axes[2], pose.axes[0], 2 * (straight + half), 2 * half)


@dataclass(frozen=True, slots=True, eq=False)
class SquareSlot(Feature):
    """A slot with square ends in a plane in space; `length` along `direction`."""

    shape: ClassVar[Shape] = Shape.SQUARE_SLOT
    center: Vector
    normal: Vector
    direction: Vector
    length: float
    width: float

    @property
    def pose(self) -> Pose:
        """The length along x."""
        axes = flat_axes(self.direction, self.normal)
        return Pose(kernels.SQUARE_SLOT, self.center, axes, _sizes(self.length / 2, self.width / 2))

    @classmethod
    def at(cls, pose: Pose) -> Self:
        """Return the slot along its longer side."""
        a, b = (2 * float(s) for s in pose.sizes)
        return cls(pose.origin, pose.axes[2], pose.axes[0] if a >= b else pose.axes[1], max(a, b), min(a, b))


@dataclass(frozen=True, slots=True, eq=False)
class Sphere(Feature):
    """A sphere."""

    shape: ClassVar[Shape] = Shape.SPHERE
    center: Vector
    radius: float

    @property
    def pose(self) -> Pose:
        """The axes of the frame it is given in."""
        return Pose(kernels.SPHERE, self.center, np.eye(3), _sizes(self.radius))

    @classmethod
    def at(cls, pose: Pose) -> Self:
        """Return the sphere about the origin of the pose."""
        return cls(pose.origin, float(pose.sizes[0]))


@dataclass(frozen=True, slots=True, eq=False)
class Cylinder(Feature):
    """A cylinder; `point` is the point of the axis nearest the centroid of the points."""

    shape: ClassVar[Shape] = Shape.CYLINDER
    point: Vector
    direction: Vector
    radius: float

    @property
    def pose(self) -> Pose:
        """The axis along z."""
        return Pose(kernels.CYLINDER, self.point, axes_along(self.direction), _sizes(self.radius))

    @classmethod
    def at(cls, pose: Pose) -> Self:
        """Return the cylinder along z."""
        return cls(pose.origin, pose.axes[2], float(pose.sizes[0]))


@dataclass(frozen=True, slots=True, eq=False)
class Cone(Feature):
    """A cone; `direction` leads from the apex into the cone."""

    shape: ClassVar[Shape] = Shape.CONE
    apex: Vector
    direction: Vector
    half_angle_rad: float

    @property
    def pose(self) -> Pose:
        """The axis along z; the origin at the apex, until a solver moves it to the points."""
        return Pose(kernels.CONE, self.apex, axes_along(self.direction), _sizes(0.0, self.half_angle_rad))

    @classmethod
    def at(cls, pose: Pose) -> Self:
        """Return the cone along z with the apex where the radius is 0."""
        radius, angle = (float(s) for s in pose.sizes)
        return cls(pose.origin - radius / np.tan(angle) * pose.axes[2], pose.axes[2], angle)


@dataclass(frozen=True, slots=True, eq=False)
class Torus(Feature):
    """A torus."""

    shape: ClassVar[Shape] = Shape.TORUS
    center: Vector
    direction: Vector
    major_radius: float
    minor_radius: float

    @property
    def pose(self) -> Pose:
        """The axis along z."""
        sizes = _sizes(self.major_radius, self.minor_radius)
        return Pose(kernels.TORUS, self.center, axes_along(self.direction), sizes)

    @classmethod
    def at(cls, pose: Pose) -> Self:
        """Return the torus about z."""
        return cls(pose.origin, pose.axes[2], float(pose.sizes[0]), float(pose.sizes[1]))


@dataclass(frozen=True, slots=True, eq=False)
class ParallelPlanes(Feature):
    """Two parallel planes `width` apart, `center` between them; distances are positive outside of the two."""

    shape: ClassVar[Shape] = Shape.WIDTH
    center: Vector
    normal: Vector
    width: float

    @property
    def pose(self) -> Pose:
        """The planes across z."""
        return Pose(kernels.WIDTH, self.center, axes_along(self.normal), _sizes(self.width / 2))

    @classmethod
    def at(cls, pose: Pose) -> Self:
        """Return the planes across z."""
        return cls(pose.origin, pose.axes[2], 2 * float(pose.sizes[0]))


@dataclass(frozen=True, slots=True, eq=False)
class Countersink(Feature):
    """A countersink: `radius` where it begins, at `center`; `direction` leads out of it, `depth` down to its bore."""

    shape: ClassVar[Shape] = Shape.COUNTERSINK
    center: Vector
    direction: Vector
    radius: float
    half_angle_rad: float
    depth: float

    @property
    def pose(self) -> Pose:
        """Its cone, the axis along z."""
        return Pose(kernels.CONE, self.center, axes_along(self.direction), _sizes(self.radius, self.half_angle_rad))
