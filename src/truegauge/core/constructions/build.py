"""The constructions: for each, which features it takes, what else it asks for, and how the feature comes about.

A construction is one entry of `CONSTRUCTIONS`. It works on nominal and on measured features alike, so that what is
built has a nominal to be compared with.
"""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from truegauge.core.arrays import unit
from truegauge.core.association.features import (
    Cylinder,
    Feature,
    Plane,
    Point,
    Shape,
)
from truegauge.core.constructions.elements import countersink_of, is_countersink, is_slot, slot_of
from truegauge.core.constructions.fitted import (
    all_are,
    at_diameter,
    at_distance,
    fitted,
    is_cone,
    is_plane,
    mean_line,
    mean_plane,
    middle_diameter,
    middle_height,
    nearly_one,
    some_points,
)
from truegauge.core.constructions.lines_and_planes import (
    across_through,
    aligned,
    cylinder_plane,
    drop,
    is_cylinder_and_plane,
    line_bisector,
    line_line,
    line_on_plane,
    line_plane,
    line_through,
    mid_line,
    mid_plane,
    midpoint,
    normal_through,
    offset_plane,
    plane_bisector,
    plane_of_line_and_point,
    plane_of_lines,
    plane_plane,
    plane_through,
    point_on_line,
    point_on_plane,
    symmetry_plane,
    three_planes,
)
from truegauge.core.constructions.operands import (
    PARALLEL,
    Operands,
    angle_sine,
    are,
    both,
    kinds_of,
    lines_in,
    not_in_line,
    not_parallel,
    parallel,
    planes_in,
    points_in,
)
from truegauge.core.constructions.parts import (
    Operand,
    axis_of,
    foot_on_line,
    nearest_points,
)
from truegauge.core.errors import AssociationError, EvaluationError


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


# Intersections ---------------------------------------------------------------------------------------------------


# Middles ---------------------------------------------------------------------------------------------------------


# Projections, parallels, perpendiculars --------------------------------------------------------------------------


# Through several -------------------------------------------------------------------------------------------------


# Cones -----------------------------------------------------------------------------------------------------------


CONSTRUCTIONS: dict[str, Construction] = {
    c.name: c
    for c in (
        Construction("plane_plane", "edge where the planes meet", "line", both(are("ee"), not_parallel),
                     plane_plane),
        Construction("three_planes", "corner point of three planes", "point", are("eee"), three_planes),
        Construction("line_plane", "point: axis meets plane", "point", both(are("le"), lambda o: abs(
            float(planes_in(o)[0].normal @ lines_in(o)[0].direction)) > PARALLEL), line_plane),
        Construction("cylinder_plane", "cylinder cut by the plane", "section", both(
            is_cylinder_and_plane, lambda o: abs(float(planes_in(o)[0].normal @ lines_in(o)[0].direction)) > 0.01),
            cylinder_plane),
        Construction("line_line", "point: axes come nearest", "point", both(are("ll"), not_parallel),
                     line_line),
        Construction("midpoint", "midpoint", "point", are("pp"), midpoint),
        Construction("symmetry_plane", "plane of symmetry", "plane", are("pp"), symmetry_plane),
        Construction("mid_line", "mid-line of the axes", "line", both(are("ll"), parallel), mid_line),
        Construction("line_bisector", "bisector of the axes", "line", both(are("ll"), not_parallel), line_bisector),
        Construction("mid_plane", "mid-plane", "plane", both(are("ee"), parallel), mid_plane),
        Construction("plane_bisector", "bisector of the planes", "plane", both(are("ee"), not_parallel),
                     plane_bisector),
        Construction("point_on_plane", "point projected on plane", "point", are("pe"), point_on_plane),
        Construction("point_on_line", "point projected on the axis", "point", are("pl"), point_on_line),
        Construction("line_on_plane", "axis projected on the plane", "line", both(are("le"), lambda o: angle_sine(
            planes_in(o)[0].normal, lines_in(o)[0].direction) > PARALLEL), line_on_plane),
        Construction("plane_through", "parallel plane, through point", "plane", are("pe"), plane_through),
        Construction("normal_through", "perpendicular through point", "line", are("pe"),
                     normal_through),
        Construction("line_through", "parallel through the point", "line", are("pl"), line_through),
        Construction("across_through", "plane across, through point", "plane", are("pl"),
                     across_through),
        Construction("drop", "perpendicular to the axis", "line", both(are("pl"), lambda o: float(
            np.linalg.norm(foot_on_line(lines_in(o)[0], points_in(o)[0]) - points_in(o)[0])) > 1e-6), drop),
        Construction("plane_of_line_and_point", "plane through axis and point", "plane", both(are("pl"), lambda o:
            float(np.linalg.norm(foot_on_line(lines_in(o)[0], points_in(o)[0]) - points_in(o)[0])) > 1e-6),
            plane_of_line_and_point),
        Construction("plane_of_lines", "plane through the axes", "plane", both(are("ll"), not_in_line), plane_of_lines),
        Construction("offset_plane", "plane at a distance", "plane", is_plane, offset_plane,
                     (Value("distance", lambda _: 10.0),)),
        Construction("line_through_points", "line through the points", "line", some_points(2),
                     fitted(Shape.LINE, "line")),
        Construction("plane_through_points", "plane through the points", "plane", some_points(3),
                     fitted(Shape.PLANE, "plane")),
        Construction("circle_through_points", "circle through the centres", "circle", some_points(3),
                     fitted(Shape.CIRCLE, "circle")),
        Construction("sphere_through_points", "sphere through the centres", "sphere", some_points(5),
                     fitted(Shape.SPHERE, "sphere")),
        Construction("mean_line", "best-fit line of the axes", "line", all_are("l", 3), mean_line),
        Construction("mean_plane", "best-fit plane of the planes", "plane", both(all_are("e", 2), nearly_one),
                     mean_plane),
        Construction("cone_at_diameter", "gauge diameter", "circle", is_cone, at_diameter,
                     (Value("diameter", middle_diameter),)),
        Construction("cone_at_distance", "distance from apex", "circle", is_cone, at_distance,
                     (Value("distance", middle_height),)),
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
    if any(angle_sine(lines[0].direction, a.direction) > 0.05 for a in lines):
        return operands
    normal = unit(np.sum([aligned(lines[0].direction, a.direction) for a in lines], axis=0))
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
    kinds = "".join(sorted(kinds_of(chosen)))
    if "?" in kinds:
        raise EvaluationError(f"nothing can be built from a {_bad(chosen)}")
    try:
        return construction.build(chosen, values)
    except AssociationError as error:
        raise EvaluationError(f"{construction.label}: {error}") from error
    except ValueError as error:  # too few of a kind to unpack
        raise EvaluationError(f"{construction.label}: other features are needed") from error


def _bad(operands: Operands) -> str:
    return next(str(o.feature.shape) for o, k in zip(operands, kinds_of(operands), strict=True) if k == "?")


def shortest_distance(operands: Operands) -> float | None:
    """Return how far two lines miss each other, mm: beside the point where they come nearest."""
    lines = lines_in(operands)
    found = nearest_points(*lines) if len(lines) == 2 else None
    return None if found is None else float(np.linalg.norm(found[0] - found[1]))


__all__ = ["CONSTRUCTIONS", "Construction", "Operand", "Value", "construct", "offers", "shortest_distance"]
