"""Compensation for the tip: from the centres of the tip to the points of the surface that it touched."""

import numpy as np

from truegauge.core.arrays import Floats, Normals, Points
from truegauge.core.association.by_criterion import associate
from truegauge.core.association.constraints import NONE, Constraints
from truegauge.core.association.features import Cylinder
from truegauge.core.association.fit import Criterion
from truegauge.core.cad.recognition import Nominal
from truegauge.core.errors import AssociationError
from truegauge.core.features.held_by_points import held_by

_STEPS = 12
_SAME = 1e-9


def compensated_by_approach(centers: Points, approach: Normals, radii: Floats) -> Points:
    """Return surface points (n, 3): the centres moved on by the radius, the way that the tip came.

    Right as far as the tip came square to the surface: coming in at an angle a, the point is off the surface by
    r (1 / cos a - 1).
    """
    return np.asarray(centers + radii[:, None] * approach)


def compensated_by_normals(centers: Points, normals: Normals, radii: Floats) -> Points:
    """Return surface points (n, 3): the centres moved in by the radius, against the outward normals of the surface."""
    return np.asarray(centers - radii[:, None] * normals)


def compensated_by_feature(nominal: Nominal, centers: Points, approach: Normals, radii: Floats) -> Points | None:
    """Return surface points (n, 3), compensated by the normals of the feature itself; None where they do not hold it.

    A feature is associated with the points compensated by their approach; its normals at the tip centres give better
    points, and these a better feature, until nothing changes.

    Parameters
    ----------
    nominal : Nominal
        The feature, in the coordinates of the touches; on which side its material is matters.
    """
    points = compensated_by_approach(centers, approach, radii)
    held = NONE
    if held_by(nominal, points).direction and isinstance(nominal.feature, Cylinder):
        held = Constraints(direction=nominal.feature.direction)
    try:
        for _ in range(_STEPS):
            feature = (
                associate(
                    nominal.shape,
                    points,
                    Criterion.LEAST_SQUARES,
                    start=nominal.feature,
                    material=nominal.outward,
                    constraints=held,
                )
                .turned_like(nominal.feature)
                .feature
            )
            better = compensated_by_normals(centers, nominal.outward * feature.outward(centers), radii)
            change = float(np.abs(better - points).max())
            points = better
            if change < _SAME:
                break
    except AssociationError:
        return None
    return points
