"""Coordinates of a feature in the frame of the alignment: of its centre, its plane, or its axis at its middle."""

import numpy as np

from truegauge.core.arrays import Vector
from truegauge.core.cad.recognition import Nominal
from truegauge.core.constructions.parts import axis_of, foot_on_line, foot_on_plane, place_of, plane_of
from truegauge.core.errors import EvaluationError
from truegauge.core.features.extraction import Built, Measured

_ALONG = 1e-3


class Coordinate:
    """The coordinate along one axis of the frame that the features are given in."""

    def __init__(self, axis: Vector) -> None:
        self._axis = axis

    def fits(self, features: tuple[Nominal, ...]) -> bool:
        """One feature that has a definite place along the axis."""
        if len(features) != 1:
            return False
        feature = features[0].feature
        plane, line = plane_of(feature), axis_of(feature)
        if place_of(feature) is not None:
            return True
        if plane is not None:
            return bool(np.linalg.norm(np.cross(plane.normal, self._axis)) < _ALONG)
        return line is not None and abs(float(line.direction @ self._axis)) < _ALONG

    def nominal(self, features: tuple[Nominal, ...]) -> float:
        """Return the coordinate as designed, mm."""
        return self._of(features[0], features[0].center)

    def value(self, features: tuple[Measured | Built, ...]) -> float:
        """Return the coordinate as measured, mm: where the feature passes the middle of the nominal one."""
        return self._of(features[0], features[0].nominal.center)

    def _of(self, item: Nominal | Measured | Built, middle: Vector) -> float:
        feature = item.feature
        place, plane, line = place_of(feature), plane_of(feature), axis_of(feature)
        if place is None and plane is not None:
            # Along the axis and not along the plane's own normal: a tilted plane is met where the drawing has it.
            slope = float(plane.normal @ self._axis)
            if abs(slope) > 0.5:
                return float(middle @ self._axis) + float((plane.point - middle) @ plane.normal) / slope
            place = foot_on_plane(plane, middle)
        elif place is None and line is not None:
            place = foot_on_line(line, middle)
        if place is None:
            raise EvaluationError(f"a {feature.shape} has no coordinate")
        return float(place @ self._axis)
