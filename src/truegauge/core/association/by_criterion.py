"""Association: computing the ideal feature for extracted points."""

from collections.abc import Callable
from dataclasses import replace
from functools import cache, partial

import numpy as np

from truegauge.core.arrays import Floats, Mask, Points, Vector
from truegauge.core.association import kernels
from truegauge.core.association.axes import axes_along
from truegauge.core.association.chebyshev import SIZED, minimax_feature
from truegauge.core.association.constraints import NONE, Constraints, DatumSystem, freedom_of
from truegauge.core.association.features import (
    Circle,
    Cone,
    Cylinder,
    Ellipse,
    Feature,
    Line,
    LineInPlane,
    ParallelPlanes,
    Plane,
    Point,
    Pose,
    Shape,
    Slot,
    Sphere,
    SquareSlot,
    Torus,
)
from truegauge.core.association.fit import Behind, Certificate, Criterion, Fit, Rejection
from truegauge.core.association.needs import need_points, need_weights
from truegauge.core.association.one_sided import outside_material
from truegauge.core.association.problem import Problem, Solution, make_problem
from truegauge.core.association.squares import (
    FLAT_LINE,
    RULES,
    Rules,
    behind_of,
    least_squares,
    refuse_open,
)
from truegauge.core.errors import AssociationError, TooFewPointsError

_LS, _MZ, _MC = Criterion.LEAST_SQUARES, Criterion.MINIMUM_ZONE, Criterion.MINIMUM_CIRCUMSCRIBED
_MI, _OUT = Criterion.MAXIMUM_INSCRIBED, Criterion.ONE_SIDED
_REJECTIONS = 20
_FEW = 3000


@cache
def criteria_for(shape: Shape) -> tuple[Criterion, ...]:
    """Return the criteria by which a shape can be associated."""
    if shape == Shape.POINT:
        return (_LS,)
    if shape == Shape.LINE:
        return (_LS, _MZ, _OUT)
    if shape not in RULES:  # made of other features
        return ()
    if RULES[shape].code in SIZED:
        return tuple(Criterion)
    return (_LS, _MZ, _OUT)


def associate(
    shape: Shape,
    points: Points,
    criterion: Criterion = _LS,
    *,
    start: Feature | None = None,
    plane_normal: Vector | None = None,
    weights: Floats | None = None,
    constraints: Constraints = NONE,
    material: int = 1,
    reject: float | None = None,
    settled: bool = False,
) -> Fit:
    """Associate `shape` with points (n, 3) mm by `criterion`.

    Parameters
    ----------
    start : Feature
        A rough feature; saves the search for one. Without it several starts are tried and the best optimum wins.
    plane_normal : (3,)
        The plane in which a flat shape lies; with it a line is one in that plane (2-D), with signed residuals.
    weights : (n,)
        Above 0; they multiply the distances (1 / standard uncertainty). For least squares, minimum zone and planes
        outside the material.
    constraints : Constraints
        What is held.
    material : int
        +1 where the material lies against the distances (a boss, a plane with outward normal), -1 for a hole. For
        the one-sided criterion, and the sign of `Fit.material_residuals`.
    reject : float
        Leave out points farther than so many robust scales from the least-squares feature.
    settled : bool
        Take the optimum next to the least-squares feature, without a search for others: for points that moved a
        little since it was found.

    Raises
    ------
    AssociationError
        `TooFewPointsError`, `IndeterminateError`, `ConvergenceError`; or a criterion that the shape does not have.
    """
    if criterion not in criteria_for(shape):
        offered = ", ".join(criteria_for(shape)) or "none, it is made of other features"
        raise AssociationError(f"a {_name(shape)} cannot be associated by {_name(criterion)}; offered: {offered}")
    if weights is not None:
        weights = need_weights(weights, len(points))
        if criterion in (_MC, _MI):
            raise AssociationError("a circumscribed or inscribed feature touches points; weights mean nothing to it")
    rejection = None
    if reject is not None:
        rejection = _rejected(shape, points, reject, start, plane_normal, weights, constraints)
        points = points[rejection.kept]
        weights = None if weights is None else weights[rejection.kept]
    fit = _associated(shape, points, criterion, start, plane_normal, weights, constraints, material, settled=settled)
    if rejection is None and constraints is NONE and material == 1:
        return fit
    return replace(fit, rejection=rejection, constraints=constraints, material=material)


def _name(value: str) -> str:
    return str(value).replace("_", " ")


def _rules(shape: Shape, plane_normal: Vector | None) -> Rules:
    return FLAT_LINE if shape == Shape.LINE and plane_normal is not None else RULES[shape]


def _associated(
    shape: Shape, points: Points, criterion: Criterion, start: Feature | None, plane_normal: Vector | None,
    weights: Floats | None, constraints: Constraints, material: int, *, settled: bool = False,
) -> Fit:  # fmt: skip
    if shape == Shape.POINT:
        return _point(points, weights)
    rules = _rules(shape, plane_normal)
    held = constraints is not NONE
    least = _needed(rules, constraints) if held else rules.least
    need_points(points, least, _name(shape), " with what is held" if held and least != rules.least else "")
    if criterion == _OUT and rules.code in SIZED:
        # What a pin or a ring touches.
        inner = _associated(
            shape, points, _MI if material < 0 else _MC, start, plane_normal, None, constraints, 1, settled=settled
        )
        return replace(inner, criterion=_OUT)
    if shape == Shape.LINE and rules is not FLAT_LINE and criterion != _LS:
        return _line_in_space(points, criterion, constraints)
    problem = make_problem(rules.code, points, weights, constraints)
    solution = least_squares(problem, rules, start, plane_normal)
    if criterion == _LS:
        if len(points) > rules.least:
            refuse_open(problem, solution)
        return _finished(rules, points, criterion, problem, solution, None, None)
    if criterion == _OUT:
        # A one-sided start: the least-squares feature, its normal out of the material.
        pose, side = _outward(solution.pose, rules, start, material), -1
        if rules.code not in (kernels.PLANE, kernels.FLAT_LINE):
            side = -material
        solution, certificate = outside_material(problem, pose, side)
        return _finished(rules, points, criterion, problem, solution, certificate, None)
    pose, certificate, turns, behind = minimax_feature(problem, solution, criterion, settled=settled)
    done = Solution(pose, 0.0, turns, behind.condition)
    return _finished(rules, points, criterion, problem, done, certificate, behind)


def _needed(rules: Rules, constraints: Constraints) -> int:
    least = freedom_of(rules.code, constraints).unknowns
    if rules.code == kernels.LINE:  # each point fixes two
        least = (least + 1) // 2
    return max(least, 1)


def _outward(pose: Pose, rules: Rules, start: Feature | None, material: int) -> Pose:
    """Turn a plane (or a line in a plane) so that its distances grow out of the material."""
    if rules.code not in (kernels.PLANE, kernels.FLAT_LINE):
        return pose
    sense = 1.0 if material >= 0 else -1.0
    axis = 2 if rules.code == kernels.PLANE else 1
    if start is not None:
        sense = 1.0 if float(start.pose.axes[axis] @ pose.axes[axis]) >= 0 else -1.0
    if sense > 0:
        return pose
    turned = pose.axes.copy()
    turned[axis] *= -1
    turned[0] *= -1
    return replace(pose, axes=turned)


def _finished(
    rules: Rules, points: Points, criterion: Criterion, problem: Problem, solution: Solution,
    certificate: Certificate | None, behind: Behind | None,
) -> Fit:  # fmt: skip
    pose = solution.pose
    feature = rules.feature.at(pose).scaled(problem.scale, problem.center)
    residuals = problem.scale * pose.distances(problem.points)
    later: Behind | Callable[[], Behind] | None = behind
    if behind is None:  # of few points it is computed when it is asked for; many are not kept for it
        later = partial(behind_of, problem, solution) if len(points) <= _FEW else behind_of(problem, solution)
    return Fit(feature, criterion, residuals, solution.iterations, certificate, behind=later)


def _point(points: Points, weights: Floats | None) -> Fit:
    """The (weighted) mean of the points."""
    need_points(points, 1, "point")
    center = np.average(points, axis=0, weights=None if weights is None else weights**2)
    feature = Point(center)
    spare = len(points) - 1
    noise = float(np.sqrt(((points - center) ** 2).sum() / (3 * spare))) if spare else float("nan")
    tangents = np.eye(3, 8)
    pose = Pose(kernels.SPHERE, np.zeros(3), np.eye(3), np.zeros(2))
    behind = Behind(pose, tangents, np.eye(3) / len(points), center, 1.0, 1.0, noise)
    return Fit(feature, _LS, feature.distances(points), behind=behind)


def _line_in_space(points: Points, criterion: Criterion, constraints: Constraints) -> Fit:
    """The axis of the narrowest cylinder around the points."""
    if criterion == _OUT:
        raise AssociationError("a line in space has no side; give the plane that it lies in")
    straight = _straight(points) if constraints.through is None else None
    if straight is not None:
        return straight
    start = None
    if constraints.through is not None:
        start, constraints = _about_point(points, constraints)
    narrow = _associated(Shape.CYLINDER, points, _MC, start, None, None, constraints, 1)
    axis = narrow.feature
    assert isinstance(axis, Cylinder)
    line = Line(axis.point, axis.direction)
    return replace(narrow, feature=line, criterion=_MZ, residuals=line.distances(points), behind=None)


def _about_point(points: Points, constraints: Constraints) -> tuple[Cylinder, Constraints]:
    """An axis through a point may only turn about it: a cylinder to start from, and what holds it there."""
    if len(constraints.through_points) > 1:
        raise AssociationError("a line through two points is known without any others")
    least = _associated(Shape.LINE, points, _LS, None, None, None, constraints, 1).feature
    assert isinstance(least, Line)
    point = constraints.through_points[0]
    free = () if constraints.direction is not None else ("rx", "ry")
    if constraints.across is not None and free:
        raise AssociationError("a minimum-zone line in space cannot be held at a point and across a direction")
    frame = np.eye(4)
    frame[:3, :3], frame[:3, 3] = axes_along(least.direction).T, point
    radius = float(least.distances(points).max())
    return Cylinder(point, least.direction, radius), Constraints(datums=DatumSystem(frame, free))


def _straight(points: Points) -> Fit | None:
    """A line through points that have no width: no cylinder around them has a radius."""
    fit = _associated(Shape.LINE, points, _LS, None, None, None, NONE, 1)
    length = float(np.ptp(points @ fit.feature.parameters["direction"]))
    return replace(fit, criterion=_MZ) if len(points) < 5 or fit.form < 1e-12 * length else None


def _rejected(
    shape: Shape, points: Points, factor: float, start: Feature | None, plane_normal: Vector | None,
    weights: Floats | None, constraints: Constraints,
) -> Rejection:  # fmt: skip
    """Leave out the points that are farther than `factor` robust scales, again until no more change."""
    kept: Mask = np.ones(len(points), dtype=bool)
    feature, scale = start, 0.0
    for _ in range(_REJECTIONS):
        chosen = None if weights is None else weights[kept]
        fit = _associated(shape, points[kept], _LS, feature, plane_normal, chosen, constraints, 1)
        feature = fit.feature
        residuals = feature.distances(points)
        signed = residuals - float(np.median(residuals[kept]))
        scale = 1.4826 * float(np.median(np.abs(signed[kept])))
        now = np.abs(signed) <= max(factor * scale, 1e-9)
        if np.array_equal(now, kept):
            break
        if now.sum() < (RULES[shape].least if shape in RULES else 1):
            raise TooFewPointsError(f"only {int(now.sum())} points lie within {factor:g} robust scales of the feature")
        kept = now
    return Rejection(factor, scale, kept)


def fit_line(points: Points) -> Fit:
    """Associate a least-squares line in space with points (n, 3), n >= 2."""
    return associate(Shape.LINE, points)


def fit_plane(points: Points) -> Fit:
    """Associate a least-squares plane with points (n, 3), n >= 3."""
    return associate(Shape.PLANE, points)


def fit_circle(points: Points) -> Fit:
    """Associate a least-squares circle with points (n, 3), n >= 3, in their own least-squares plane."""
    return associate(Shape.CIRCLE, points)


def fit_sphere(points: Points) -> Fit:
    """Associate a least-squares sphere with points (n, 3), n >= 4."""
    return associate(Shape.SPHERE, points)


def fit_cylinder(points: Points, start: Feature | None = None) -> Fit:
    """Associate a least-squares cylinder with points (n, 3), n >= 5."""
    return associate(Shape.CYLINDER, points, start=start)


def fit_cone(points: Points, start: Feature | None = None) -> Fit:
    """Associate a least-squares cone with points (n, 3), n >= 6."""
    return associate(Shape.CONE, points, start=start)


def fit_torus(points: Points, start: Feature | None = None) -> Fit:
    """Associate a least-squares torus with points (n, 3), n >= 7."""
    return associate(Shape.TORUS, points, start=start)


__all__ = [
    "NONE",
    "Circle",
    "Cone",
    "Constraints",
    "Criterion",
    "Cylinder",
    "DatumSystem",
    "Ellipse",
    "Feature",
    "Fit",
    "Line",
    "LineInPlane",
    "ParallelPlanes",
    "Plane",
    "Point",
    "Rejection",
    "Shape",
    "Slot",
    "Sphere",
    "SquareSlot",
    "Torus",
    "associate",
    "axes_along",
    "criteria_for",
    "fit_circle",
    "fit_cone",
    "fit_cylinder",
    "fit_line",
    "fit_plane",
    "fit_sphere",
    "fit_torus",
]
