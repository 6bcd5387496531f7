"""One-sided association: least squares under the condition that the feature stays outside the material.

What a surface plate touches: the plane of least squared distances that no point passes (the default association of
a planar datum in ISO 5459 and ASME Y14.5.1). Sequential quadratic programs; the multipliers of the contacts prove it.
Lawson and Hanson, Solving least squares problems (1974), chapter 23: least distance programming.
"""

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats
from truegauge.core.association import kernels, steps
from truegauge.core.association.features import Pose
from truegauge.core.association.fit import Certificate
from truegauge.core.association.minimax import extreme_rows
from truegauge.core.association.nonnegative import nonnegative_least_squares
from truegauge.core.association.problem import Problem, Solution
from truegauge.core.errors import ConvergenceError

_MOST = 100


def outside_material(problem: Problem, start: Pose, side: int) -> tuple[Solution, Certificate]:
    """Minimise the sum of squared distances under ``side * d >= 0`` for all points.

    Raises
    ------
    ConvergenceError
        No convergence.
    """
    pose = start
    rows = extreme_rows(problem, pose) if len(problem.points) > 3000 else np.arange(len(problem.points))
    last, condition = np.inf, float("nan")
    for turn in range(_MOST):
        full = steps.basis(pose.origin, pose.axes, problem.freedom.motions, problem.freedom.sizes)  # type: ignore[no-untyped-call]
        own = steps.active_rows(pose.code, full)  # type: ignore[no-untyped-call]
        matrix, right, square = kernels.normal_equations(  # type: ignore[no-untyped-call]
            pose.code, pose.origin, pose.axes, pose.sizes, problem.points, problem.weights
        )
        matrix, right = own.T @ matrix @ own, own.T @ right
        small = problem.with_rows(rows)
        d, jacobian = kernels.linearised(pose.code, pose.origin, pose.axes, pose.sizes, small.points)  # type: ignore[no-untyped-call]
        step, multipliers, condition = _program(matrix, right, side * (jacobian @ own), side * d)
        size = float(np.abs(step).max(initial=0.0))
        if size > 0.3:
            step *= 0.3 / size
        if turn and (size < 1e-15 or (size < 1e-10 and size >= 0.5 * last)):
            held = np.flatnonzero(multipliers > 0)
            gradient = right - (side * (jacobian @ own)[held]).T @ multipliers[held]
            residual = float(np.abs(gradient).max() / max(np.abs(right).max(), 1e-300))
            certificate = Certificate(
                tuple(int(rows[i]) for i in held), (side,) * len(held), tuple(float(multipliers[i]) for i in held),
                residual if len(held) else 0.0,
            )  # fmt: skip
            return Solution(pose, float(square), turn, condition), certificate
        pose, last = problem.stepped(pose, step), size
        if len(problem.points) > 3000:
            extremes = extreme_rows(problem, pose)
            rows = np.union1d(rows, extremes) if size < 1e-3 else extremes
    raise ConvergenceError("no convergence: the points do not resemble the shape")


def least_squares_step_outside(
    matrix: NDArray[np.float64], right: Floats, rows: NDArray[np.float64], values: Floats
) -> Floats:
    """Return the step x that minimises x'Hx/2 + g'x under ``rows x + values >= 0``.

    Raises
    ------
    ConvergenceError
        No step satisfies the rows.
    """
    return _program(matrix, right, rows, values)[0]


def _program(
    matrix: NDArray[np.float64], right: Floats, rows: NDArray[np.float64], values: Floats
) -> tuple[Floats, Floats, float]:
    """Minimise x'Hx/2 + g'x under rows x + values >= 0; return x, the multipliers, and the condition of H."""
    norms = np.sqrt(np.diag(matrix))
    scaled = matrix / np.outer(norms, norms)
    lower = np.linalg.cholesky(scaled + 1e-15 * np.eye(len(scaled)))
    # y = L'x + inverse(L) g has the length to be made small.
    free = np.linalg.solve(lower, right / norms)
    transformed: NDArray[np.float64] = np.asarray(np.linalg.solve(lower, (rows / norms).T).T, dtype=np.float64)
    needed = -values + transformed @ free
    size = float(np.abs(needed).max(initial=0.0)) or 1.0
    # Points that cannot matter only slow the solver down.
    near = np.flatnonzero(needed > needed.max() - 1.5 * float(np.ptp(needed)) - 1e-300)
    chosen, u = _least_distance(transformed, needed / size, near)
    y = chosen * size
    x = np.linalg.solve(lower.T, y - free) / norms
    multipliers = np.zeros(len(values))
    multipliers[near] = u * size
    return x, multipliers, float(np.sqrt(np.linalg.cond(scaled)))


def _least_distance(rows: NDArray[np.float64], needed: Floats, near: NDArray[np.int64]) -> tuple[Floats, Floats]:
    """Return the shortest y with ``rows y >= needed``, and its multipliers, by adding what is missed."""
    working: NDArray[np.int64] = np.array([int(np.argmax(needed))])
    multipliers = np.zeros(len(needed))
    y = np.zeros(rows.shape[1])
    for _ in range(100):
        system = np.vstack([rows[working].T, needed[working]])
        u, _ = nonnegative_least_squares(system, np.append(np.zeros(rows.shape[1]), 1.0))
        rest = np.append(np.zeros(rows.shape[1]), 1.0) - system @ u
        if rest[-1] <= 1e-14:
            raise ConvergenceError("no feature stays outside the material of these points")
        y = -rest[:-1] / rest[-1]
        multipliers[:] = 0.0
        multipliers[working] = u / rest[-1]
        missed = needed - rows @ y
        worst = np.argsort(-missed)[:8]
        new = np.setdiff1d(worst[missed[worst] > 1e-13], working)
        if len(new) == 0:
            break
        working = np.concatenate([working[u > 0], new])
    return y, multipliers[near]
