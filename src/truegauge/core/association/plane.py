"""Planes and lines: the principal axes of the points (least squares in closed form)."""

import numpy as np

from truegauge.core.arrays import Floats, Points, Vector
from truegauge.core.association.features import Line, Plane
from truegauge.core.association.fit import Criterion, Fit, finished
from truegauge.core.association.gauss_newton import Normalised
from truegauge.core.association.needs import need_points
from truegauge.core.association.normal_equations import MANY
from truegauge.core.errors import AssociationError


def fit_plane(points: Points) -> Fit:
    """Associate a least-squares plane with points (n, 3), n >= 3.

    Raises
    ------
    AssociationError
        Fewer than 3 points, or points on one line.
    """
    need_points(points, 3, "plane")
    local = Normalised(points)
    if len(points) >= MANY:
        return finished(local.restored(_plane_of_many(local.points)), points, Criterion.LEAST_SQUARES)
    _, singular, axes = np.linalg.svd(_triangle(local.points), full_matrices=False)
    if singular[1] < 1e-12 * singular[0]:
        raise AssociationError("the points lie on one line; a plane needs points beside it")
    return finished(local.restored(Plane(np.zeros(3), axes[2])), points, Criterion.LEAST_SQUARES)


def _plane_of_many(points: Points) -> Plane:
    """Return the plane through the centroid (the origin): axes of the covariance, corrected by the residuals."""
    values, vectors = np.linalg.eigh(points.T @ points)
    if values[1] < 1e-14 * values[2]:
        raise AssociationError("the points lie on one line; a plane needs points beside it")
    x, y, normal = vectors[:, 2], vectors[:, 1], vectors[:, 0]
    for _ in range(2):
        height, a, b = points @ normal, points @ x, points @ y
        saa, sab, sbb = float(a @ a), float(a @ b), float(b @ b)
        tilt = np.linalg.solve([[saa, sab], [sab, sbb]], [float(a @ height), float(b @ height)])
        normal = _turned(normal, x, y, np.asarray(tilt, dtype=np.float64))
        x = x - (x @ normal) * normal
        y = y - (y @ normal) * normal
    return Plane(np.zeros(3), normal)


def _turned(normal: Vector, x: Vector, y: Vector, tilt: Floats) -> Vector:
    """Tilt the normal so that heights that grow along x or y no longer do."""
    turned = normal - tilt[0] * x - tilt[1] * y
    return np.asarray(turned / np.linalg.norm(turned))


def fit_line(points: Points) -> Fit:
    """Associate a least-squares line in space with points (n, 3), n >= 2.

    Raises
    ------
    AssociationError
        Fewer than 2 points, points in one place, or points without a longest direction.
    """
    need_points(points, 2, "line")
    local = Normalised(points)
    _, singular, axes = np.linalg.svd(_triangle(local.points), full_matrices=False)
    if singular[0] == 0:
        raise AssociationError("the points are all in one place; a line needs two places")
    if len(singular) > 1 and singular[0] - singular[1] < 1e-12 * singular[0]:
        raise AssociationError("the points have no longest direction; spread them along the line")
    return finished(local.restored(Line(np.zeros(3), axes[0])), points, Criterion.LEAST_SQUARES)


def _triangle(points: Points) -> Points:
    """Return a small matrix with the same singular values and right vectors (R of the QR factorisation)."""
    if len(points) < 4:
        return points
    r: Points = np.linalg.qr(points, mode="r")  # type: ignore[assignment]
    return r
