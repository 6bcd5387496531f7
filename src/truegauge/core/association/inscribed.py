"""The largest feature between points, or the smallest around them, where the quick way finds no proof: by vertices.

Distances are convex where a feature moves across its points, so that the largest inscribed feature stands at a vertex
of what is left between them. Two rings of few touches often leave a whole face of axes for one radius: the smaller ring
decides it, and the larger one only to second order where on that face the axis lies. So at each step several vertices
of the face are tried, and the least motion to it, and the one is taken that is best on the true distances.
"""

from contextlib import suppress

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats
from truegauge.core.association.exchange import exchange
from truegauge.core.association.features import Pose
from truegauge.core.association.fit import Certificate
from truegauge.core.association.minimax import Minimax, Task
from truegauge.core.association.nonnegative import nonnegative_least_squares
from truegauge.core.association.one_sided import least_squares_step_outside
from truegauge.core.errors import ConvergenceError, IndeterminateError

_MOST = 300
_WAYS = 12  # vertices of the face that are tried at each step
_AWAY = 0.5  # of the size of the points: a feature that gets away that far is not surrounded
_FINE = 1e-13
_PROVEN = 1e-3  # what the weighted gradients of the contacts may leave: more is no optimum
_ONE_SIDE = np.array([1.0])


def largest_between(task: Task, start: Pose) -> Minimax:
    """Return the largest feature with no point in it, or the smallest around all, near a start; of unit size.

    Raises
    ------
    IndeterminateError
        The points do not surround the feature: it gets away between them.
    """
    rng = np.random.default_rng(0)
    pose = start
    side = float(task.sides[0])
    f, jacobian = task.values(pose)
    level, trust = float((side * f).max()), max(float(np.ptp(f)), 1e-9)
    turn = 0
    for turn in range(1, _MOST + 1):  # noqa: B007
        first, free = task.through(pose, jacobian.shape[1])
        best: tuple[float, Pose] | None = None
        for step in _ways(side * (f + jacobian @ first), side * (jacobian @ free), trust, rng):
            tried = task.problem.stepped(pose, first + free @ step)
            there = float((side * task.values(tried)[0]).max())
            if best is None or there < best[0]:
                best = (there, tried)
        if best is not None and best[0] < level - _FINE:
            gain = level - best[0]
            level, pose = best
            f, jacobian = task.values(pose)
            if gain < 1e-3 * trust:
                trust *= 0.7
        else:
            trust *= 0.25
        if float(np.linalg.norm(pose.origin - start.origin)) > _AWAY or abs(float(pose.axes[2] @ start.axes[2])) < 0.9:
            raise IndeterminateError("the feature gets away between the points")
        if trust < 1e-12:
            break
    return _proven(task, pose, turn)


def _ways(f: Floats, jacobian: NDArray[np.float64], bound: float, rng: np.random.Generator) -> list[Floats]:
    """Return steps that make the largest of ``f + J x`` small: the vertex found, the least step, other vertices."""
    status, x, level, *_ = exchange(f, np.ascontiguousarray(jacobian), _ONE_SIDE, bound, np.ones(len(f)))
    if status == 1:
        raise IndeterminateError("the points do not determine the feature: spread them more widely over it")
    found = [np.asarray(x)]
    q = jacobian.shape[1]
    slack = 1e-3 * max(float(f.max()) - float(level), 0.0) + 1e-14
    with suppress(ConvergenceError, np.linalg.LinAlgError):
        found.append(least_squares_step_outside(np.eye(q), np.zeros(q), -jacobian, level + slack - f))
    rows = np.ascontiguousarray(np.vstack([jacobian, np.zeros(q)]))
    values, share = np.append(f - level - slack, 0.0), np.append(np.zeros(len(f)), 1.0)
    for way in rng.normal(size=(_WAYS, q)):
        rows[-1] = way
        status, x, *_ = exchange(values, rows, _ONE_SIDE, bound, share)
        if status == 0:
            found.append(np.asarray(x))
    return found


def _proven(task: Task, pose: Pose, turns: int) -> Minimax:
    """Return the solution with the multipliers of its contacts; their residual says how good the proof is."""
    f, jacobian = task.values(pose)
    spread = max(float(np.ptp(f)), 1e-300)
    side = task.sides[0]
    level = float((side * f).max())
    contacts = np.flatnonzero(side * f > level - 1e-6 * spread - 1e-13)
    gradients = (side * jacobian[contacts] @ task.through(pose, jacobian.shape[1])[1]).T
    scale = float(np.abs(gradients).max(initial=0.0)) or 1.0
    system = np.vstack([gradients / scale, np.ones(len(contacts))])
    multipliers, residual = nonnegative_least_squares(system, np.append(np.zeros(len(gradients)), 1.0))
    if residual > _PROVEN:
        raise IndeterminateError("the feature gets away between the points")
    certificate = Certificate(
        tuple(int(r) for r in contacts), (side,) * len(contacts), tuple(float(x) for x in multipliers), float(residual)
    )
    return Minimax(pose, level, certificate, turns, jacobian[contacts] @ task.through(pose, jacobian.shape[1])[1])
