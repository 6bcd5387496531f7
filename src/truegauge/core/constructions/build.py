"""The constructions: for each, which features it takes, what else it asks for, and how the feature comes about.

A construction is one entry of `CONSTRUCTIONS`. It works on nominal and on measured features alike, so that what is
built has a nominal to be compared with.
"""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from truegauge.core.arrays import Vector, unit
from truegauge.core.association.by_criterion import associate
from truegauge.core.association.features import (
    Circle,
    Cone,
    Cylinder,
    Ellipse,
    Feature,
    Line,
    Plane,
    Point,
    Shape,
    axes_along,
)
from truegauge.core.association.fit import Criterion
from truegauge.core.constructions.elements import countersink_of, is_countersink, is_slot, slot_of
from truegauge.core.constructions.parts import (
    Operand,
    axis_of,
    foot_on_line,
    foot_on_plane,
    nearest_points,
    own_axis_of,
    place_of,
    plane_of,
)
from truegauge.core.errors import AssociationError, EvaluationError

_PARALLEL = 1e-4  # sine of an angle below which directions are called parallel
Operands = tuple[Operand, ...]


@dataclass(frozen=True, slots=True)
class Value:
    """A number that a construction asks for; lengths in mm."""

    label: str
    default: Callable[[Operands], float]


@dataclass(frozen=True, slots=True)
class Construction:
    """One way to build a feature."""

    name: str
    label: str
    word: str  # what the result is called
    fits: Callable[[Operands], bool]
    build: Callable[[Operands, tuple[float, ...]], Feature]
    values: tuple[Value, ...] = ()


def _kinds(operands: Operands) -> str:
    """Describe each operand by a letter: p point, l line or axis, e plane."""
    letters = []
    for o in operands:
        f = o.feature
        letters.append("p" if place_of(f) is not None else "e" if plane_of(f) else "l" if own_axis_of(f) else "?")
    return "".join(letters)


def _are(*patterns: str) -> Callable[[Operands], bool]:
    wanted = {"".join(sorted(p)) for p in patterns}
    return lambda operands: "".join(sorted(_kinds(operands))) in wanted


def _planes(operands: Operands) -> list[Plane]:
    return [p for o in operands if (p := plane_of(o.feature)) is not None]


def _lines(operands: Operands) -> list[Line]:
    return [line for o in operands if place_of(o.feature) is None and (line := own_axis_of(o.feature)) is not None]


def _points(operands: Operands) -> list[Vector]:
    return [p for o in operands if (p := place_of(o.feature)) is not None]


def _angle_sine(a: Vector, b: Vector) -> float:
    return float(np.linalg.norm(np.cross(a, b)))


def _directions(operands: Operands) -> list[Vector]:
    return [p.normal for p in _planes(operands)] + [line.direction for line in _lines(operands)]


def _both(*tests: Callable[[Operands], bool]) -> Callable[[Operands], bool]:
    return lambda operands: all(test(operands) for test in tests)


def _parallel(operands: Operands) -> bool:
    a, b = _directions(operands)[:2]
    return _angle_sine(a, b) < _PARALLEL


def _not_parallel(operands: Operands) -> bool:
    return not _parallel(operands)


# Intersections ---------------------------------------------------------------------------------------------------


def _plane_plane(operands: Operands, values: tuple[float, ...]) -> Feature:
    a, b = _planes(operands)
    direction = np.cross(a.normal, b.normal)
    if np.linalg.norm(direction) < 1e-9:
        raise EvaluationError("the planes are parallel; they do not meet")
    direction = unit(direction)
    middle = (operands[0].middle + operands[1].middle) / 2
    system = np.vstack([a.normal, b.normal, direction])
    heights = np.array([a.normal @ a.point, b.normal @ b.point, direction @ middle])
    return Line(np.asarray(np.linalg.solve(system, heights), dtype=np.float64), direction)


def _three_planes(operands: Operands, values: tuple[float, ...]) -> Feature:
    planes = _planes(operands)
    normals = np.vstack([p.normal for p in planes])
    if abs(np.linalg.det(normals)) < 1e-9:
        raise EvaluationError("the three planes do not meet in one point")
    heights = np.array([p.normal @ p.point for p in planes])
    return Point(np.asarray(np.linalg.solve(normals, heights), dtype=np.float64))


def _line_plane(operands: Operands, values: tuple[float, ...]) -> Feature:
    (plane,), (line,) = _planes(operands), _lines(operands)
    slope = float(line.direction @ plane.normal)
    if abs(slope) < 1e-9:
        raise EvaluationError("the line is parallel to the plane; they do not meet")
    return Point(line.point + float((plane.point - line.point) @ plane.normal) / slope * line.direction)


def _line_line(operands: Operands, values: tuple[float, ...]) -> Feature:
    found = nearest_points(*_lines(operands))
    if found is None:
        raise EvaluationError("the lines are parallel; they do not meet")
    return Point((found[0] + found[1]) / 2)


def _is_cylinder_and_plane(operands: Operands) -> bool:
    kinds = {type(o.feature) for o in operands}
    return len(operands) == 2 and kinds == {Cylinder, Plane}


def _cylinder_plane(operands: Operands, values: tuple[float, ...]) -> Feature:
    cylinder = next(o.feature for o in operands if isinstance(o.feature, Cylinder))
    plane = _planes(operands)[0]
    cosine = abs(float(cylinder.direction @ plane.normal))
    if cosine < 1e-6:
        raise EvaluationError("the plane is parallel to the axis; it cuts no ellipse")
    center = _line_plane(operands, values).parameters["center"]
    along = cylinder.direction - float(cylinder.direction @ plane.normal) * plane.normal
    if np.linalg.norm(along) < _PARALLEL:
        return Circle(center, plane.normal, cylinder.radius)
    return Ellipse(center, plane.normal, unit(along), cylinder.radius / cosine, cylinder.radius)


# Middles ---------------------------------------------------------------------------------------------------------


def _midpoint(operands: Operands, values: tuple[float, ...]) -> Feature:
    return Point(np.mean(_points(operands), axis=0))


def _aligned(a: Vector, b: Vector) -> Vector:
    return b if float(a @ b) >= 0 else -b


def _mid_line(operands: Operands, values: tuple[float, ...]) -> Feature:
    a, b = _lines(operands)
    direction = unit(a.direction + _aligned(a.direction, b.direction))
    middle = (operands[0].middle + operands[1].middle) / 2
    return Line((foot_on_line(a, middle) + foot_on_line(b, middle)) / 2, direction)


def _line_bisector(operands: Operands, values: tuple[float, ...]) -> Feature:
    a, b = _lines(operands)
    found = nearest_points(a, b)
    if found is None:
        raise EvaluationError("the lines are parallel; take their mid-line")
    apex = (found[0] + found[1]) / 2
    # Toward where the features are, not away from them.
    one, other = (_toward(line, o.middle, apex) for line, o in zip((a, b), operands, strict=True))
    total = one + other
    if np.linalg.norm(total) < 1e-9:
        raise EvaluationError("the lines point away from each other; they have no bisector")
    return Line(apex, unit(total))


def _toward(line: Line, middle: Vector, apex: Vector) -> Vector:
    return line.direction if float((middle - apex) @ line.direction) >= 0 else -line.direction


def _mid_plane(operands: Operands, values: tuple[float, ...]) -> Feature:
    a, b = _planes(operands)
    normal = unit(a.normal + _aligned(a.normal, b.normal))
    middle = (operands[0].middle + operands[1].middle) / 2
    # Half way between the two along the common normal.
    height = ((a.point - middle) @ a.normal) / (normal @ a.normal) + ((b.point - middle) @ b.normal) / (
        normal @ b.normal
    )
    return Plane(middle + height / 2 * normal, normal)


def _plane_bisector(operands: Operands, values: tuple[float, ...]) -> Feature:
    a, b = _planes(operands)
    edge = _plane_plane(operands, values)
    point = edge.parameters["point"]
    # The plane between the two faces as they were measured.
    one, other = (foot_on_plane(p, o.middle) - point for p, o in zip((a, b), operands, strict=True))
    direction = edge.parameters["direction"]
    inside = unit(one - (one @ direction) * direction) + unit(other - (other @ direction) * direction)
    if np.linalg.norm(inside) < 1e-9:
        raise EvaluationError("the planes lie in one line with each other; they have no bisector")
    return Plane(point, unit(np.cross(direction, inside)))


def _symmetry_plane(operands: Operands, values: tuple[float, ...]) -> Feature:
    a, b = _points(operands)
    if np.linalg.norm(b - a) < 1e-9:
        raise EvaluationError("the two points are one; there is no plane between them")
    return Plane((a + b) / 2, unit(b - a))


# Projections, parallels, perpendiculars --------------------------------------------------------------------------


def _point_on_plane(operands: Operands, values: tuple[float, ...]) -> Feature:
    return Point(foot_on_plane(_planes(operands)[0], _points(operands)[0]))


def _point_on_line(operands: Operands, values: tuple[float, ...]) -> Feature:
    return Point(foot_on_line(_lines(operands)[0], _points(operands)[0]))


def _line_on_plane(operands: Operands, values: tuple[float, ...]) -> Feature:
    plane, line = _planes(operands)[0], _lines(operands)[0]
    direction = line.direction - float(line.direction @ plane.normal) * plane.normal
    if np.linalg.norm(direction) < 1e-9:
        raise EvaluationError("the line stands on the plane; its projection is a point")
    return Line(foot_on_plane(plane, line.point), unit(direction))


def _plane_through(operands: Operands, values: tuple[float, ...]) -> Feature:
    return Plane(_points(operands)[0], _planes(operands)[0].normal)


def _line_through(operands: Operands, values: tuple[float, ...]) -> Feature:
    return Line(_points(operands)[0], _lines(operands)[0].direction)


def _normal_through(operands: Operands, values: tuple[float, ...]) -> Feature:
    return Line(_points(operands)[0], _planes(operands)[0].normal)


def _across_through(operands: Operands, values: tuple[float, ...]) -> Feature:
    return Plane(_points(operands)[0], _lines(operands)[0].direction)


def _drop(operands: Operands, values: tuple[float, ...]) -> Feature:
    point, line = _points(operands)[0], _lines(operands)[0]
    foot = foot_on_line(line, point)
    if np.linalg.norm(foot - point) < 1e-9:
        raise EvaluationError("the point lies on the line; no one perpendicular goes through it")
    return Line(point, unit(foot - point))


def _plane_of_line_and_point(operands: Operands, values: tuple[float, ...]) -> Feature:
    point, line = _points(operands)[0], _lines(operands)[0]
    foot = foot_on_line(line, point)
    if np.linalg.norm(foot - point) < 1e-9:
        raise EvaluationError("the point lies on the line; many planes go through both")
    return Plane(foot, unit(np.cross(line.direction, point - foot)))


def _plane_of_lines(operands: Operands, values: tuple[float, ...]) -> Feature:
    """The plane half way between two axes, along both: through parallel ones, as between skew ones."""
    a, b = _lines(operands)
    middle = (operands[0].middle + operands[1].middle) / 2
    if _angle_sine(a.direction, b.direction) < 0.05:
        one, other = foot_on_line(a, middle), foot_on_line(b, middle)
        if np.linalg.norm(one - other) < 1e-9:
            raise EvaluationError("the two axes are one; many planes go through them")
        mean = unit(a.direction + _aligned(a.direction, b.direction))
        return Plane((one + other) / 2, unit(np.cross(mean, other - one)))
    found = nearest_points(a, b)
    assert found is not None
    return Plane((found[0] + found[1]) / 2, unit(np.cross(a.direction, b.direction)))


def _offset_plane(operands: Operands, values: tuple[float, ...]) -> Feature:
    plane = _planes(operands)[0]
    return Plane(plane.point + values[0] * plane.normal, plane.normal)


# Through several -------------------------------------------------------------------------------------------------


def _fit(shape: Shape, what: str) -> Callable[[Operands, tuple[float, ...]], Feature]:
    def build(operands: Operands, values: tuple[float, ...]) -> Feature:
        try:
            return associate(shape, np.array(_points(operands)), Criterion.LEAST_SQUARES).feature
        except AssociationError as error:
            raise EvaluationError(f"no {what} goes through these: {error}") from error

    return build


def _some_points(least: int) -> Callable[[Operands], bool]:
    return lambda operands: len(operands) >= least and set(_kinds(operands)) == {"p"}


def _mean_line(operands: Operands, values: tuple[float, ...]) -> Feature:
    lines = _lines(operands)
    direction = unit(np.sum([_aligned(lines[0].direction, line.direction) for line in lines], axis=0))
    middle = np.mean([o.middle for o in operands], axis=0)
    return Line(np.mean([foot_on_line(line, middle) for line in lines], axis=0), direction)


def _mean_plane(operands: Operands, values: tuple[float, ...]) -> Feature:
    """The plane of least squares through the middles of the features, weighted by nothing but themselves."""
    planes = _planes(operands)
    points = [foot_on_plane(p, o.middle) for p, o in zip(planes, operands, strict=True)]
    corners = []
    for plane, point, operand in zip(planes, points, operands, strict=True):
        x, y, _ = axes_along(plane.normal)
        reach = max(operand.length, 1.0) / 4
        corners += [point + reach * v for v in (x, y, -x, -y)]
    return associate(Shape.PLANE, np.array(corners)).feature


def _all(kind: str, least: int) -> Callable[[Operands], bool]:
    return lambda operands: len(operands) >= least and set(_kinds(operands)) == {kind}


def _nearly_one(operands: Operands) -> bool:
    """Pieces of nearly one plane: level with each other, beside and not above each other."""
    first, *others = _planes(operands)
    apart = [abs(float((p.point - first.point) @ first.normal)) for p in others]
    beside = [float(np.linalg.norm(o.middle - operands[0].middle)) for o in operands[1:]]
    return all(_angle_sine(first.normal, p.normal) < 0.05 for p in others) and all(
        a <= 0.25 * b for a, b in zip(apart, beside, strict=True)
    )


# Cones -----------------------------------------------------------------------------------------------------------


def _is_cone(operands: Operands) -> bool:
    return len(operands) == 1 and isinstance(operands[0].feature, Cone)


def _section(cone: Cone, height: float) -> Feature:
    if height <= 0:
        raise EvaluationError("the cone has no section before its apex")
    radius = height * float(np.tan(cone.half_angle_rad))
    return Circle(cone.apex + height * cone.direction, cone.direction, radius)


def _at_diameter(operands: Operands, values: tuple[float, ...]) -> Feature:
    cone = operands[0].feature
    assert isinstance(cone, Cone)
    if values[0] <= 0:
        raise EvaluationError("a gauge diameter is above 0")
    return _section(cone, values[0] / 2 / float(np.tan(cone.half_angle_rad)))


def _at_distance(operands: Operands, values: tuple[float, ...]) -> Feature:
    cone = operands[0].feature
    assert isinstance(cone, Cone)
    return _section(cone, values[0])


def _middle_height(operands: Operands) -> float:
    cone = operands[0].feature
    assert isinstance(cone, Cone)
    return float((operands[0].middle - cone.apex) @ cone.direction)


def _middle_diameter(operands: Operands) -> float:
    cone = operands[0].feature
    assert isinstance(cone, Cone)
    return 2 * _middle_height(operands) * float(np.tan(cone.half_angle_rad))


def _is_plane(operands: Operands) -> bool:
    return len(operands) == 1 and _kinds(operands) == "e"


CONSTRUCTIONS: dict[str, Construction] = {
    c.name: c
    for c in (
        Construction("plane_plane", "edge where the planes meet", "line", _both(_are("ee"), _not_parallel),
                     _plane_plane),
        Construction("three_planes", "corner point of three planes", "point", _are("eee"), _three_planes),
        Construction("line_plane", "point: axis meets plane", "point", _both(_are("le"), lambda o: abs(
            float(_planes(o)[0].normal @ _lines(o)[0].direction)) > _PARALLEL), _line_plane),
        Construction("cylinder_plane", "cylinder cut by the plane", "section", _both(
            _is_cylinder_and_plane, lambda o: abs(float(_planes(o)[0].normal @ _lines(o)[0].direction)) > 0.01),
            _cylinder_plane),
        Construction("line_line", "point: axes come nearest", "point", _both(_are("ll"), _not_parallel),
                     _line_line),
        Construction("midpoint", "midpoint", "point", _are("pp"), _midpoint),
        Construction("symmetry_plane", "plane of symmetry", "plane", _are("pp"), _symmetry_plane),
        Construction("mid_line", "mid-line of the axes", "line", _both(_are("ll"), _parallel), _mid_line),
        Construction("line_bisector", "bisector of the axes", "line", _both(_are("ll"), _not_parallel), _line_bisector),
        Construction("mid_plane", "mid-plane", "plane", _both(_are("ee"), _parallel), _mid_plane),
        Construction("plane_bisector", "bisector of the planes", "plane", _both(_are("ee"), _not_parallel),
                     _plane_bisector),
        Construction("point_on_plane", "point projected on plane", "point", _are("pe"), _point_on_plane),
        Construction("point_on_line", "point projected on the axis", "point", _are("pl"), _point_on_line),
        Construction("line_on_plane", "axis projected on the plane", "line", _both(_are("le"), lambda o: _angle_sine(
            _planes(o)[0].normal, _lines(o)[0].direction) > _PARALLEL), _line_on_plane),
        Construction("plane_through", "parallel plane, through point", "plane", _are("pe"), _plane_through),
        Construction("normal_through", "perpendicular through point", "line", _are("pe"),
                     _normal_through),
        Construction("line_through", "parallel through the point", "line", _are("pl"), _line_through),
        Construction("across_through", "plane across, through point", "plane", _are("pl"),
                     _across_through),
        Construction("drop", "perpendicular to the axis", "line", _both(_are("pl"), lambda o: float(
            np.linalg.norm(foot_on_line(_lines(o)[0], _points(o)[0]) - _points(o)[0])) > 1e-6), _drop),
        Construction("plane_of_line_and_point", "plane through axis and point", "plane", _both(_are("pl"), lambda o:
            float(np.linalg.norm(foot_on_line(_lines(o)[0], _points(o)[0]) - _points(o)[0])) > 1e-6),
            _plane_of_line_and_point),
        Construction("plane_of_lines", "plane through the axes", "plane", _both(_are("ll"), lambda o: not _parallel(o)
            or float(np.linalg.norm(foot_on_line(_lines(o)[0], o[1].middle) - foot_on_line(_lines(o)[1], o[1].middle)))
            > 1e-6), _plane_of_lines),
        Construction("offset_plane", "plane at a distance", "plane", _is_plane, _offset_plane,
                     (Value("distance", lambda _: 10.0),)),
        Construction("line_through_points", "line through the points", "line", _some_points(2),
                     _fit(Shape.LINE, "line")),
        Construction("plane_through_points", "plane through the points", "plane", _some_points(3),
                     _fit(Shape.PLANE, "plane")),
        Construction("circle_through_points", "circle through the centres", "circle", _some_points(3),
                     _fit(Shape.CIRCLE, "circle")),
        Construction("sphere_through_points", "sphere through the centres", "sphere", _some_points(5),
                     _fit(Shape.SPHERE, "sphere")),
        Construction("mean_line", "best-fit line of the axes", "line", _all("l", 3), _mean_line),
        Construction("mean_plane", "best-fit plane of the planes", "plane", _both(_all("e", 2), _nearly_one),
                     _mean_plane),
        Construction("cone_at_diameter", "gauge diameter", "circle", _is_cone, _at_diameter,
                     (Value("diameter", _middle_diameter),)),
        Construction("cone_at_distance", "distance from apex", "circle", _is_cone, _at_distance,
                     (Value("distance", _middle_height),)),
        Construction("slot", "slot of its sides and ends", "slot", is_slot, slot_of),
        Construction("countersink", "countersink of cone, plane and bore", "countersink", is_countersink,
                     countersink_of),
    )
}  # fmt: skip


def axis_points(operands: Operands, plane: Plane | None = None) -> Operands:
    """Let axes stand for points: parallel cylinders for their centres, in their common middle plane."""
    if len(operands) < 3 or not all(isinstance(o.feature, Cylinder) for o in operands):
        return operands
    axes = [axis_of(o.feature) for o in operands]
    lines = [a for a in axes if a is not None]
    if any(_angle_sine(lines[0].direction, a.direction) > 0.05 for a in lines):
        return operands
    normal = unit(np.sum([_aligned(lines[0].direction, a.direction) for a in lines], axis=0))
    level = float(np.mean([o.middle @ normal for o in operands]))
    points = []
    for line in lines:
        along = (level - float(line.point @ normal)) / float(line.direction @ normal)
        points.append(Point(line.point + along * line.direction))
    return tuple(replace(o, feature=p) for o, p in zip(operands, points, strict=True))


def _operands_for(name: str, operands: Operands) -> Operands:
    return axis_points(operands) if name in ("circle_through_points", "plane_through_points") else operands


def offers(operands: Operands) -> list[Construction]:
    """Return the constructions that make sense for exactly these features."""
    if not operands:
        return []
    found = []
    for c in CONSTRUCTIONS.values():
        chosen = _operands_for(c.name, operands)
        if c.name == "plane_through_points" and chosen is not operands:
            continue
        if c.fits(chosen):
            found.append(c)
    return found


def construct(name: str, operands: Operands, values: tuple[float, ...] = ()) -> Feature:
    """Build a feature.

    Parameters
    ----------
    name : str
        A key of `CONSTRUCTIONS`.
    operands : tuple of Operand
        The features to build from, nominal or measured.
    values : tuple of float
        What the construction asks for, mm.

    Raises
    ------
    EvaluationError
        It cannot be built from these, with the reason in words.
    """
    if name not in CONSTRUCTIONS:
        raise EvaluationError(f"this version cannot build {name!r}")
    construction = CONSTRUCTIONS[name]
    if len(values) != len(construction.values):
        raise EvaluationError(f"{construction.label} needs {len(construction.values)} values, not {len(values)}")
    chosen = _operands_for(name, operands)
    kinds = "".join(sorted(_kinds(chosen)))
    if "?" in kinds:
        raise EvaluationError(f"nothing can be built from a {_bad(chosen)}")
    try:
        return construction.build(chosen, values)
    except AssociationError as error:
        raise EvaluationError(f"{construction.label}: {error}") from error
    except ValueError as error:  # too few of a kind to unpack
        raise EvaluationError(f"{construction.label}: other features are needed") from error


def _bad(operands: Operands) -> str:
    return next(str(o.feature.shape) for o, k in zip(operands, _kinds(operands), strict=True) if k == "?")


def shortest_distance(operands: Operands) -> float | None:
    """Return how far two lines miss each other, mm: beside the point where they come nearest."""
    lines = _lines(operands)
    found = nearest_points(*lines) if len(lines) == 2 else None
    return None if found is None else float(np.linalg.norm(found[0] - found[1]))


__all__ = ["CONSTRUCTIONS", "Construction", "Operand", "Value", "construct", "offers", "shortest_distance"]
