"""What is fitted to several features, and sections of cones."""

from collections.abc import Callable

import numpy as np

from truegauge.core.arrays import unit
from truegauge.core.association.axes import axes_along
from truegauge.core.association.by_criterion import associate
from truegauge.core.association.features import (
    Circle,
    Cone,
    Feature,
    Line,
    Shape,
)
from truegauge.core.association.fit import Criterion
from truegauge.core.constructions.lines_and_planes import (
    aligned,
)
from truegauge.core.constructions.operands import (
    Operands,
    angle_sine,
    kinds_of,
    lines_in,
    planes_in,
    points_in,
)
from truegauge.core.constructions.parts import (
    foot_on_line,
    foot_on_plane,
)
from truegauge.core.errors import AssociationError, EvaluationError


def fitted(shape: Shape, what: str) -> Callable[[Operands, tuple[float, ...]], Feature]:
    def build(operands: Operands, values: tuple[float, ...]) -> Feature:
        try:
            return associate(shape, np.array(points_in(operands)), Criterion.LEAST_SQUARES).feature
        except AssociationError as error:
            raise EvaluationError(f"no {what} goes through these: {error}") from error

    return build


def some_points(least: int) -> Callable[[Operands], bool]:
    return lambda operands: len(operands) >= least and set(kinds_of(operands)) == {"p"}


def mean_line(operands: Operands, values: tuple[float, ...]) -> Feature:
    lines = lines_in(operands)
    direction = unit(np.sum([aligned(lines[0].direction, line.direction) for line in lines], axis=0))
    middle = np.mean([o.middle for o in operands], axis=0)
    return Line(np.mean([foot_on_line(line, middle) for line in lines], axis=0), direction)


def mean_plane(operands: Operands, values: tuple[float, ...]) -> Feature:
    """The plane of least squares through the middles of the features, weighted by nothing but themselves."""
    planes = planes_in(operands)
    points = [foot_on_plane(p, o.middle) for p, o in zip(planes, operands, strict=True)]
    corners = []
    for plane, point, operand in zip(planes, points, operands, strict=True):
        x, y, _ = axes_along(plane.normal)
        reach = max(operand.length, 1.0) / 4
        corners += [point + reach * v for v in (x, y, -x, -y)]
    return associate(Shape.PLANE, np.array(corners)).feature


def all_are(kind: str, least: int) -> Callable[[Operands], bool]:
    return lambda operands: len(operands) >= least and set(kinds_of(operands)) == {kind}


def nearly_one(operands: Operands) -> bool:
    """Pieces of nearly one plane: level with each other, beside and not above each other."""
    first, *others = planes_in(operands)
    apart = [abs(float((p.point - first.point) @ first.normal)) for p in others]
    beside = [float(np.linalg.norm(o.middle - operands[0].middle)) for o in operands[1:]]
    return all(angle_sine(first.normal, p.normal) < 0.05 for p in others) and all(
        a <= 0.25 * b for a, b in zip(apart, beside, strict=True)
    )


def is_cone(operands: Operands) -> bool:
    return len(operands) == 1 and isinstance(operands[0].feature, Cone)


def section_at(cone: Cone, height: float) -> Feature:
    if height <= 0:
        raise EvaluationError("the cone has no section before its apex")
    radius = height * float(np.tan(cone.half_angle_rad))
    return Circle(cone.apex + height * cone.direction, cone.direction, radius)


def at_diameter(operands: Operands, values: tuple[float, ...]) -> Feature:
    cone = operands[0].feature
    assert isinstance(cone, Cone)
    if values[0] <= 0:
        raise EvaluationError("a gauge diameter is above 0")
    return section_at(cone, values[0] / 2 / float(np.tan(cone.half_angle_rad)))


def at_distance(operands: Operands, values: tuple[float, ...]) -> Feature:
    cone = operands[0].feature
    assert isinstance(cone, Cone)
    return section_at(cone, values[0])


def middle_height(operands: Operands) -> float:
    cone = operands[0].feature
    assert isinstance(cone, Cone)
    return float((operands[0].middle - cone.apex) @ cone.direction)


def middle_diameter(operands: Operands) -> float:
    cone = operands[0].feature
    assert isinstance(cone, Cone)
    return 2 * middle_height(operands) * float(np.tan(cone.half_angle_rad))


def is_plane(operands: Operands) -> bool:
    return len(operands) == 1 and kinds_of(operands) == "e"
