"""Situation elements (ISO 5459): the points, lines and planes by which a feature serves as a datum."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Vector
from truegauge.core.association.features import Circle, Cone, Ellipse, Feature, Plane, Slot, SquareSlot, Torus
from truegauge.core.constructions.parts import axis_of, foot_on_line, foot_on_plane, place_of, plane_of
from truegauge.core.datums.freedoms import Rows, shift_rows, turn_rows
from truegauge.core.errors import DatumError


@dataclass(frozen=True, slots=True, eq=False)
class Situation:
    """One element: a direction that it gives (None: none), and a place that counts along `along` (k, 3).

    `one_way` directions point out of the material and are never turned round.
    """

    place: Vector
    along: NDArray[np.float64]
    direction: Vector | None = None
    one_way: bool = False

    def rows(self, about: Vector) -> Rows:
        """Return what the element holds (k, 6)."""
        own = shift_rows(self.along, self.place, about)
        return own if self.direction is None else np.vstack([turn_rows(self.direction), own])


def situations_of(feature: Feature, middle: Vector) -> tuple[Situation, ...]:
    """Return the elements of a feature; `middle` is where it was measured, mm.

    Raises
    ------
    DatumError
        A feature that stands for no point, line or plane.
    """
    everywhere = np.eye(3)
    plane = plane_of(feature)
    if plane is not None:
        place = foot_on_plane(plane, middle)
        return (Situation(place, plane.normal[None], plane.normal, isinstance(feature, Plane)),)
    if isinstance(feature, Circle | Ellipse | Slot | SquareSlot):
        first = Situation(feature.center, everywhere, feature.normal)
        if isinstance(feature, Circle):
            return (first,)
        return (first, Situation(feature.center, np.zeros((0, 3)), feature.pose.axes[0]))
    line = axis_of(feature)
    if isinstance(feature, Cone | Torus):
        assert line is not None
        return (Situation(line.point, everywhere, line.direction),)
    if line is not None:
        return (Situation(foot_on_line(line, middle), across(line.direction), line.direction),)
    place_only = place_of(feature)
    if place_only is None:
        raise DatumError(f"a {feature.shape} cannot be a datum here")
    return (Situation(place_only, everywhere),)


def across(direction: Vector) -> NDArray[np.float64]:
    """Return two unit vectors (2, 3) across a direction."""
    return np.asarray(np.linalg.svd(direction[None])[2][1:])
