"""Lines, planes and points built from lines, planes and points."""

import numpy as np

from truegauge.core.arrays import Vector, unit
from truegauge.core.association.features import (
    Circle,
    Cylinder,
    Ellipse,
    Feature,
    Line,
    Plane,
    Point,
)
from truegauge.core.constructions.operands import PARALLEL, Operands, angle_sine, lines_in, planes_in, points_in
from truegauge.core.constructions.parts import (
    foot_on_line,
    foot_on_plane,
    nearest_points,
)
from truegauge.core.errors import EvaluationError


def plane_plane(operands: Operands, values: tuple[float, ...]) -> Feature:
    a, b = planes_in(operands)
    direction = np.cross(a.normal, b.normal)
    if np.linalg.norm(direction) < 1e-9:
        raise EvaluationError("the planes are parallel; they do not meet")
    direction = unit(direction)
    middle = (operands[0].middle + operands[1].middle) / 2
    system = np.vstack([a.normal, b.normal, direction])
    heights = np.array([a.normal @ a.point, b.normal @ b.point, direction @ middle])
    return Line(np.asarray(np.linalg.solve(system, heights), dtype=np.float64), direction)


def three_planes(operands: Operands, values: tuple[float, ...]) -> Feature:
    planes = planes_in(operands)
    normals = np.vstack([p.normal for p in planes])
    if abs(np.linalg.det(normals)) < 1e-9:
        raise EvaluationError("the three planes do not meet in one point")
    heights = np.array([p.normal @ p.point for p in planes])
    return Point(np.asarray(np.linalg.solve(normals, heights), dtype=np.float64))


def line_plane(operands: Operands, values: tuple[float, ...]) -> Feature:
    (plane,), (line,) = planes_in(operands), lines_in(operands)
    slope = float(line.direction @ plane.normal)
    if abs(slope) < 1e-9:
        raise EvaluationError("the line is parallel to the plane; they do not meet")
    return Point(line.point + float((plane.point - line.point) @ plane.normal) / slope * line.direction)


def line_line(operands: Operands, values: tuple[float, ...]) -> Feature:
    found = nearest_points(*lines_in(operands))
    if found is None:
        raise EvaluationError("the lines are parallel; they do not meet")
    return Point((found[0] + found[1]) / 2)


def is_cylinder_and_plane(operands: Operands) -> bool:
    kinds = {type(o.feature) for o in operands}
    return len(operands) == 2 and kinds == {Cylinder, Plane}


def cylinder_plane(operands: Operands, values: tuple[float, ...]) -> Feature:
    cylinder = next(o.feature for o in operands if isinstance(o.feature, Cylinder))
    plane = planes_in(operands)[0]
    cosine = abs(float(cylinder.direction @ plane.normal))
    if cosine < 1e-6:
        raise EvaluationError("the plane is parallel to the axis; it cuts no ellipse")
    center = line_plane(operands, values).parameters["center"]
    along = cylinder.direction - float(cylinder.direction @ plane.normal) * plane.normal
    if np.linalg.norm(along) < PARALLEL:
        return Circle(center, plane.normal, cylinder.radius)
    return Ellipse(center, plane.normal, unit(along), cylinder.radius / cosine, cylinder.radius)


def midpoint(operands: Operands, values: tuple[float, ...]) -> Feature:
    return Point(np.mean(points_in(operands), axis=0))


def aligned(a: Vector, b: Vector) -> Vector:
    return b if float(a @ b) >= 0 else -b


def mid_line(operands: Operands, values: tuple[float, ...]) -> Feature:
    a, b = lines_in(operands)
    direction = unit(a.direction + aligned(a.direction, b.direction))
    middle = (operands[0].middle + operands[1].middle) / 2
    return Line((foot_on_line(a, middle) + foot_on_line(b, middle)) / 2, direction)


def line_bisector(operands: Operands, values: tuple[float, ...]) -> Feature:
    a, b = lines_in(operands)
    found = nearest_points(a, b)
    if found is None:
        raise EvaluationError("the lines are parallel; take their mid-line")
    apex = (found[0] + found[1]) / 2
    # Toward where the features are, not away from them.
    one, other = (toward(line, o.middle, apex) for line, o in zip((a, b), operands, strict=True))
    total = one + other
    if np.linalg.norm(total) < 1e-9:
        raise EvaluationError("the lines point away from each other; they have no bisector")
    return Line(apex, unit(total))


def toward(line: Line, middle: Vector, apex: Vector) -> Vector:
    return line.direction if float((middle - apex) @ line.direction) >= 0 else -line.direction


def mid_plane(operands: Operands, values: tuple[float, ...]) -> Feature:
    a, b = planes_in(operands)
    normal = unit(a.normal + aligned(a.normal, b.normal))
    middle = (operands[0].middle + operands[1].middle) / 2
    # Half way between the two along the common normal.
    height = ((a.point - middle) @ a.normal) / (normal @ a.normal) + ((b.point - middle) @ b.normal) / (
        normal @ b.normal
    )
    return Plane(middle + height / 2 * normal, normal)


def plane_bisector(operands: Operands, values: tuple[float, ...]) -> Feature:
    a, b = planes_in(operands)
    edge = plane_plane(operands, values)
    point = edge.parameters["point"]
    # The plane between the two faces as they were measured.
    one, other = (foot_on_plane(p, o.middle) - point for p, o in zip((a, b), operands, strict=True))
    direction = edge.parameters["direction"]
    inside = unit(one - (one @ direction) * direction) + unit(other - (other @ direction) * direction)
    if np.linalg.norm(inside) < 1e-9:
        raise EvaluationError("the planes lie in one line with each other; they have no bisector")
    return Plane(point, unit(np.cross(direction, inside)))


def symmetry_plane(operands: Operands, values: tuple[float, ...]) -> Feature:
    a, b = points_in(operands)
    if np.linalg.norm(b - a) < 1e-9:
        raise EvaluationError("the two points are one; there is no plane between them")
    return Plane((a + b) / 2, unit(b - a))


def point_on_plane(operands: Operands, values: tuple[float, ...]) -> Feature:
    return Point(foot_on_plane(planes_in(operands)[0], points_in(operands)[0]))


def point_on_line(operands: Operands, values: tuple[float, ...]) -> Feature:
    return Point(foot_on_line(lines_in(operands)[0], points_in(operands)[0]))


def line_on_plane(operands: Operands, values: tuple[float, ...]) -> Feature:
    plane, line = planes_in(operands)[0], lines_in(operands)[0]
    direction = line.direction - float(line.direction @ plane.normal) * plane.normal
    if np.linalg.norm(direction) < 1e-9:
        raise EvaluationError("the line stands on the plane; its projection is a point")
    return Line(foot_on_plane(plane, line.point), unit(direction))


def plane_through(operands: Operands, values: tuple[float, ...]) -> Feature:
    return Plane(points_in(operands)[0], planes_in(operands)[0].normal)


def line_through(operands: Operands, values: tuple[float, ...]) -> Feature:
    return Line(points_in(operands)[0], lines_in(operands)[0].direction)


def normal_through(operands: Operands, values: tuple[float, ...]) -> Feature:
    return Line(points_in(operands)[0], planes_in(operands)[0].normal)


def across_through(operands: Operands, values: tuple[float, ...]) -> Feature:
    return Plane(points_in(operands)[0], lines_in(operands)[0].direction)


def drop(operands: Operands, values: tuple[float, ...]) -> Feature:
    point, line = points_in(operands)[0], lines_in(operands)[0]
    foot = foot_on_line(line, point)
    if np.linalg.norm(foot - point) < 1e-9:
        raise EvaluationError("the point lies on the line; no one perpendicular goes through it")
    return Line(point, unit(foot - point))


def plane_of_line_and_point(operands: Operands, values: tuple[float, ...]) -> Feature:
    point, line = points_in(operands)[0], lines_in(operands)[0]
    foot = foot_on_line(line, point)
    if np.linalg.norm(foot - point) < 1e-9:
        raise EvaluationError("the point lies on the line; many planes go through both")
    return Plane(foot, unit(np.cross(line.direction, point - foot)))


def plane_of_lines(operands: Operands, values: tuple[float, ...]) -> Feature:
    """The plane half way between two axes, along both: through parallel ones, as between skew ones."""
    a, b = lines_in(operands)
    middle = (operands[0].middle + operands[1].middle) / 2
    if angle_sine(a.direction, b.direction) < 0.05:
        one, other = foot_on_line(a, middle), foot_on_line(b, middle)
        if np.linalg.norm(one - other) < 1e-9:
            raise EvaluationError("the two axes are one; many planes go through them")
        mean = unit(a.direction + aligned(a.direction, b.direction))
        return Plane((one + other) / 2, unit(np.cross(mean, other - one)))
    found = nearest_points(a, b)
    assert found is not None
    return Plane((found[0] + found[1]) / 2, unit(np.cross(a.direction, b.direction)))


def offset_plane(operands: Operands, values: tuple[float, ...]) -> Feature:
    plane = planes_in(operands)[0]
    return Plane(plane.point + values[0] * plane.normal, plane.normal)
