"""The leading and trailing edge of a section: where it is, and the circle that fits it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numba import njit

from truegauge.core.association.by_criterion import fit_circle
from truegauge.core.association.features import Circle
from truegauge.core.errors import AssociationError, EvaluationError

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats
    from truegauge.core.blades.profile import Profile

SHARE = 2.0 / 3.0  # of a quarter turn to either side, that the circle of an edge is fitted to
_PLACES = 61
_REACH = 0.2  # of the profile, that an edge is within
_SEEN = 400
_ELLIPSE_STEPS = 60
_BESIDE = 1e-6  # of the profile, that a corner is beside the end of an edge, to belong to it


@dataclass(frozen=True, slots=True, eq=False)
class Edge:
    """The edge at a place (2,) of the profile (parameter `s`), with its circle through places from `begin` to `end`.

    A sharp edge has a radius of 0; one that is cut off, or straight, has none (NaN).
    """

    place: Floats
    s: float
    center: Floats
    radius: float
    begin: float
    end: float


def edge_at(profile: Profile, s: float, share: float = SHARE) -> Edge:
    """Fit the circle of an edge by least squares, as far to either side as the profile turns by a share of 90 degrees.

    Parameters
    ----------
    s : float
        The parameter of the edge on the profile.
    share : float
        From 0 to 1.

    Raises
    ------
    EvaluationError
        The profile does not turn so far there.
    """
    place = profile.at(np.array([s]))[0]
    far = np.abs(np.mod(profile.corners - s + profile.length / 2, profile.length) - profile.length / 2)
    if len(far) and far.min() < 1e-9 * profile.length:
        return Edge(place, s, place, 0.0, s, s)
    begin, end = (_turned(profile, s, sign, share * np.pi / 2) for sign in (-1.0, 1.0))
    beside = _BESIDE * profile.length
    if np.any(np.mod(profile.corners - begin + beside, profile.length) < end - begin + 2 * beside):
        return Edge(place, s, place, float("nan"), begin, end)
    own = profile.at(begin + (end - begin) * np.linspace(0.0, 1.0, _PLACES))
    try:
        center, radius = circle_through(own)
    except AssociationError:  # it is straight, or nearly
        center, radius = place, float("nan")
    return Edge(place, s, center, radius, begin, end)


def ellipse_at(profile: Profile, edge: Edge, way: Floats) -> tuple[float, float]:
    """Return the half-axes (mm) of the ellipse that fits an edge: along a direction (2,), and across it.

    By least squares of the distances in their first order (Sampson 1982), from the algebraic fit; NaN where the edge is
    no part of an ellipse, 0 where it is sharp.
    """
    if not edge.radius > 0:
        return edge.radius, edge.radius
    own = profile.at(edge.begin + (edge.end - edge.begin) * np.linspace(0.0, 1.0, _PLACES)) - edge.place
    along = way / np.linalg.norm(way)
    u, v = own @ along / edge.radius, own @ np.array([-along[1], along[0]]) / edge.radius
    solved, *_ = np.linalg.lstsq(np.column_stack([v**2, u, v, np.ones(len(u))]), -(u**2), rcond=None)
    if solved[0] <= 0:
        return float("nan"), float("nan")

    try:
        p, q, r, t = (float(x) for x in _nearest_ellipse(u, v, np.asarray(solved, dtype=np.float64)))
    except np.linalg.LinAlgError:
        return float("nan"), float("nan")
    square = q**2 / 4 + r**2 / (4 * p) - t
    if p <= 0 or square <= 0:
        return float("nan"), float("nan")
    return float(edge.radius * np.sqrt(square)), float(edge.radius * np.sqrt(square / p))


@njit(cache=True, nogil=True)
def _nearest_ellipse(u, v, start):  # type: ignore[no-untyped-def]
    """Return (p, q, r, t) of u^2 + p v^2 + q u + r v + t = 0 with the least squares of Sampson's distances.

    Steps of Gauss and Newton, held back where they would not get lower (Marquardt 1963).
    """
    x, held = start.copy(), 1e-4
    square, right, there = np.zeros((4, 4)), np.zeros(4), np.zeros((4, 4))
    worth = _sampson(u, v, x, square, right)
    for _ in range(_ELLIPSE_STEPS):
        least = 1e-14 * np.trace(square)  # of what nothing tells of
        for i in range(4):
            for j in range(4):
                there[i, j] = square[i, j] * (1.0 + held if i == j else 1.0) + (least if i == j else 0.0)
        step = np.linalg.solve(there, -right)
        other, more = np.zeros((4, 4)), np.zeros(4)
        now = _sampson(u, v, x + step, other, more)
        if now <= worth:
            settled = np.abs(step).max() <= 1e-11 * max(1.0, np.abs(x).max())
            x, worth, held = x + step, now, held / 10.0
            square, right = other, more
            if settled:
                break
        else:
            held *= 10.0
    return x


@njit(cache=True, nogil=True)
def _sampson(u, v, x, square, right):  # type: ignore[no-untyped-def]
    """Sum the squares of the distances; their normal equations into `square` (4, 4) and `right` (4,)."""
    worth, row = 0.0, np.empty(4)
    for i in range(len(u)):
        value = u[i] * u[i] + x[0] * v[i] * v[i] + x[1] * u[i] + x[2] * v[i] + x[3]
        along, across = 2.0 * u[i] + x[1], 2.0 * x[0] * v[i] + x[2]
        steep = np.hypot(along, across)
        d = value / steep
        bend = d / steep
        row[0] = (v[i] * v[i] - bend * 2.0 * v[i] * across) / steep
        row[1] = (u[i] - bend * along) / steep
        row[2] = (v[i] - bend * across) / steep
        row[3] = 1.0 / steep
        worth += d * d
        for j in range(4):
            right[j] += row[j] * d
            for k in range(4):
                square[j, k] += row[j] * row[k]
    return worth


def tip_radius(profile: Profile, s: float) -> float:
    """Return one over the curvature, mm, at an edge, the mean of that before and behind it; 0 where it is sharp."""
    beside = 1e-7 * profile.length
    if len(profile.corners) and np.abs(profile.corners - s).min() < beside:
        return 0.0
    bend = float(profile.curvature(np.array([s - beside, s + beside])).mean())
    return 1.0 / bend if bend > 0 else float("nan")


def _turned(profile: Profile, s: float, sign: float, angle: float) -> float:
    """Return the parameter before (-1) or behind (1) a place from which on the profile is turned by an angle."""
    start: Floats = profile.tangent(np.array([s]))[0]

    def turn(at: Floats) -> Floats:
        t = profile.tangent(at)
        return np.asarray(sign * np.arctan2(start[0] * t[:, 1] - start[1] * t[:, 0], t @ start))

    step = _REACH * profile.length / _SEEN
    seen = np.asarray(s + sign * step * np.arange(1, _SEEN + 1), dtype=np.float64)
    beyond = np.flatnonzero(turn(seen) >= angle)
    if not len(beyond):
        x, y = profile.at(np.array([s]))[0]
        raise EvaluationError(f"the edge at ({x:.3f}, {y:.3f}) does not turn far enough for a circle")
    high = float(seen[beyond[0]])
    # There it goes along the first direction, turned: square to what stands on that.
    c, s_ = np.cos(sign * angle), np.sin(sign * angle)
    way = np.array([c * start[0] - s_ * start[1], s_ * start[0] + c * start[1]])
    return profile.square_to(np.array([-way[1], way[0]]), high - sign * step, high)


def circle_through(points: Floats) -> tuple[Floats, float]:
    """Return centre (2,) and radius of the circle by least squares of the distances to points (n, 2), mm."""
    found = fit_circle(np.column_stack([points, np.zeros(len(points))])).feature
    assert isinstance(found, Circle)
    return found.center[:2], found.radius
