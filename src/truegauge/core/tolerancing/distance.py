"""Distance between two nominally parallel planes or axes, or between a centre and a plane, axis or centre.

Between two associated planes that are not exactly parallel the distance is the mean of the two distances from each
centre of points to the other plane, so that the order of the two does not matter; between two axes it is taken
across their mean direction at the middle of the two features.
"""

import numpy as np

from truegauge.core.arrays import Vector
from truegauge.core.association.features import Cylinder, Feature, Plane, Sphere
from truegauge.core.cad.recognition import Nominal
from truegauge.core.extraction import Measured
from truegauge.core.tolerancing.orientation import are_parallel

_LEAST = 1e-6


def has_distance(features: tuple[Nominal, ...]) -> bool:
    """Two parallel features, or a sphere and another feature, that are apart."""
    if len(features) != 2 or not all(isinstance(f.feature, Plane | Cylinder | Sphere) for f in features):
        return False
    if not any(isinstance(f.feature, Sphere) for f in features) and not are_parallel(features):
        return False
    return nominal_distance(features) > _LEAST


def nominal_distance(features: tuple[Nominal, ...]) -> float:
    """Return the distance in the CAD model, mm."""
    a, b = features
    return _between(a.feature, a.center, b.feature, b.center)


def distance(features: tuple[Measured, ...]) -> float:
    """Return the distance between the associated features, mm."""
    a, b = features
    return _between(a.feature, _place(a), b.feature, _place(b))


def _place(measured: Measured) -> Vector:
    """Return the centre of the points of a plane, or the middle of the nominal feature for an axis."""
    return measured.feature.point if isinstance(measured.feature, Plane) else measured.nominal.center


def _between(a: Feature, at_a: Vector, b: Feature, at_b: Vector) -> float:
    if isinstance(a, Plane) and isinstance(b, Plane):
        return (abs(float((at_b - a.point) @ a.normal)) + abs(float((at_a - b.point) @ b.normal))) / 2
    if isinstance(b, Plane):
        a, at_a, b, at_b = b, at_b, a, at_a
    if isinstance(a, Plane):
        point = b.center if isinstance(b, Sphere) else _on_axis(b, at_b)
        return abs(float((point - a.point) @ a.normal))
    if isinstance(a, Cylinder) and isinstance(b, Cylinder):
        sense = 1.0 if float(a.direction @ b.direction) >= 0 else -1.0
        mean = a.direction + sense * b.direction
        mean /= np.linalg.norm(mean)
        middle = (at_a + at_b) / 2
        return float(np.linalg.norm(np.cross(_at_height(b, mean, middle) - _at_height(a, mean, middle), mean)))
    if isinstance(b, Cylinder):
        a, b = b, a
    assert isinstance(b, Sphere)
    if isinstance(a, Cylinder):
        return float(np.linalg.norm(np.cross(b.center - a.point, a.direction)))
    assert isinstance(a, Sphere)
    return float(np.linalg.norm(b.center - a.center))


def _on_axis(feature: Feature, near: Vector) -> Vector:
    """Return the point of the axis nearest a place."""
    assert isinstance(feature, Cylinder)
    return np.asarray(feature.point + float((near - feature.point) @ feature.direction) * feature.direction)


def _at_height(axis: Cylinder, mean: Vector, middle: Vector) -> Vector:
    """Return where an axis passes the plane through `middle` across `mean`."""
    along = float((middle - axis.point) @ mean) / float(axis.direction @ mean)
    return np.asarray(axis.point + along * axis.direction)
