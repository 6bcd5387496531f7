"""Which features can be toleranced in orientation to each other (ISO 1101:2017, 17.10 to 17.12)."""

import numpy as np

from truegauge.core.arrays import Vector
from truegauge.core.association.features import Cone, Cylinder, Feature, Line, Plane
from truegauge.core.cad.recognition import Nominal

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
