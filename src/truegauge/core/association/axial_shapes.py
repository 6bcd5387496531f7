"""Least-squares cylinder, cone and torus (orthogonal distances), from several starts when nothing is known.

The starts go over an even set of axis directions; with the direction given, each shape has a linear fit in the frame
of the axis. Derivatives after Forbes, Least-squares best-fit geometric elements, NPL report DITC 140/89 (1989).
"""

import numpy as np

from truegauge.core.arrays import Floats, Points, Vector, any_perpendicular
from truegauge.core.association.features import Cone, Cylinder, Feature, Torus
from truegauge.core.association.fit import Criterion, Fit, finished
from truegauge.core.association.gauss_newton import Model, Normalised, Rows, best_of_starts, tilted
from truegauge.core.association.needs import need_points
from truegauge.core.association.round_shapes import algebraic_center
from truegauge.core.errors import AssociationError

_DIRECTIONS = 150
_SAMPLE = 300


def _frame(direction: Vector) -> Rows:
    """Return rows x, y, z of a frame whose z is the direction."""
    x = any_perpendicular(direction)
    return np.vstack([x, np.cross(direction, x), direction])


def _polar(points: Points, origin: Vector, axes: Rows) -> tuple[Rows, Floats, Rows]:
    """Return coordinates in the axis frame (n, 3), distances from the axis, and unit radial vectors (n, 2)."""
    local = (points - origin) @ axes.T
    radial = np.hypot(local[:, 0], local[:, 1])
    return local, radial, local[:, :2] / np.maximum(radial, 1e-300)[:, None]


class _AxialModel:
    def axes(self, feature: Feature) -> Rows:
        """Return the frame of the axis."""
        return _frame(feature.parameters["direction"])


class CylinderModel(_AxialModel):
    """Parameters: shift of the axis (2), tilt (2), radius."""

    def linearised(self, feature: Feature, points: Points) -> tuple[Floats, Rows]:
        """Return distances and their derivatives."""
        assert isinstance(feature, Cylinder)
        local, radial, out = _polar(points, feature.point, _frame(feature.direction))
        jacobian = np.column_stack([-out, -out * local[:, 2:], -np.ones(len(points))])
        return radial - feature.radius, jacobian

    def stepped(self, feature: Feature, step: Floats) -> Feature:
        """Shift and tilt the axis, keep its point nearest the centroid (the origin)."""
        assert isinstance(feature, Cylinder)
        x, y, z = _frame(feature.direction)
        direction = tilted(z, x, y, step[2], step[3])
        point = feature.point + step[0] * x + step[1] * y
        return Cylinder(point - (point @ direction) * direction, direction, feature.radius + float(step[4]))


class ConeModel(_AxialModel):
    """Parameters: shift of the apex (3), tilt (2), half angle."""

    def linearised(self, feature: Feature, points: Points) -> tuple[Floats, Rows]:
        """Return distances and their derivatives."""
        assert isinstance(feature, Cone)
        local, radial, out = _polar(points, feature.apex, _frame(feature.direction))
        height, s, c = local[:, 2], np.sin(feature.half_angle_rad), np.cos(feature.half_angle_rad)
        along = radial * s + height * c  # distance of the foot from the apex
        jacobian = np.column_stack([-c * out, np.full(len(points), s), -along[:, None] * out, -along])
        return radial * c - height * s, jacobian

    def stepped(self, feature: Feature, step: Floats) -> Feature:
        """Shift the apex, tilt the axis, change the half angle."""
        assert isinstance(feature, Cone)
        x, y, z = _frame(feature.direction)
        direction = tilted(z, x, y, step[3], step[4])
        half_angle = feature.half_angle_rad + float(step[5])
        if not 0 < half_angle < np.pi / 2:
            raise AssociationError("the points do not resemble a cone")
        return Cone(feature.apex + step[0] * x + step[1] * y + step[2] * z, direction, half_angle)


class TorusModel(_AxialModel):
    """Parameters: shift of the centre (3), tilt (2), major radius, minor radius."""

    def linearised(self, feature: Feature, points: Points) -> tuple[Floats, Rows]:
        """Return distances and their derivatives."""
        assert isinstance(feature, Torus)
        local, radial, out = _polar(points, feature.center, _frame(feature.direction))
        height = local[:, 2]
        beside = radial - feature.major_radius
        tube = np.hypot(beside, height)
        across, up = beside / np.maximum(tube, 1e-300), height / np.maximum(tube, 1e-300)
        tilt = (up * radial - across * height)[:, None] * out
        jacobian = np.column_stack([-across[:, None] * out, -up, tilt, -across, -np.ones(len(points))])
        return tube - feature.minor_radius, jacobian

    def stepped(self, feature: Feature, step: Floats) -> Feature:
        """Shift the centre, tilt the axis, change the radii."""
        assert isinstance(feature, Torus)
        x, y, z = _frame(feature.direction)
        direction = tilted(z, x, y, step[3], step[4])
        center = feature.center + step[0] * x + step[1] * y + step[2] * z
        return Torus(center, direction, feature.major_radius + float(step[5]), feature.minor_radius + float(step[6]))


def even_directions(count: int) -> Points:
    """Return `count` evenly spread directions over half the sphere (Fibonacci lattice)."""
    k = np.arange(count) + 0.5
    z = k / count
    angle = np.pi * (1 + 5**0.5) * k
    r = np.sqrt(1 - z * z)
    return np.column_stack([r * np.cos(angle), r * np.sin(angle), z])


def _starts(points: Points, single: object) -> list[Feature]:
    """Collect the linear fits over all directions."""
    sample = points if len(points) <= _SAMPLE else points[np.linspace(0, len(points) - 1, _SAMPLE).astype(int)]
    principal = np.linalg.svd(sample - sample.mean(axis=0), full_matrices=False)[2]
    found: list[Feature] = []
    for direction in [*principal, *even_directions(_DIRECTIONS)]:
        try:
            found += single(sample, direction)  # type: ignore[operator]
        except (AssociationError, np.linalg.LinAlgError):
            continue
    return found


def _cylinder_along(points: Points, direction: Vector) -> list[Feature]:
    axes = _frame(direction)
    center, radius = algebraic_center((points @ axes.T)[:, :2])
    return [Cylinder(center[0] * axes[0] + center[1] * axes[1], direction, radius)]


def _cone_along(points: Points, direction: Vector) -> list[Feature]:
    """x^2 + y^2 = a x + b y + c + d z + e z^2 describes cones along z and is linear in a ... e."""
    axes = _frame(direction)
    x, y, z = (points @ axes.T).T
    system = np.column_stack([x, y, np.ones(len(x)), z, z * z])
    a, b, c, d, e = np.linalg.lstsq(system, x * x + y * y, rcond=None)[0]
    # (x - a/2)^2 + (y - b/2)^2 = e (z + d / 2e)^2 + rest: the slope is sqrt(e).
    if e <= 1e-12:
        middle2 = c + (a * a + b * b) / 4
        if middle2 <= 0 or abs(d) < 1e-9:
            return []
        slope = d / (2 * np.sqrt(middle2))
        apex_z = -np.sqrt(middle2) / slope
    else:
        slope, apex_z = np.sqrt(e), -d / (2 * e)
    apex = axes.T @ np.array([a / 2, b / 2, apex_z])
    way = 1.0 if (z - apex_z).mean() > 0 else -1.0
    return [Cone(apex, way * direction, float(np.arctan(abs(slope))))]


def _torus_along(points: Points, direction: Vector) -> list[Feature]:
    axes = _frame(direction)
    local = points @ axes.T
    found: list[Feature] = []
    center, _ = algebraic_center(local[:, :2])
    for x0, y0 in (center, local[:, :2].mean(axis=0)):
        rho, z = np.hypot(local[:, 0] - x0, local[:, 1] - y0), local[:, 2]
        # (rho - R)^2 + (z - z0)^2 = r^2 is linear in R, z0 and r^2 - R^2 - z0^2.
        solution = np.linalg.lstsq(np.column_stack([2 * rho, 2 * z, np.ones(len(z))]), rho**2 + z**2, rcond=None)[0]
        minor2 = solution[2] + solution[0] ** 2 + solution[1] ** 2
        if solution[0] > 0 and minor2 > 0:
            at = axes.T @ np.array([x0, y0, solution[1]])
            found.append(Torus(at, direction, float(solution[0]), float(np.sqrt(minor2))))
    return found


def _fitted(points: Points, model: Model, single: object, start: Feature | None) -> Fit:
    local = Normalised(points)
    starts = [local.normalised(start)] if start is not None else _starts(local.points, single)
    feature, _, turns = best_of_starts(model, starts, local.points, keep=4)
    return finished(_oriented(local.restored(feature)), points, Criterion.LEAST_SQUARES, turns)


def _oriented(feature: Feature) -> Feature:
    """Give radii their positive sign."""
    if isinstance(feature, Cylinder) and feature.radius < 0:
        return Cylinder(feature.point, feature.direction, -feature.radius)
    return feature


def fit_cylinder(points: Points, start: Feature | None = None) -> Fit:
    """Associate a least-squares cylinder with points (n, 3), n >= 5; `start` near the answer saves the search for one.

    Raises
    ------
    AssociationError
        Fewer than 5 points, or points that do not fix an axis (all in one plane or on one line).
    """
    need_points(points, 5, "cylinder")
    return _fitted(points, CylinderModel(), _cylinder_along, start)


def fit_cone(points: Points, start: Feature | None = None) -> Fit:
    """Associate a least-squares cone with points (n, 3), n >= 6; `start` near the answer saves the search for one.

    Raises
    ------
    AssociationError
        Fewer than 6 points, or points that do not fix an axis and an angle.
    """
    need_points(points, 6, "cone")
    return _fitted(points, ConeModel(), _cone_along, start)


def fit_torus(points: Points, start: Feature | None = None) -> Fit:
    """Associate a least-squares torus with points (n, 3), n >= 7; `start` near the answer saves the search for one.

    Raises
    ------
    AssociationError
        Fewer than 7 points, or points that do not fix axis and radii.
    """
    need_points(points, 7, "torus")
    return _fitted(points, TorusModel(), _torus_along, start)
