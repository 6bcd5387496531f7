"""Relations between two features: distances and angles, in space and in chosen directions.

Between two planes that are not exactly parallel the distance is the mean of the two distances from each middle to the
other plane, so that the order of the two does not matter; between two axes it is taken across their mean direction at
the middle of the two features.
"""

from enum import StrEnum

import numpy as np

from truegauge.core.arrays import Vector, unit
from truegauge.core.association.features import Feature, Line
from truegauge.core.constructions.parts import (
    Operand,
    foot_on_line,
    foot_on_plane,
    own_axis_of,
    place_of,
    plane_of,
    radius_of,
)
from truegauge.core.errors import EvaluationError


class Between(StrEnum):
    """Which points of round features a distance is taken between."""

    CENTER = "center"
    NEAREST = "nearest"
    FARTHEST = "farthest"


def ends(a: Operand, b: Operand) -> tuple[Vector, Vector]:
    """Return the two points (3,) between which the distance of two features is measured, mm.

    Raises
    ------
    EvaluationError
        A feature that has neither place, axis nor plane.
    """
    place_a, place_b = place_of(a.feature), place_of(b.feature)
    if place_a is not None and place_b is not None:
        return place_a, place_b
    if place_b is not None:
        one, other = ends(b, a)
        return other, one
    if place_a is not None:
        return place_a, _foot(b.feature, place_a)
    line_a, line_b = own_axis_of(a.feature), own_axis_of(b.feature)
    plane_a, plane_b = plane_of(a.feature), plane_of(b.feature)
    if plane_a is not None and plane_b is not None:
        at_a, at_b = foot_on_plane(plane_a, a.middle), foot_on_plane(plane_b, b.middle)
        mean = (abs(float((at_b - plane_a.point) @ plane_a.normal)) + abs(
            float((at_a - plane_b.point) @ plane_b.normal))) / 2  # fmt: skip
        sense = 1.0 if float((at_b - at_a) @ plane_a.normal) >= 0 else -1.0
        return at_a, at_a + sense * mean * plane_a.normal
    if plane_b is not None and line_a is not None:
        at = foot_on_line(line_a, a.middle)
        return at, foot_on_plane(plane_b, at)
    if plane_a is not None and line_b is not None:
        at = foot_on_line(line_b, b.middle)
        return foot_on_plane(plane_a, at), at
    if line_a is not None and line_b is not None:
        return _across(line_a, line_b, (a.middle + b.middle) / 2)
    raise EvaluationError(f"no distance can be taken between a {a.feature.shape} and a {b.feature.shape}")


def _foot(feature: Feature, point: Vector) -> Vector:
    line, plane = own_axis_of(feature), plane_of(feature)
    if plane is not None:
        return foot_on_plane(plane, point)
    if line is not None:
        return foot_on_line(line, point)
    raise EvaluationError(f"no distance can be taken to a {feature.shape}")


def _across(a: Line, b: Line, middle: Vector) -> tuple[Vector, Vector]:
    """Where two axes pass the plane through `middle` across their mean direction; where they come nearest if skew."""
    sense = 1.0 if float(a.direction @ b.direction) >= 0 else -1.0
    if abs(float(a.direction @ b.direction)) < 0.99:
        from truegauge.core.constructions.parts import nearest_points

        found = nearest_points(a, b)
        assert found is not None
        return found
    mean = unit(a.direction + sense * b.direction)
    return _at_height(a, mean, middle), _at_height(b, mean, middle)


def _at_height(axis: Line, mean: Vector, middle: Vector) -> Vector:
    along = float((middle - axis.point) @ mean) / float(axis.direction @ mean)
    return np.asarray(axis.point + along * axis.direction)


def distance(
    a: Operand,
    b: Operand,
    *,
    along: Vector | None = None,
    in_plane: Vector | None = None,
    between: Between = Between.CENTER,
) -> float:
    """Return the distance of two features, mm.

    Parameters
    ----------
    along : (3,)
        Only the part along this direction: an axis, or the normal of a plane to which it is perpendicular.
    in_plane : (3,)
        Only the part in the projection plane with this normal.
    between : Between
        From centre to centre, or between the nearest or farthest points of round features.

    Raises
    ------
    EvaluationError
        No distance can be taken between such features.
    """
    one, other = ends(a, b)
    gap = other - one
    if along is not None:
        value = abs(float(gap @ unit(along)))
    elif in_plane is not None:
        normal = unit(in_plane)
        value = float(np.linalg.norm(gap - float(gap @ normal) * normal))
    else:
        value = float(np.linalg.norm(gap))
    if between == Between.CENTER:
        return value
    reach = radius_of(a.feature) + radius_of(b.feature)
    return value + reach if between == Between.FARTHEST else value - reach


def direction_of(feature: Feature) -> Vector | None:
    """Return the direction of an axis or the normal of a plane."""
    plane, line = plane_of(feature), own_axis_of(feature)
    return plane.normal if plane is not None else None if line is None else line.direction


def angle(a: Feature, b: Feature, *, in_plane: Vector | None = None, complement: bool = False) -> float:
    """Return the angle of two features in space, or projected into a plane: 0 to pi/2, rad.

    Between a plane and an axis it is the angle of the axis over the plane. `complement` gives pi minus the angle.

    Raises
    ------
    EvaluationError
        A feature without direction, or one that stands on the projection plane.
    """
    one, other = direction_of(a), direction_of(b)
    if one is None or other is None:
        raise EvaluationError(f"a {(a if one is None else b).shape} has no direction")
    mixed = (plane_of(a) is None) != (plane_of(b) is None)
    if in_plane is not None:
        normal = unit(in_plane)
        # A plane shows in the projection as its trace, which is across its normal: the same angle between two.
        one, other = (v - float(v @ normal) * normal for v in (one, other))
        if min(np.linalg.norm(one), np.linalg.norm(other)) < 1e-9:
            raise EvaluationError("a feature stands on the projection plane; it shows no direction there")
    value = float(np.arctan2(np.linalg.norm(np.cross(one, other)), abs(float(one @ other))))
    if mixed:
        value = np.pi / 2 - value
    return np.pi - value if complement else value
