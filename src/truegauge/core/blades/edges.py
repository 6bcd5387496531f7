"""The leading and trailing edge of a section: where it is, and the circle that fits it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.association.by_criterion import fit_circle
from truegauge.core.association.features import Circle
from truegauge.core.errors import EvaluationError

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats
    from truegauge.core.blades.profile import Profile

SHARE = 2.0 / 3.0  # of a quarter turn to either side, that the circle of an edge is fitted to
_PLACES = 61
_REACH = 0.2  # of the profile, that an edge is within
_SEEN = 400


@dataclass(frozen=True, slots=True, eq=False)
class Edge:
    """The edge at a place (2,) of the profile (parameter `s`), with its circle through places from `begin` to `end`.

    A sharp edge has a radius of 0.
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
    own = profile.at(begin + (end - begin) * np.linspace(0.0, 1.0, _PLACES))
    center, radius = circle_through(own)
    return Edge(place, s, center, radius, begin, end)


def ellipse_at(profile: Profile, edge: Edge, way: Floats) -> tuple[float, float]:
    """Return the half-axes (mm) of the ellipse that fits an edge: along a direction (2,), and across it.

    By least squares of the distances in their first order (Sampson 1982), from the algebraic fit; NaN where the edge is
    no part of an ellipse, 0 where it is sharp.
    """
    from scipy.optimize import least_squares

    if edge.radius == 0:
        return 0.0, 0.0
    own = profile.at(edge.begin + (edge.end - edge.begin) * np.linspace(0.0, 1.0, _PLACES)) - edge.place
    along = way / np.linalg.norm(way)
    u, v = own @ along / edge.radius, own @ np.array([-along[1], along[0]]) / edge.radius
    solved, *_ = np.linalg.lstsq(np.column_stack([v**2, u, v, np.ones(len(u))]), -(u**2), rcond=None)
    if solved[0] <= 0:
        return float("nan"), float("nan")

    def off(x: Floats) -> Floats:
        p, q, r, t = x
        value = u**2 + p * v**2 + q * u + r * v + t
        return np.asarray(value / np.hypot(2 * u + q, 2 * p * v + r))

    p, q, r, t = least_squares(off, solved, method="lm").x
    square = q**2 / 4 + r**2 / (4 * p) - t
    if p <= 0 or square <= 0:
        return float("nan"), float("nan")
    return float(edge.radius * np.sqrt(square)), float(edge.radius * np.sqrt(square / p))


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
    return profile.where(lambda at: turn(at) - angle, high - sign * step, high)


def circle_through(points: Floats) -> tuple[Floats, float]:
    """Return centre (2,) and radius of the circle by least squares of the distances to points (n, 2), mm."""
    found = fit_circle(np.column_stack([points, np.zeros(len(points))])).feature
    assert isinstance(found, Circle)
    return found.center[:2], found.radius
