"""Least squares of orthogonal distances, with weights and constraints.

Forbes, Least-squares best-fit geometric elements, NPL report DITC 140/89 (1989); Gander, Golub and Strebel,
Least-squares fitting of circles and ellipses (1994). Planes and lines alone have closed forms (principal axes).
"""

from dataclasses import dataclass, replace

import numpy as np

from truegauge.core.arrays import Points, Vector
from truegauge.core.association import kernels, steps
from truegauge.core.association.axes import axes_along
from truegauge.core.association.constraints import NONE, freedom_of
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
    Pose,
    Shape,
    Slot,
    Sphere,
    SquareSlot,
    Torus,
)
from truegauge.core.association.fit import Behind
from truegauge.core.association.problem import Problem, Solution, best_of, minimise, word
from truegauge.core.association.small_algebra import singular_axes
from truegauge.core.association.starts import axial_starts, bent_starts, flat_starts
from truegauge.core.errors import AssociationError, IndeterminateError

MANY = 3000  # points from which the principal axes come from sums
_ARC_SHARE = 0.25  # a radius known no better than this is no radius
_LEAST_LEVER = 1e5  # points this much nearer to one plane than they are wide leave a tilt open
_OPEN_TURN = 0.2  # rad; nor is this a direction


@dataclass(frozen=True, slots=True)
class Rules:
    """How a shape is solved: its kernel, its feature, how many points it needs, whether it lies in a plane."""

    code: int
    feature: type[Feature]
    least: int
    flat: bool = False


RULES = {
    Shape.LINE: Rules(kernels.LINE, Line, 2),
    Shape.PLANE: Rules(kernels.PLANE, Plane, 3),
    Shape.CIRCLE: Rules(kernels.CIRCLE, Circle, 3, True),
    Shape.ELLIPSE: Rules(kernels.ELLIPSE, Ellipse, 5, True),
    Shape.SLOT: Rules(kernels.ROUND_SLOT, Slot, 5, True),
    Shape.SQUARE_SLOT: Rules(kernels.SQUARE_SLOT, SquareSlot, 5, True),
    Shape.SPHERE: Rules(kernels.SPHERE, Sphere, 4),
    Shape.CYLINDER: Rules(kernels.CYLINDER, Cylinder, 5),
    Shape.CONE: Rules(kernels.CONE, Cone, 6),
    Shape.TORUS: Rules(kernels.TORUS, Torus, 7),
    Shape.WIDTH: Rules(kernels.WIDTH, ParallelPlanes, 4),
}
FLAT_LINE = Rules(kernels.FLAT_LINE, LineInPlane, 2, True)


def principal_axes(points: Points) -> tuple[Points, tuple[float, float]]:
    """Return the axes (3, 3), longest first, and the lesser two spreads in units of the largest, of centred points."""
    if len(points) < MANY:
        s, axes = singular_axes(points)  # type: ignore[no-untyped-call]
    else:
        origin, own = np.zeros(3), np.eye(3)
        # J^T J of a plane holds the products of x, y; of a plane across x those of y, z: the whole covariance.
        values, vectors = np.linalg.eigh(_covariance(points, origin, own))
        s, axes = np.sqrt(np.maximum(values[::-1], 0)), vectors[:, ::-1].T
    if not s[0] > 0:
        return axes, (0.0, 0.0)
    return axes, (float(s[1] / s[0]), float(s[2] / s[0]))


def _covariance(points: Points, origin: Vector, own: Points) -> Points:
    one = kernels.normal_equations(kernels.PLANE, origin, own, np.zeros(2), points, np.empty(0))  # type: ignore[no-untyped-call]
    matrix, right, zz = one
    # Columns of a plane: -1, -y (turn about x), x (turn about y); distance z.
    yy, xx, xy = matrix[1, 1], matrix[2, 2], -matrix[1, 2]
    yz, xz = -right[1], right[2]
    return np.array([[xx, xy, xz], [xy, yy, yz], [xz, yz, zz]])


def plane_pose(problem: Problem) -> Pose:
    """Return the least-squares plane of the points, unconstrained."""
    pose = Pose(kernels.PLANE, np.zeros(3), axes_along(_thinnest(problem)), np.zeros(2))
    if len(problem.points) < MANY:
        return pose
    # The covariance has half of the digits; the heights over the plane have the rest.
    tilt = replace(problem, code=kernels.PLANE, freedom=_PLANE_FREEDOM, weights=np.empty(0))
    return minimise(tilt, pose).pose


def _thinnest(problem: Problem) -> Vector:
    """Return the direction across the points: the normal of their plane, for clouds only nearly."""
    axes, spread = principal_axes(problem.points)
    if spread[0] < (1e-12 if len(problem.points) < MANY else 1e-7):
        raise IndeterminateError("the points lie on one line; a plane needs points beside it")
    return np.asarray(axes[2])


def _line_pose(problem: Problem) -> Pose:
    axes, spread = principal_axes(problem.points)
    if spread == (0.0, 0.0) and not np.abs(problem.points).max() > 0:
        raise IndeterminateError("the points are all in one place; a line needs two places")
    if 1 - spread[0] < 1e-12:
        raise IndeterminateError("the points have no longest direction; spread them along the line")
    return Pose(kernels.LINE, np.zeros(3), axes_along(axes[0]), np.zeros(2))


_PLANE_FREEDOM = freedom_of(kernels.PLANE, NONE)
_CYLINDER_FREEDOM = freedom_of(kernels.CYLINDER, NONE)


def normal_of(problem: Problem, given: Vector | None) -> Vector:
    """Return the normal of the plane that a flat shape lies in: given, or by least squares."""
    if not np.abs(problem.points).max() > 0:
        raise IndeterminateError("the points are all in one place; this shape needs points around it")
    held = problem.constraints.direction
    chosen = given if given is not None else held
    if chosen is not None:
        return np.asarray(chosen / np.linalg.norm(chosen))
    try:
        normal: Vector = _thinnest(problem) if len(problem.points) < MANY else plane_pose(problem).axes[2]
    except IndeterminateError:
        raise IndeterminateError("the points lie on one line; this shape needs points beside it") from None
    return normal


def constrained(pose: Pose, problem: Problem) -> Pose:
    """Turn a start so that its axis meets the constraints, and give it the radius that is held."""
    c, axes, sizes = problem.constraints, pose.axes, pose.sizes
    if c is NONE:
        return pose
    if c.datums is None:
        wanted: Vector | None = None
        z = axes[2]
        if c.direction is not None:
            wanted = c.direction / np.linalg.norm(c.direction)
            # A cone's direction leads into it: its sense is not free to choose.
            wanted = wanted if pose.code == kernels.CONE or float(wanted @ z) >= 0 else -wanted
        elif c.across is not None:
            v = c.across / np.linalg.norm(c.across)
            wanted = z - float(z @ v) * v
            length = float(np.linalg.norm(wanted))
            wanted = axes_along(v)[0] if length < 1e-9 else wanted / length
        if wanted is not None and pose.code not in _FLAT_CODES:
            middle = pose.origin - float(pose.origin @ z) * z if pose.code in _AXIS_CODES else pose.origin
            axes = axes_along(wanted)
            pose = Pose(pose.code, middle, axes, sizes)
    if c.radius is not None:
        pose = Pose(pose.code, pose.origin, pose.axes, np.array([c.radius, sizes[1]]))
    return pose


_FLAT_CODES = {r.code for r in RULES.values() if r.flat} | {kernels.FLAT_LINE}
_AXIS_CODES = {kernels.LINE, kernels.CYLINDER}


def least_squares(problem: Problem, rules: Rules, start: Feature | None, plane_normal: Vector | None) -> Solution:
    """Return the pose of least squared (weighted) distances; from `start`, or from a search over all directions.

    Raises
    ------
    AssociationError
        Points that do not determine the shape, or no convergence.
    """
    c = problem.constraints
    free = c.direction is None and c.across is None and c.datums is None and c.through is None
    if start is not None and not rules.flat:
        given = start.scaled(1 / problem.scale, -problem.center / problem.scale).pose
        try:
            return minimise(problem, constrained(given, problem))
        except AssociationError:
            if c.datums is not None:
                raise
    if c.datums is not None:
        raise AssociationError("a datum system needs a nominal feature to hold in place")
    if rules.code in (kernels.PLANE, kernels.LINE):
        simple = plane_pose(problem) if rules.code == kernels.PLANE else _line_pose(problem)
        if free and not len(problem.weights):
            return Solution(simple, problem.square(simple), 0, float("nan"))
        poses = [simple] if free or c.direction is not None else [simple, *axial_starts(rules.code, problem.points, c)]
    elif rules.flat:
        normal = normal_of(problem, plane_normal)
        if start is not None and type(start) is rules.feature:
            given = start.scaled(1 / problem.scale, -problem.center / problem.scale).pose
            poses = [Pose(given.code, given.origin, _flattened(given.axes, normal), given.sizes)]
        else:
            poses = flat_starts(rules.code, problem.points, normal)
    else:
        spread = principal_axes(problem.points)[1]
        if spread[0] < 1e-9 and c is NONE:
            raise IndeterminateError("the points lie on one line; this shape needs points all around it")
        if rules.code == kernels.SPHERE and spread[1] < 1e-9:
            raise IndeterminateError("the points lie in one plane; a sphere needs points off it")
        poses = axial_starts(rules.code, problem.points, c)
        if rules.code == kernels.TORUS:
            poses = _bent(problem) + poses
    if not poses and rules.flat:
        raise IndeterminateError("the points lie on one line; this shape needs points beside it")
    return best_of(problem, [constrained(p, problem) for p in poses])


def _bent(problem: Problem) -> list[Pose]:
    """Return tori that begin as the cylinder of the points."""
    few = replace(problem.thinned(400), code=kernels.CYLINDER, constraints=NONE, freedom=_CYLINDER_FREEDOM)
    try:
        straight = best_of(few, axial_starts(kernels.CYLINDER, few.points, NONE))
    except AssociationError:
        return []
    return bent_starts(few.points, straight.pose)


def _flattened(axes: Points, normal: Vector) -> Points:
    """Turn axes so that z is the normal, keeping x as near as may be."""
    z = normal if float(axes[2] @ normal) >= 0 else -normal
    x = axes[0] - float(axes[0] @ z) * z
    length = float(np.linalg.norm(x))
    x = axes_along(z)[0] if length < 1e-9 else x / length
    return np.vstack([x, np.cross(z, x), z])


def behind_of(problem: Problem, solution: Solution, noise: float | None = None) -> Behind:
    """Collect what the covariance is computed from; `noise` of a point of weight 1, by default from the residuals."""
    f, pose = problem.freedom, solution.pose
    full, cofactors, condition = steps.cofactors(  # type: ignore[no-untyped-call]
        pose.code, pose.origin, pose.axes, pose.sizes, f.motions, f.sizes, problem.points, problem.weights
    )
    if len(f.through):
        rows = steps.active_rows(pose.code, full)  # type: ignore[no-untyped-call]
        _, gradient = steps.through_rows(pose.code, pose.origin, pose.axes, pose.sizes, f.through, rows)  # type: ignore[no-untyped-call]
        free = steps.null_space(gradient @ rows, np.zeros(len(gradient)))[1]  # type: ignore[no-untyped-call]
        full, matrix = full @ free, free.T @ problem.normal_matrix(pose) @ free
        cofactors, condition = steps.inverted(matrix)  # type: ignore[no-untyped-call]
    spare = len(problem.points) * (2 if problem.code == kernels.LINE else 1) - len(cofactors)
    if noise is None:
        noise = float(np.sqrt(solution.square / spare)) * problem.scale if spare > 0 else float("nan")
    return Behind(pose, full.T, cofactors, problem.center, problem.scale, float(condition), noise)


def refuse_open(problem: Problem, solution: Solution) -> None:
    """Refuse a radius or a tilt that the scatter of the points leaves open.

    Raises
    ------
    IndeterminateError
        The arc is too short for its noise, or the points are too near to one plane or line.
    """
    f, radius = problem.freedom, float(solution.pose.sizes[0])
    round_shape = problem.code in (kernels.CIRCLE, kernels.SPHERE, kernels.CYLINDER) and bool(f.sizes[0])
    arc = round_shape and radius > 2.0  # else the points reach round a good part of it
    if not arc and problem.code in (kernels.CIRCLE, kernels.SPHERE):
        return
    turns = [k for k, motion in enumerate(f.motions) if np.any(motion[4:])]
    if f.redundant or len(f.through) or not (arc or turns):
        return
    behind = behind_of(problem, solution)
    size = problem.scale
    gain = np.sqrt(np.maximum(np.diag(behind.cofactors), 0))
    for k in turns:
        if gain[k] * np.sqrt(len(problem.points)) > _LEAST_LEVER:
            raise IndeterminateError(
                f"the points do not determine {word(problem.code, f.motions[k][1:])}: spread them more widely over "
                "the feature"
            )
    if not np.isfinite(behind.noise):
        return
    spread = behind.noise / size * gain
    if arc and spread[-1] > _ARC_SHARE * radius:
        raise IndeterminateError(
            f"the arc is too short for its noise: the radius {radius * size:.4g} mm is only known to "
            f"{spread[-1] * size:.2g} mm, the points scatter by {behind.noise:.2g} mm; "
            "measure a longer arc or hold the radius"
        )
    for k in turns:
        if spread[k] > _OPEN_TURN:
            raise IndeterminateError(
                f"the points do not determine {word(problem.code, f.motions[k][1:])}: it is only known to "
                f"{np.degrees(spread[k]):.0f} degrees; spread them more widely over the feature"
            )
