"""A smooth surface through heights of which some do not belong to it: a robust spline filter of a surface.

Bicubic B-splines with a penalty of how the curvature changes: long waves are followed, short ones not, and at the given
wavelength half of the height is. What is left over is fitted once more (Tukey's twicing), so that a long wave is
followed at a border too. A surface of constant curvature costs nothing, so that it is followed up to a border,
where a penalty of the curvature itself (ISO 16610-62) would lift it off. Heights that are far off get no weight (as in
ISO 16610-32), so that it spans over a dent as a lath would.
Eilers and Marx, Flexible smoothing with B-splines and penalties (1996); Wahba, Bayesian confidence intervals (1983).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
from numba import njit, prange

if TYPE_CHECKING:
    from collections.abc import Callable

    from truegauge.core.arrays import Floats, Mask

_KNOTS = 7.0  # a wavelength: half of what is followed is far below what they can bend
_TWICE = (np.sqrt(2.0) - 1.0) ** (-1 / 6)  # the second fit follows more: a longer wavelength makes up for it
_MOST = 60_000  # coefficients
_TURNS = 12
_TUKEY = 4.685  # robust scales beyond which a height has no weight
_CHUNK = 8192
_AT_ONCE = 64  # places: of more at once the splines of a long surface would take gigabytes
_SETTLED = 1e-3  # of the robust scale


@dataclass(frozen=True, slots=True, eq=False)
class SmoothSurface:
    """Heights over a plane. `scatter` (mm) is the robust scale of what was left over, of cells of the size fitted."""

    low: Floats
    step: Floats  # (2,) mm between knots
    coefficients: Floats  # (rows, columns)
    is_closed: bool
    scatter: float
    spread_of: Callable[[Floats], Floats]

    def heights(self, at: Floats) -> tuple[Floats, Floats]:
        """Return heights (n,) mm and slopes (n, 2) at places (n, 2) mm."""
        z, slope = np.zeros(len(at)), np.zeros((len(at), 2))
        _evaluate(np.ascontiguousarray(at), self.low, self.step, self.coefficients, self.is_closed, z, slope)
        return z, slope

    def spread(self, at: Floats) -> Floats:
        """Return how far (n,) the surface may be off at places (n, 2), in units of the noise of a height for 1 mm2.

        A confidence that contains what the surface does not follow.
        """
        return self.spread_of(at)


def fit_smooth(
    at: Floats, height: Floats, area: Floats, wavelength: float, *, out: Mask | None = None, period: float = 0.0,
    least: float = 0.0,
) -> SmoothSurface:  # fmt: skip
    """Fit a smooth surface once; see `SmoothTask`."""
    return SmoothTask.of(at, height, area, wavelength, period).fitted(out=out, least=least)


@dataclass(frozen=True, slots=True, eq=False)
class SmoothTask:
    """Heights (n,) mm at places (n, 2) mm, each standing for some area (n,) mm2, to be fitted."""

    at: Floats
    height: Floats
    area: Floats
    low: Floats
    step: Floats
    shape: tuple[int, int]
    is_closed: bool
    penalty: Any
    middle: float

    @staticmethod
    def of(at: Floats, height: Floats, area: Floats, wavelength: float, period: float = 0.0) -> SmoothTask:
        """Prepare to fit.

        Parameters
        ----------
        wavelength : float
            mm, of which half of the height is followed.
        period : float
            How far it is around in the first length where it is closed there, else 0.

        Raises
        ------
        ValueError
            Fewer than ten heights, or a wavelength so short that there are more coefficients than can be solved for.
        """
        if len(height) < 10:
            raise ValueError(f"{len(height)} places are too few for a surface")
        low, high = at.min(axis=0), at.max(axis=0)
        step = np.full(2, wavelength / _KNOTS)
        if period > 0:
            columns = max(8, int(np.ceil(period / step[0])))
            step[0], low = period / columns, np.array([0.0, low[1]])
        else:
            columns = int(np.ceil((high[0] - low[0]) / step[0] + 1e-9)) + 3
        rows = int(np.ceil((high[1] - low[1]) / step[1] + 1e-9)) + 3
        if rows * columns > _MOST:
            raise ValueError(f"a wavelength of {wavelength:g} mm is too short for an area so large")
        penalty = _unevenness(rows, columns, step, closed=period > 0) * (_TWICE * wavelength / (2 * np.pi)) ** 6
        middle = float(np.median(height))
        at = np.ascontiguousarray(at)
        return SmoothTask(at, height - middle, area, low, step, (rows, columns), period > 0, penalty, middle)

    def fitted(self, *, out: Mask | None = None, least: float = 0.0) -> SmoothSurface:
        """Fit.

        Parameters
        ----------
        out : (n,) bool, optional
            Heights that are known not to belong to it. Without it is found out which do not, else these count only.
        least : float
            mm that a height has to be off before it loses all its weight, however little the others scatter.
        """
        weights = np.ones(len(self.height)) if out is None else (~out).astype(np.float64)
        solve, found, scatter = self.solved(weights)
        for _ in range(0 if out is not None else _TURNS):
            off = (self.height - self.heights(found)) / max(_TUKEY * scatter, least, 1e-9)
            weights = np.square(np.clip(1.0 - np.square(off), 0.0, None))
            before = found
            solve, found, scatter = self.solved(weights)
            if np.abs(found - before).max() < max(_SETTLED * scatter, 1e-9):
                break
        low, step, shape, closed = self.low, self.step, self.shape, self.is_closed

        def spread_of(places: Floats) -> Floats:
            squares = np.empty(len(places))
            for first in range(0, len(places), _AT_ONCE):
                b = _rows_of(places[first : first + _AT_ONCE], low, step, shape, closed=closed)
                squares[first : first + _AT_ONCE] = np.einsum("ij,ji->i", b, solve(b.T))
            return np.sqrt(np.maximum(squares, 0.0))

        return SmoothSurface(low, step, (found + self.middle).reshape(shape), closed, scatter, spread_of)

    def solved(self, weights: Floats) -> tuple[Callable[[Floats], Floats], Floats, float]:
        """Return what solves for other right sides, the coefficients, and the robust scale of what is left over."""
        from scipy.sparse import coo_matrix
        from scipy.sparse.linalg import splu

        rows, columns = self.shape
        normal, right = np.zeros((rows, columns, 4, 7)), np.zeros(rows * columns)
        _normal(self.at, self.height, weights * self.area, self.low, self.step, self.is_closed, normal, right)
        i, j, di, dj = np.nonzero(normal)
        values = normal[i, j, di, dj]
        other = (j + dj - 3) % columns
        first, second = i * columns + j, (i + di) * columns + other
        half = coo_matrix((values, (first, second)), shape=self.penalty.shape).tocsc()
        diagonal = half.diagonal()
        whole = half + half.T + self.penalty
        whole.setdiag(whole.diagonal() - diagonal)
        solver = splu(whole.tocsc(), permc_spec="MMD_AT_PLUS_A", options={"SymmetricMode": True})
        found = solver.solve(right)
        again = np.zeros(rows * columns)
        _right_side(self.at, self.height - self.heights(found), weights * self.area, self.low, self.step, self.shape,
                    self.is_closed, again)  # fmt: skip
        found = found + solver.solve(again)
        off = np.abs(self.height - self.heights(found))[weights > 0]
        return solver.solve, found, 1.4826 * float(np.median(off)) if len(off) else 0.0

    def heights(self, found: Floats) -> Floats:
        """Return heights (n,) by coefficients."""
        z, slope = np.zeros(len(self.at)), np.zeros((len(self.at), 2))
        _evaluate(self.at, self.low, self.step, found.reshape(self.shape), self.is_closed, z, slope)
        return z


def _unevenness(rows: int, columns: int, step: Floats, *, closed: bool) -> Any:
    """Return the matrix of the integral of z_uuu^2 + 3 z_uuv^2 + 3 z_uvv^2 + z_vvv^2 of coefficients."""
    from scipy.sparse import kron

    u, v = _products(columns, step[0], closed=closed), _products(rows, step[1], closed=False)
    return (kron(v[0], u[3]) + 3 * kron(v[1], u[2]) + 3 * kron(v[2], u[1]) + kron(v[3], u[0])).tocsc()


def _products(count: int, step: float, *, closed: bool) -> list[Any]:
    """Return the integrals of products of B-splines, of their first, second and third derivatives."""
    from scipy.sparse import coo_matrix

    nodes, shares = np.polynomial.legendre.leggauss(4)
    t, shares = (nodes + 1) / 2, shares / 2
    values = [np.array([_basis(x, d) for x in t]) for d in range(4)]  # (4 nodes, 4 splines)
    local = [np.einsum("k,ki,kj->ij", shares, b, b) * step ** (1 - 2 * d) for d, b in enumerate(values)]
    spans = np.arange(count if closed else count - 3)
    own = (spans[:, None] + np.arange(4)) % count
    rows, columns = np.repeat(own, 4, axis=1).ravel(), np.tile(own, 4).ravel()
    return [coo_matrix((np.tile(m.ravel(), len(spans)), (rows, columns)), shape=(count, count)).tocsc() for m in local]


def _basis(t: Any, derivative: int) -> list[Any]:
    """Return the four cubic B-splines of a span at 0 <= t <= 1, or their derivatives."""
    s = 1 - t
    if derivative == 0:
        return [s**3 / 6, (3 * t**3 - 6 * t**2 + 4) / 6, (3 * s**3 - 6 * s**2 + 4) / 6, t**3 / 6]
    if derivative == 1:
        return [-(s**2) / 2, (3 * t**2 - 4 * t) / 2, (4 * s - 3 * s**2) / 2, t**2 / 2]
    return [s, 3 * t - 2, 3 * s - 2, t] if derivative == 2 else [-1.0, 3.0, -3.0, 1.0]


def _rows_of(at: Floats, low: Floats, step: Floats, shape: tuple[int, int], *, closed: bool) -> Floats:
    """Return the values (n, coefficients) of all splines at places (n, 2)."""
    rows, columns = shape
    u, v = ((at - low) / step).T
    j = np.floor(u) if closed else np.clip(np.floor(u), 0, columns - 4)
    i = np.clip(np.floor(v), 0, rows - 4)
    bu, bv = np.array(_basis(u - j, 0)), np.array(_basis(v - i, 0))
    made, every = np.zeros((len(at), rows * columns)), np.arange(len(at))
    for a in range(4):
        for b in range(4):
            made[every, (i.astype(np.int64) + a) * columns + (j.astype(np.int64) + b) % columns] = bv[a] * bu[b]
    return made


@njit(cache=True, nogil=True)
def _four(t, b, d):  # type: ignore[no-untyped-def]
    s = 1.0 - t
    b[0], b[1] = s * s * s / 6.0, (3.0 * t * t * t - 6.0 * t * t + 4.0) / 6.0
    b[2], b[3] = (3.0 * s * s * s - 6.0 * s * s + 4.0) / 6.0, t * t * t / 6.0
    d[0], d[1] = -s * s / 2.0, (3.0 * t * t - 4.0 * t) / 2.0
    d[2], d[3] = (4.0 * s - 3.0 * s * s) / 2.0, t * t / 2.0


@njit(cache=True, nogil=True)
def _span(at, low, step, columns, rows, closed):  # type: ignore[no-untyped-def]
    """Return the spans of a place, and where in them it lies; beyond the ends the last span goes on."""
    su, sv = (at[0] - low[0]) / step[0], (at[1] - low[1]) / step[1]
    j = int(np.floor(su)) if closed else min(max(int(np.floor(su)), 0), columns - 4)
    i = min(max(int(np.floor(sv)), 0), rows - 4)
    return j, i, su - j, sv - i


@njit(cache=True, nogil=True, parallel=True)
def _evaluate(at, low, step, coefficients, closed, z, slope):  # type: ignore[no-untyped-def]
    for c in prange((len(at) + _CHUNK - 1) // _CHUNK):
        _evaluate_some(at, low, step, coefficients, closed, z, slope, c * _CHUNK, min(len(at), (c + 1) * _CHUNK))


@njit(cache=True, nogil=True)
def _evaluate_some(at, low, step, coefficients, closed, z, slope, first, last):  # type: ignore[no-untyped-def]
    rows, columns = coefficients.shape
    bu, du, bv, dv = np.empty(4), np.empty(4), np.empty(4), np.empty(4)
    for k in range(first, last):
        j, i, t, s = _span(at[k], low, step, columns, rows, closed)
        _four(t, bu, du)
        _four(s, bv, dv)
        value, along_u, along_v = 0.0, 0.0, 0.0
        for a in range(4):
            line, line_du = 0.0, 0.0
            for b in range(4):
                c = coefficients[i + a, (j + b) % columns]
                line += bu[b] * c
                line_du += du[b] * c
            value += bv[a] * line
            along_u += bv[a] * line_du
            along_v += dv[a] * line
        z[k] = value
        slope[k, 0], slope[k, 1] = along_u / step[0], along_v / step[1]


@njit(cache=True, nogil=True)
def _normal(at, height, weight, low, step, closed, normal, right):  # type: ignore[no-untyped-def]
    """Add up the upper half of the normal matrix, by (row, column, rows on, columns on + 3), and the right side."""
    rows, columns = normal.shape[0], normal.shape[1]
    bu, bv, unused = np.empty(4), np.empty(4), np.empty(4)
    for k in range(len(at)):
        w = weight[k]
        if w <= 0.0:
            continue
        j, i, t, s = _span(at[k], low, step, columns, rows, closed)
        _four(t, bu, unused)
        _four(s, bv, unused)
        for a in range(4):
            for b in range(4):
                own = w * bv[a] * bu[b]
                column = (j + b) % columns
                right[(i + a) * columns + column] += own * height[k]
                for c in range(a, 4):
                    for d in range(4):
                        if c == a and d < b:
                            continue
                        normal[i + a, column, c - a, d - b + 3] += own * bv[c] * bu[d]


@njit(cache=True, nogil=True)
def _right_side(at, height, weight, low, step, shape, closed, right):  # type: ignore[no-untyped-def]
    rows, columns = shape
    bu, bv, unused = np.empty(4), np.empty(4), np.empty(4)
    for k in range(len(at)):
        w = weight[k] * height[k]
        if w == 0.0:
            continue
        j, i, t, s = _span(at[k], low, step, columns, rows, closed)
        _four(t, bu, unused)
        _four(s, bv, unused)
        for a in range(4):
            for b in range(4):
                right[(i + a) * columns + (j + b) % columns] += w * bv[a] * bu[b]
