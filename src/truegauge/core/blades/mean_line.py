"""The mean line of a section: the centres of the circles inside that touch both of its sides, from edge to edge.

Between two touching places p and q of a circle about c the line goes square to p - q: by such steps it is followed from
the middle towards either edge, each step put right by Newton's method, until the circle touches at one place, or along
an arc. There it goes straight on to the profile.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.errors import EvaluationError

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats
    from truegauge.core.blades.profile import Profile

_STEPS = 200  # of the extent, in one of which the line goes on
_LEAST = 1e-6  # of the extent: a step so small has come to the end, and what is left of it is straight
_NEWTON, _EXACT = 25, 1e-13
_APART = 1e-5  # of the extent, between touching places that are one
_TURN = 0.3  # rad that the line may turn in a step
_FASTER = 20.0  # times as far as the line goes on that a touching place moves at most: along an edge it moves alone
_NEARER = 0.5  # of how far apart the touching places were, that they are after a step at least
_BEFORE, _COURSE = 0.8, 8  # of the radius at an end, or so many circles: how far before it the line is read
_NOT_LAST = 0.05  # of that: nearer to the end the joint of an edge is felt
_SEEN = 2_000  # places of the profile that no circle may have inside
_INSIDE = 5e-4  # of the extent, that one may: at the joints of edges that are parts of circles a little is rounding


@dataclass(frozen=True, slots=True, eq=False)
class Circles:
    """Circles that touch at parameters `left` and `right` (n,) of the profile: centres (n, 2) and radii (n,), mm."""

    left: Floats
    right: Floats
    center: Floats
    radius: Floats


@dataclass(frozen=True, slots=True, eq=False)
class MeanLine:
    """Circles from the leading to the trailing edge, and the places (2,) where the line meets the profile beyond them.

    `leading_s` and `trailing_s` are the parameters of these places on the profile.
    """

    circles: Circles
    leading: Floats
    trailing: Floats
    leading_s: float
    trailing_s: float

    @property
    def chord(self) -> float:
        """The distance of its ends, mm."""
        return float(np.linalg.norm(self.trailing - self.leading))

    @property
    def largest(self) -> int:
        """The number of the largest circle."""
        return int(np.argmax(self.circles.radius))


def mean_line(profile: Profile, toward_leading: Floats | None = None) -> MeanLine:
    """Return the mean line of a section.

    Parameters
    ----------
    toward_leading : (2,) float64, optional
        Which way the leading edge lies; without, it is the edge that the largest thickness is nearer to.

    Raises
    ------
    EvaluationError
        The section has no two sides: it is round, or something else than an aerofoil.
    """
    extent, start = _middle(profile)
    one, other = _followed(profile, start, extent, 1.0), _followed(profile, start, extent, -1.0)
    ends = [_end(profile, [start, *branch]) for branch in (one, other)]
    every = np.array([*one[::-1], start, *other])
    radii = every[:, 2]
    thick = _center(profile, every[int(np.argmax(radii))])
    far = [float(np.linalg.norm(end[0] - thick)) for end in ends]
    swapped = far[0] > far[1]
    if toward_leading is not None:
        swapped = float((ends[1][0] - ends[0][0]) @ np.asarray(toward_leading, dtype=np.float64)) > 0
    if swapped:
        every, ends = every[::-1], ends[::-1]
    centers = np.array([_center(profile, row) for row in every])
    circles = Circles(np.mod(every[:, 0], profile.length), np.mod(every[:, 1], profile.length), centers, every[:, 2])
    _see(profile, circles, extent)
    return MeanLine(circles, ends[0][0], ends[1][0], ends[0][1], ends[1][1])


def _middle(profile: Profile) -> tuple[float, Floats]:
    """Return how long the section is, and the circle (left, right, radius) across its middle."""
    s = np.linspace(0.0, profile.length, _SEEN, endpoint=False)
    p = profile.at(s)
    _, middle = profile.area_and_centroid()
    values, ways = np.linalg.eigh(np.cov((p - middle).T))
    if values[0] > 0.5 * values[1]:
        raise EvaluationError("the section is nearly as thick as long: it has no mean line from edge to edge")
    along = (p - middle) @ ways[:, 1]
    extent = float(np.ptp(along))
    crosses = np.flatnonzero(np.sign(along) != np.sign(np.roll(along, -1)))
    if len(crosses) != 2:
        raise EvaluationError(f"across the middle of the section there are {len(crosses)} places instead of two")
    left, right = s[crosses]
    gap = float(np.linalg.norm(profile.at(np.array([right]))[0] - profile.at(np.array([left]))[0]))
    found = _touching(profile, np.array([left, right, gap / 2]), middle, ways[:, 1])
    if found is None:
        raise EvaluationError("no circle touches both sides in the middle of the section")
    return extent, found


def _touching(profile: Profile, start: Floats, place: Floats, along: Floats) -> Floats | None:
    """Return the circle (left, right, radius) that touches twice, its centre on the line across `along` at a place."""
    x = start.copy()
    for _ in range(_NEWTON):
        s = x[:2]
        p, t, n = profile.at(s), profile.tangent(s), profile.inward(s)
        speed = np.linalg.norm(profile.curve(np.mod(s, profile.length), 1), axis=1)
        bend = profile.curvature(s) * speed
        center = p + x[2] * n
        off = np.append(center[0] - center[1], (center[0] - place) @ along)
        # Along the profile the centre moves by (1 - r curvature) times as far.
        moved = (speed - x[2] * bend)[:, None] * t
        jacobian = np.zeros((3, 3))
        jacobian[:2, 0], jacobian[:2, 1], jacobian[:2, 2] = moved[0], -moved[1], n[0] - n[1]
        jacobian[2] = moved[0] @ along, 0.0, n[0] @ along
        try:
            step = np.linalg.solve(jacobian, -off)
        except np.linalg.LinAlgError:
            return None
        longest = float(np.abs(step).max())
        x = x + step * min(1.0, 0.5 * x[2] / max(longest, 1e-300))
        if longest < _EXACT * profile.length:
            break
    else:
        if float(np.abs(off).max()) > 1e-9 * profile.length:
            return None
    return x if x[2] > 0 and np.isfinite(x).all() else None


def _center(profile: Profile, circle: Floats) -> Floats:
    s = circle[:1]
    return np.asarray((profile.at(s) + circle[2] * profile.inward(s))[0])


def _apart(profile: Profile, circle: Floats) -> Floats:
    p, q = profile.at(circle[:2])
    return np.asarray(p - q, dtype=np.float64)


def _followed(profile: Profile, start: Floats, extent: float, sign: float) -> list[Floats]:
    """Return the circles from the middle on towards one edge, the last at its end."""
    made: list[Floats] = []
    now, step = start, extent / _STEPS
    way = _ahead(profile, now) * sign
    while step > _LEAST * extent:
        center = _center(profile, now)
        found = _touching(profile, now, center + step * way, way)
        if found is not None and _goes_on(profile, now, found, way, step):
            now = found
            made.append(now)
            turned = _ahead(profile, now)
            way = turned if turned @ way > 0 else -turned
            step = min(1.5 * step, extent / _STEPS)
            if np.linalg.norm(_apart(profile, now)) < _APART * extent:
                break
        else:
            step /= 2
    if not made:
        raise EvaluationError("the section has no two sides: its mean line ends where it begins")
    return made


def _ahead(profile: Profile, circle: Floats) -> Floats:
    """Return a direction in which the line goes on: square to what is between the places where a circle touches."""
    between = _apart(profile, circle)
    return np.asarray(np.array([-between[1], between[0]]) / np.linalg.norm(between))


def _goes_on(profile: Profile, before: Floats, now: Floats, way: Floats, step: float) -> bool:
    """Tell whether a circle is the next one: both sides go on the same way, and the line does not jump."""
    moved = _center(profile, now) - _center(profile, before)
    left, right = now[0] - before[0], now[1] - before[1]
    if np.linalg.norm(moved) > 2.0 * step or left * right > 0:
        return False  # both sides of a section go towards an edge: one with, one against its course
    if max(abs(left), abs(right)) > _FASTER * float(np.linalg.norm(moved)):
        return False
    apart = np.linalg.norm(_apart(profile, now)) / np.linalg.norm(_apart(profile, before))
    return bool(apart > _NEARER and abs(_ahead(profile, now) @ way) > np.cos(_TURN))


def _end(profile: Profile, branch: list[Floats]) -> tuple[Floats, float]:
    """Return where the line goes straight on to the profile, and the parameter of that place."""
    last = branch[-1]
    center = _center(profile, last)
    p = profile.at(last[:1])[0]
    way = _course(profile, branch)
    across = np.array([-way[1], way[0]])
    span = np.mod(last[1] - last[0], profile.length)
    span = span if profile.at(np.array([last[0] + span / 2]))[0] @ way > center @ way else span - profile.length
    low, high = 0.0, float(span)
    side = float((p - center) @ across)
    for _ in range(80):
        middle = (low + high) / 2
        inside = float((profile.at(np.array([last[0] + middle]))[0] - center) @ across) * side > 0
        low, high = (middle, high) if inside else (low, middle)
    at = float(np.mod(last[0] + (low + high) / 2, profile.length))
    return profile.at(np.array([at]))[0], at


def _course(profile: Profile, branch: list[Floats]) -> Floats:
    """Return the direction (2,) of the line at its end, by its own course before.

    Where a circle touches is no help there: along an edge that is part of a circle it may touch anywhere.
    """
    centers = np.array([_center(profile, row) for row in branch])
    end, radius = centers[-1], float(branch[-1][2])
    far = np.linalg.norm(centers - end, axis=1)
    reach = max(_BEFORE * radius, float(np.sort(far)[min(len(far) - 1, _COURSE)]))
    near = centers[(far <= reach) & (far >= _NOT_LAST * reach)]
    rough = end - near[0]
    rough = rough / np.linalg.norm(rough)
    across = np.array([-rough[1], rough[0]])
    along = (near - end) @ rough
    bend = np.polyfit(along, (near - end) @ across, min(2, len(near) - 1))
    slope = float(np.polyval(np.polyder(bend), 0.0)) if len(bend) > 1 else 0.0
    way = rough + slope * across
    return np.asarray(way / np.linalg.norm(way))


def _see(profile: Profile, circles: Circles, extent: float) -> None:
    """Refuse circles that have a part of the profile inside."""
    p = profile.at(np.linspace(0.0, profile.length, _SEEN, endpoint=False))
    for center, radius in zip(circles.center[::7], circles.radius[::7], strict=True):
        deep = radius - float(np.sqrt(np.square(p - center).sum(axis=1).min()))
        if deep > _INSIDE * extent:
            x, y = center
            raise EvaluationError(f"the section is no aerofoil: it comes within a circle about ({x:.3f}, {y:.3f})")
