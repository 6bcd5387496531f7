"""Putting a measured section onto its nominal one: turned and shifted in its plane, within limits, as wanted."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

import numpy as np
from numba import njit

from truegauge.core.blades.profile import read_at
from truegauge.core.errors import EvaluationError

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats
    from truegauge.core.blades.profile import Profile

Criterion = Literal["least squares", "minimax"]
_TURNS = 60
_FIRST = 0.01  # of the extent, that the first step to the smallest largest distance goes at most
_SETTLED = 1e-11  # of the extent
_HELD = 1e-4  # of the best held motion, that one is held by at least
_FEET = 12  # Newton steps to it


@dataclass(frozen=True, slots=True, eq=False)
class Freedom:
    """What the fit may do: shift along directions (k, 2) of unit length (k from 0 to 2), turn or not, about a pivot.

    Without a pivot it turns about the middle of the points. Limits are mm and rad; None: no limit.
    """

    shifts: Floats
    turns: bool = True
    pivot: Floats | None = None
    shift_limit: float | None = None
    turn_limit: float | None = None

    @staticmethod
    def full() -> Freedom:
        """Return a fit that may do anything."""
        return Freedom(np.eye(2))


@dataclass(frozen=True, slots=True, eq=False)
class SectionFit:
    """A motion of measured points: turned by `turn` (rad, to the left) about `pivot` (2,), then shifted by (2,) mm.

    `before` and `after` (n,) are the signed distances, positive outside; `limited` tells whether a limit held it back.
    """

    shift: Floats
    turn: float
    pivot: Floats
    before: Floats
    after: Floats
    limited: bool
    undetermined: tuple[str, ...]

    @property
    def matrix(self) -> Floats:
        """The motion as a matrix (3, 3): nominal_from_measured."""
        made = np.eye(3)
        c, s = np.cos(self.turn), np.sin(self.turn)
        made[:2, :2] = [[c, -s], [s, c]]
        made[:2, 2] = self.pivot + self.shift - made[:2, :2] @ self.pivot
        return made

    def moved(self, points: Floats) -> Floats:
        """Return points (n, 2) where the fit puts them."""
        return np.asarray(points @ self.matrix[:2, :2].T + self.matrix[:2, 2])


@dataclass(frozen=True, slots=True, eq=False)
class Feet:
    """Where points (n, 2) are nearest to a profile: parameters (n,), signed distances (n,) mm, normals (n, 2) out."""

    s: Floats
    distance: Floats
    outward: Floats


def feet_on(profile: Profile, points: Floats, near: Floats | None = None) -> Feet:
    """Return the nearest places on a profile; `near` (n,) are parameters to begin at."""
    s, tree = profile.tree
    s = s[tree.query(points, workers=2)[1]] if near is None else near.copy()
    distance, outward = np.empty(len(s)), np.empty((len(s), 2))
    corners = profile.corners
    _to_feet(*profile.pieces, corners, profile.at(corners), np.ascontiguousarray(points), s, distance, outward)
    return Feet(s, distance, outward)


@njit(cache=True, nogil=True)
def _to_feet(coefficients, ends, corners, places, points, s, distance, outward):  # type: ignore[no-untyped-def]
    """Move parameters (n,) to where points (n, 2) lie square to the curve, by Newton's method, or to a corner.

    Of a corner, one of some parameters (m,) and places (m, 2), it is off straight away if that is nearer.
    """
    made, length = np.empty((3, 2)), ends[-1]
    for i in range(len(s)):
        at, px, py = s[i], points[i, 0], points[i, 1]
        for _ in range(_FEET):
            read_at(coefficients, ends, at, made)
            dx, dy = made[1, 0], made[1, 1]
            speed = np.hypot(dx, dy)
            x, y = px - made[0, 0], py - made[0, 1]
            along, inside = (x * dx + y * dy) / speed, (y * dx - x * dy) / speed
            bend = 1.0 - (dx * made[2, 1] - dy * made[2, 0]) / speed**3 * inside
            # Beyond the centre of curvature the step would go the other way: there it is a plain one.
            step = along / speed / (bend if bend > 0.1 else 1.0)
            at += min(max(step, -0.02 * length), 0.02 * length)
            if abs(step) < 1e-13 * length:
                break
        read_at(coefficients, ends, at, made)
        x, y, speed = px - made[0, 0], py - made[0, 1], np.hypot(made[1, 0], made[1, 1])
        outward[i, 0], outward[i, 1] = made[1, 1] / speed, -made[1, 0] / speed
        distance[i] = x * outward[i, 0] + y * outward[i, 1]
        straight = np.hypot(x, y)
        for k in range(len(corners)):
            x, y = px - places[k, 0], py - places[k, 1]
            far = np.hypot(x, y)
            if 0.0 < far < straight:  # nearer than any place that it lies square to: off the corner itself
                at, straight, distance[i] = corners[k], far, far
                outward[i, 0], outward[i, 1] = x / far, y / far
        s[i] = at % length


def fit_section(
    nominal: Profile, points: Floats, freedom: Freedom | None = None, criterion: Criterion = "least squares",
    weights: Floats | None = None,
) -> SectionFit:  # fmt: skip
    """Put points of a measured section onto a nominal one.

    Parameters
    ----------
    points : (n, 2) float64
        mm, in the plane.
    weights : (n,), optional
        How much each counts: its square is multiplied by it, or its distance for the smallest largest one.

    Raises
    ------
    EvaluationError
        Too few points, or none that counts.
    """
    freedom = freedom or Freedom.full()
    w = np.ones(len(points)) if weights is None else np.asarray(weights, dtype=np.float64)
    if np.count_nonzero(w) < 4:
        raise EvaluationError(f"{np.count_nonzero(w)} points are too few to put a section onto its nominal")
    extent = float(np.ptp(points, axis=0).max())
    pivot = points.mean(axis=0) if freedom.pivot is None else np.asarray(freedom.pivot, dtype=np.float64)
    before = feet_on(nominal, points).distance
    limited, open_ways = False, _open_at(nominal, points, pivot, freedom, w, extent)
    scale = np.append(np.ones(len(freedom.shifts)), [extent / 2] * freedom.turns)
    x, task = np.zeros(len(scale)), _Task(nominal, points, pivot, freedom, w, scale, extent)
    if len(x):
        x = task.descended(x, "least squares", np.inf)
        if criterion == "minimax":
            x = task.descended(x, criterion, _FIRST * extent)
    if len(x):
        low, high = _bounds(x, freedom)
        limited = bool(np.any(np.minimum(np.abs(low), np.abs(high)) < 1e-12))
    made = _motion(x, freedom, pivot)
    after = feet_on(nominal, made.moved(points)).distance
    return SectionFit(made.shift, made.turn, pivot, before, after, limited, open_ways)


@dataclass(frozen=True, slots=True, eq=False)
class _Task:
    """What is fitted; `scale` is how far a motion of 1 moves the points."""

    nominal: Profile
    points: Floats
    pivot: Floats
    freedom: Freedom
    w: Floats
    scale: Floats
    extent: float

    def descended(self, x: Floats, criterion: Criterion, trust: float) -> Floats:
        """Return the motion with the smallest worth, from one on; steps are `trust` mm long at most, to begin with."""
        feet = feet_on(self.nominal, _motion(x, self.freedom, self.pivot).moved(self.points))
        worth = _worth(feet.distance, self.w, criterion)
        for _ in range(_TURNS):
            made = _motion(x, self.freedom, self.pivot)
            jacobian = _jacobian(feet, made.moved(self.points), made, self.freedom)
            low, high = _bounds(x, self.freedom)
            low, high = np.maximum(low, -trust / self.scale), np.minimum(high, trust / self.scale)
            step = _step(jacobian, feet.distance, self.w, low, high, criterion)
            there = feet_on(self.nominal, _motion(x + step, self.freedom, self.pivot).moved(self.points))
            now, long = _worth(there.distance, self.w, criterion), float(np.abs(step * self.scale).max())
            if now <= worth:
                settled = worth - now <= 1e-14 * worth
                x, feet, worth = x + step, there, now
            else:  # farther than the straight picture of it holds
                trust, settled = long / 4.0, False
            if long < _SETTLED * self.extent or settled:
                break
        return x


def _motion(x: Floats, freedom: Freedom, pivot: Floats) -> SectionFit:
    nothing = np.zeros(0)
    many = len(freedom.shifts)
    shift = x[:many] @ freedom.shifts if many else np.zeros(2)
    return SectionFit(np.asarray(shift), float(x[many]) if freedom.turns else 0.0, pivot, nothing, nothing, False, ())


def _jacobian(feet: Feet, moved: Floats, fit: SectionFit, freedom: Freedom) -> Floats:
    columns = [feet.outward @ way for way in freedom.shifts]
    if freedom.turns:
        arm = moved - fit.pivot - fit.shift
        columns.append(feet.outward[:, 1] * arm[:, 0] - feet.outward[:, 0] * arm[:, 1])
    return np.column_stack(columns) if columns else np.zeros((len(moved), 0))


def motion_columns(nominal: Profile, s: Floats, pivot: Floats, freedom: Freedom) -> Floats:
    """Return how much (n, k) distances at parameters (n,) of a profile grow with each motion that is free."""
    made = _motion(np.zeros(len(freedom.shifts) + freedom.turns), freedom, pivot)
    return _jacobian(Feet(s, np.zeros(len(s)), -nominal.inward(s)), nominal.at(s), made, freedom)


def _worth(distance: Floats, w: Floats, criterion: Criterion) -> float:
    return float((w * np.abs(distance)).max()) if criterion == "minimax" else float((w * np.square(distance)).sum())


def _open_at(
    nominal: Profile, points: Floats, pivot: Floats, freedom: Freedom, w: Floats, extent: float
) -> tuple[str, ...]:
    start = _motion(np.zeros(len(freedom.shifts) + freedom.turns), freedom, pivot)
    return _open(_jacobian(feet_on(nominal, points), points, start, freedom), w, freedom, extent)


def _open(jacobian: Floats, w: Floats, freedom: Freedom, extent: float) -> tuple[str, ...]:
    """Say which motions the points do not determine."""
    if not jacobian.shape[1]:
        return ()
    scale = np.append(np.ones(len(freedom.shifts)), [extent / 2] * freedom.turns)
    _, values, ways = np.linalg.svd(np.sqrt(w)[:, None] * jacobian / scale, full_matrices=False)
    made = []
    for value, way in zip(values, ways, strict=True):
        if value < _HELD * max(values[0], np.sqrt(w.sum()) * 1e-6):
            share = np.abs(way)
            turning = freedom.turns and share[-1] > 0.5
            made.append("the turn" if turning else "the shift")
    return tuple(dict.fromkeys(made))


def _bounds(x: Floats, freedom: Freedom) -> tuple[Floats, Floats]:
    """Return how much lower and higher each parameter may go."""
    limits = np.append(
        np.full(len(freedom.shifts), np.inf if freedom.shift_limit is None else freedom.shift_limit),
        [np.inf if freedom.turn_limit is None else freedom.turn_limit] * freedom.turns,
    )
    return -limits - x, limits - x


def _step(jacobian: Floats, distance: Floats, w: Floats, low: Floats, high: Floats, criterion: Criterion) -> Floats:
    if criterion == "minimax":
        return minimax_step(jacobian, distance, w, low, high)
    root = np.sqrt(w)
    if np.isfinite(low).any():
        from scipy.optimize import lsq_linear

        inside = np.minimum(low, -1e-15), np.maximum(high, 1e-15)
        return np.asarray(lsq_linear(root[:, None] * jacobian, -root * distance, inside, method="bvls").x)
    return np.asarray(np.linalg.lstsq(root[:, None] * jacobian, -root * distance, rcond=1e-10)[0])


def minimax_step(jacobian: Floats, distance: Floats, w: Floats, low: Floats, high: Floats) -> Floats:
    """Return the motion (k,) within bounds that makes the largest weighted distance (n,) smallest, in its first order.

    Raises
    ------
    EvaluationError
        There is none.
    """
    from scipy.optimize import linprog

    many = jacobian.shape[1]
    own = w > 0
    a, d = w[own, None] * jacobian[own], w[own] * distance[own]
    rows = np.vstack([np.column_stack([a, -np.ones(len(a))]), np.column_stack([-a, -np.ones(len(a))])])
    bounds = list(zip(low, high, strict=True))
    solved = linprog(np.append(np.zeros(many), 1.0), rows, np.append(-d, d), bounds=[*bounds, (0, None)],
                     method="highs", options={"primal_feasibility_tolerance": 1e-10,
                                              "dual_feasibility_tolerance": 1e-10})  # fmt: skip
    if solved.x is None:
        raise EvaluationError("the section cannot be put onto its nominal within the limits")
    return np.asarray(solved.x[:many])
