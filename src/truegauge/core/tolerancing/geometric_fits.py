"""Which nominal features a geometrical tolerance makes sense for."""

from truegauge.core.association.features import Cone, Cylinder, Plane
from truegauge.core.cad.recognition import Nominal
from truegauge.core.constructions.parts import axis_of, place_of, plane_of
from truegauge.core.tolerancing.request import are_opposite

Nominals = tuple[Nominal, ...]


def has_axis(features: Nominals) -> bool:
    """All have an axis."""
    return all(axis_of(f.feature) is not None and place_of(f.feature) is None for f in features)


def has_middle(features: Nominals) -> bool:
    """Two opposite planes, or a constructed middle plane, or an axis."""
    if len(features) == 2:
        return are_opposite(features[0].feature, features[1].feature)
    if len(features) != 1:
        return False
    return has_axis(features) or (features[0].built and plane_of(features[0].feature) is not None)


def is_located(features: Nominals) -> bool:
    """Axes, centres, planes: all of one kind, or two opposite planes."""
    kinds = {_stands_for(f) for f in features}
    return len(kinds) == 1 and kinds != {""}


def _stands_for(nominal: Nominal) -> str:
    feature = nominal.feature
    if place_of(feature) is not None:
        return "place"
    if axis_of(feature) is not None:
        return "axis"
    return "plane" if plane_of(feature) is not None else ""


def has_surface(features: Nominals) -> bool:
    """All have points of their own."""
    return not any(f.built for f in features)


def has_direction(features: Nominals) -> bool:
    """One plane or axis."""
    return len(features) == 1 and _stands_for(features[0]) in ("plane", "axis")


def can_run_out(features: Nominals) -> bool:
    """Cylinders, cones and planes with points."""
    return all(isinstance(f.feature, Cylinder | Cone | Plane) and not f.built for f in features)


def is_cylinder(features: Nominals) -> bool:
    """One cylinder with points."""
    return len(features) == 1 and isinstance(features[0].feature, Cylinder) and not features[0].built
