"""Along an edge: the largest and the smallest size across, straightness, roundness.

Extremes of single places grow with their number and noise. They are taken of short pieces here, each a straight line
through at least some sixteen places: what one piece may be off by is a quarter of the noise, and the largest of some is
a hundredth of a pixel too large. What is shorter than a piece is not seen: a fortieth of the edge, where it is looked
along dense rays.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.errors import EvaluationError
from truegauge.core.silhouette.fitting import RoundEdge, StraightEdge
from truegauge.core.silhouette.sizes import EDGE_U, Reading

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats
    from truegauge.core.silhouette.calibrating import Calibration
    from truegauge.core.silhouette.looking import Seen

_PLACES, _LEAST = 16, 3  # places of a piece at least; pieces
_PIECES = 40  # at most
_OF_EXTREMES = 3.0  # standard uncertainties of a piece, that the range of all may be off: noise alone widens it


@dataclass(frozen=True, slots=True)
class SizeRange:
    """Sizes across along two opposite edges."""

    smallest: Reading
    mean: Reading
    largest: Reading


def size_range(a: Seen, b: Seen, known: Calibration) -> SizeRange:
    """Return the smallest, mean and largest distance of two opposite straight edges, where both are seen.

    Raises
    ------
    EvaluationError
        They are not opposite, or too short.
    """
    first, second = _straight(a), _straight(b)
    way = first.way + (second.way if float(first.way @ second.way) > 0 else -second.way)
    way = way / np.linalg.norm(way)
    across = np.array([-way[1], way[0]])
    sides = []
    for seen in (a, b):
        points = seen.points[seen.edge.used]
        sides.append((points @ way, points @ across))
    low, high = max(t.min() for t, _ in sides), min(t.max() for t, _ in sides)
    ends = _ends_of(low, high, min(int(np.count_nonzero((t >= low) & (t <= high))) for t, _ in sides))
    (p, u), (q, v) = (_pieces(t, off, ends) for t, off in sides)
    sizes, own = np.abs(p - q), np.hypot(u, v)
    k, m = int(np.argmin(sizes)), int(np.argmax(sizes))
    mean = Reading(float(sizes.mean()), _sure(float(np.linalg.norm(own) / len(own)), float(sizes.mean()), known, 2))
    return SizeRange(Reading(float(sizes[k]), _sure(float(own[k]), float(sizes[k]), known, 2)), mean,
                     Reading(float(sizes[m]), _sure(float(own[m]), float(sizes[m]), known, 2)))  # fmt: skip


def straightness_of(seen: Seen, known: Calibration) -> Reading:
    """Return how far apart two parallel lines are at least that have all pieces of an edge between them (ISO 12780).

    Raises
    ------
    EvaluationError
        It is too short.
    """
    edge = _straight(seen)
    points = seen.points[edge.used]
    t, off = (points - edge.point) @ edge.way, edge.off(points)
    ends = _ends_of(float(t.min()), float(t.max()), len(t))
    pieces, own = _pieces(t, off, ends)
    width = _least_width((ends[1:] + ends[:-1]) / 2, pieces)
    return Reading(width, _sure(float(_OF_EXTREMES * own.max()), 0.0, known, 1))


def roundness_of(seen: Seen, known: Calibration) -> Reading:
    """Return how far apart the circles about the centre of least squares are that have all pieces between them.

    Raises
    ------
    EvaluationError
        It is no round edge, or too short.
    """
    edge = seen.edge
    if not isinstance(edge, RoundEdge):
        raise EvaluationError("roundness is that of a round edge: this one is straight")
    own = seen.points[edge.used] - edge.center
    order = np.argsort(np.arctan2(own[:, 1], own[:, 0]))
    r, a = np.linalg.norm(own, axis=1)[order], np.arctan2(own[:, 1], own[:, 0])[order]
    gap = int(np.argmax(np.append(np.diff(a), a[0] + 2 * np.pi - a[-1])))
    r, a = np.roll(r, -gap - 1), np.unwrap(np.roll(a, -gap - 1))
    ends = _ends_of(float(a[0]), float(a[-1]), len(a))
    pieces, sure = _pieces(a, r, ends)
    return Reading(float(np.ptp(pieces)), _sure(float(_OF_EXTREMES * sure.max()), 0.0, known, 1))


def _straight(seen: Seen) -> StraightEdge:
    if not isinstance(seen.edge, StraightEdge):
        raise EvaluationError("a size across is that of straight edges: this one is round")
    return seen.edge


def _ends_of(low: float, high: float, count: int) -> Floats:
    """Return where pieces begin and end, so that each has enough places."""
    pieces = min(_PIECES, count // _PLACES)
    if high <= low or pieces < _LEAST:
        raise EvaluationError(f"{count} places along an edge are too few for its extremes: look along more of it")
    return np.linspace(low, high, pieces + 1)


def _pieces(t: Floats, off: Floats, ends: Floats) -> tuple[Floats, Floats]:
    """Return the offset (k,) in the middle of each piece, of a straight line through its places, and how sure it is."""
    made, sure = np.full(len(ends) - 1, np.nan), np.full(len(ends) - 1, np.nan)
    for k, (low, high) in enumerate(pairwise(ends)):
        own = (t >= low) & (t <= high)
        count = int(own.sum())
        if count < _PLACES // 2:
            continue
        x, y = t[own] - (low + high) / 2, off[own]
        slope = float(x @ (y - y.mean()) / max(float(x @ (x - x.mean())), 1e-300))
        made[k] = y.mean() - slope * x.mean()
        left = y - y.mean() - slope * (x - x.mean())
        spread = float(np.sqrt(left @ left / max(1, count - 2)))
        sure[k] = spread / np.sqrt(count) * np.sqrt(1.0 + x.mean() ** 2 / max(float(np.var(x)), 1e-300))
    known = np.isfinite(made)
    if known.sum() < _LEAST:
        raise EvaluationError("the edge is seen in too few places for its extremes: look along more of it")
    # Pieces under dust are as those beside them.
    at = np.arange(len(made))
    return np.interp(at, at[known], made[known]), np.interp(at, at[known], sure[known])


def _least_width(t: Floats, off: Floats) -> float:
    """Return the least distance, along the offset, of two parallel lines that have all places between them."""
    best = np.inf
    for i in range(len(t)):  # one of them goes through two places (Houle and Toussaint 1988)
        for j in range(i + 1, len(t)):
            rest = off - off[i] - (off[j] - off[i]) / (t[j] - t[i]) * (t - t[i])
            best = min(best, float(np.ptp(rest)))
    return best


def _sure(own: float, value: float, known: Calibration, edges: int) -> float:
    return float(np.linalg.norm(np.array([own, np.sqrt(edges) * EDGE_U * known.lens.pixel, known.scale_u * value])))
