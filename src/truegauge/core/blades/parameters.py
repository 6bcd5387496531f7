"""What is measured of a section of an aerofoil: chords, angle, edges, thickness, area."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numba import njit

from truegauge.core.blades.construction import AS_FOUND, Construction
from truegauge.core.blades.edges import Edge, edge_at, ellipse_at, tip_radius
from truegauge.core.blades.mean_line import MeanLine, mean_line
from truegauge.core.errors import EvaluationError

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats
    from truegauge.core.blades.profile import Profile

_SEEN = 1500  # places of the profile, that its outermost ones are looked for among
_TANGENT = 0.3  # of the chord, that the two places of the tangent to the pressure side are apart
_STRAIGHT = 1e-4  # of the chord, that the mean line of a section without camber is off it at most
_ALIKE = 4.0  # times as much as another that a curve of thickness bends at most, to have a top
_FITS = 1.02  # as thick as the largest circle, that the circle of an edge may be to be the largest
_TURNS = 8
_SETTLED = 1e-10  # of the profile, that a tangent still moves


@dataclass(frozen=True, slots=True, eq=False)
class Ways:
    """Directions (2,) in the plane of the section that are given; None: found.

    `axis` is that of the machine, which axial chord and chord angle are told by; `leading` the way to the leading edge,
    `pressure` that to the pressure side.
    """

    axis: Floats | None = None
    leading: Floats | None = None
    pressure: Floats | None = None


@dataclass(frozen=True, slots=True, eq=False)
class Blade:
    """A section with its mean line and edges; `pressure` is +1 where its pressure side lies left of the chord.

    `tangent` are the two places (2, 2) where a straight edge laid on the pressure side touches; None where it rocks.
    """

    profile: Profile
    line: MeanLine
    leading: Edge
    trailing: Edge
    pressure: int
    tangent: Floats | None
    ways: Ways

    @property
    def along(self) -> Floats:
        """The direction (2,) of the chord, from the leading to the trailing edge."""
        way = self.line.trailing - self.line.leading
        return np.asarray(way / np.linalg.norm(way))


def blade_of(profile: Profile, ways: Ways | None = None, construction: Construction = AS_FOUND) -> Blade:
    """Find mean line, edges and sides of a section.

    Raises
    ------
    EvaluationError
        It is no section of an aerofoil.
    """
    ways = ways or Ways()
    line = mean_line(profile, ways.leading)
    pressure, own = _pressure_side(line, ways.pressure), construction
    # Against the clock the pressure side follows the leading edge where it is on the right.
    leading = edge_at(profile, line.leading_s - pressure * own.leading_moved, own.leading_share)
    trailing = edge_at(profile, line.trailing_s + pressure * own.trailing_moved, own.trailing_share)
    tangent = _tangent(profile, line, pressure) if own.tangent is None else _at_shares(profile, line, pressure, own)
    return Blade(profile, line, leading, trailing, pressure, tangent, ways)


def _pressure_side(line: MeanLine, given: Floats | None) -> int:
    """Return +1 where the pressure side is left of the chord: the mean line is bowed away from it."""
    along = (line.trailing - line.leading) / line.chord
    left = np.array([-along[1], along[0]])
    if given is not None:
        return 1 if float(left @ given) > 0 else -1
    bow = float(((line.circles.center - line.leading) @ left).mean())
    return 1 if bow < -_STRAIGHT * line.chord else -1


def _tangent(profile: Profile, line: MeanLine, pressure: int) -> Floats | None:
    """Return the places (2, 2), leading one first, where a straight edge on the pressure side touches; None: it rocks.

    They are moved until the tangents at both are the line between them.
    """
    s = profile.places(_SEEN)
    p = profile.at(s)
    along = (line.trailing - line.leading) / line.chord
    out = pressure * np.array([-along[1], along[0]])
    order = np.argsort(p @ along, kind="stable")
    hull = order[: _outer(p[order] @ along, p[order] @ out, order)]
    ends = np.column_stack([hull[:-1], hull[1:]])
    spans = p[ends[:, 1]] - p[ends[:, 0]]
    facing = ((p[ends].mean(axis=1) - (line.leading + line.trailing) / 2) @ out > 0) & (
        np.abs(spans @ along) > np.abs(spans @ out)
    )
    long = np.where(facing, np.abs(spans @ along), 0.0)
    best = int(np.argmax(long))
    if long[best] < _TANGENT * line.chord:
        return None
    a, b = (float(s[k]) for k in ends[best])
    step = 2.0 * profile.length / _SEEN
    for _ in range(_TURNS):
        way = profile.at(np.array([b]))[0] - profile.at(np.array([a]))[0]
        way /= np.linalg.norm(way)
        across = np.array([-way[1], way[0]])
        across = across if across @ out > 0 else -across
        before, (a, b) = (a, b), (_outermost(profile, across, at, step) for at in (a, b))
        if max(abs(a - before[0]), abs(b - before[1])) < _SETTLED * profile.length:
            break
    touched = profile.at(np.array([a, b]))
    return touched[np.argsort(touched @ along)]


@njit(cache=True, nogil=True)
def _outer(x, y, order):  # type: ignore[no-untyped-def]
    """Put first into `order` (n,) those of places in the order of x that no straight line lies over; return how many.

    The upper half of their convex hull (Andrew 1979).
    """
    kept = np.empty(len(x), dtype=np.int64)
    many = 0
    for i in range(len(x)):
        while many > 1:
            a, b = kept[many - 2], kept[many - 1]
            if (x[b] - x[a]) * (y[i] - y[a]) < (y[b] - y[a]) * (x[i] - x[a]):
                break
            many -= 1
        kept[many] = i
        many += 1
    order[:many] = order[kept[:many]]
    return many


def _at_shares(profile: Profile, line: MeanLine, pressure: int, construction: Construction) -> Floats:
    """Return the places (2, 2) of the pressure side at shares of the chord."""
    assert construction.tangent is not None
    along = (line.trailing - line.leading) / line.chord
    across = pressure * np.array([-along[1], along[0]])
    made = []
    for share in sorted(construction.tangent):
        foot = line.leading + share * line.chord * along
        found = [off for off in _crossings(profile, foot, along) if np.isfinite(off)]
        if not found:
            raise EvaluationError(f"the tangent at {share:g} of the chord is beside the section")
        made.append(foot + max(off * pressure for off in found) * across)
    return np.array(made)


def _outermost(profile: Profile, way: Floats, near: float, reach: float) -> float:
    """Return the parameter near a place where the profile lies farthest in a direction: there it goes square to it."""
    low, high = near - reach, near + reach
    ends = profile.tangent(np.array([low, high])) @ way
    return near if ends[0] * ends[1] > 0 else profile.square_to(way, low, high)


def extent_along(profile: Profile, way: Floats) -> float:
    """Return how long the section is along a direction (2,), mm."""
    s = profile.places(_SEEN)
    off = profile.at(s) @ way
    step = 3.0 * profile.length / _SEEN
    ends = []
    for sign in (1.0, -1.0):
        at = _outermost(profile, sign * way, float(s[int(np.argmax(sign * off))]), step)
        ends.append(max(float((sign * off).max()), float(profile.at(np.array([at]))[0] @ (sign * way))))
    return ends[0] + ends[1]


def largest_thickness(blade: Blade) -> tuple[float, Floats]:
    """Return the diameter (mm) of the largest circle, and its centre (2,), read between the circles.

    Where a section is thickest at an edge that is its circle: one that is hardly larger, and fits in therefore.
    """
    thick, place = _largest_between(blade.line)
    for edge in (blade.leading, blade.trailing):
        if thick < 2.0 * edge.radius < _FITS * thick and np.linalg.norm(edge.center - place) < edge.radius:
            thick, place = 2.0 * edge.radius, edge.center
    return thick, place


def _largest_between(line: MeanLine) -> tuple[float, Floats]:
    k = line.largest
    radius, center = line.circles.radius, line.circles.center
    # A parabola through it and the two beside it, where it bends alike around: the end of a plateau is no hill.
    bends = np.diff(radius[max(0, k - 2) : k + 3], 2)
    if len(bends) < 3 or bends.max() >= 0 or bends.min() < _ALIKE * bends.max():
        return 2.0 * float(radius[k]), center[k]
    rows = slice(k - 1, k + 2)
    far = np.linalg.norm(np.diff(center[rows], axis=0), axis=1)
    own, far = radius[rows], np.array([-far[0], 0.0, far[1]])
    if far[0] == 0 or far[2] == 0:
        return 2.0 * float(radius[k]), center[k]
    a, b, c = np.polyfit(far, own, 2)
    if a >= 0:
        return 2.0 * float(radius[k]), center[k]
    at = float(np.clip(-b / (2 * a), far[0], far[2]))
    place = np.array([np.interp(at, far, center[rows][:, i]) for i in range(2)])
    return 2.0 * float(max(radius[k], c + b * at + a * at * at)), place


def thickness_at(blade: Blade, distance: float, *, trailing: bool = False) -> float:
    """Return how thick (mm) the section is, cut square to its mean line a distance (mm) along it from an edge.

    NaN where the line is shorter.
    """
    way, far = _line_of(blade)
    return _thickness(blade, way, far, float(far[-1]) - distance if trailing else distance)


def thickness_at_share(blade: Blade, share: float) -> float:
    """Return how thick (mm) the section is, cut square to its mean line, where that passes a share of the chord.

    The share is told from the leading edge; NaN outside of 0 to 1.
    """
    way, far = _line_of(blade)
    ahead = (way - blade.line.leading) @ blade.along
    if not 0 <= share <= 1:
        return float("nan")
    return _thickness(blade, way, far, float(np.interp(share * blade.line.chord, ahead, far)))


def _line_of(blade: Blade) -> tuple[Floats, Floats]:
    """Return places (n, 2) along the mean line, edge to edge, and how far along it they are (n,), mm."""
    way = np.vstack([blade.line.leading, blade.line.circles.center, blade.line.trailing])
    return way, np.append(0.0, np.cumsum(np.linalg.norm(np.diff(way, axis=0), axis=1)))


def _thickness(blade: Blade, way: Floats, far: Floats, distance: float) -> float:
    if not 0 <= distance <= far[-1]:
        return float("nan")
    reach = max(0.02 * float(far[-1]), 1e-9)
    at = np.clip([distance, distance - reach / 2, distance + reach / 2], 0, far[-1])
    place, *ends = np.column_stack([np.interp(at, far, way[:, i]) for i in range(2)])
    along = (ends[1] - ends[0]) / np.linalg.norm(ends[1] - ends[0])
    return _cut(blade.profile, place, along)


def _cut(profile: Profile, place: Floats, along: Floats) -> float:
    """Return how far (mm) it is from side to side, square to a direction through a place inside."""
    found = _crossings(profile, place, along)
    above, below = [f for f in found if f >= 0], [f for f in found if f < 0]
    return min(above) - max(below) if above and below else float("nan")


def _crossings(profile: Profile, place: Floats, along: Floats) -> list[float]:
    """Return how far to the left of a direction the profile crosses the line square to it through a place, mm."""
    s = profile.places(_SEEN)
    s = np.append(s, s[0] + profile.length)
    across = np.array([-along[1], along[0]])
    ahead = (profile.at(s) - place) @ along
    found = []
    for k in np.flatnonzero(np.sign(ahead[1:]) != np.sign(ahead[:-1])):
        at = profile.crossing(place, along, float(s[k]), float(s[k + 1]))
        found.append(float((profile.at(np.array([at]))[0] - place) @ across))
    return found


def _ellipses(blade: Blade) -> dict[str, float]:
    """Return the half-axes of both edges, along the end of the mean line and across it."""
    made = {}
    for name, edge, inner in (("leading", blade.leading, 0), ("trailing", blade.trailing, -1)):
        way = blade.line.circles.center[inner] - edge.place
        way = way if np.linalg.norm(way) > 0 else blade.along
        along, across = ellipse_at(blade.profile, edge, way)
        made[f"{name}_ellipse_along"], made[f"{name}_ellipse_across"] = along, across
    return made


def values_of(blade: Blade) -> dict[str, float]:
    """Return everything that has one number: lengths in mm, areas in mm2, angles in rad; NaN: there is none.

    `max_thickness_at` is told along the chord from the leading edge; `chord_angle` from the axis to the chord, as one
    turns to the left.
    """
    line, along = blade.line, blade.along
    thick, at = largest_thickness(blade)
    area, centroid = blade.profile.area_and_centroid()
    made = {
        "chord_mean_line": line.chord, "chord_tangent": float("nan"), "axial_chord": float("nan"),
        "chord_angle": float("nan"), "leading_radius": blade.leading.radius, "trailing_radius": blade.trailing.radius,
        "leading_tip_radius": tip_radius(blade.profile, line.leading_s),
        "trailing_tip_radius": tip_radius(blade.profile, line.trailing_s), **_ellipses(blade), "max_thickness": thick,
        "max_thickness_at": float((at - line.leading) @ along), "area": area,
        "centroid_x": float(centroid[0]), "centroid_y": float(centroid[1]),
        "leading_x": float(line.leading[0]), "leading_y": float(line.leading[1]),
        "trailing_x": float(line.trailing[0]), "trailing_y": float(line.trailing[1]),
    }  # fmt: skip
    if blade.tangent is not None:
        way = blade.tangent[1] - blade.tangent[0]
        made["chord_tangent"] = extent_along(blade.profile, way / np.linalg.norm(way))
    if blade.ways.axis is not None:
        axis = blade.ways.axis / np.linalg.norm(blade.ways.axis)
        made["axial_chord"] = extent_along(blade.profile, axis)
        made["chord_angle"] = float(np.arctan2(axis[0] * along[1] - axis[1] * along[0], axis @ along))
    return made
