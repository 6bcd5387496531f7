"""Form: the width of the minimum zone (ISO 1101, 12781, 12180) of the averaged points."""

from truegauge.core.association.features import Shape
from truegauge.core.cad.recognition import Nominal
from truegauge.core.extraction import Measured


def is_plane(features: tuple[Nominal, ...]) -> bool:
    """One plane."""
    return len(features) == 1 and features[0].shape == Shape.PLANE


def is_cylinder(features: tuple[Nominal, ...]) -> bool:
    """One cylinder."""
    return len(features) == 1 and features[0].shape == Shape.CYLINDER


def form(features: tuple[Measured, ...]) -> float:
    """Return the width of the narrowest zone that holds the averaged points, mm."""
    return features[0].form
