"""Minimax association: the smallest zone, circumscribed or inscribed feature, with the proof that it is one.

All are "minimise the largest of the functions g_k(x)": for the minimum zone g = (d, -d) of the distances d, for the
minimum circumscribed feature the distances from its axis or centre, for the maximum inscribed one their negatives.
Linear programs on the points that matter lead to the contact points; Newton's method on the contacts alone gives the
last digits. The Kuhn-Tucker multipliers of the contacts are the certificate.

Powell, On the minimax problem by linear programming with step bounds; Osborne and Watson, An algorithm for minimax
approximation in the nonlinear case (1969); Anthony, Anthony, Bittner et al., Chebyshev best-fit geometric elements,
NPL report DITC 221/93 (1993).
"""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Points
from truegauge.core.association.features import Feature
from truegauge.core.association.gauss_newton import Model
from truegauge.core.errors import AssociationError

_FEW = 160  # functions in the first linear program
_ADDED = 40  # violated ones added at a time
_MOST = 80


@dataclass(frozen=True, slots=True)
class Certificate:
    """Proof of an optimum: contact points, the side of each (+1, -1), and multipliers >= 0 of sum 1.

    The gradients of the contacts, weighted by side and multiplier, add up to `residual` (about 0).
    """

    contacts: tuple[int, ...]
    sides: tuple[int, ...]
    multipliers: tuple[float, ...]
    residual: float


@dataclass(frozen=True, slots=True, eq=False)
class Minimax:
    """The solution of a minimax problem."""

    feature: Feature
    level: float
    certificate: Certificate
    iterations: int


@dataclass(slots=True)
class _Problem:
    """What is minimised: the model's distances, counted on one or both sides, with or without its radius."""

    model: Model
    points: Points
    sides: tuple[int, ...]
    with_radius: bool
    columns: slice = field(init=False)

    def values(self, feature: Feature) -> tuple[Floats, NDArray[np.float64]]:
        """Return f (n,) and its Jacobian (n, m); the functions g are side * f."""
        distances, jacobian = self.model.linearised(feature, self.points)
        if self.with_radius:
            return distances, jacobian
        return distances + _radius(feature), jacobian[:, :-1]

    def stepped(self, feature: Feature, step: Floats) -> Feature:
        return self.model.stepped(feature, step if self.with_radius else np.append(step, 0.0))

    def level(self, f: Floats) -> float:
        return max(float((side * f).max()) for side in self.sides)


def _radius(feature: Feature) -> float:
    return float(getattr(feature, "radius"))  # noqa: B009 - only round features come here


def solve_minimax(
    model: Model, start: Feature, points: Points, sides: tuple[int, ...], *, with_radius: bool
) -> Minimax:
    """Minimise the largest of ``side * f`` from a start near the optimum; points are normalised (about unit size).

    Raises
    ------
    AssociationError
        No convergence, or points that do not determine the feature.
    """
    problem = _Problem(model, points, sides, with_radius)
    feature = start
    f, jacobian = problem.values(feature)
    level = problem.level(f)
    trust = 1.0  # in multiples of the spread of f
    working = _worst(f, sides, _FEW)
    for turn in range(_MOST):
        spread = max(float(f.max() - f.min()), 1e-16)
        step, active, working = _linear_program(f, jacobian, sides, working, spread, trust * spread * 4)
        trial = problem.stepped(feature, step)
        trial_f, trial_jacobian = problem.values(trial)
        trial_level = problem.level(trial_f)
        polished = _polished(problem, trial, active)
        if polished is not None and polished.level <= min(level, trial_level) + 1e-12 * max(1.0, abs(level)):
            return Minimax(polished.feature, polished.level, polished.certificate, turn + 1)
        if trial_level < level:
            gain = level - trial_level
            feature, f, jacobian, level = trial, trial_f, trial_jacobian, trial_level
            trust = min(trust * 2, 64.0)
            if gain < 1e-15 * max(1.0, abs(level)):
                break
        else:
            trust *= 0.25
            if trust < 1e-9:
                break
    return _unpolished(problem, feature, active, turn)


def _worst(f: Floats, sides: tuple[int, ...], count: int) -> NDArray[np.int64]:
    """Return the (point, side) pairs with the largest functions, as point * 2 + (side < 0)."""
    pairs = []
    for side in sides:
        g = side * f
        rows = np.argpartition(-g, min(count, len(g) - 1))[:count] if len(g) > count else np.arange(len(g))
        pairs.append(rows * 2 + (side < 0))
    return np.unique(np.concatenate(pairs))


def _linear_program(
    f: Floats,
    jacobian: NDArray[np.float64],
    sides: tuple[int, ...],
    working: NDArray[np.int64],
    scale: float,
    bound: float,
) -> tuple[Floats, NDArray[np.int64], NDArray[np.int64]]:
    """Minimise the largest linearised function within the step bound; return step, active pairs, working pairs."""
    from scipy.optimize import linprog

    m = jacobian.shape[1]
    middle = 0.5 * (float(f.max()) + float(f.min())) if len(sides) == 1 else 0.0
    for _ in range(30):
        rows, side = working // 2, np.where(working % 2 == 0, 1.0, -1.0)
        matrix = np.column_stack([side[:, None] * jacobian[rows], -np.ones(len(rows))])
        right = -side * (f[rows] - middle) / scale
        limits = [(-bound / scale, bound / scale)] * m + [(None, None)]
        result = linprog(np.append(np.zeros(m), 1.0), A_ub=matrix, b_ub=right, bounds=limits, method="highs")
        if result.x is None:
            raise AssociationError("the points do not determine the feature: spread them more widely over it")
        step, level = result.x[:m] * scale, float(result.x[m]) * scale
        predicted = f - middle + jacobian @ step
        missing = []
        for s in sides:
            g = s * predicted
            over = np.flatnonzero(g > level + 1e-7 * scale)
            if len(over) > _ADDED:
                over = over[np.argpartition(-g[over], _ADDED)[:_ADDED]]
            missing.append(over * 2 + (s < 0))
        new = np.setdiff1d(np.concatenate(missing), working)
        if len(new) == 0:
            break
        working = np.union1d(working, new)
    weight = -np.asarray(result.ineqlin.marginals)
    order = np.argsort(-weight)
    active = working[order[weight[order] > 1e-9]]
    if len(working) > 4 * _FEW:
        slack = np.asarray(result.slack)
        working = working[np.argsort(slack)[: 2 * _FEW]]
    return step, active, working


def _polished(problem: _Problem, start: Feature, active: NDArray[np.int64]) -> Minimax | None:
    """Solve the contact equations by Newton's method; None unless the result is a proven optimum."""
    rows, side = active // 2, np.where(active % 2 == 0, 1.0, -1.0)
    small = _Problem(problem.model, np.ascontiguousarray(problem.points[rows]), problem.sides, problem.with_radius)
    feature, last = start, np.inf
    for _ in range(12):
        f, jacobian = small.values(feature)
        m = jacobian.shape[1]
        if len(rows) != m + 1:
            return None
        system = np.column_stack([side[:, None] * jacobian, -np.ones(m + 1)])
        try:
            solution = np.linalg.solve(system, -side * f)
        except np.linalg.LinAlgError:
            return None
        size = float(np.abs(solution[:m]).max())
        if not size < 0.2:
            return None
        feature = small.stepped(feature, solution[:m])
        if size < 1e-16 or (size < 1e-12 and size >= 0.5 * last):
            break
        last = size
    f, jacobian = small.values(feature)
    level = float(np.mean(side * f))
    everything, _ = problem.values(feature)
    spread = max(float(np.ptp(everything)), 1e-300)
    if problem.level(everything) > level + 1e-7 * spread + 4e-16 * max(1.0, abs(level)):
        return None
    certificate = _certificate(rows, side, jacobian)
    if certificate is None:
        return None
    return Minimax(feature, problem.level(everything), certificate, 0)


def _certificate(rows: NDArray[np.int64], side: Floats, jacobian: NDArray[np.float64]) -> Certificate | None:
    """Return the multipliers of the contacts, or None when they are no proof of an optimum."""
    from scipy.optimize import nnls

    gradients = (side[:, None] * jacobian).T
    scale = float(np.abs(gradients).max())
    system = np.vstack([gradients / scale, np.ones(len(rows))])
    multipliers, residual = nnls(system, np.append(np.zeros(len(gradients)), 1.0))
    if residual > 1e-7:
        return None
    return Certificate(
        tuple(int(r) for r in rows), tuple(int(s) for s in side), tuple(float(x) for x in multipliers), float(residual)
    )


def _unpolished(problem: _Problem, feature: Feature, active: NDArray[np.int64], turns: int) -> Minimax:
    """Accept a solution with fewer contacts than unknowns when its multipliers prove it."""
    f, jacobian = problem.values(feature)
    level = problem.level(f)
    spread = max(float(np.ptp(f)), 1e-300)
    rows, sides = [], []
    for s in problem.sides:
        near = np.flatnonzero(s * f > level - 1e-6 * spread)
        rows.append(near)
        sides.append(np.full(len(near), float(s)))
    contacts, side = np.concatenate(rows), np.concatenate(sides)
    certificate = _certificate(contacts, side, jacobian[contacts])
    if certificate is None:
        raise AssociationError("no convergence: the points do not resemble the shape")
    return Minimax(feature, level, certificate, turns)
