"""Minimax association: the smallest zone, circumscribed or inscribed feature, with the proof that it is one.

All are "minimise the largest of the functions g_k(x)": for the minimum zone g = (d, -d) of the distances d, for the
minimum circumscribed feature the distances from its axis or centre, for the maximum inscribed one their negatives.
Exchanges of contact points solve the linearised problem; Newton's method on the contacts alone gives the last digits.
The Kuhn-Tucker multipliers of the contacts are the certificate.

Powell, On the minimax problem by linear programming with step bounds; Osborne and Watson, An algorithm for minimax
approximation in the nonlinear case (1969); Anthony, Anthony, Bittner et al., Chebyshev best-fit geometric elements,
NPL report DITC 221/93 (1993).
"""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats
from truegauge.core.association import steps
from truegauge.core.association.cells import cell_extremes
from truegauge.core.association.exchange import exchange
from truegauge.core.association.features import Pose
from truegauge.core.association.fit import Certificate
from truegauge.core.association.nonnegative import nonnegative_least_squares
from truegauge.core.association.problem import Problem
from truegauge.core.errors import ConvergenceError, IndeterminateError

_MOST = 80
_EXACT = 2e-15  # spread of distances that is nothing but rounding
_ALL = 3000  # points up to which all take part at once
_SPLITS = 24  # cells along each side of the box, for more


@dataclass(frozen=True, slots=True, eq=False)
class Minimax:
    """The solution of a minimax problem; `level` is the largest function."""

    pose: Pose
    level: float
    certificate: Certificate
    iterations: int
    jacobian: NDArray[np.float64]  # (contacts, q)


@dataclass(frozen=True, slots=True, eq=False)
class Task:
    """What is minimised: the distances, counted on one or both sides; with `sized` False the size is their level."""

    problem: Problem
    sides: tuple[int, ...]
    sized: bool

    def values(self, pose: Pose) -> tuple[Floats, NDArray[np.float64]]:
        """Return f (n,) and its Jacobian (n, q); the functions g are side * f."""
        f, jacobian = self.problem.values(pose)
        return (f, jacobian) if self.sized else (f + pose.sizes[0], jacobian)

    def level(self, f: Floats) -> float:
        """Return the largest function."""
        return max(float((side * f).max()) for side in self.sides)

    def through(self, pose: Pose, q: int) -> tuple[Floats, NDArray[np.float64]]:
        """Return the least step on the points to pass through, and a basis (q, k) of the steps that stay on them."""
        freedom = self.problem.freedom
        if not len(freedom.through):
            return np.zeros(q), np.eye(q)
        full = steps.basis(pose.origin, pose.axes, freedom.motions, freedom.sizes)  # type: ignore[no-untyped-call]
        rows = steps.active_rows(pose.code, full)  # type: ignore[no-untyped-call]
        values, gradient = steps.through_rows(  # type: ignore[no-untyped-call]
            pose.code, pose.origin, pose.axes, pose.sizes, freedom.through, rows
        )
        first, free = steps.null_space(gradient @ rows, values)  # type: ignore[no-untyped-call]
        return first, free

    def of_rows(self, rows: NDArray[np.int64]) -> "Task":
        """Return the task for some of the points."""
        return replace(self, problem=self.problem.with_rows(rows))


def make_task(problem: Problem, sides: tuple[int, ...], *, sized: bool) -> Task:
    """Return the task; without `sized` the first size is no unknown but what comes out."""
    if not sized:
        sizes = problem.freedom.sizes.copy()
        sizes[0] = False
        problem = replace(problem, freedom=replace(problem.freedom, sizes=sizes))
    return Task(problem, sides, sized)


def solve_all(task: Task, start: Pose) -> Minimax:
    """As `solve`, for any number of points: on those that can matter, until no other reaches over the level.

    The optimum of some of the points is the optimum of all as soon as it holds for all.
    """
    problem = task.problem
    if len(problem.points) <= _ALL:
        return solve(task, start)
    rows = extreme_rows(problem, start)
    pose = start
    for _ in range(30):
        found = solve(task.of_rows(rows), pose)
        pose = found.pose
        extremes = extreme_rows(problem, pose)
        f = task.of_rows(extremes).values(pose)[0]
        over = np.zeros(len(f), dtype=bool)
        for side in task.sides:
            over |= side * f > found.level + 1e-13 + 4e-16 * abs(found.level)
        new = np.setdiff1d(extremes[over], rows)
        if len(new) == 0:
            c = found.certificate
            return replace(found, certificate=replace(c, contacts=tuple(int(rows[i]) for i in c.contacts)))
        rows = np.union1d(rows, new)
    raise ConvergenceError("no convergence: the points do not resemble the shape")


def extreme_rows(problem: Problem, pose: Pose) -> NDArray[np.int64]:
    """Return the points of lowest and highest distance in cells of the box around the points."""
    box = np.concatenate([np.full(3, -1.8), np.full(3, _SPLITS / 3.6)])
    found = cell_extremes(  # type: ignore[no-untyped-call]
        pose.code, pose.origin, pose.axes, pose.sizes, problem.points, problem.weights,
        _centred(box, pose), _SPLITS,
    )  # fmt: skip
    rows = np.unique(found)
    return np.asarray(rows[rows >= 0])


def _centred(box: Floats, pose: Pose) -> Floats:
    """Move the box, which is around the centroid (the zero), into the frame of the shape."""
    moved = box.copy()
    moved[:3] += pose.axes @ -pose.origin
    return moved


def solve(task: Task, start: Pose) -> Minimax:
    """Minimise the largest of ``side * f`` from a start near the optimum; points are normalised (about unit size).

    Points that lie on the feature but for rounding have no contacts: their certificate is empty.

    Raises
    ------
    ConvergenceError, IndeterminateError
        No convergence, or points that do not determine the feature.
    """
    sides = np.array(task.sides, dtype=np.float64)
    pose = start
    f, jacobian = task.values(pose)
    level = task.level(f)
    if float(np.ptp(f)) < _EXACT:
        around = len(sides) == 2 or _certificate(np.arange(len(f)), np.full(len(f), sides[0]), jacobian) is not None
        if around:
            return Minimax(pose, level, Certificate((), (), (), 0.0), 0, np.zeros((0, jacobian.shape[1])))
    trust = 1.0  # in multiples of the spread of f
    rows = np.zeros(0, dtype=np.int64)
    turn = 0
    for turn in range(_MOST):
        spread = max(float(f.max() - f.min()), 1e-16)
        first, free = task.through(pose, jacobian.shape[1])
        middle = 0.5 * (float(f.max()) + float(f.min())) if len(sides) == 1 else 0.0
        status, y, _, rows, side, _ = exchange(
            f - middle + jacobian @ first,
            np.ascontiguousarray(jacobian @ free),
            sides,
            trust * spread * 4,
            np.ones(len(f)),
        )
        if status == 1:
            raise IndeterminateError("the points do not determine the feature: spread them more widely over it")
        trial = task.problem.stepped(pose, first + free @ y)
        trial_f, trial_jacobian = task.values(trial)
        trial_level = task.level(trial_f)
        polished = _polished(task, trial, rows, side)
        if polished is not None and polished.level <= min(level, trial_level) + 1e-12 * max(1.0, abs(level)):
            return replace(polished, iterations=turn + 1)
        passing = len(task.problem.freedom.through) > 0 and float(np.abs(first).max()) > 1e-12
        if trial_level < level or passing:
            gain = level - trial_level
            pose, f, jacobian, level = trial, trial_f, trial_jacobian, trial_level
            trust = min(trust * 2, 64.0)
            if abs(gain) < 1e-15 * max(1.0, abs(level)):
                break
        else:
            trust *= 0.25
            if trust < 1e-9:
                break
    try:
        return _unpolished(task, pose, turn)
    except ConvergenceError:
        curved = _curved(task, pose, turn)
        if curved is None:
            raise
        return curved


def _curved(task: Task, pose: Pose, turns: int) -> Minimax | None:
    """Finish an optimum that fewer contacts hold than there are unknowns: curvature does the rest.

    Newton's method on the Kuhn-Tucker conditions; the second derivatives are differences of the first.
    """
    q = task.values(pose)[1].shape[1]
    if len(task.problem.freedom.through):
        return None
    sides = task.sides
    f, _ = task.values(pose)
    pairs = _nearest(f, sides, task.level(f), 2e-2 * max(float(np.ptp(f)), 1e-300))
    for _ in range(40):
        rows, side = pairs // 2, np.where(pairs % 2 == 0, 1.0, -1.0)
        small = task.of_rows(rows)
        f, jacobian = small.values(pose)
        gradients = side[:, None] * jacobian
        weights = _multipliers(gradients)
        held = weights > 1e-9
        pairs, rows, side, weights = pairs[held], rows[held], side[held], weights[held]
        if not held.any():
            return None
        gradients, f = gradients[held], f[held]
        small = task.of_rows(rows)
        hessian = np.empty((q, q))
        for k in range(q):
            ends = [small.values(task.problem.stepped(pose, h * np.eye(q)[k]))[1] for h in (1e-5, -1e-5)]
            hessian[k] = (weights * side) @ (ends[0] - ends[1]) / 2e-5
        hessian = (hessian + hessian.T) / 2
        k = len(rows)
        matrix = np.zeros((q + 1 + k, q + 1 + k))
        matrix[:q, :q] = hessian
        matrix[:q, q + 1 :] = gradients.T
        matrix[q + 1 :, :q] = gradients
        matrix[q, q + 1 :] = matrix[q + 1 :, q] = -1.0
        right = np.concatenate([np.zeros(q), [-1.0], -side * f])
        solution = np.linalg.lstsq(matrix, right, rcond=1e-13)[0]
        step = solution[:q]
        size = float(np.abs(step).max())
        if size > 0.1:
            step = step * 0.1 / size
        pose = task.problem.stepped(pose, step)
        everything, all_rows = task.values(pose)
        level = task.level(everything)
        spread = max(float(np.ptp(everything)), 1e-300)
        if size < 1e-9 and level <= float(np.max(side * everything[rows])) + 1e-9 * spread:
            certificate = _certificate(rows, side, all_rows[rows])
            return None if certificate is None else Minimax(pose, level, certificate, turns, all_rows[rows])
        pairs = np.union1d(pairs, _nearest(everything, sides, level, 1e-12 + 1e-6 * spread))
    return None


def _nearest(f: Floats, sides: tuple[int, ...], level: float, within: float) -> NDArray[np.int64]:
    """Return the functions that nearly reach the level, as 2 * point + (side < 0)."""
    return np.concatenate([2 * np.flatnonzero(s * f > level - within) + (s < 0) for s in sides])


def _multipliers(gradients: NDArray[np.float64]) -> Floats:
    scale = float(np.abs(gradients).max(initial=0.0)) or 1.0
    system = np.vstack([gradients.T / scale, np.ones(len(gradients))])
    return np.asarray(nonnegative_least_squares(system, np.append(np.zeros(gradients.shape[1]), 1.0))[0])


def _polished(task: Task, start: Pose, rows: NDArray[np.int64], side: Floats) -> Minimax | None:
    """Solve the contact equations by Newton's method; None unless the result is a proven optimum."""
    if len(rows) == 0:
        return None
    small = task.of_rows(rows)
    pose, last = start, np.inf
    for _ in range(14):
        f, jacobian = small.values(pose)
        first, free = task.through(pose, jacobian.shape[1])
        m = free.shape[1]
        if len(rows) != m + 1:
            return None
        system = np.column_stack([side[:, None] * (jacobian @ free), -np.ones(m + 1)])
        try:
            solution = np.linalg.solve(system, -side * (f + jacobian @ first))
        except np.linalg.LinAlgError:
            return None
        step = first + free @ solution[:m]
        size = float(np.abs(step).max(initial=0.0))
        if not size < 0.2:
            return None
        pose = task.problem.stepped(pose, step)
        if size < 1e-16 or (size < 1e-12 and size >= 0.5 * last):
            break
        last = size
    f, jacobian = small.values(pose)
    level = float(np.mean(side * f))
    everything, _ = task.values(pose)
    spread = max(float(np.ptp(everything)), 1e-300)
    if task.level(everything) > level + 1e-7 * spread + 4e-16 * max(1.0, abs(level)):
        return None
    free = task.through(pose, jacobian.shape[1])[1]
    certificate = _certificate(rows, side, jacobian @ free)
    if certificate is None:
        return None
    return Minimax(pose, task.level(everything), certificate, 0, jacobian @ free)


def _certificate(rows: NDArray[np.int64], side: Floats, jacobian: NDArray[np.float64]) -> Certificate | None:
    """Return the multipliers of the contacts, or None when they are no proof of an optimum."""
    gradients = (side[:, None] * jacobian).T
    scale = float(np.abs(gradients).max(initial=0.0)) or 1.0
    system = np.vstack([gradients / scale, np.ones(len(rows))])
    multipliers, residual = nonnegative_least_squares(system, np.append(np.zeros(len(gradients)), 1.0))
    if residual > 1e-7:
        return None
    return Certificate(
        tuple(int(r) for r in rows), tuple(int(s) for s in side), tuple(float(x) for x in multipliers), float(residual)
    )


def _unpolished(task: Task, pose: Pose, turns: int) -> Minimax:
    """Accept a solution with fewer contacts than unknowns when its multipliers prove it."""
    f, jacobian = task.values(pose)
    level = task.level(f)
    spread = max(float(np.ptp(f)), 1e-300)
    rows, sides = [], []
    for s in task.sides:
        near = np.flatnonzero(s * f > level - 1e-6 * spread)
        rows.append(near)
        sides.append(np.full(len(near), float(s)))
    contacts, side = np.concatenate(rows), np.concatenate(sides)
    jacobian = jacobian[contacts] @ task.through(pose, jacobian.shape[1])[1]
    certificate = _certificate(contacts, side, jacobian)
    if certificate is None:
        raise ConvergenceError("no convergence: the points do not resemble the shape")
    return Minimax(pose, level, certificate, turns, jacobian)
