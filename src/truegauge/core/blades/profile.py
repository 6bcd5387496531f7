"""The closed curve of a section in its plane: smooth between its points, with tangents and curvature everywhere."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from numba import njit

from truegauge.core.errors import EvaluationError

if TYPE_CHECKING:
    from scipy.interpolate import PPoly
    from scipy.spatial import cKDTree

    from truegauge.core.arrays import Floats, Mask

_GAUSS = np.polynomial.legendre.leggauss(6)  # exact for what a cubic's area is made of
_LEAST = 12  # points of a closed curve
_IDEAL = (0.05, 0.45, 0.45, 0.05)  # shares of four cubics that make one of sixth order
_SMOOTH = 0.02  # of how rough they are in the mean, below which it makes no difference
CORNER = 0.7  # rad that the curve turns at a point, from which that is a corner
_DENSE = 4_000  # places among which the nearest is looked for
_GAP = 12.0  # times the usual distance of two points beside each other, from which the curve is open there


@dataclass(frozen=True, eq=False)
class Profile:
    """Counter-clockwise, by the length of its chords: `curve` gives places (n, 2) mm of parameters, 0 to `length`."""

    curve: PPoly
    knots: Floats  # (n,) parameters of the points it goes through
    length: float
    corners: Floats  # (k,) parameters of points where it turns at once

    @staticmethod
    def through(points: Floats, corners: Mask | None = None) -> Profile:
        """Return the curve through points (n, 2) mm that follow each other around it.

        It turns at once at those that are `corners` (n,), and wherever else sides and chords do.

        Raises
        ------
        EvaluationError
            Too few points, a gap, or a curve that crosses itself.
        """
        points = np.asarray(points, dtype=np.float64)
        corners = np.zeros(len(points), dtype=bool) if corners is None else corners
        apart = np.append(True, np.any(np.diff(points, axis=0) != 0, axis=1))
        points, corners = points[apart], corners[apart]
        if len(points) > 1 and np.array_equal(points[0], points[-1]):
            points, corners = points[:-1], corners[:-1]
        if len(points) < _LEAST:
            raise EvaluationError(f"{len(points)} points are too few for a section: {_LEAST} are the least")
        steps = np.linalg.norm(np.roll(points, -1, axis=0) - points, axis=1)
        widest = int(np.argmax(steps))
        if steps[widest] > _GAP * float(np.median(steps)):
            x, y = points[widest]
            raise EvaluationError(f"the section is open: {steps[widest]:.3g} mm are missing beside ({x:.3f}, {y:.3f})")
        if _area(points) < 0:
            points, corners = points[::-1], corners[::-1]
            steps = np.linalg.norm(np.roll(points, -1, axis=0) - points, axis=1)
        knots = np.append(0.0, np.cumsum(steps))
        before, after = _slopes(points, steps, corners)
        turning = knots[:-1][np.any(before != after, axis=1)]
        made = Profile(_pieces(points, knots, before, after), knots[:-1], float(knots[-1]), turning)
        turned = float(np.sum(made._turns()))
        if abs(turned - 2 * np.pi) > 0.5:
            raise EvaluationError("the section crosses itself: its points do not follow each other around it")
        return made

    def _turns(self) -> Floats:
        t = self.tangent(self.knots)
        a, b = t, np.roll(t, -1, axis=0)
        return np.asarray(np.arctan2(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0], np.einsum("ij,ij->i", a, b)))

    def at(self, s: Floats) -> Floats:
        """Return places (n, 2) mm of parameters (n,), which go around and around."""
        return self._read(s)[0]

    def _read(self, s: Floats) -> tuple[Floats, Floats, Floats]:
        """Return places, first and second derivatives (n, 2) at parameters (n,)."""
        made = np.empty((3, len(s), 2))
        _evaluate(*self.pieces, np.asarray(s, dtype=np.float64), made)
        return made[0], made[1], made[2]

    @cached_property
    def pieces(self) -> tuple[Floats, Floats]:
        """The cubics (4, n, 2) and the parameters (n + 1,) that they go between, as compiled code takes them."""
        return np.ascontiguousarray(self.curve.c), np.ascontiguousarray(self.curve.x)

    @cached_property
    def turning(self) -> Floats:
        """By how much, rad, it turns between each point and the next (n,), as an amount."""
        return np.asarray(np.abs(self._turns()), dtype=np.float64)

    @cached_property
    def _ends(self) -> Floats:
        return np.append(self.knots, self.length)

    @cached_property
    def _shares(self) -> Floats:
        """The way around at each point and at the end (n + 1,), by length and by how much it turns, half and half."""
        own = np.diff(self._ends) / self.length + self.turning / self.turning.sum()
        return np.asarray(np.append(0.0, np.cumsum(own)) / own.sum())

    def places(self, count: int) -> Floats:
        """Return parameters (count,) spread by the length of the curve and by how much it turns, half and half."""
        return np.asarray(np.interp(np.linspace(0.0, 1.0, count, endpoint=False), self._shares, self._ends))

    @cached_property
    def tree(self) -> tuple[Floats, cKDTree]:
        """Parameters of many places, and what finds the nearest of them."""
        from scipy.spatial import cKDTree

        s = self.places(_DENSE)
        return s, cKDTree(self.at(s))

    def share(self, s: Floats) -> Floats:
        """Return the way around (n,), from 0 to 1, that parameters (n,) are at: by length and turning, as `places`."""
        return np.asarray(np.interp(np.mod(s, self.length), self._ends, self._shares))

    def frame(self, s: Floats) -> tuple[Floats, Floats, Floats, Floats]:
        """Return places (n, 2), directions (n, 2), speeds (n,) and curvatures (n,) at parameters (n,), read once."""
        p, d, dd = self._read(s)
        speed = np.hypot(d[:, 0], d[:, 1])
        return p, d / speed[:, None], speed, (d[:, 0] * dd[:, 1] - d[:, 1] * dd[:, 0]) / speed**3

    def speed(self, s: Floats) -> Floats:
        """Return how far (n,) the curve goes on by its parameter: about 1."""
        d = self._read(s)[1]
        return np.asarray(np.hypot(d[:, 0], d[:, 1]))

    def tangent(self, s: Floats) -> Floats:
        """Return the directions (n, 2) in which the curve goes on."""
        d = self._read(s)[1]
        return np.asarray(d / np.hypot(d[:, 0], d[:, 1])[:, None])

    def inward(self, s: Floats) -> Floats:
        """Return the normals (n, 2) into the section."""
        t = self.tangent(s)
        return np.stack([-t[..., 1], t[..., 0]], axis=-1)

    def curvature(self, s: Floats) -> Floats:
        """Return the curvature (n,), 1/mm, positive where the section bulges out."""
        _, d, dd = self._read(s)
        return np.asarray((d[:, 0] * dd[:, 1] - d[:, 1] * dd[:, 0]) / np.hypot(d[:, 0], d[:, 1]) ** 3)

    def unevenness(self, s: Floats) -> Floats:
        """Return how far (n,) the curvature changes in the piece between two points that each is in, times its length.

        It is about eight times as much as nothing tells, rad, which way the curve goes there.
        """
        ends = np.append(self.knots, self.length)
        k = np.clip(np.searchsorted(ends, np.mod(s, self.length), side="right") - 1, 0, len(self.knots) - 1)
        long = ends[k + 1] - ends[k]
        change = self.curvature(ends[k + 1] - 1e-9 * long) - self.curvature(ends[k] + 1e-9 * long)
        return np.asarray(np.abs(change) * long)

    def crossing(self, place: Floats, way: Floats, low: float, high: float) -> float:
        """Return the parameter between two where the curve is level with a place (2,) along a direction (2,).

        Where it comes to it on neither side of them it is the end nearer to it.
        """
        return float(_zero(*self.pieces, low, high, float(way[0]), float(way[1]), float(place @ way), 0))

    def square_to(self, way: Floats, low: float, high: float) -> float:
        """Return the parameter between two where the curve goes square to a direction (2,), as `crossing` does."""
        return float(_zero(*self.pieces, low, high, float(way[0]), float(way[1]), 0.0, 1))

    def area_and_centroid(self) -> tuple[float, Floats]:
        """Return the area, mm2, and its centroid (2,), mm, by Green's theorem over the pieces of the curve."""
        nodes, shares = _GAUSS
        half, middle = np.diff(self._ends) / 2, (self._ends[1:] + self._ends[:-1]) / 2
        s = (middle[:, None] + half[:, None] * nodes).ravel()
        w = (half[:, None] * shares).ravel()
        origin = self.at(self.knots).mean(axis=0)
        p, d, _ = self._read(s)
        p -= origin
        x, y = p.T
        area = float(np.sum(w * (x * d[:, 1] - y * d[:, 0])) / 2)
        mx = float(np.sum(w * x * x * d[:, 1])) / 2
        my = -float(np.sum(w * y * y * d[:, 0])) / 2
        return area, origin + np.array([mx, my]) / area


@njit(cache=True, nogil=True)
def read_at(coefficients, ends, s, made):  # type: ignore[no-untyped-def]
    """Put place, first and second derivative (3, 2) at a parameter of closed cubics into `made`."""
    at = s % ends[-1]
    low, high = 0, len(ends) - 1
    while high - low > 1:
        middle = (low + high) // 2
        if ends[middle] <= at:
            low = middle
        else:
            high = middle
    x = at - ends[low]
    for k in range(2):
        a, b = coefficients[0, low, k], coefficients[1, low, k]
        c, d = coefficients[2, low, k], coefficients[3, low, k]
        made[0, k] = ((a * x + b) * x + c) * x + d
        made[1, k] = (3.0 * a * x + 2.0 * b) * x + c
        made[2, k] = 6.0 * a * x + 2.0 * b


@njit(cache=True, nogil=True)
def _zero(coefficients, ends, low, high, x, y, level, order):  # type: ignore[no-untyped-def]
    """The parameter where place (order 0) or derivative (1) times (x, y) is at a level, by halving."""
    made = np.empty((3, 2))
    read_at(coefficients, ends, low, made)
    first = made[order, 0] * x + made[order, 1] * y - level
    read_at(coefficients, ends, high, made)
    last = made[order, 0] * x + made[order, 1] * y - level
    if first * last >= 0.0:
        return low if abs(first) <= abs(last) else high
    while True:
        middle = 0.5 * (low + high)
        if middle <= min(low, high) or middle >= max(low, high):
            return middle
        read_at(coefficients, ends, middle, made)
        value = made[order, 0] * x + made[order, 1] * y - level
        if value * first > 0.0:
            low = middle
        elif value == 0.0:
            return middle
        else:
            high = middle


@njit(cache=True, nogil=True)
def _evaluate(coefficients, ends, s, made):  # type: ignore[no-untyped-def]
    """Places, first and second derivatives of a closed curve of cubics: (4, n, 2) between parameters (n + 1,)."""
    own = np.empty((3, 2))
    for i in range(len(s)):
        read_at(coefficients, ends, s[i], own)
        for order in range(3):
            made[order, i, 0], made[order, i, 1] = own[order, 0], own[order, 1]


def _pieces(points: Floats, knots: Floats, before: Floats, after: Floats) -> PPoly:
    """Return the cubics between points (n, 2) with given derivatives before and after each."""
    from scipy.interpolate import PPoly

    h = np.diff(knots)[:, None]
    step = np.roll(points, -1, axis=0) - points
    begin, end = after, np.roll(before, -1, axis=0)
    made = np.array([(begin + end) / h**2 - 2 * step / h**3, 3 * step / h**2 - (2 * begin + end) / h, begin, points])
    return PPoly(made, knots)


def _slopes(points: Floats, steps: Floats, corners: Mask) -> tuple[Floats, Floats]:
    """Return the derivatives (n, 2) of a closed curve before and after its points, by the length of its chords.

    They differ at corners.

    Four cubics go through each point and three of its neighbours; the smoother one is, the more it counts. Where a
    straight side meets a round edge those across the joint count for nothing: one curve through all would ripple there.
    With equal steps of something smooth it is the derivative of sixth order (weighted essentially non-oscillatory:
    Jiang and Shu 1996).
    """
    before, after = np.empty_like(points), np.empty_like(points)
    _weigh(np.ascontiguousarray(points), steps, corners, np.array(_IDEAL), before, after)
    return before, after


@njit(cache=True, nogil=True)
def _weigh(points, steps, corners, ideal, before, after):  # type: ignore[no-untyped-def]
    count = len(points)
    at, table, slopes, rough = np.empty(4), np.empty((4, 2)), np.empty((4, 2)), np.empty(4)
    for i in range(count):
        reach = 0.0
        for k in range(-3, 3):
            reach += steps[(i + k) % count] / 6.0
        for n in range(4):  # the cubic through the points from i + n - 3 on
            first = n - 3
            at[0] = 0.0
            for k in range(first, 0):
                at[0] -= steps[(i + k) % count]
            for k in range(1, 4):
                at[k] = at[k - 1] + steps[(i + first + k - 1) % count]
            for k in range(4):
                for c in range(2):
                    table[k, c] = points[(i + first + k) % count, c]
            for order in range(1, 4):  # Newton's divided differences, in place
                for k in range(3, order - 1, -1):
                    for c in range(2):
                        table[k, c] = (table[k, c] - table[k - 1, c]) / (at[k] - at[k - order])
            a, b, d = -at[0], -at[1], -at[2]
            rough[n] = 0.0
            for c in range(2):
                slopes[n, c] = table[1, c] + table[2, c] * (a + b) + table[3, c] * (a * b + a * d + b * d)
                rough[n] += (table[3, c] * reach * reach) ** 2
        usual = rough.mean()
        total, x, y = 0.0, 0.0, 0.0
        for n in range(4):
            weight = ideal[n] / (_SMOOTH * usual + rough[n] + 1e-12) ** 4
            total += weight
            x += weight * slopes[n, 0]
            y += weight * slopes[n, 1]
        before[i, 0], before[i, 1] = x / total, y / total
        after[i, 0], after[i, 1] = before[i, 0], before[i, 1]
        if corners[i]:
            before[i, 0], before[i, 1] = slopes[0, 0], slopes[0, 1]
            after[i, 0], after[i, 1] = slopes[3, 0], slopes[3, 1]
            continue
        # A corner: sides and chords turn at once.
        long = np.hypot(slopes[0, 0], slopes[0, 1]) * np.hypot(slopes[3, 0], slopes[3, 1])
        if slopes[0, 0] * slopes[3, 0] + slopes[0, 1] * slopes[3, 1] < np.cos(CORNER) * long:
            here, last, following = points[i], points[i - 1], points[(i + 1) % count]
            u0, u1, v0, v1 = here[0] - last[0], here[1] - last[1], following[0] - here[0], following[1] - here[1]
            if u0 * v0 + u1 * v1 < np.cos(CORNER) * np.hypot(u0, u1) * np.hypot(v0, v1):
                before[i, 0], before[i, 1] = slopes[0, 0], slopes[0, 1]
                after[i, 0], after[i, 1] = slopes[3, 0], slopes[3, 1]


def _area(points: Floats) -> float:
    x, y = points.T
    return float(np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y) / 2)
