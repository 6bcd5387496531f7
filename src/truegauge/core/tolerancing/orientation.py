"""Orientation (ISO 1101): the width of the exactly oriented zone that holds the first feature, the second being datum.

The datum is associated outside the material (ISO 5459) unless the inspector chose another criterion for it.
A plane is judged by its (averaged) points, an axis by its associated straight line over the nominal length.
"""

import numpy as np

from truegauge.core.arrays import Points, Vector
from truegauge.core.association.features import Cone, Cylinder, Feature, Line, Plane
from truegauge.core.cad.recognition import Nominal
from truegauge.core.extraction import Built, Measured

_ANGLE = 1e-4  # rad: nominal directions of a file agree better than this


def direction_of(feature: Feature) -> Vector | None:
    """Return the normal of a plane or the direction of an axis, None for others."""
    if isinstance(feature, Plane):
        return feature.normal
    if isinstance(feature, Cylinder | Cone | Line):
        return feature.direction
    return None


def _sine(features: tuple[Nominal, ...]) -> float | None:
    """Sine of the angle between the two directions; None where there are none."""
    if len(features) != 2 or (features[0].built and isinstance(features[0].feature, Plane)):
        return None  # a constructed plane has no points that could lie in a zone
    a, b = (direction_of(f.feature) for f in features)
    return None if a is None or b is None else float(np.linalg.norm(np.cross(a, b)))


def _alike(features: tuple[Nominal, ...]) -> bool:
    """Two planes or two axes: parallel directions mean parallel features."""
    return isinstance(features[0].feature, Plane) == isinstance(features[1].feature, Plane)


def are_parallel(features: tuple[Nominal, ...]) -> bool:
    """Two features that are nominally parallel."""
    sine = _sine(features)
    return sine is not None and (sine < _ANGLE if _alike(features) else sine > 1 - _ANGLE**2)


def are_perpendicular(features: tuple[Nominal, ...]) -> bool:
    """Two features that are nominally perpendicular."""
    sine = _sine(features)
    return sine is not None and (sine > 1 - _ANGLE**2 if _alike(features) else sine < _ANGLE)


def orientation(features: tuple[Measured | Built, ...]) -> float:
    """Return the orientation deviation of the first feature to the second, mm."""
    toleranced, datum = features
    datum_direction = direction_of(datum.as_datum() if isinstance(datum, Measured) else datum.feature)
    direction = direction_of(toleranced.feature)
    assert datum_direction is not None
    assert direction is not None
    in_line = abs(float(direction @ datum_direction)) > 0.5
    if isinstance(toleranced.feature, Plane) and isinstance(toleranced, Measured):
        # With both directions in line (planes parallel, or plane across an axis) the zone's normal is fixed.
        if in_line:
            return _extent(toleranced.means, datum_direction)
        return _narrowest(toleranced.means, direction, datum_direction)
    length = toleranced.nominal.length
    if in_line:  # a cylindrical zone along the datum direction
        return float(length * np.linalg.norm(np.cross(direction, datum_direction)))
    return float(length * abs(direction @ datum_direction))  # a zone between two planes


def _extent(points: Points, direction: Vector) -> float:
    height = points @ direction
    return float(height.max() - height.min())


def _narrowest(points: Points, normal: Vector, datum: Vector) -> float:
    """Return the least width of the points between two planes that contain the datum direction.

    The zone may turn about the datum direction; the width is a convex function of that small turn near its minimum
    and is narrowed down by golden section.
    """
    u = normal - float(normal @ datum) * datum
    u /= np.linalg.norm(u)
    v = np.cross(datum, u)
    flat = np.column_stack([points @ u, points @ v])
    flat -= flat.mean(axis=0)

    def width(angle: float) -> float:
        height = flat[:, 0] * np.cos(angle) + flat[:, 1] * np.sin(angle)
        return float(height.max() - height.min())

    low, high = -0.02, 0.02
    ratio = (np.sqrt(5) - 1) / 2
    for _ in range(60):
        a, b = high - ratio * (high - low), low + ratio * (high - low)
        if width(a) <= width(b):
            high = b
        else:
            low = a
    return width((low + high) / 2)
