"""Sizes between edges of a shadow, each with its standard uncertainty."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.errors import EvaluationError
from truegauge.core.silhouette.fitting import StraightEdge

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats
    from truegauge.core.silhouette.calibrating import Calibration
    from truegauge.core.silhouette.fitting import RoundEdge

EDGE_U = 0.003  # px that an edge as a whole may be off, whatever its noise is
_SHARED = 1.3  # times as unsure as by their number: rays beside each other read some of the same pixels
_ASLANT = 0.1  # rad between two edges, from which on a distance of them is none
_TAPERS = 1.2  # rad, the same where the distance is told at a place
_PARALLEL = 1e-3  # sine, below which two edges meet nowhere
_LEAST_ANGLE = 1e-9


@dataclass(frozen=True, slots=True)
class Reading:
    """A value, mm or rad, and its standard uncertainty."""

    value: float
    uncertainty: float


@dataclass(frozen=True, slots=True, eq=False)
class Spot:
    """A place (2,) mm and its covariance (2, 2) mm2."""

    place: Floats
    covariance: Floats


def size_across(a: StraightEdge, b: StraightEdge, known: Calibration, at: float | None = None) -> Reading:
    """Return the distance of two opposite edges, square to what lies between them.

    Parameters
    ----------
    at : float, optional
        Where, along x of the part; without in the middle of what is seen of both.

    Raises
    ------
    EvaluationError
        They are not opposite: they lie aslant.
    """
    way = _together(a, b, "distance", _ASLANT if at is None else _TAPERS)
    across = np.array([-way[1], way[0]])
    middle = 0.5 * (a.point + b.point)
    if at is not None:
        if abs(way[0]) < _PARALLEL:
            raise EvaluationError("the edges go along y: they are at one place of x")
        middle = middle + (at - middle[0]) / way[0] * way
    # Where each edge crosses the line square to the mean way through the middle.
    (first, u), (second, v) = (_crossing(edge, middle, across, known) for edge in (a, b))
    value = abs(first - second)
    return Reading(value, float(np.linalg.norm([u, v, known.scale_u * value])))


def _together(a: StraightEdge, b: StraightEdge, what: str, most: float = _ASLANT) -> Floats:
    """Return the mean direction (2,) of two edges that go about the same way.

    Raises
    ------
    EvaluationError
        They lie aslant to each other: they have no distance, no middle.
    """
    other = b.way if float(a.way @ b.way) > 0 else -b.way
    turn = float(np.arctan2(a.way[0] * other[1] - a.way[1] * other[0], a.way @ other))
    if abs(turn) > most:
        raise EvaluationError(f"the two edges lie {np.degrees(abs(turn)):.1f} degrees aslant: they have no {what}")
    return np.asarray((a.way + other) / np.linalg.norm(a.way + other))


def _crossing(edge: StraightEdge, middle: Floats, across: Floats, known: Calibration) -> tuple[float, float]:
    sine = float(edge.normal @ across)
    if abs(sine) < _PARALLEL:
        raise EvaluationError("an edge is not crossed there")
    off = -float(edge.off(middle[None])[0]) / sine
    along = float((middle + off * across - edge.point) @ edge.way)
    own = np.hypot(edge.offset_u, edge.turn_u * along)
    return off, float(np.hypot(own, EDGE_U * known.lens.pixel) / abs(sine))


def meeting(a: StraightEdge, b: StraightEdge, known: Calibration) -> Spot:
    """Return where two edges meet.

    Raises
    ------
    EvaluationError
        They lie along each other.
    """
    normals = np.array([a.normal, b.normal])
    if abs(float(np.linalg.det(normals))) < _PARALLEL:
        raise EvaluationError("the two edges lie along each other: they meet nowhere")
    place = np.linalg.solve(normals, np.array([a.normal @ a.point, b.normal @ b.point]))
    floor = EDGE_U * known.lens.pixel
    off = [np.linalg.norm([e.offset_u, e.turn_u * float((place - e.point) @ e.way), floor]) for e in (a, b)]
    back = np.linalg.inv(normals)
    return Spot(place, np.asarray(back @ np.diag(np.square(off)) @ back.T))


def center_of(edge: RoundEdge, known: Calibration) -> Spot:
    """Return the centre of a round edge."""
    own = float(np.hypot(_SHARED * edge.center_u, EDGE_U * known.lens.pixel))
    return Spot(edge.center, own**2 * np.eye(2))


def radius_of(edge: RoundEdge, known: Calibration) -> Reading:
    """Return the radius of a round edge."""
    own = [_SHARED * edge.radius_u, EDGE_U * known.lens.pixel, known.scale_u * edge.radius]
    return Reading(edge.radius, float(np.linalg.norm(own)))


def spacing(p: Spot, q: Spot, known: Calibration, along: Floats | None = None) -> Reading:
    """Return how far two places are from each other, aligned, or along a direction (2,)."""
    way = q.place - p.place
    far = float(np.linalg.norm(way))
    aligned = way if far > 0 else np.array([1.0, 0.0])
    unit = aligned if along is None else along
    unit = unit / np.linalg.norm(unit)
    value = float(way @ unit)
    own = float(unit @ (p.covariance + q.covariance) @ unit)
    return Reading(abs(value), float(np.hypot(np.sqrt(own), known.scale_u * far)))


def symmetry(datum: StraightEdge, line: StraightEdge, known: Calibration) -> Reading:
    """Return how wide a zone about a middle line is that has another one in it, as far as that is seen (ISO 1101).

    Raises
    ------
    EvaluationError
        They lie aslant to each other.
    """
    _together(datum, line, "symmetry")
    ends = [
        offset(datum, Spot(line.point + t * line.way, (line.offset_u**2 + (line.turn_u * t) ** 2) * np.eye(2)), known)
        for t in (line.begin, line.end)
    ]
    worst = max(ends, key=lambda end: end.value)
    return Reading(2 * worst.value, 2 * worst.uncertainty)


def offset(edge: StraightEdge, spot: Spot, known: Calibration) -> Reading:
    """Return how far a place is from an edge, square to it."""
    value = float(edge.off(spot.place[None])[0])
    along = float((spot.place - edge.point) @ edge.way)
    own = float(edge.normal @ spot.covariance @ edge.normal)
    parts = [np.sqrt(own), edge.offset_u, edge.turn_u * along, EDGE_U * known.lens.pixel, known.scale_u * value]
    return Reading(abs(value), float(np.linalg.norm(np.array(parts))))


def between(
    a: StraightEdge | Spot, b: StraightEdge | Spot, known: Calibration, along: Floats | None = None
) -> Reading:  # fmt: skip
    """Return how far two edges or places are from each other: aligned, or along a direction (2,).

    Two edges are taken in the middle of what is seen of both.

    Raises
    ------
    EvaluationError
        Edges lie aslant to each other, or along the direction.
    """
    if isinstance(a, Spot) and isinstance(b, Spot):
        return spacing(a, b, known, along)
    if along is None:
        if isinstance(a, Spot):
            return offset(_edge(b), a, known)
        return offset(a, b, known) if isinstance(b, Spot) else size_across(a, b, known)
    way = along / np.linalg.norm(along)
    places = [x.place for x in (a, b) if isinstance(x, Spot)] or [0.5 * (_edge(a).point + _edge(b).point)]
    made = [_along(x, places[0], way, known) for x in (a, b)]
    value = abs(made[0][0] - made[1][0])
    return Reading(value, float(np.linalg.norm([made[0][1], made[1][1], known.scale_u * value])))


def _edge(one: StraightEdge | Spot) -> StraightEdge:
    assert not isinstance(one, Spot)
    return one


def _along(one: StraightEdge | Spot, begin: Floats, way: Floats, known: Calibration) -> tuple[float, float]:
    """Return how far along a way through a place something is, and how sure."""
    if isinstance(one, Spot):
        return float((one.place - begin) @ way), float(np.sqrt(way @ one.covariance @ way))
    return _crossing(one, begin, way, known)


def middle_of(a: StraightEdge, b: StraightEdge) -> StraightEdge:
    """Return the line in the middle of two edges, as far as both are seen.

    Raises
    ------
    EvaluationError
        They lie aslant to each other.
    """
    way = _together(a, b, "middle")
    across = np.array([-way[1], way[0]])
    point = 0.5 * (a.point + b.point)
    # Where each goes across the line square to both through the middle.
    off = [-float(e.off(point[None])[0]) / float(e.normal @ across) for e in (a, b)]
    point = point + 0.5 * (off[0] + off[1]) * across
    ends = [np.sort([float((e.point + t * e.way - point) @ way) for t in (e.begin, e.end)]) for e in (a, b)]
    low, high = max(e[0] for e in ends), min(e[1] for e in ends)
    if high <= low:  # beside each other: all that is seen
        low, high = min(e[0] for e in ends), max(e[1] for e in ends)
    return StraightEdge(
        point, way, np.zeros(0, dtype=bool), float(np.hypot(a.noise, b.noise)) / 2,
        float(np.hypot(a.offset_u, b.offset_u)) / 2, float(np.hypot(a.turn_u, b.turn_u)) / 2, float(low), float(high),
    )  # fmt: skip


def angle_between(a: StraightEdge, b: StraightEdge, known: Calibration) -> Reading:
    """Return the angle between two edges, rad, from 0 to a quarter turn."""
    sine, cosine = abs(a.way[0] * b.way[1] - a.way[1] * b.way[0]), abs(float(a.way @ b.way))
    long = [max(e.end - e.begin, _LEAST_ANGLE) for e in (a, b)]
    floor = EDGE_U * known.lens.pixel * np.sqrt(2.0)
    own = [a.turn_u, b.turn_u, floor / long[0], floor / long[1]]
    return Reading(float(np.arctan2(sine, cosine)), float(np.linalg.norm(np.array(own))))
