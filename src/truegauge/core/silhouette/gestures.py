"""What a drag over a picture means: across something its two edges, along an edge that edge, straight or round.

Places are mm of the picture, from the middle of it to the right and up. Boxes look from dark to light.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.errors import EvaluationError, TooFewPointsError
from truegauge.core.silhouette.edges import edges_along
from truegauge.core.silhouette.fitting import RoundEdge, StraightEdge, round_edge, straight_edge
from truegauge.core.silhouette.looking import LEFT_OUT, Band, Box

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats
    from truegauge.core.silhouette.edges import EdgePoints, Picture, Turn
    from truegauge.core.silhouette.lens import Lens

_FAR, _STEP = 3.0, 0.05  # mm to either side that an edge is followed, at steps
_REACH = 0.8  # mm that a box reaches
_JUMP = 0.15  # of a step along it, that an edge may jump aside; it ends there
_ASLANT = 1.3  # the same while nobody knows how it lies
_BENT = 0.2  # px, that places scatter off a straight edge
_SURE = 0.85  # of what is seen of an edge, that a box is wide
_ALONG, _RAYS = 0.84, 60  # of a drag along an edge, that is looked at; rays
_THIN = 0.6  # mm about a drag, first
_STRAIGHT = 1.5  # times as far off as a circle is, that a line may be to be taken
_LEAST = 0.6  # of rays that see one edge
_ROUND = 0.9  # of rays all around, that make a circle a whole one
_SHORT = 0.1  # mm: a drag that is none


def edges_across(picture: Picture, lens: Lens, start: Floats, end: Floats) -> tuple[Box, Box]:
    """Return where two opposite edges are, that lie between two places (2,): first ones from either place.

    Raises
    ------
    EvaluationError
        There are not two, or the drag is too short: said in words.
    """
    way = end - start
    long = float(np.linalg.norm(way))
    if long < _SHORT:
        raise EvaluationError("drag from one side to the other")
    way = way / long
    start, end = (_inside(picture, lens, p) for p in (start, end))
    long = float(np.linalg.norm(end - start))
    first = _first(picture, lens, start, way, long)
    second = _first(picture, lens, end, -way, long)
    if first is None or second is None or float((second - first) @ way) < 2 * lens.pixel:
        raise EvaluationError("there are no two edges between: begin outside of one and end outside of the other")
    return _box_at(picture, lens, first, way), _box_at(picture, lens, second, -way)


def edge_along(picture: Picture, lens: Lens, start: Floats, end: Floats) -> Box | Band:
    """Return where the edge is that a drag from one place (2,) to another goes along, straight or round.

    Of a circle that is seen all around the whole is taken.

    Raises
    ------
    EvaluationError
        There is none, or the drag is too short: said in words.
    """
    chord = end - start
    long = float(np.linalg.norm(chord))
    if long < _SHORT:
        raise EvaluationError("drag along the edge, from one end to the other")
    way = chord / long
    aside = np.array([-way[1], way[0]])
    at = start + np.linspace(0.5 - _ALONG / 2, 0.5 + _ALONG / 2, _RAYS)[:, None] * chord
    best: tuple[float, StraightEdge | RoundEdge, Floats, int] | None = None
    for reach in (_THIN, 0.35 * long, 0.75 * long):
        found = lens.mm(_rays(picture, lens, at - reach * aside, aside, 2 * reach, "either").places)
        if np.isfinite(found[:, 0]).sum() < _LEAST * _RAYS:
            continue
        for edge in _fits(found, lens):
            used = int(edge.used.sum())
            if used < _LEAST * _RAYS:
                continue
            # A line is taken unless a circle fits much better.
            off = edge.noise * (1.0 if isinstance(edge, StraightEdge) else _STRAIGHT)
            if best is None or (used > 1.1 * best[3]) or (used > 0.9 * best[3] and off < best[0]):
                best = (off, edge, found, used)
        if best is not None and best[3] > 0.9 * _RAYS:
            break
    if best is None:
        raise EvaluationError("there is no edge along there")
    _, edge, found, _ = best
    if isinstance(edge, StraightEdge):
        return _straight(picture, lens, edge, way, long)
    return _round(picture, lens, edge, found)


def _fits(found: Floats, lens: Lens) -> list[StraightEdge | RoundEdge]:
    made: list[StraightEdge | RoundEdge] = []
    for fit in (straight_edge, round_edge):
        try:
            made.append(fit(found, LEFT_OUT * lens.pixel))
        except TooFewPointsError:
            continue
    return made


def _straight(picture: Picture, lens: Lens, edge: StraightEdge, way: Floats, long: float) -> Box:
    out = _to_light(picture, lens, edge.point, edge.normal)
    along = 0.5 * (edge.begin + edge.end)
    wide = min(long, (edge.end - edge.begin) / _ALONG) * _ALONG
    middle = edge.point + along * edge.way
    return Box(float(middle[0]), float(middle[1]), float(np.arctan2(out[1], out[0])), _REACH, float(wide), "to light")


def _round(picture: Picture, lens: Lens, edge: RoundEdge, found: Floats) -> Band:
    known = found[edge.used]
    off = known - edge.center
    out = _to_light(picture, lens, known[len(known) // 2], off[len(off) // 2] / np.linalg.norm(off[len(off) // 2]))
    turn: Turn = "to light" if float(out @ off[len(off) // 2]) > 0 else "to dark"
    angles = np.unwrap(np.arctan2(off[:, 1], off[:, 0]))
    begin, end = float(angles.min()), float(angles.max())
    reach = float(min(_REACH, 0.8 * edge.radius))
    around = np.linspace(0.0, 2 * np.pi, 180, endpoint=False)
    rays = np.column_stack([np.cos(around), np.sin(around)])
    inner = edge.center + (edge.radius - reach / 2) * rays
    seen = lens.mm(_rays(picture, lens, inner, rays, reach, turn).places)
    near = np.abs(np.linalg.norm(seen - edge.center, axis=1) - edge.radius) < 3 * lens.pixel
    if near.mean() > _ROUND:
        begin, end = 0.0, 2 * np.pi
    x, y = edge.center.tolist()
    return Band(x, y, float(edge.radius), begin, end, reach, turn)


def _inside(picture: Picture, lens: Lens, place: Floats) -> Floats:
    """Return the place (2,) of the picture that is nearest to one beside it."""
    high, wide = picture.shape
    seen = np.clip(lens.pixels(place[None]), 1.0, np.array([wide - 2.0, high - 2.0]))
    return np.asarray(lens.mm(seen)[0])


def _first(picture: Picture, lens: Lens, start: Floats, way: Floats, long: float) -> Floats | None:
    """Return the first edge (2,) from a place along a way; None: there is none."""
    found = _rays(picture, lens, start[None], way[None], long, "either", chosen="first")
    return None if not np.isfinite(found.along[0]) else lens.mm(found.places)[0]


def _box_at(picture: Picture, lens: Lens, place: Floats, way: Floats) -> Box:
    """Return the box of the straight edge at a place that is crossed along a way, as far as it goes to both sides."""
    aside = np.array([-way[1], way[0]])
    line, wide = way, 0.0
    middle, tangent = place, aside
    reach = _REACH
    edge = None
    for jump in (_ASLANT, _JUMP, _JUMP):  # its own direction is known better each time
        offs = np.arange(-_FAR, _FAR + _STEP / 2, _STEP)
        across = np.array([tangent[1], -tangent[0]])
        across = across if float(across @ way) > 0 else -across
        at = middle + offs[:, None] * tangent - reach / 2 * across
        found = lens.mm(_rays(picture, lens, at, across, reach, "either").places)
        off = (found - middle) @ across
        low, high = _run(offs, off, jump * _STEP)
        kept = found[low : high + 1]
        if len(kept) < 5:
            break
        try:
            edge = straight_edge(kept, LEFT_OUT * lens.pixel)
        except TooFewPointsError:
            break
        tangent = edge.way
        along = (kept[edge.used] - edge.point) @ edge.way
        middle = edge.point + 0.5 * (along.min() + along.max()) * edge.way
        wide, line = float(np.ptp(along)), across
    if edge is not None and edge.noise > _BENT * lens.pixel:
        raise EvaluationError("the edge there is not straight: drag along it")
    if wide < 4 * lens.pixel:
        raise EvaluationError("an edge there is too short, or not straight")
    out = _to_light(picture, lens, middle, line)
    return Box(float(middle[0]), float(middle[1]), float(np.arctan2(out[1], out[0])), reach, _SURE * wide, "to light")


def _run(offs: Floats, off: Floats, jump: float) -> tuple[int, int]:
    """Return the first and last row, about the middle, up to which an edge goes on without a jump or a bend."""
    mid = len(offs) // 2
    if not np.isfinite(off[mid]):
        near = np.flatnonzero(np.isfinite(off))
        if not len(near):
            return 0, -1
        mid = int(near[np.argmin(np.abs(near - mid))])
    ends = []
    for step in (-1, 1):
        k = mid
        while 0 <= k + step < len(offs) and np.isfinite(off[k + step]) and abs(off[k + step] - off[k]) < jump:
            k += step
        ends.append(k)
    return ends[0], ends[1]


def _to_light(picture: Picture, lens: Lens, place: Floats, normal: Floats) -> Floats:
    """Return the unit vector (2,) square to an edge that goes from dark to light."""
    for far in (4.0, 8.0):
        seen = np.rint(lens.pixels(place + far * lens.pixel * np.array([normal, -normal]))).astype(np.int64)
        seen = np.clip(seen, 0, np.array(picture.shape[::-1]) - 1)
        a, b = (int(picture[y, x]) for x, y in seen)
        if abs(a - b) > 10:
            break
    return np.asarray(normal if a >= b else -normal)


def _rays(
    picture: Picture, lens: Lens, starts: Floats, ways: Floats, long: float, turn: Turn, *, chosen: str = "strongest"
) -> EdgePoints:  # fmt: skip
    """Look along rays that begin (n, 2) and go (n or 1, 2) so far, mm."""
    ways = np.broadcast_to(ways, starts.shape)
    a, b = lens.pixels(starts), lens.pixels(starts + long * ways)
    far = np.linalg.norm(b - a, axis=1)
    unit = (b - a) / far[:, None]
    return edges_along(picture, a, unit, float(far.min()), lens.blur, turn=turn, chosen=chosen)  # type: ignore[arg-type]
