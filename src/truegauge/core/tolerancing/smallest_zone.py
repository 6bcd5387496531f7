"""The smallest zone over the freedoms that the datums leave: a minimax problem over rigid motions.

Successive linear programmes: the rows are linearised at the pose, the smallest largest value within a step bound is
found by exchanges of contacts (`core.association.exchange`), and the rows are taken exactly at the new pose. Round
zones enter by tangent planes, added until none is missed: each programme is exact for the linearised motion.
For the small motions of an inspection the problem is convex but for terms of second order in the turn. Where only
these decide (a zone that may turn about a datum normal nearly touches its optimum from both sides) it has two optima.

Definition: ISO 1101:2017 and ASME Y14.5.1M-2019, the actual value is the size of the smallest zone that conforms.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from truegauge.core.arrays import Floats, Rigid, Vector
from truegauge.core.association.exchange import exchange
from truegauge.core.datums.zone_rows import Matrix, RoundRows, Rows, SurfaceRows
from truegauge.core.errors import EvaluationError
from truegauge.core.frames import twist_motion

_OUTER, _CUTS = 60, 60
_UNNOTICED = 1e-7  # of the strongest freedom: what no row notices is left alone
_AROUND = np.arange(12) * np.pi / 6
_FINE = 1e-11  # mm: what a zone may still lack
_SETTLED = 3e-6  # mm: what one may lack that is found anew
_ONE_SIDE = np.array([1.0])
_GOLDEN = (3 - 5**0.5) / 2


@dataclass(frozen=True, slots=True, eq=False)
class SmallestZone:
    """`pose` moves the points; `level` is the largest value left (less allowances), mm."""

    pose: Rigid
    level: float
    iterations: int


def smallest_zone(
    rows: Sequence[Rows], free: Matrix, about: Vector, length: float, starts: Sequence[Rigid] = (),
    settled: Rigid | None = None,
) -> SmallestZone:  # fmt: skip
    """Return the motion within `free` (6, k) twists about a point at which the largest value is smallest.

    The descent begins where the points are and, where a zone has several optima, also from `starts`; the best wins.

    Parameters
    ----------
    rows : sequence of SurfaceRows or RoundRows
        What must fit. Hard rows bound the motion instead (all are linearised together).
    length : float
        Size of the part, mm: makes turns comparable with shifts.
    settled : Rigid
        Where the zone was found for points that moved a little since: only the optimum next to it is looked for, to
        some nanometres.

    Raises
    ------
    EvaluationError
        The bounds of the hard rows contradict each other: the datum feature does not clear its boundary.
    """
    problem = _Problem(rows, free, about, length, _FINE if settled is None else _SETTLED)
    pose = np.eye(4)
    if problem.size == 0:
        violated = max((r.worst(pose)[0] for r in rows if _is_hard(r)), default=0.0)
        if violated > 1e-9:
            raise EvaluationError(_violated(violated))
        return SmallestZone(pose, problem.level(pose), 0)
    if settled is not None:
        pose = settled
    if any(_is_hard(r) for r in rows):
        pose = problem.cleared(pose)
    if settled is not None:
        return problem.solve(pose)
    return min((problem.solve(start @ pose) for start in (np.eye(4), *starts)), key=lambda found: found.level)


def smallest_offset_zone(
    rows: Sequence[Rows], free: Matrix, about: Vector, length: float
) -> tuple[SmallestZone, float]:
    """Return the zone and its offset where the middle of a profile zone may lie anywhere along the normals (OZ).

    ISO 1660:2017: the offset is one unknown more. The level over the best motion is convex in it but for terms of
    second order, so it is enclosed by golden sections.
    """
    off = np.concatenate([r.off(np.eye(4))[0] + r.middle for r in rows if isinstance(r, SurfaceRows) and not r.hard])
    low, high = float(off.min()), float(off.max())

    def zone(offset: float) -> SmallestZone:
        shifted = [r if _is_hard(r) or not isinstance(r, SurfaceRows) else replace(r, middle=offset) for r in rows]
        return smallest_zone(shifted, free, about, length)

    if not free.size:
        return zone((low + high) / 2), (low + high) / 2
    a, b = low + _GOLDEN * (high - low), high - _GOLDEN * (high - low)
    at_a, at_b = zone(a), zone(b)
    while high - low > _FINE:
        if at_a.level < at_b.level:
            high, b, at_b = b, a, at_a
            a = low + _GOLDEN * (high - low)
            at_a = zone(a)
        else:
            low, a, at_a = a, b, at_b
            b = high - _GOLDEN * (high - low)
            at_b = zone(b)
    return (at_a, a) if at_a.level < at_b.level else (at_b, b)


def _violated(amount: float) -> str:
    return (
        f"the datum feature passes its material boundary by {amount:.4f} mm: it does not fit the gauge that the "
        "modifier stands for"
    )


def _is_hard(row: Rows) -> bool:
    return isinstance(row, SurfaceRows) and row.hard


class _Problem:
    def __init__(self, rows: Sequence[Rows], free: Matrix, about: Vector, length: float, fine: float) -> None:
        self._rows, self._about, self._fine = rows, np.asarray(about, dtype=np.float64), fine
        self._units = np.array([length] * 3 + [1.0] * 3)  # turns as mm at the edge of the part
        # Freedoms may be given twice (shifts of an orientation): a basis of what they span.
        u, strength, _ = np.linalg.svd(free * self._units[:, None], full_matrices=False)
        basis = u[:, strength > 1e-9 * max(float(strength.max(initial=0.0)), 1e-300)]
        self._basis = basis / self._units[:, None]
        slopes = [self._slopes(r) for r in rows]
        stacked = np.vstack(slopes) @ self._basis if slopes else np.zeros((0, 0))
        if self._basis.shape[1] and len(stacked):
            values, vectors = np.linalg.eigh(stacked.T @ stacked)
            strong = values > (_UNNOTICED**2) * max(float(values[-1]), 1e-300)
            self._basis = self._basis @ vectors[:, strong]

    def _slopes(self, row: Rows) -> Matrix:
        if isinstance(row, SurfaceRows):
            return row.linear(np.eye(4), self._about).slopes
        return row.vectors(np.eye(4), self._about)[1].reshape(-1, 6)

    @property
    def size(self) -> int:
        return int(self._basis.shape[1])

    def level(self, pose: Rigid) -> float:
        """Return the largest value of the rows that are not hard, less allowances."""
        return max((r.worst(pose)[0] - r.allowance for r in self._rows if not _is_hard(r)), default=0.0)

    def violation(self, pose: Rigid) -> float:
        return max((r.worst(pose)[0] for r in self._rows if _is_hard(r)), default=0.0)

    def cleared(self, pose: Rigid) -> Rigid:
        """Return a pose at which all hard rows hold."""
        for _ in range(_OUTER):
            violated = self.violation(pose)
            if violated <= 1e-12:
                return pose
            step, _ = self._step(pose, 4 * violated, soft=True)
            tried = self._moved(pose, step)
            if self.violation(tried) > violated - 1e-13:
                break
            pose = tried
        if self.violation(pose) > 1e-9:
            raise EvaluationError(_violated(self.violation(pose)))
        return pose

    def solve(self, pose: Rigid) -> SmallestZone:
        level, bound, turn = self.level(pose), 0.0, 0
        for turn in range(1, _OUTER + 1):  # noqa: B007
            bound = bound or 4 * max(abs(level), self._spread(pose), 1e-6)
            step, promised = self._step(pose, bound, soft=False)
            gain = level - promised
            if gain < 2 * self._fine:
                break
            tried = self._moved(pose, step)
            there = self.level(tried)
            if there < level and self.violation(tried) < 1e-9:
                if level - there < 0.25 * gain:
                    bound = float(np.abs(step).max()) / 2
                pose, level = tried, there
            else:
                bound = float(np.abs(step).max()) / 4
            if bound < 1e-12:
                break
        return SmallestZone(pose, level, turn)

    def _spread(self, pose: Rigid) -> float:
        return max((r.worst(pose)[0] for r in self._rows), default=0.0)

    def _moved(self, pose: Rigid, step: Floats) -> Rigid:
        return np.asarray(twist_motion(self._basis @ step, self._about) @ pose)

    def _step(self, pose: Rigid, bound: float, *, soft: bool) -> tuple[Floats, float]:
        """Solve the linearised problem; with `soft` only for the hard rows, whose violation is made small."""
        values, slopes, counts = [], [], []
        rounds: list[tuple[RoundRows, Matrix, Matrix]] = []
        for row in self._rows:
            if _is_hard(row) != soft and (soft or not _is_hard(row)):
                continue
            if isinstance(row, SurfaceRows):
                linear = row.linear(pose, self._about)
                values.append(linear.values)
                slopes.append(linear.slopes @ self._basis)
                counts.append(np.full(len(linear.values), 0.0 if row.hard and not soft else 1.0))
            else:
                v, dv = row.vectors(pose, self._about)
                rounds.append((row, v, np.asarray(dv @ self._basis)))
        for row, v, dv in rounds:
            for u in _first_cuts(v):
                values.append(row.scale * (v * u).sum(axis=1) - row.allowance)
                slopes.append(row.scale * np.einsum("mdk,md->mk", dv, u))
                counts.append(np.ones(len(v)))
        f, jacobian, share = np.concatenate(values), np.vstack(slopes), np.concatenate(counts)
        x, promised = np.zeros(self.size), np.inf
        fine = max(self._fine, 4e-10 * bound)  # the programmes themselves are no finer than that
        for _ in range(_CUTS):
            status, x, promised, *_ = exchange(f, np.ascontiguousarray(jacobian), _ONE_SIDE, bound, share)
            if status == 1:  # exact symmetry leaves the exchange a vertex without a place
                x, promised = _by_simplex(f, jacobian, bound, share)
            new = _missed(rounds, x, float(promised) + fine)
            if new is None:
                break
            f, jacobian = np.concatenate([f, new[0]]), np.vstack([jacobian, new[1]])
            share = np.concatenate([share, np.ones(len(new[0]))])
        return x, float(promised)


def _by_simplex(f: Floats, jacobian: Matrix, bound: float, share: Floats) -> tuple[Floats, float]:
    """Solve the linearised problem by a library: slower, and never stuck.

    Raises
    ------
    EvaluationError
        The bounds of hard rows contradict each other.
    """
    from scipy.optimize import linprog

    count = jacobian.shape[1]
    found = linprog(
        np.append(np.zeros(count), 1.0), A_ub=np.column_stack([jacobian, -share]), b_ub=-f,
        bounds=[(-bound, bound)] * count + [(None, None)], method="highs",
    )  # fmt: skip
    if found.x is None:
        raise EvaluationError("the points do not determine how the zone lies")
    return np.asarray(found.x[:count]), float(found.x[count])


def _first_cuts(v: Matrix) -> list[Matrix]:
    """Return directions (m, d) of tangent planes to begin with: all around, and where the points lie now."""
    size = np.linalg.norm(v, axis=1, keepdims=True)
    toward = np.where(size > 0, v / np.maximum(size, 1e-300), np.eye(v.shape[1])[0])
    if v.shape[1] == 2:
        fixed = [np.array([np.cos(a), np.sin(a)]) for a in _AROUND]
    else:
        fixed = [sign * axis for axis in np.eye(v.shape[1]) for sign in (1.0, -1.0)]
    return [toward, *(np.broadcast_to(u, v.shape) for u in fixed)]


def _missed(rounds: list[tuple[RoundRows, Matrix, Matrix]], x: Floats, level: float) -> tuple[Floats, Matrix] | None:
    """Return tangent planes for the round rows that reach over the level after the step x."""
    values, slopes = [], []
    for row, v, dv in rounds:
        there = v + dv @ x
        size = np.linalg.norm(there, axis=1)
        over = np.flatnonzero(row.scale * size - row.allowance > level)
        if len(over):
            u = there[over] / size[over, None]
            values.append(row.scale * (v[over] * u).sum(axis=1) - row.allowance)
            slopes.append(row.scale * np.einsum("mdk,md->mk", dv[over], u))
    return (np.concatenate(values), np.vstack(slopes)) if values else None
