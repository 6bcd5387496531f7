"""Straight and round edges through points that may hold dust and burrs: which belong to it, and how sure it is.

From the least median of squares over lines or circles through few points (Rousseeuw 1984), then by least squares
through those that are near, until these stay the same.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numba import njit

from truegauge.core.errors import TooFewPointsError

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats, Ints, Mask

LEAST = 5  # points of an edge
_TRIES = 40
_NEAR = 4.0  # robust scales off, from which a point is none of the edge
_TURNS = 12
_STEPS = 12
_OPEN = 1e-13  # of its largest, that the determinant of a circle's equations is at least: some degrees of arc
_FEW = 48  # points that tries are judged by


@dataclass(frozen=True, slots=True, eq=False)
class StraightEdge:
    """A line through `point` (2,), the middle of its points, along a unit vector `way` (2,).

    `used` (n,) are points that it goes by, NaN ones are not; `noise` is their standard deviation across; `offset_u` and
    `turn_u` are standard uncertainties of where it is at the middle, and of its direction, rad.
    """

    point: Floats
    way: Floats
    used: Mask
    noise: float
    offset_u: float
    turn_u: float
    begin: float  # along the way from the point: where its points begin and end
    end: float

    @property
    def normal(self) -> Floats:
        """The unit vector (2,) to the left of its way."""
        return np.array([-self.way[1], self.way[0]])

    def off(self, points: Floats) -> Floats:
        """Return how far (n,) points (n, 2) are to the left of it."""
        return np.asarray((points - self.point) @ self.normal)


@dataclass(frozen=True, slots=True, eq=False)
class RoundEdge:
    """A circle; `used` (n,) are points that it goes by; standard uncertainties of its radius and of its centre."""

    center: Floats
    radius: float
    used: Mask
    noise: float
    radius_u: float
    center_u: float

    def off(self, points: Floats) -> Floats:
        """Return how far (n,) points (n, 2) are outside of it."""
        return np.asarray(np.linalg.norm(points - self.center, axis=1) - self.radius)


def straight_edge(points: Floats, least: float) -> StraightEdge:
    """Fit a line to points (n, 2), NaN where a ray has none.

    Parameters
    ----------
    least : float
        No point that is nearer than this is left out, in the unit of the points.

    Raises
    ------
    TooFewPointsError
        Not enough points.
    """
    (made,) = edges_through(points, np.array([[0, len(points)]]), np.zeros(1, dtype=np.int64), least)
    if isinstance(made, StraightEdge):
        return made
    raise TooFewPointsError(str(made))


def round_edge(points: Floats, least: float) -> RoundEdge:
    """Fit a circle to points (n, 2), as `straight_edge` does a line.

    Raises
    ------
    TooFewPointsError
        Not enough points, or they lie on a line.
    """
    (made,) = edges_through(points, np.array([[0, len(points)]]), np.ones(1, dtype=np.int64), least)
    if isinstance(made, RoundEdge):
        return made
    raise TooFewPointsError(str(made))


def edges_through(points: Floats, rows: Ints, kinds: Ints, least: float) -> list[StraightEdge | RoundEdge | str]:
    """Fit many edges at once: of the points (n, 2) from a row to another (m, 2) each, straight (0) or round (1).

    Returns for each the edge, or in words why there is none.
    """
    used = np.zeros(len(points), dtype=np.bool_)
    found = np.full((len(rows), 9), np.nan)
    _fit_all(np.ascontiguousarray(points), rows, kinds, float(least), used, found)
    made: list[StraightEdge | RoundEdge | str] = []
    for (first, last), kind, own in zip(rows.tolist(), kinds.tolist(), found.tolist(), strict=True):
        count = own[0]
        if count < LEAST:
            made.append(f"{count:.0f} points are too few for an edge: {LEAST} are the least")
        elif kind == 0:
            _, x, y, a, noise, spread, low, high, _ = own
            sure = noise / math.sqrt(count)
            made.append(StraightEdge(np.array([x, y]), np.array([math.cos(a), math.sin(a)]), used[first:last], noise,
                                     sure, sure / max(spread, 1e-300), low, high))  # fmt: skip
        elif not own[3] > 0.0:
            made.append("the points of a round edge lie on a line")
        else:
            _, x, y, r, noise, _, of_radius, of_center, _ = own
            made.append(RoundEdge(np.array([x, y]), r, used[first:last], noise, noise * of_radius, noise * of_center))
    return made


@njit(cache=True, nogil=True)
def _fit_all(points, rows, kinds, least, used, found):  # type: ignore[no-untyped-def]
    for i in range(len(rows)):
        first, last = rows[i, 0], rows[i, 1]
        own = np.empty((last - first, 2))
        count = 0
        for k in range(first, last):
            if not math.isnan(points[k, 0]):
                own[count] = points[k]
                count += 1
        found[i, 0] = count
        if count < LEAST:
            continue
        kept = np.ones(count, dtype=np.bool_)
        if kinds[i] == 0:
            x, y, a, noise, spread, low, high = _line(own[:count], least, kept)
            found[i, 1:8] = (x, y, a, noise, spread, low, high)
        else:
            x, y, r, noise = _circle(own[:count], least, kept)
            of_radius, of_center = _sure(own[:count], kept, x, y)
            found[i, 1:8] = (x, y, r, noise, 0.0, of_radius, of_center)
        at, count = 0, 0
        for k in range(first, last):
            if not math.isnan(points[k, 0]):
                used[k] = kept[at]
                count += kept[at]
                at += 1
        found[i, 0] = count


@njit(cache=True, nogil=True)
def _sure(points, used, x, y):  # type: ignore[no-untyped-def]
    """Return what radius and centre of a circle are off by, times the noise of its points."""
    m = np.zeros((3, 3))
    for n in range(len(points)):
        if used[n]:
            u, v = points[n, 0] - x, points[n, 1] - y
            far = math.hypot(u, v)
            if far > 0.0:
                row = (u / far, v / far, 1.0)
                for i in range(3):
                    for j in range(3):
                        m[i, j] += row[i] * row[j]
    a, b, c = m[1, 1] * m[2, 2] - m[1, 2] ** 2, m[0, 0] * m[2, 2] - m[0, 2] ** 2, m[0, 0] * m[1, 1] - m[0, 1] ** 2
    det = (m[0, 0] * a - m[0, 1] * (m[0, 1] * m[2, 2] - m[1, 2] * m[0, 2])
           + m[0, 2] * (m[0, 1] * m[1, 2] - m[1, 1] * m[0, 2]))  # fmt: skip
    if not det > 0.0:
        return math.nan, math.nan
    return math.sqrt(c / det), math.sqrt(max(a, b) / det)


@njit(cache=True, nogil=True)
def _line(points, least, used):  # type: ignore[no-untyped-def]
    found = _settled_line(points, least, used, points[0, 0], points[0, 1], 0.0, np.inf)
    if used.all() and _NEAR * found[3] <= least:  # nothing lies off it
        return found
    count, step = len(points), max(1, len(points) // _FEW)
    off = np.empty((count - 1) // step + 1)
    best, bx, by, ba = np.inf, points[0, 0], points[0, 1], 0.0
    for trial in range(_TRIES):
        i, j = _drawn(trial, 0, count), _drawn(trial, 1, count)
        dx, dy = points[j, 0] - points[i, 0], points[j, 1] - points[i, 1]
        if dx == 0.0 and dy == 0.0:
            continue
        a = math.atan2(dy, dx)
        c, s = math.cos(a), math.sin(a)
        for k in range(len(off)):
            n = k * step
            off[k] = abs((points[n, 1] - points[i, 1]) * c - (points[n, 0] - points[i, 0]) * s)
        worth = np.median(off)
        if worth < best:
            best, bx, by, ba = worth, points[i, 0], points[i, 1], a
    return _settled_line(points, least, used, bx, by, ba, max(_NEAR * 1.4826 * best, least))


@njit(cache=True, nogil=True)
def _settled_line(points, least, used, bx, by, ba, reach):  # type: ignore[no-untyped-def]
    """Fit a line to points within a reach of one, again until they stay the same; `used` (n,) is what it goes by."""
    count = len(points)
    noise, spread, low, high = 0.0, 0.0, 0.0, 0.0
    for turn in range(_TURNS):
        c, s, same = math.cos(ba), math.sin(ba), True
        for k in range(count):
            own = abs((points[k, 1] - by) * c - (points[k, 0] - bx) * s) <= reach
            same = same and own == used[k]
            used[k] = own
        if same and turn > 0:
            break
        many, x, y = 0, 0.0, 0.0
        for k in range(count):
            if used[k]:
                many, x, y = many + 1, x + points[k, 0], y + points[k, 1]
        bx, by = x / many, y / many
        xx, xy, yy = 0.0, 0.0, 0.0
        for k in range(count):
            if used[k]:
                u, v = points[k, 0] - bx, points[k, 1] - by
                xx, xy, yy = xx + u * u, xy + u * v, yy + v * v
        a = 0.5 * math.atan2(2.0 * xy, xx - yy)
        ba = a if math.cos(a - ba) >= 0.0 else a + math.pi
        across = xx * math.sin(ba) ** 2 - 2.0 * xy * math.sin(ba) * math.cos(ba) + yy * math.cos(ba) ** 2
        noise = math.sqrt(max(across, 0.0) / max(1, many - 2))
        spread = math.sqrt(max(xx + yy - across, 0.0) / many)
        reach = max(_NEAR * noise, least)
    c, s = math.cos(ba), math.sin(ba)
    for k in range(count):
        if used[k]:
            t = (points[k, 0] - bx) * c + (points[k, 1] - by) * s
            low, high = min(low, t), max(high, t)
    return bx, by, ba, noise, spread, low, high


@njit(cache=True, nogil=True)
def _drawn(trial, which, count):  # type: ignore[no-untyped-def]
    """Return a number of a point that looks drawn by chance, always the same: halves that are far from each other."""
    share = (0.5 + 0.6180339887498949 * (3 * trial + which + 1) + 0.7548776662466927 * which * trial) % 1.0
    return min(count - 1, int(share * count))


@njit(cache=True, nogil=True)
def _circle(points, least, used):  # type: ignore[no-untyped-def]
    last = len(points) - 1
    x, y, r = _through(points, 0, last // 2, last) if _apart(points) else _through(points, 0, last // 3, 2 * last // 3)
    if math.isfinite(r):
        found = _settled_circle(points, least, used, x, y, r, np.inf)
        if used.all() and _NEAR * found[3] <= least:
            return found
    count, step = len(points), max(1, len(points) // _FEW)
    off = np.empty((count - 1) // step + 1)
    best, bx, by, br = np.inf, np.nan, np.nan, np.nan
    for trial in range(_TRIES):
        i, j, k = _drawn(trial, 0, count), _drawn(trial, 1, count), _drawn(trial, 2, count)
        x, y, r = _through(points, i, j, k)
        if not math.isfinite(r):
            continue
        for n in range(len(off)):
            off[n] = abs(math.hypot(points[n * step, 0] - x, points[n * step, 1] - y) - r)
        worth = np.median(off)
        if worth < best:
            best, bx, by, br = worth, x, y, r
    if not math.isfinite(br):
        return bx, by, br, 0.0
    return _settled_circle(points, least, used, bx, by, br, max(_NEAR * 1.4826 * best, least))


@njit(cache=True, nogil=True)
def _settled_circle(points, least, used, bx, by, br, reach):  # type: ignore[no-untyped-def]
    """Fit a circle to points within a reach of one, again until they stay the same; `used` (n,) is what it goes by."""
    count, noise = len(points), 0.0
    for turn in range(_TURNS):
        same, many = True, 0
        for n in range(count):
            own = abs(math.hypot(points[n, 0] - bx, points[n, 1] - by) - br) <= reach
            same = same and own == used[n]
            used[n] = own
            many += own
        if same and turn > 0:
            break
        bx, by, br, squares = _nearest_circle(points, used, bx, by, br)
        if not math.isfinite(br):
            return bx, by, br, math.inf
        noise = math.sqrt(squares / max(1, many - 3))
        reach = max(_NEAR * noise, least)
    return bx, by, br, noise


@njit(cache=True, nogil=True)
def _apart(points):  # type: ignore[no-untyped-def]
    """Tell whether first and last point are farther from each other than a third of the way to the middle one."""
    last = len(points) - 1
    ends = math.hypot(points[last, 0] - points[0, 0], points[last, 1] - points[0, 1])
    half = math.hypot(points[last // 2, 0] - points[0, 0], points[last // 2, 1] - points[0, 1])
    return 3.0 * ends > half


@njit(cache=True, nogil=True)
def _through(points, i, j, k):  # type: ignore[no-untyped-def]
    """Return the circle through three points; NaN where they lie on a line."""
    ax, ay = points[j, 0] - points[i, 0], points[j, 1] - points[i, 1]
    bx, by = points[k, 0] - points[i, 0], points[k, 1] - points[i, 1]
    d = 2.0 * (ax * by - ay * bx)
    if abs(d) <= 1e-9 * (ax * ax + ay * ay + bx * bx + by * by):
        return math.nan, math.nan, math.nan
    a, b = ax * ax + ay * ay, bx * bx + by * by
    x, y = (by * a - ay * b) / d, (ax * b - bx * a) / d
    return points[i, 0] + x, points[i, 1] + y, math.hypot(x, y)


@njit(cache=True, nogil=True)
def _nearest_circle(points, used, x, y, r):  # type: ignore[no-untyped-def]
    """Return the circle with the least squares of the distances, by Gauss's and Newton's steps."""
    squares = 0.0
    for _ in range(_STEPS):
        uu = uv = vv = su = sv = du = dv = ds = squares = 0.0
        many = 0
        for n in range(len(points)):
            if not used[n]:
                continue
            u, v = points[n, 0] - x, points[n, 1] - y
            far = math.sqrt(u * u + v * v)
            if far == 0.0:
                continue
            u, v, d = u / far, v / far, far - r
            uu, uv, vv, su, sv = uu + u * u, uv + u * v, vv + v * v, su + u, sv + v
            du, dv, ds, squares = du + u * d, dv + v * d, ds + d, squares + d * d
            many += 1
        if many < LEAST:
            return x, y, math.nan, squares
        # The radius is the mean of the rest: two equations are left for the centre.
        a, b, c = uu - su * su / many, uv - su * sv / many, vv - sv * sv / many
        e, f = du - su * ds / many, dv - sv * ds / many
        det = a * c - b * b
        if not det >= _OPEN * many * many:
            return x, y, math.nan, squares
        p, q = (c * e - b * f) / det, (a * f - b * e) / det
        s = (ds - su * p - sv * q) / many
        x, y, r = x + p, y + q, r + s
        if abs(p) + abs(q) + abs(s) < 1e-11 * (abs(r) + 1e-12):
            break
    return x, y, r, squares
