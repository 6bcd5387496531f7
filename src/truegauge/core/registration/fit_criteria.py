"""Best fits by other criteria than least squares: the smallest largest deviation, the most points within a tolerance.

Both start at the least-squares pose and take steps on linearised deviations; a step that makes things worse is
halved. The largest deviation is a linear programme (Chebyshev), solved on the points that matter.
"""

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Mask, Points, Rigid
from truegauge.core.cad.projection import Projector
from truegauge.core.frames import apply
from truegauge.core.progress import Progress, silent
from truegauge.core.registration.adjustment import moved_by
from truegauge.core.registration.best_fit import FitSettings, unlocked_part

_TURNS, _OUTER = 25, 4
_OPEN = 1e-6


class _Linear:
    """Deviations at a pose, and what motions do to them."""

    def __init__(self, points: Points, projector: Projector, settings: FitSettings, reach: float) -> None:
        self._points, self._projector, self._settings, self._reach = points, projector, settings, reach
        self.size = 0.5 * float(np.linalg.norm(np.ptp(points, axis=0)))

    def at(self, pose: Rigid) -> tuple[Floats, NDArray[np.float64], Floats]:
        """Return distances (n,), derivatives (n, 6) by turns as mm at the edge and shifts, and the centre."""
        moved = apply(pose, self._points)
        found = self._projector.deviations(moved, max_distance=self._reach)
        on = self._settings.counted(found.face) & ~found.on_edge
        locked = self._settings.locked
        center = np.zeros(3) if any(locked) else moved.mean(axis=0)
        arms = np.cross(moved - center, found.normals) / self.size
        jacobian = np.hstack([arms, found.normals])
        jacobian[:, [locked[k] for k in (3, 4, 5, 0, 1, 2)]] = 0.0
        jacobian[~on] = 0.0
        return np.where(on, found.distance, 0.0), jacobian, center

    def stepped(self, pose: Rigid, step: Floats, center: Floats) -> Rigid:
        scaled = np.concatenate([step[:3] / self.size, step[3:]])
        return unlocked_part(moved_by(pose, scaled, center), self._settings)


def fit_largest(
    points: Points, projector: Projector, start: Rigid, settings: FitSettings, *, reach: float,
    progress: Progress = silent,
) -> Rigid:  # fmt: skip
    """Return the pose at which the largest deviation is smallest.

    Parameters
    ----------
    points : (n, 3) float64
        The points that count, without strays: the largest deviation is theirs.
    """
    linear = _Linear(points, projector, settings, reach)
    pose = start
    distance, jacobian, center = linear.at(pose)
    level = float(np.abs(distance).max())
    for turn in range(_TURNS):
        progress(turn / _TURNS, "smallest largest deviation")
        step, promised = _chebyshev_step(distance, jacobian)
        if level - promised < 1e-6 * level:
            break
        for share in (1.0, 0.5, 0.25):
            tried = linear.stepped(pose, share * step, center)
            there = linear.at(tried)
            now = float(np.abs(there[0]).max())
            if now < level:
                break
        else:
            break
        gained = level - now
        pose, (distance, jacobian, center), level = tried, there, now
        if gained < 1e-6 * level:
            break
    return pose


def _chebyshev_step(distance: Floats, jacobian: NDArray[np.float64]) -> tuple[Floats, float]:
    """Minimise the largest |distance + jacobian step|; return the step and what it promises.

    Points are added until none is worse than those in the problem.
    """
    from scipy.optimize import linprog

    basis = _noticed(jacobian)
    reduced = jacobian @ basis
    bound = 4 * float(np.abs(distance).max()) + 1e-9
    chosen = np.argsort(-np.abs(distance))[:60]
    step, promised = np.zeros(basis.shape[1]), float(np.abs(distance).max())
    for _ in range(40):
        a, d = reduced[chosen], distance[chosen]
        ones = np.ones((len(a), 1))
        solution = linprog(
            np.append(np.zeros(basis.shape[1]), 1.0),
            A_ub=np.vstack([np.hstack([a, -ones]), np.hstack([-a, -ones])]),
            b_ub=np.concatenate([-d, d]),
            bounds=[(-bound, bound)] * basis.shape[1] + [(0, None)],
            method="highs",
        )
        if solution.x is None:
            break
        step = solution.x[:-1]
        off = np.abs(distance + reduced @ step)
        promised = float(off.max())
        if promised <= solution.x[-1] + 1e-10:
            break
        chosen = np.union1d(chosen, np.argsort(-off)[:60])
    return np.asarray(basis @ step), promised


def _noticed(jacobian: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return a basis (6, k) of the motions that the points notice."""
    values, vectors = np.linalg.eigh(jacobian.T @ jacobian)
    return np.asarray(vectors[:, values > _OPEN**2 * values[-1]])


def fit_within(
    points: Points, projector: Projector, start: Rigid, settings: FitSettings, tolerance: float, *, reach: float,
    progress: Progress = silent,
) -> Rigid:  # fmt: skip
    """Return the pose at which the fewest points are farther off than a tolerance (mm).

    First the squares of what reaches over are made small; then what still reaches over counts less the farther it is
    off, so that few bad points do not pull the others over (reweighted least squares). The pose with the fewest
    points outside wins; when all can be within, it is the first such pose on the way from least squares.
    """
    linear = _Linear(points, projector, settings, reach)
    pose, best = start, start
    distance, jacobian, center = linear.at(pose)
    fewest = _outside(distance, tolerance)
    for turn in range(_OUTER):
        progress(turn / _OUTER, "points within the tolerance")
        if fewest == 0:
            break
        step = _step_within(distance, jacobian, tolerance)
        pose = linear.stepped(pose, step, center)
        distance, jacobian, center = linear.at(pose)
        count = _outside(distance, tolerance)
        if count < fewest:
            best, fewest = pose, count
        elif float(np.abs(step).max()) < 1e-4 * tolerance or count > fewest:
            break
    return best


def _step_within(distance: Floats, jacobian: NDArray[np.float64], tolerance: float) -> Floats:
    """Return the motion (6,) with the fewest points outside on the way of both kinds of steps, points linearised."""
    total = np.zeros(6)
    best, fewest = total, _outside(distance, tolerance)
    for soft in (False, True):
        for _ in range(_TURNS):
            there = distance + jacobian @ total
            count = _outside(there, tolerance)
            if count < fewest:
                best, fewest = total, count
            if fewest == 0:
                return best
            # A little inside, so that points do not end on the limit. Points within hold on a little to where they are.
            aim = _excess(there, 0.999 * tolerance)
            weight = 1 / (np.abs(aim) + 0.05 * tolerance) if soft else np.ones(len(aim))
            step = _weighted_step(aim, jacobian, np.where(aim != 0, weight, 1e-4 * weight.min()))
            total = total + step
            if float(np.abs(step).max()) < 1e-5 * tolerance:
                break
    return best


def _excess(distance: Floats, tolerance: float) -> Floats:
    return np.asarray(np.sign(distance) * np.maximum(np.abs(distance) - tolerance, 0.0))


def _outside(distance: Floats, tolerance: float) -> int:
    outside: Mask = np.abs(distance) > tolerance
    return int(outside.sum())


def _weighted_step(aim: Floats, jacobian: NDArray[np.float64], weight: Floats) -> Floats:
    scaled = jacobian * weight[:, None]
    normal = scaled.T @ jacobian
    return np.asarray(-np.linalg.pinv(normal, rcond=1e-10, hermitian=True) @ (scaled.T @ aim))
