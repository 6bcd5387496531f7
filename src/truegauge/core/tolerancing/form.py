"""Form: the width of the minimum zone (ISO 1101, 12781, 12180, 12181, 12780) of the averaged or filtered points."""

from truegauge.core.association.features import Shape
from truegauge.core.cad.recognition import Nominal
from truegauge.core.errors import EvaluationError
from truegauge.core.extraction import Built, Measured


def is_plane(features: tuple[Nominal, ...]) -> bool:
    """One plane."""
    return _is(features, Shape.PLANE)


def is_cylinder(features: tuple[Nominal, ...]) -> bool:
    """One cylinder."""
    return _is(features, Shape.CYLINDER)


def is_turned(features: tuple[Nominal, ...]) -> bool:
    """One cylinder or cone: it has cross sections and lines."""
    return _is(features, Shape.CYLINDER) or _is(features, Shape.CONE)


def _is(features: tuple[Nominal, ...], shape: Shape) -> bool:
    return len(features) == 1 and features[0].shape == shape and not features[0].built


def form(features: tuple[Measured | Built, ...]) -> float:
    """Return the width of the narrowest zone that holds the averaged (or filtered) points, mm."""
    return _measured(features).form


def roundness(features: tuple[Measured | Built, ...]) -> float:
    """Return the largest roundness of all cross sections, mm."""
    return _measured(features).form_map().roundness()[0]


def straightness(features: tuple[Measured | Built, ...]) -> float:
    """Return the largest straightness of all lines along the feature, mm."""
    return _measured(features).form_map().straightness()[0]


def _measured(features: tuple[Measured | Built, ...]) -> Measured:
    if isinstance(features[0], Built):
        raise EvaluationError("a constructed feature has no points of its own")
    return features[0]
