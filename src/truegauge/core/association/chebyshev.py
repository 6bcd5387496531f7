"""Minimum zone, minimum circumscribed and maximum inscribed features: where to start, and which optimum wins."""

from dataclasses import replace

import numpy as np

from truegauge.core.arrays import Floats, Points
from truegauge.core.association import kernels
from truegauge.core.association.axes import axes_along
from truegauge.core.association.enclosing import smallest_ball
from truegauge.core.association.features import Pose
from truegauge.core.association.fit import Behind, Certificate, Criterion
from truegauge.core.association.inscribed import largest_between
from truegauge.core.association.minimax import Minimax, Task, extreme_rows, make_task, solve, solve_all
from truegauge.core.association.problem import Problem, Solution
from truegauge.core.association.squares import principal_axes
from truegauge.core.errors import AssociationError, ConvergenceError, IndeterminateError

_SIDES = {
    Criterion.MINIMUM_ZONE: (1, -1),
    Criterion.MINIMUM_CIRCUMSCRIBED: (1,),
    Criterion.MAXIMUM_INSCRIBED: (-1,),
}
SIZED = (kernels.CIRCLE, kernels.SPHERE, kernels.CYLINDER, kernels.WIDTH)  # shapes with one size to shrink or grow
_TILTS = 6
_NOT_AROUND = "the points do not surround the feature: no largest one fits between them"
_FEW = 60  # points up to which zones are searched over all directions


def minimax_feature(
    problem: Problem, least: Solution, criterion: Criterion, *, settled: bool = False
) -> tuple[Pose, Certificate, int, Behind]:
    """Return the pose of the optimum, its certificate, iterations, and what its covariance comes from.

    With `settled` the optimum next to the least-squares pose is taken; others are looked for where it is not found.

    Parameters
    ----------
    problem : Problem
        Points, constraints and weights.
    least : Solution
        The least-squares pose.

    Raises
    ------
    AssociationError
        No convergence, or points that do not surround an inscribed feature.
    """
    sized = criterion == Criterion.MINIMUM_ZONE
    # A radius that is held leaves the zone its middle, and nothing to shrink.
    if not sized and not problem.freedom.sizes[0]:
        raise AssociationError("the radius is held; there is nothing left to shrink or grow")
    task = make_task(problem, _SIDES[criterion], sized=sized)
    free = not len(problem.freedom.through) and problem.constraints.datums is None
    if criterion == Criterion.MINIMUM_CIRCUMSCRIBED and free and problem.code in (kernels.CIRCLE, kernels.SPHERE):
        solution = _smallest_ball(problem, least.pose)
    else:
        starts = _starts(task, least, criterion)
        try:
            solution = _settled(task, starts[0]) if settled else _best(task, starts)
        except (ConvergenceError, IndeterminateError):
            if sized:
                raise
            solution = _between(task, least.pose)
    pose = solution.pose
    if not sized:
        radius = solution.level if criterion == Criterion.MINIMUM_CIRCUMSCRIBED else -solution.level
        if radius <= 0 or (criterion == Criterion.MAXIMUM_INSCRIBED and radius > 50):
            raise IndeterminateError(_NOT_AROUND)
        pose = replace(pose, sizes=np.array([radius, pose.sizes[1]]))
    return pose, solution.certificate, solution.iterations, _behind(problem, task, solution, pose, least)


def _settled(task: Task, start: Pose) -> Minimax:
    try:
        return solve_all(task, start)
    except (ConvergenceError, IndeterminateError):
        return _best(task, [start])


def _between(task: Task, start: Pose) -> Minimax:
    """The largest feature between points, or the smallest around them, where the usual way finds none."""
    problem = task.problem
    few = task
    if len(problem.points) > 3000:
        few = task.of_rows(extreme_rows(problem, start))
    try:
        found = largest_between(few, start)
    except (ConvergenceError, IndeterminateError):
        raise IndeterminateError(_NOT_AROUND) from None
    return found if few is task else solve_all(task, found.pose)


def _best(task: Task, starts: list[Pose]) -> Minimax:
    """Solve from each start on the points that matter; the best level wins and is then held against all points."""
    problem = task.problem
    small = task
    rows = None
    if len(problem.points) > 3000:
        rows = extreme_rows(problem, starts[0])
        small = task.of_rows(rows)
    best: Minimax | None = None
    failure: AssociationError | None = None
    for start in starts:
        try:
            found = solve(small, start)
        except AssociationError as error:
            failure = failure or error.with_traceback(None)  # a traceback would keep the points alive
            continue
        except np.linalg.LinAlgError:
            continue
        if (found.pose.sizes < 0).any():
            continue
        if best is None or found.level < best.level - 1e-14:
            best = found
    if best is None:
        raise failure or ConvergenceError("no convergence: the points do not resemble the shape")
    return best if rows is None else solve_all(task, best.pose)


def _starts(task: Task, least: Solution, criterion: Criterion) -> list[Pose]:
    """Return poses around the least-squares one: zones have several local optima, a form's width from each other."""
    problem, pose = task.problem, least.pose
    starts = [pose]
    q = problem.freedom.unknowns + len(problem.freedom.through)
    if problem.code == kernels.PLANE and not len(problem.freedom.through) and len(problem.freedom.motions) == 3:
        axes, _ = principal_axes(problem.points)
        return starts + [Pose(pose.code, np.zeros(3), axes_along(a), pose.sizes) for a in axes[:2]]
    if criterion == Criterion.MAXIMUM_INSCRIBED and problem.code in (kernels.CIRCLE, kernels.SPHERE):
        starts += _largest_empty(problem, pose)
    if (
        criterion == Criterion.MINIMUM_CIRCUMSCRIBED
        and problem.code == kernels.CYLINDER
        and not problem.freedom.redundant
    ):
        # The smallest circle around the points seen along the axis: on a short arc it is far from the arc's own.
        center, _, _ = smallest_ball(np.ascontiguousarray((problem.points @ pose.axes.T)[:, :2]))
        starts.insert(0, replace(pose, origin=center @ pose.axes[:2]))
    rms = float(np.sqrt(least.square / len(problem.points)))
    turns = [k for k, motion in enumerate(problem.freedom.motions) if np.any(motion[4:])]
    step = 1.5 * max(rms * 3, 1e-12)
    if len(turns) == 2:
        for angle in np.arange(_TILTS) * 2 * np.pi / _TILTS:
            move = np.zeros(_count(problem))
            move[turns[0]], move[turns[1]] = step * np.cos(angle), step * np.sin(angle)
            starts.append(problem.stepped(pose, move))
    elif q > 1:
        for k in range(min(len(problem.freedom.motions), 3)):
            for sign in (1.0, -1.0):
                move = np.zeros(_count(problem))
                move[k] = sign * step / 2
                starts.append(problem.stepped(pose, move))
    return starts


def _count(problem: Problem) -> int:
    return len(problem.freedom.motions) + int(problem.freedom.sizes.sum())


def _largest_empty(problem: Problem, pose: Pose) -> list[Pose]:
    """Return the centre of the largest circle or sphere without points in it, centred among them.

    Its centre is the corner of a Voronoi cell: the centre of a Delaunay simplex.
    """
    from scipy.spatial import ConvexHull, Delaunay, QhullError

    flat = problem.code == kernels.CIRCLE
    local = (problem.points - pose.origin) @ pose.axes.T
    local = local[:, :2] if flat else local
    if len(local) > 2000:
        local = local[extreme_rows(problem, pose)]
    try:
        simplices = local[Delaunay(local).simplices]
        hull = ConvexHull(local)
    except QhullError:
        return []
    sides = simplices[:, 1:] - simplices[:, :1]
    right = 0.5 * (sides**2).sum(axis=2)
    sound = np.abs(np.linalg.det(sides)) > 1e-12
    centers = simplices[sound, 0] + np.linalg.solve(sides[sound], right[sound][..., None])[..., 0]
    inside = (centers @ hull.equations[:, :-1].T + hull.equations[:, -1] < 0).all(axis=1)
    if not inside.any():
        return []
    centers, corners = centers[inside], simplices[sound][inside, 0]
    best = centers[int(np.argmax(((centers - corners) ** 2).sum(axis=1)))]
    origin = pose.origin + best @ pose.axes[: len(best)]
    return [Pose(pose.code, origin, pose.axes, pose.sizes)]


def _smallest_ball(problem: Problem, pose: Pose) -> Minimax:
    """The smallest circle or sphere around the points: exact and global."""
    flat = problem.code == kernels.CIRCLE
    local = (problem.points - pose.origin) @ pose.axes.T
    local = np.ascontiguousarray(local[:, :2] if flat else local)
    center, radius, support = smallest_ball(local)
    out = local[list(support)] - center
    out /= np.linalg.norm(out, axis=1, keepdims=True)
    system = np.vstack([out.T, np.ones(len(support))])
    multipliers = np.linalg.lstsq(system, np.append(np.zeros(out.shape[1]), 1.0), rcond=None)[0]
    residual = float(np.linalg.norm(multipliers @ out))
    certificate = Certificate(support, (1,) * len(support), tuple(float(m) for m in multipliers), residual)
    moved = Pose(pose.code, pose.origin + center @ pose.axes[: len(center)], pose.axes, pose.sizes)
    return Minimax(moved, radius, certificate, 0, -out)


def _behind(problem: Problem, task: Task, solution: Minimax, pose: Pose, least: Solution) -> Behind:
    """How the contacts move the feature: the inverse of their equations (least squares of them when they are more)."""
    from truegauge.core.association.squares import behind_of

    before = behind_of(problem, least)
    side = np.array(solution.certificate.sides, dtype=np.float64)
    jacobian = solution.jacobian
    system = np.column_stack([side[:, None] * jacobian, -np.ones(len(side))])
    inverse = np.linalg.pinv(system, rcond=1e-12)
    q = jacobian.shape[1]
    tangents = _tangents(task, pose)
    rows: Floats = inverse[:q]
    if not task.sized:  # the size is the level
        size = np.zeros(8)
        size[6] = 1.0
        tangents = np.vstack([tangents, size])
        rows = np.vstack([rows, task.sides[0] * inverse[q:]])
    return Behind(pose, tangents, rows @ rows.T, problem.center, problem.scale, before.condition, before.noise)


def _tangents(task: Task, pose: Pose) -> Points:
    from truegauge.core.association import steps

    f = task.problem.freedom
    full = steps.basis(pose.origin, pose.axes, f.motions, f.sizes)  # type: ignore[no-untyped-call]
    free = task.through(pose, full.shape[1])[1]
    return np.asarray((full @ free).T)
