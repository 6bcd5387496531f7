"""Planes and lines: the principal axes of the points (least squares in closed form)."""

import numpy as np

from truegauge.core.arrays import Points
from truegauge.core.association.features import Line, Plane
from truegauge.core.association.fit import Criterion, Fit, finished
from truegauge.core.association.gauss_newton import Normalised
from truegauge.core.association.needs import need_points
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
    _, singular, axes = np.linalg.svd(_triangle(local.points), full_matrices=False)
    if singular[1] < 1e-12 * singular[0]:
        raise AssociationError("the points lie on one line; a plane needs points beside it")
    return finished(local.restored(Plane(np.zeros(3), axes[2])), points, Criterion.LEAST_SQUARES)


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
