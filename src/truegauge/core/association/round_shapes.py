"""Least-squares circle and sphere (orthogonal distances; the start is algebraic).

Gander, Golub and Strebel, Least-squares fitting of circles and ellipses (1994).
"""

import numpy as np

from truegauge.core.arrays import Floats, Points, any_perpendicular
from truegauge.core.association.features import Circle, Feature, Sphere
from truegauge.core.association.fit import Criterion, Fit, finished
from truegauge.core.association.gauss_newton import Normalised, Rows, minimise
from truegauge.core.association.needs import need_points
from truegauge.core.association.plane import fit_plane
from truegauge.core.errors import AssociationError


class _FixedModel:
    def axes(self, feature: Feature) -> Rows:
        """Return the axes of the points' own frame."""
        return np.eye(3)


class SphereModel(_FixedModel):
    """Parameters: centre (3), radius."""

    def linearised(self, feature: Feature, points: Points) -> tuple[Floats, Rows]:
        """Return distances and their derivatives."""
        assert isinstance(feature, Sphere)
        local = points - feature.center
        length = np.linalg.norm(local, axis=1)
        jacobian = np.empty((len(points), 4))
        jacobian[:, :3] = -local / np.maximum(length, 1e-300)[:, None]
        jacobian[:, 3] = -1.0
        return length - feature.radius, jacobian

    def stepped(self, feature: Feature, step: Floats) -> Feature:
        """Move the centre, change the radius."""
        assert isinstance(feature, Sphere)
        return Sphere(feature.center + step[:3], feature.radius + float(step[3]))


class CircleModel(_FixedModel):
    """A circle in the plane z = 0 of the points' own frame. Parameters: centre (2), radius."""

    def linearised(self, feature: Feature, points: Points) -> tuple[Floats, Rows]:
        """Return distances and their derivatives."""
        assert isinstance(feature, Circle)
        local = (points - feature.center)[:, :2]
        length = np.linalg.norm(local, axis=1)
        jacobian = np.empty((len(points), 3))
        jacobian[:, :2] = -local / np.maximum(length, 1e-300)[:, None]
        jacobian[:, 2] = -1.0
        return length - feature.radius, jacobian

    def stepped(self, feature: Feature, step: Floats) -> Feature:
        """Move the centre, change the radius."""
        assert isinstance(feature, Circle)
        return Circle(
            feature.center + np.array([step[0], step[1], 0.0]), feature.normal, feature.radius + float(step[2])
        )


def algebraic_center(points: Rows) -> tuple[Floats, float]:
    """Return centre and radius of the algebraic circle (n, 2) or sphere (n, 3): |p|^2 = 2 c.p + k, linear."""
    system = np.column_stack([2 * points, np.ones(len(points))])
    square = np.einsum("ij,ij->i", points, points)
    solution, _, rank, _ = np.linalg.lstsq(system, square, rcond=1e-13)
    center = solution[:-1]
    radius2 = float(solution[-1] + center @ center)
    if rank < system.shape[1] or radius2 <= 0:
        raise AssociationError("degenerate")
    return center, float(np.sqrt(radius2))


def _spread(points: Rows) -> Rows:
    """Return at most 5,000 of the points, evenly picked: enough for a start."""
    return points if len(points) <= 5000 else points[np.linspace(0, len(points) - 1, 5000).astype(int)]


def fit_sphere(points: Points) -> Fit:
    """Associate a least-squares sphere with points (n, 3), n >= 4.

    Raises
    ------
    AssociationError
        Fewer than 4 points, or points in one plane.
    """
    need_points(points, 4, "sphere")
    local = Normalised(points)
    try:
        center, radius = algebraic_center(_spread(local.points))
    except AssociationError:
        raise AssociationError("the points lie in one plane; a sphere needs points off it") from None
    feature, _, turns = minimise(SphereModel(), Sphere(center, radius), local.points)
    return finished(local.restored(feature), points, Criterion.LEAST_SQUARES, turns)


def fit_circle(points: Points) -> Fit:
    """Associate a least-squares circle with points (n, 3), n >= 3, in their own least-squares plane.

    Raises
    ------
    AssociationError
        Fewer than 3 points, or points on one line.
    """
    need_points(points, 3, "circle")
    local = Normalised(points)
    plane = fit_plane(local.points).feature
    normal = plane.normal  # type: ignore[attr-defined]
    x = any_perpendicular(normal)
    axes = np.vstack([x, np.cross(normal, x), normal])
    flat = local.points @ axes.T
    height = float(flat[:, 2].mean())
    try:
        center, radius = algebraic_center(_spread(flat[:, :2]))
    except AssociationError:
        raise AssociationError("the points lie on one line; a circle needs points beside it") from None
    start = Circle(np.array([center[0], center[1], height]), np.array([0.0, 0.0, 1.0]), radius)
    feature, _, turns = minimise(CircleModel(), start, flat)
    assert isinstance(feature, Circle)
    in_space = Circle(axes.T @ feature.center, normal, feature.radius)
    return finished(local.restored(in_space), points, Criterion.LEAST_SQUARES, turns)
