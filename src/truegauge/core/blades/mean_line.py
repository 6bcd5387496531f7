"""The mean line of a section: the centres of the circles inside that touch both of its sides, from edge to edge.

The circle that touches at a place p and has nothing of the profile inside is the smallest of those that touch at p and
go through another place q: r = |q - p|^2 / (2 n (q - p)), n the normal into the section (the medial axis; Blum 1967).
All places q are tried, so that it is the right one; Newton's method makes it exact. Where the circle touches at one
place only, or along an arc, the line ends, and goes straight on to the profile.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numba import njit

from truegauge.core.errors import EvaluationError

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats
    from truegauge.core.blades.profile import Profile

_PLACES = 640  # of the profile, by its length and by how it turns, half and half
_AROUND = 60  # places around an edge
_NEWTON, _EXACT, _SETTLED = 6, 1e-9, 1e-8  # steps; of the extent, that a circle is and may be off after them
_ARC, _TOUCHES = 0.05, 1e-4  # of one: an arc of nearly its radius is as good as one; of the extent, that it is off it
_CURVE = 1e-5  # of the extent, that the curve is exact to
_APART = 1.5  # of its radius, that the two places a circle touches at are apart
_UNEVEN = 0.15  # rad that a curve may turn more or less evenly between two points
_BESIDE = 3  # places beside one, that tell its curvature, and that not well
_LEAST = 8  # circles of a line
_BEFORE, _COURSE = 0.8, 8  # of the radius at an end, or so many circles: how far before it the line is read
_NOT_LAST = 0.1  # of that: nearer to the end the joint of an edge is felt
_INSIDE = 5e-4  # of the extent, that a circle may have inside of it
_JUMP = 8.0  # times as far as between others that two circles beside each other are: the line has a branch


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
    extent = _extent(profile)
    circles = _circles(profile, extent)
    ends = [_end(profile, circles, first=first) for first in (True, False)]
    thick = circles.center[int(np.argmax(circles.radius))]
    far = [float(np.linalg.norm(end[0] - thick)) for end in ends]
    swapped = far[0] > far[1]
    if toward_leading is not None:
        swapped = float((ends[1][0] - ends[0][0]) @ np.asarray(toward_leading, dtype=np.float64)) > 0
    if swapped:
        ends = ends[::-1]
        circles = Circles(circles.left[::-1], circles.right[::-1], circles.center[::-1], circles.radius[::-1])
    return MeanLine(circles, ends[0][0], ends[1][0], ends[0][1], ends[1][1])


def _extent(profile: Profile) -> float:
    """Return how long the section is, mm."""
    p = profile.at(profile.places(_PLACES))
    values, ways = np.linalg.eigh(np.cov((p - p.mean(axis=0)).T))
    if values[0] > 0.5 * values[1]:
        raise EvaluationError("the section is nearly as thick as long: it has no mean line from edge to edge")
    return float(np.ptp(p @ ways[:, 1]))


def _circles(profile: Profile, extent: float) -> Circles:
    """Return the circles along the line, from one edge to the other."""
    s = profile.places(_PLACES)
    p, n = profile.at(s), profile.inward(s)
    partner, radius = _partners(p, n, _CURVE * extent)
    # How many places ahead a circle touches again: fewer and fewer towards the edge ahead, none there, and behind it
    # nearly as many as there are. On an arc both ends of it are the same circle; the first that jumps is the edge.
    ahead = np.mod(partner - np.arange(len(s)), len(s))
    start = _across_middle(p)
    onward = np.roll(ahead, -start)
    back = np.roll(ahead[::-1], start + 1)
    far = len(s) // 4
    ahead_of, behind = np.flatnonzero(np.diff(onward) > far), np.flatnonzero(np.diff(back) < -far)
    if not len(ahead_of) or not len(behind):
        raise EvaluationError("the section has no two edges: it is no aerofoil")
    side = np.arange(start - behind[0], start + ahead_of[0] + 1) % len(s)
    # Touching places that are near to each other tell little more than rounding.
    apart = np.linalg.norm(p[partner] - p, axis=1)
    side = side[apart[side] > _APART * radius[side]]
    left, right, r = _exact(profile, s[side], s[partner[side]], radius[side], extent)
    if len(left) < _LEAST:
        raise EvaluationError("the section has no two sides: its mean line ends where it begins")
    center = profile.at(left) + r[:, None] * profile.inward(left)
    _see(p, center, r, extent)
    steps = np.linalg.norm(np.diff(center, axis=0), axis=1)
    if steps.max() > max(_JUMP * np.median(steps), 0.1 * extent):
        x, y = center[int(np.argmax(steps))]
        raise EvaluationError(f"the mean line jumps beside ({x:.3f}, {y:.3f}): the section has a branch there")
    return Circles(left, right, center, r)


def _across_middle(p: Floats) -> int:
    """Return the number of a place (n, 2) in the middle of one side."""
    middle = p.mean(axis=0)
    _, ways = np.linalg.eigh(np.cov((p - middle).T))
    along = (p - (p.max(axis=0) + p.min(axis=0)) / 2) @ ways[:, 1]
    crosses = np.flatnonzero(np.sign(along) != np.sign(np.roll(along, -1)))
    if len(crosses) != 2:
        raise EvaluationError(f"across the middle of the section there are {len(crosses)} places instead of two")
    return int(crosses[0])


@njit(cache=True, nogil=True)
def _partners(p, n, exact):  # type: ignore[no-untyped-def]
    """Return for each place (n, 2) with its normal which other one its circle touches (n,), and its radius (n,).

    Of what lies near, rounding makes any radius: what it may come to counts against it. So on an arc, where all are
    alike, it is the one farthest away, and both ends of an arc belong together.
    """
    count = len(p)
    partner, radius = np.zeros(count, dtype=np.int64), np.empty(count)
    for i in range(count):
        best, own = np.inf, np.inf
        for k in range(i + _BESIDE, i + count - _BESIDE + 1):
            j = k if k < count else k - count
            x, y = p[j, 0] - p[i, 0], p[j, 1] - p[i, 1]
            ahead = n[i, 0] * x + n[i, 1] * y
            far = x * x + y * y
            # The radius far / (2 ahead), times 1 + exact / ahead: nothing is divided for those that are not the best.
            if ahead > 0.0 and far * (ahead + exact) < best * ahead * ahead:
                best, own, partner[i] = far * (ahead + exact) / (ahead * ahead), far / (2.0 * ahead), j
        radius[i] = own
    return partner, radius


def _exact(profile: Profile, left: Floats, right: Floats, radius: Floats, extent: float) -> tuple[Floats, ...]:
    """Return parameters (n,) of both places and radii (n,) of circles that touch, from rough ones.

    The first place stays, the other one moves. What does not settle, or settles elsewhere, is left out.
    """
    p, n = profile.at(left), profile.inward(left)
    s, r = right.copy(), radius.copy()
    off = np.full(len(s), np.inf)
    for _ in range(_NEWTON):
        q, way, speed, bend = profile.frame(s)
        own = np.stack([-way[:, 1], way[:, 0]], axis=1)
        gap = p + r[:, None] * n - q - r[:, None] * own
        off = np.linalg.norm(gap, axis=1)
        slides = 1.0 - r * bend
        along = -(speed * slides)[:, None] * way
        more = n - own
        det = along[:, 0] * more[:, 1] - along[:, 1] * more[:, 0]
        with np.errstate(divide="ignore", invalid="ignore"):
            ds = (gap[:, 1] * more[:, 0] - gap[:, 0] * more[:, 1]) / det
            dr = (gap[:, 0] * along[:, 1] - gap[:, 1] * along[:, 0]) / det
        # Along an arc nothing tells where it touches: through the other place it goes already.
        done = (off < _EXACT * extent) | (np.abs(slides) < _ARC) | ~np.isfinite(ds) | ~np.isfinite(dr)
        s = np.where(done, s, s + np.clip(ds, -r, r))
        r = np.where(done, r, r + np.clip(dr, -0.5 * r, 0.5 * r))
    q, own = profile.at(s), profile.inward(s)
    off = np.linalg.norm(p + r[:, None] * n - q - r[:, None] * own, axis=1)
    near = np.abs(np.mod(s - right + profile.length / 2, profile.length) - profile.length / 2) < np.maximum(2 * r, 0.02)
    # Where a side goes over into a round edge between two points nothing tells which way it goes there.
    near &= np.maximum(profile.unevenness(left), profile.unevenness(s)) < _UNEVEN
    near &= np.linalg.norm(p - q, axis=1) > _APART * r
    allowed = np.where(np.abs(1.0 - r * profile.curvature(s)) < _ARC, _TOUCHES, _SETTLED) * extent
    good = (off < allowed) & near & (r > 0) & (np.abs(r - radius) < 0.2 * radius)
    return left[good], np.mod(s[good], profile.length), r[good]


def _end(profile: Profile, circles: Circles, *, first: bool) -> tuple[Floats, float]:
    """Return where the line goes straight on to the profile, and the parameter of that place."""
    order = slice(None, None, -1) if first else slice(None)
    centers, radius = circles.center[order], circles.radius[order]
    center, way = centers[-1], _course(centers, float(radius[-1]))
    # Around the edge: of circles about one place the first, which touches where an arc begins and ends.
    same = np.linalg.norm(centers - center, axis=1) <= _NOT_LAST * _BEFORE * radius[-1]
    k = len(same) - 1 - int(np.argmin(same[::-1])) + 1 if not same.all() else 0
    left, right = float(circles.left[order][k]), float(circles.right[order][k])
    last = (right, left) if first else (left, right)
    span = float(np.mod(last[1] - last[0], profile.length))
    corners = profile.corners[np.mod(profile.corners - last[0], profile.length) < span]
    if len(corners) == 1:  # a sharp edge
        return profile.at(corners)[0], float(corners[0])
    across = np.array([-way[1], way[0]])
    s = last[0] + np.linspace(0.0, span, _AROUND)
    aside = (profile.at(s) - center) @ across
    crossed = np.flatnonzero(np.sign(aside[1:]) != np.sign(aside[:-1]))
    if not len(crossed):
        raise EvaluationError("the mean line ends beside the profile: its edge is no edge of an aerofoil")
    k = int(crossed[0])
    at = profile.crossing(center, across, float(s[k]), float(s[k + 1]))
    return profile.at(np.array([at]))[0], float(np.mod(at, profile.length))


def _course(centers: Floats, radius: float) -> Floats:
    """Return the direction (2,) of the line at its end, by its own course before.

    Where a circle touches is no help there: along an edge that is part of a circle it may touch anywhere.
    """
    end = centers[-1]
    far = np.linalg.norm(centers - end, axis=1)
    others = np.sort(far[far > _NOT_LAST * _BEFORE * radius])  # along an arc the circles are all the same
    if len(others) < 3:
        raise EvaluationError("the section is as good as round: its mean line has no length")
    reach = max(_BEFORE * radius, float(others[min(len(others) - 1, _COURSE)]))
    near = centers[(far <= reach) & (far >= _NOT_LAST * reach)]
    rough = end - near[0]
    rough = rough / np.linalg.norm(rough)
    across = np.array([-rough[1], rough[0]])
    along = (near - end) @ rough
    bend = np.polyfit(along, (near - end) @ across, min(2, len(near) - 1))
    slope = float(np.polyval(np.polyder(bend), 0.0)) if len(bend) > 1 else 0.0
    way = rough + slope * across
    return np.asarray(way / np.linalg.norm(way))


def _see(p: Floats, centers: Floats, radii: Floats, extent: float) -> None:
    """Refuse circles that have a part of the profile inside."""
    deep = radii - _nearest(p, centers)
    worst = int(np.argmax(deep))
    if deep[worst] > _INSIDE * extent:
        x, y = centers[worst]
        raise EvaluationError(f"the section is no aerofoil: it comes within a circle about ({x:.3f}, {y:.3f})")


@njit(cache=True, nogil=True)
def _nearest(p, centers):  # type: ignore[no-untyped-def]
    """Return how far (n,) the nearest of places is from each centre (n, 2)."""
    made = np.empty(len(centers))
    for i in range(len(centers)):
        least = np.inf
        for j in range(len(p)):
            x, y = p[j, 0] - centers[i, 0], p[j, 1] - centers[i, 1]
            least = min(least, x * x + y * y)
        made[i] = np.sqrt(least)
    return made
