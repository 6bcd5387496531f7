"""Cross sections of a measured cylinder or cone, and lines along it, as they were touched."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from truegauge.core.around import widest_gap
from truegauge.core.arrays import Floats, Ints, Points
from truegauge.core.association.by_criterion import associate
from truegauge.core.association.features import Cone, Cylinder, Shape
from truegauge.core.errors import AssociationError, EvaluationError
from truegauge.core.features.extraction import Measured
from truegauge.core.taken_rows import TakenRows, rows_at, rows_or_slices
from truegauge.core.tolerancing.once import least_squares_feature

UP = np.array([0.0, 0.0, 1.0])
_FLAT_OF_RADIUS, _FLAT_OF_LENGTH, _FLAT = 0.2, 0.25, 0.1
HALF_TURN = np.pi + np.radians(1.0)


@dataclass(frozen=True, slots=True, eq=False)
class Rings:
    """Cross sections: the axis as associated by least squares, points (n, 3) in its frame, and the rows."""

    feature: Cylinder | Cone
    local: Points
    rows: TakenRows

    @property
    def each(self) -> list[Ints]:
        """The points of each section."""
        return self.rows.each


def rings_of(measured: Measured) -> Rings:
    """Return the cross sections of touches: the rows in which they were taken; slices of many in no rows.

    Raises
    ------
    EvaluationError
        A feature without an axis.
    """
    feature = least_squares_feature(measured)
    if not isinstance(feature, Cylinder | Cone):
        raise EvaluationError(f"a {feature.shape} has no cross sections")
    local = (measured.points - feature.pose.origin) @ feature.pose.axes.T
    radius = float(np.median(np.hypot(local[:, 0], local[:, 1])))
    flat = max(_FLAT, min(_FLAT_OF_RADIUS * radius, _FLAT_OF_LENGTH * measured.nominal.length))
    return Rings(feature, local, rows_or_slices(local[:, 2], measured.taken, flat=flat))


def need_rings(measured: Measured, what: str) -> Rings:
    """Return the cross sections.

    Raises
    ------
    EvaluationError
        The touches lie in no rows.
    """
    found = rings_of(measured)
    if found.rows.count == 0:
        raise EvaluationError(
            f"{what} needs touches in rows around the axis; these {len(found.local)} touches lie in none"
        )
    return found


def lines_of(measured: Measured) -> tuple[Rings, TakenRows]:
    """Return the lines along a turned feature on which touches lie, by their angle.

    Raises
    ------
    EvaluationError
        The touches lie in no lines along the feature.
    """
    rings = rings_of(measured)
    radius = float(np.median(np.hypot(rings.local[:, 0], rings.local[:, 1])))
    around = np.arctan2(rings.local[:, 1], rings.local[:, 0]) * radius
    found = rows_at(around, measured.taken, flat=0.05 * radius, turn=2 * np.pi * radius)
    if found.count == 0:
        raise EvaluationError(
            f"straightness needs touches in lines along the feature; these {len(around)} touches lie in none"
        )
    return rings, found


def center_of_ring(flat: NDArray[np.float64]) -> Floats | None:
    """Return the centre (2,) of the least-squares circle of a section; None where its points do not hold one."""
    if len(flat) < 3 or widest_gap(flat) > HALF_TURN:
        return None
    ring = np.column_stack([flat, np.zeros(len(flat))])
    try:
        return np.asarray(associate(Shape.CIRCLE, ring, plane_normal=UP).feature.pose.origin[:2])
    except AssociationError:
        return None
