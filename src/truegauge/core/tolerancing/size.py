"""Size: diameters (ISO 14405-1, global size by the associated feature's criterion)."""

from truegauge.core.association.features import Cylinder, Sphere
from truegauge.core.cad.recognition import Nominal
from truegauge.core.extraction import Measured


def has_diameter(features: tuple[Nominal, ...]) -> bool:
    """One cylinder or sphere."""
    return len(features) == 1 and isinstance(features[0].feature, Cylinder | Sphere)


def nominal_diameter(features: tuple[Nominal, ...]) -> float:
    """Return the diameter in the CAD model, mm."""
    feature = features[0].feature
    assert isinstance(feature, Cylinder | Sphere)
    return 2 * feature.radius


def diameter(features: tuple[Measured, ...]) -> float:
    """Return the diameter of the associated feature, mm."""
    feature = features[0].feature
    assert isinstance(feature, Cylinder | Sphere)
    return 2 * feature.radius
