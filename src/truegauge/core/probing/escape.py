"""A way out of a narrow place: a search through free space, bubble by bubble, for what straight ways do not solve."""

import heapq
from collections.abc import Callable
from dataclasses import dataclass, field
from itertools import product

import numpy as np

from truegauge.core.arrays import Floats, Points, Vector
from truegauge.core.probing.clearance import Obstacle, ProbeShape, first_meeting, nearest_solid, room_of_each

_MOST = 700  # places that are gone on from
_LONGEST = 40.0  # mm of a step
_SHORTEST = 0.04
_WIDE = 4.0  # mm
_COVERED = 0.7  # of a bubble: what lies deeper within it is not gone to again
_DIRECTIONS = np.array([d for d in product((-1.0, 0.0, 1.0), repeat=3) if any(d)])
_DIRECTIONS /= np.linalg.norm(_DIRECTIONS, axis=1)[:, None]
_ROOMY = 0.8  # mm: with less a way counts as longer than it is
_GREED = 1.5  # how much more what is left counts than what is behind


@dataclass(slots=True)
class DeadEnds:
    """Where searches of one probe have been that found no way up: what is begun there again is not looked for again.

    So it is with searches that were given up because they went on too long: they would be given up again.
    """

    _searches: list[tuple[Points, Floats, float]] = field(default_factory=list)

    def add(self, centers: Points, radii: Floats, margin: float) -> None:
        """Take in the bubbles (n, 3), (n,) of a search with a margin that found nothing."""
        self._searches.append((centers, radii, margin))

    def covers(self, place: Vector, margin: float) -> bool:
        """Tell whether a place is known to lead nowhere, with as much room kept."""
        return any(
            margin >= own - 1e-9 and bool((np.linalg.norm(centers - place, axis=1) < radii).any())
            for centers, radii, own in self._searches
        )


def way_out(
    shape: ProbeShape, start: Vector, top: float, obstacles: tuple[Obstacle, ...], margin: float,
    likely: tuple[Vector, ...] = (), dead: DeadEnds | None = None,
) -> list[Vector] | None:  # fmt: skip
    """Return places (3,) of the quill that lead from a narrow place up to the height `top`; see `way_around`."""

    def above(at: Vector) -> Vector:
        return np.array([at[0], at[1], max(top, float(at[2]))])

    return way_around(shape, start, above, obstacles, margin, likely, dead)


def way_around(
    shape: ProbeShape, start: Vector, aim: Callable[[Vector], Vector], obstacles: tuple[Obstacle, ...], margin: float,
    likely: tuple[Vector, ...] = (), dead: DeadEnds | None = None,
) -> list[Vector] | None:  # fmt: skip
    """Return places (3,) of the quill that lead to where it is aimed at, without the start; None: none were found.

    Around every place there is a ball in which nothing is met: as large as the room that the probe has there (bubbles;
    Quinlan and Khatib, Elastic Bands, 1993). The search goes on from the most promising of the balls.

    Parameters
    ----------
    aim : callable
        Returns for a place (3,) the one that is wanted from there on, straight.
    margin : float
        Room that is kept, mm.
    likely : (3,) each
        Unit directions in which the probe is likely to get out.
    dead : DeadEnds, optional
        What other searches with the same aim have found to lead nowhere; this one is added when it finds nothing.
    """
    if dead is not None and dead.covers(start, margin):
        return None
    directions = np.vstack([_DIRECTIONS, *(d[None] for d in likely)])
    room = room_of_each(shape.centers + start, shape.radii, obstacles)[0]
    places, rooms, parents = [start], [float(room.min()) - margin], [-1]
    bounds, costs = [room], [0.0]
    waiting = [(0, 0.0, 0)]
    reached = _Reached()
    while waiting and reached.count < _MOST:
        k = heapq.heappop(waiting)[2]
        at = places[k]
        if reached.covers(at):
            continue
        # Bubbles are those of the balls: the rims of its solids may meet something on the step that led here.
        if k and nearest_solid(shape, places[parents[k]], at, obstacles, margin) is not None:
            continue
        reached.add(at, rooms[k])
        goal = aim(at)
        if first_meeting(shape, at, goal, obstacles, margin) is None:
            chain = _chain(k, parents)
            way = _shortened(shape, [places[j] for j in chain], obstacles, margin, [rooms[j] for j in chain])
            return [*way, goal]
        step = min(rooms[k], _LONGEST)
        if step < _SHORTEST:
            continue
        found, bound = _beside(shape, at + step * directions, bounds[k] - step, obstacles, margin + step)
        for place, own in zip(found, bound, strict=True):
            free = float(own.min()) - margin
            if free < _SHORTEST or reached.covers(place):
                continue
            places.append(place)
            rooms.append(free)
            parents.append(k)
            bounds.append(own)
            costs.append(costs[k] + step * (1 + _ROOMY / (free + margin)))
            left = float(np.linalg.norm(aim(place) - place))
            heapq.heappush(waiting, (_narrowness(free), costs[-1] + _GREED * left, len(places) - 1))
    if dead is not None:
        dead.add(*reached.bubbles(), margin)
    return None


def _narrowness(free: float) -> int:
    """Return how many times narrower than wide a bubble is, by halves.

    What is wide is gone through first: along walls bubbles shrink without an end, and there are many.
    """
    return max(0, int(np.ceil(np.log2(_WIDE / free))))


def _beside(
    shape: ProbeShape, places: Points, least: Floats, obstacles: tuple[Obstacle, ...], enough: float
) -> tuple[Points, list[Floats]]:
    """Return the places, and for each a bound (n,) of the room of every ball: asked only where it may be little."""
    asked = np.flatnonzero(least < enough)
    bounds = [least.copy() for _ in places]
    if len(asked):
        centers = (places[:, None] + shape.centers[asked][None]).reshape(-1, 3)
        room = room_of_each(centers, np.tile(shape.radii[asked], len(places)), obstacles)[0].reshape(len(places), -1)
        for bound, own in zip(bounds, room, strict=True):
            bound[asked] = own
    return places, bounds


class _Reached:
    """The bubbles that were gone on from."""

    def __init__(self) -> None:
        self._centers, self._radii, self.count = np.zeros((_MOST, 3)), np.zeros(_MOST), 0

    def add(self, place: Vector, free: float) -> None:
        """Take one in, by its centre and radius."""
        self._centers[self.count], self._radii[self.count] = place, _COVERED * min(free, _LONGEST)
        self.count += 1

    def bubbles(self) -> tuple[Points, Floats]:
        """Return their centres (n, 3) and radii (n,), mm."""
        return self._centers[: self.count].copy(), self._radii[: self.count] / _COVERED

    def covers(self, place: Vector) -> bool:
        """Tell whether a place lies well within one of them."""
        off = self._centers[: self.count] - place
        return bool((np.einsum("ij,ij->i", off, off) < self._radii[: self.count] ** 2).any())


def _chain(k: int, parents: list[int]) -> list[int]:
    """Return the places that led to one, the first ahead."""
    found = []
    while k >= 0:
        found.append(k)
        k = parents[k]
    return found[::-1]


def _shortened(
    shape: ProbeShape, way: list[Vector], obstacles: tuple[Obstacle, ...], margin: float, rooms: list[float]
) -> list[Vector]:  # fmt: skip
    """Return a way with fewer corners, that keeps about as much room as the one that was found."""
    kept, at = [], 0
    while at < len(way) - 1:
        for to in range(len(way) - 1, at, -1):
            keep = margin + min(_ROOMY, 0.5 * max(0.0, min(rooms[at : to + 1])))
            if to == at + 1 or first_meeting(shape, way[at], way[to], obstacles, min(keep, _ROOMY)) is None:
                kept.append(way[to])
                at = to
                break
    return kept
