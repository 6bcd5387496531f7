"""One association: points about their centroid and of unit size, weights, and which unknowns are free."""

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Points, Vector, for_reading
from truegauge.core.association import kernels, steps
from truegauge.core.association.constraints import NONE, Constraints, Freedom, freedom_of
from truegauge.core.association.features import Pose
from truegauge.core.association.scaling import normalised
from truegauge.core.errors import ConvergenceError, IndeterminateError

NO_WEIGHTS = np.empty(0)
# What each column of a motion or size is called in a message.
_WORDS = (
    "the place across the axis",
    "the place across the axis",
    "the place along the axis",
    "the tilt of the axis",
    "the tilt of the axis",
    "the turn",
    "the radius",
    "the second size",
)
_OWN_WORDS = {
    kernels.PLANE: {2: "the height", 3: "the tilt", 4: "the tilt"},
    kernels.WIDTH: {2: "the middle", 3: "the tilt", 4: "the tilt", 6: "the width"},
    kernels.LINE: {3: "the direction", 4: "the direction"},
    kernels.FLAT_LINE: {1: "the place", 5: "the direction"},
    kernels.SPHERE: {0: "the centre", 1: "the centre", 2: "the centre"},
    kernels.CIRCLE: {0: "the centre", 1: "the centre"},
    kernels.CONE: {6: "the radius", 7: "the angle"},
    kernels.TORUS: {6: "the radius of the ring", 7: "the radius of the tube"},
    kernels.ELLIPSE: {6: "the long radius", 7: "the short radius"},
    kernels.ROUND_SLOT: {6: "the length", 7: "the width"},
    kernels.SQUARE_SLOT: {6: "the length", 7: "the width"},
}


@dataclass(frozen=True, slots=True, eq=False)
class Problem:
    """Points (n, 3) about their centroid, scaled to unit size; weights (n,) or none; the unknowns of the shape."""

    code: int
    center: Vector
    scale: float
    points: Points
    weights: Floats
    constraints: Constraints
    freedom: Freedom

    def with_rows(self, rows: NDArray[np.int64]) -> "Problem":
        """Return the problem for some of the points."""
        weights = self.weights[rows] if len(self.weights) else NO_WEIGHTS
        return replace(self, points=np.ascontiguousarray(self.points[rows]), weights=weights)

    def thinned(self, most: int) -> "Problem":
        """Return the problem for at most so many points, evenly picked."""
        if len(self.points) <= most:
            return self
        return self.with_rows(np.linspace(0, len(self.points) - 1, most).astype(np.int64))

    def values(self, pose: Pose) -> tuple[Floats, NDArray[np.float64]]:
        """Return weighted distances (n,) and their derivatives for the unknowns (n, q)."""
        return steps.reduced(  # type: ignore[no-any-return, no-untyped-call]
            *_arrays(pose), self.freedom.motions, self.freedom.sizes, self.points, self.weights
        )

    def stepped(self, pose: Pose, step: Floats) -> Pose:
        """Return the pose after a step of the unknowns (q,)."""
        full = steps.basis(pose.origin, pose.axes, self.freedom.motions, self.freedom.sizes)  # type: ignore[no-untyped-call]
        moved = steps.stepped(*_arrays(pose), full, np.ascontiguousarray(step))  # type: ignore[no-untyped-call]
        return Pose(pose.code, *moved)

    def square(self, pose: Pose) -> float:
        """Return the sum of squared (weighted) distances."""
        return float(kernels.normal_equations(*_arrays(pose), self.points, self.weights)[2])  # type: ignore[no-untyped-call]

    def normal_matrix(self, pose: Pose) -> NDArray[np.float64]:
        """Return J^T J (q, q) for the unknowns."""
        matrix = kernels.normal_equations(*_arrays(pose), self.points, self.weights)[0]  # type: ignore[no-untyped-call]
        full = steps.basis(pose.origin, pose.axes, self.freedom.motions, self.freedom.sizes)  # type: ignore[no-untyped-call]
        rows = steps.active_rows(pose.code, full)  # type: ignore[no-untyped-call]
        return np.asarray(rows.T @ matrix @ rows)


@dataclass(frozen=True, slots=True, eq=False)
class Solution:
    """Where an iteration ended: the pose, the sum of squares, iterations, and the condition of the unknowns."""

    pose: Pose
    square: float
    iterations: int
    condition: float


def _arrays(pose: Pose) -> tuple[Any, ...]:
    return pose.code, pose.origin, pose.axes, pose.sizes


def make_problem(code: int, points: Points, weights: Floats | None, constraints: Constraints = NONE) -> Problem:
    """Normalise points, weights (to a mean square of 1) and constraints."""
    center, scale, local = normalised(for_reading(points))  # type: ignore[no-untyped-call]
    scaled = constraints if constraints is NONE else constraints.scaled(1 / scale, -center / scale)
    own = NO_WEIGHTS
    if weights is not None:
        own = np.asarray(weights, dtype=np.float64)
        own = own / np.sqrt(np.mean(own**2))
    return Problem(code, center, float(scale), local, own, scaled, freedom_of(code, scaled))


def minimise(problem: Problem, start: Pose, *, most: int = 400) -> Solution:
    """Return the pose of least squared distances near a start.

    Raises
    ------
    IndeterminateError
        The points do not determine one of the unknowns; the message says which.
    ConvergenceError
        The iteration does not end.
    """
    f = problem.freedom
    status, turns, square, condition, weakest, origin, axes, sizes = steps.solve_from(  # type: ignore[no-untyped-call]
        *_arrays(start), f.motions, f.sizes, f.through, f.redundant, problem.points, problem.weights, most
    )
    if status == steps.ILL:
        raise IndeterminateError(
            f"the points do not determine {word(problem.code, weakest)}: spread them more widely over the feature"
        )
    if status == steps.DIVERGED:
        raise ConvergenceError("the association does not converge: the points do not resemble the shape")
    if status == steps.UNENDED:
        raise ConvergenceError(f"no convergence in {most} steps: the points do not resemble the shape")
    return Solution(Pose(start.code, origin, axes, sizes), float(square), int(turns), float(condition))


def word(code: int, weakest: Floats) -> str:
    """Say which unknown a direction in the motions and sizes means most."""
    column = int(np.argmax(np.abs(weakest)))
    return _OWN_WORDS.get(code, {}).get(column, _WORDS[column])


def best_of(problem: Problem, starts: list[Pose], *, keep: int = 10, few: int = 400) -> Solution:
    """Minimise from the most promising starts on a thinned set, then finish the best on all points.

    Raises
    ------
    IndeterminateError, ConvergenceError
        As `minimise`, when no start leads anywhere.
    """
    if not starts:
        raise ConvergenceError("the points do not resemble the shape")
    if len(starts) == 1:
        return minimise(problem, starts[0])
    sample = problem.thinned(few)
    ranked = sorted(starts, key=sample.square)
    # The first are often all alike; some of the others keep the search wide.
    chosen = ranked[:keep] + ranked[keep :: max(1, (len(ranked) - keep) // 6 + 1)]
    best: Solution | None = None
    failure: Exception | None = None
    for start in chosen:
        try:
            found = minimise(sample, start, most=100)
        except (IndeterminateError, ConvergenceError) as error:
            failure = failure or error.with_traceback(None)  # a traceback would keep the points alive
            continue
        if (found.pose.sizes < 0).any():
            continue
        if best is None or found.square < best.square:
            best = found
    if best is None:
        raise failure or ConvergenceError("the points do not resemble the shape")
    return best if sample is problem else minimise(problem, best.pose)
