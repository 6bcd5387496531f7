"""Distances and angles of two features as characteristics (see `core.constructions.relations`)."""

import numpy as np

from truegauge.core.arrays import Vector
from truegauge.core.association.features import Cone, Countersink, Feature, Plane
from truegauge.core.cad.recognition import Nominal
from truegauge.core.constructions import relations
from truegauge.core.constructions.parts import Operand, own_axis_of, place_of, plane_of, radius_of
from truegauge.core.constructions.relations import Between, direction_of
from truegauge.core.errors import EvaluationError
from truegauge.core.features.extraction import Built, Measured

_LEAST = 1e-6
_ANGLE = 1e-4
Nominals = tuple[Nominal, ...]
MeasuredFeatures = tuple[Measured | Built, ...]


def _operand(feature: Nominal | Measured | Built) -> Operand:
    if isinstance(feature, Nominal):
        return Operand(feature.feature, feature.center, feature.length)
    return Operand(feature.feature, feature.middle, feature.nominal.length)


def _between(
    features: Nominals | MeasuredFeatures, along: Vector | None, in_plane: Vector | None, between: Between
) -> float:
    a, b = (_operand(f) for f in features)
    return relations.distance(a, b, along=along, in_plane=in_plane, between=between)


class Distance:
    """One kind of distance: whole, along a direction, in a projection plane, or between nearest or farthest points."""

    def __init__(
        self, *, along: Vector | None = None, in_plane: Vector | None = None, between: Between = Between.CENTER
    ) -> None:
        self._along, self._in_plane, self._between = along, in_plane, between

    def fits(self, features: Nominals) -> bool:
        """Two features that are apart: with a place, or parallel to each other, or two axes that pass."""
        if len(features) != 2:
            return False
        shapes = [f.feature for f in features]
        points = [place_of(s) is not None for s in shapes]
        if not all(p or plane_of(s) or own_axis_of(s) for p, s in zip(points, shapes, strict=True)):
            return False
        if any(isinstance(s, Cone) for s in shapes) and not all(points):
            return False
        axes = all(own_axis_of(s) is not None for s in shapes)
        parts = self._along is not None or self._in_plane is not None
        if not any(points) and not (_level(features) or (axes and not parts)):
            return False
        if parts and not (any(points) or axes):
            return False
        if self._in_plane is not None and not all(points):
            return False
        round_ones = [radius_of(s) > 0 for s in shapes]
        if self._between != Between.CENTER and not all(round_ones):
            return False
        try:
            value = self.nominal(features)
        except EvaluationError:
            return False
        return value > _LEAST

    def nominal(self, features: Nominals) -> float:
        """Return the distance in the CAD model, mm."""
        return _between(features, self._along, self._in_plane, self._between)

    def value(self, features: MeasuredFeatures) -> float:
        """Return the distance between the measured features, mm."""
        return _between(features, self._along, self._in_plane, self._between)


def _level(features: Nominals) -> bool:
    """Parallel planes, parallel axes, or an axis parallel to a plane."""
    a, b = (direction_of(f.feature) for f in features)
    if a is None or b is None:
        return False
    mixed = (plane_of(features[0].feature) is None) != (plane_of(features[1].feature) is None)
    sine = float(np.linalg.norm(np.cross(a, b)))
    return sine > 1 - _ANGLE**2 if mixed else sine < _ANGLE


class Angle:
    """One kind of angle: in space or in a projection plane, or what it lacks to a half turn."""

    def __init__(self, *, in_plane: Vector | None = None, complement: bool = False) -> None:
        self._in_plane, self._complement = in_plane, complement

    def fits(self, features: Nominals) -> bool:
        """Two features with directions that are not nominally parallel."""
        if len(features) != 2 or any(direction_of(f.feature) is None for f in features):
            return False
        try:
            plain = relations.angle(features[0].feature, features[1].feature, in_plane=self._in_plane)
        except EvaluationError:
            return False
        return plain > _ANGLE

    def nominal(self, features: Nominals) -> float:
        """Return the angle in the CAD model, rad."""
        a, b = features
        return relations.angle(a.feature, b.feature, in_plane=self._in_plane, complement=self._complement)

    def value(self, features: MeasuredFeatures) -> float:
        """Return the angle of the measured features, rad."""
        a, b = features
        return relations.angle(a.feature, b.feature, in_plane=self._in_plane, complement=self._complement)


def _direction(feature: Nominal | Measured | Built) -> Vector:
    """The direction of the third feature: a datum, so outside the material."""
    found = direction_of(feature.as_datum() if isinstance(feature, Measured) else feature.feature)
    assert found is not None
    return found


class Directed:
    """A distance of two features in the direction of a third (along it, or in its plane), or an angle seen along it."""

    def __init__(self, what: str) -> None:
        self._what = what

    def fits(self, features: Nominals) -> bool:
        """Two features with a place or an axis, then an axis or a plane that gives the direction."""
        if len(features) != 3 or direction_of(features[2].feature) is None:
            return False
        first = features[:2]
        if self._what == "angle":
            wanted = all(direction_of(f.feature) is not None for f in first)
        else:
            wanted = all(place_of(f.feature) is not None or own_axis_of(f.feature) is not None for f in first)
        if not wanted or (self._what == "in" and plane_of(features[2].feature) is None):
            return False
        try:
            return self.nominal(features) > _LEAST
        except EvaluationError:
            return False

    def nominal(self, features: Nominals) -> float:
        """Return the value in the CAD model, mm or rad."""
        return self._of(features)

    def value(self, features: MeasuredFeatures) -> float:
        """Return the value of the measured features, mm or rad."""
        return self._of(features)

    def _of(self, features: Nominals | MeasuredFeatures) -> float:
        a, b, reference = features
        direction = _direction(reference)
        if self._what == "angle":
            return relations.angle(a.feature, b.feature, in_plane=direction)
        along, in_plane = (direction, None) if self._what == "along" else (None, direction)
        return relations.distance(_operand(a), _operand(b), along=along, in_plane=in_plane)


def is_cone(features: Nominals) -> bool:
    """One cone or countersink."""
    return len(features) == 1 and isinstance(features[0].feature, Cone | Countersink)


def _full_angle(feature: Nominal | Measured | Built) -> float:
    assert isinstance(feature.feature, Cone | Countersink)
    return 2 * feature.feature.half_angle_rad


def nominal_cone_angle(features: Nominals) -> float:
    """Return the full angle of a cone in the CAD model, rad."""
    return _full_angle(features[0])


def cone_angle(features: MeasuredFeatures) -> float:
    """Return the full angle of a cone, rad."""
    return _full_angle(features[0])


def is_countersink(features: Nominals) -> bool:
    """One countersink."""
    return len(features) == 1 and isinstance(features[0].feature, Countersink)


def countersink_depth(features: Nominals | MeasuredFeatures) -> float:
    """Return the depth of a countersink from the plane at which it begins to its bore, mm."""
    feature = features[0].feature
    assert isinstance(feature, Countersink)
    return feature.depth


def is_step(features: Nominals) -> bool:
    """Two parallel planes that face the same way, one above the other."""
    if len(features) != 2 or any(f.built or not isinstance(f.feature, Plane) for f in features):
        return False
    a, b = features
    same = float(a.feature.parameters["normal"] @ b.feature.parameters["normal"]) > 1 - 1e-8
    return same and abs(nominal_depth(features)) > _LEAST


def is_depth(features: Nominals) -> bool:
    """An entry plane, then what lies below it: a plane that faces the same way, or a centre."""
    if len(features) != 2 or not isinstance(features[0].feature, Plane):
        return False
    if not is_step(features) and place_of(features[1].feature) is None:
        return False
    return nominal_depth(features) > _LEAST


def nominal_depth(features: Nominals) -> float:
    """Return how far the second feature lies below the first plane in the CAD model, mm."""
    return _below(features[0].feature, features[1].feature, features[1].center)


def depth(features: MeasuredFeatures) -> float:
    """Return how far the second measured feature lies below the first plane, mm; for a plane from its middle."""
    return _below(features[0].feature, features[1].feature, features[1].middle)


def _below(entry: Feature, other: Feature, middle: Vector) -> float:
    assert isinstance(entry, Plane)
    place = place_of(other)
    point = middle if place is None else place
    return float((entry.point - point) @ entry.normal)
