"""How a part lies, however it was put down: roughly by its shadow, then by the elements that make its coordinates."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.errors import EvaluationError
from truegauge.core.silhouette.fitting import RoundEdge, StraightEdge
from truegauge.core.silhouette.looking import Band, Box, Looks, Place, Seen
from truegauge.core.silhouette.signature import signature_of

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats
    from truegauge.core.silhouette.edges import Picture
    from truegauge.core.silhouette.lens import Lens
    from truegauge.core.silhouette.signature import Signature

_ROUNDS = 5
_SETTLED = 0.002  # px, and of rad times the part's size


@dataclass(frozen=True, slots=True, eq=False)
class Datums:
    """The elements that make a part's coordinates.

    `turn` is a straight edge that lies along x, or two beside each other, whose middle does; `stop` lies at x = `at`: a
    straight edge across, or the centre of a round one. `taught` is the shadow of a part that lay at `place`.
    """

    turn: tuple[Box, ...]
    stop: Box | Band
    taught: Signature
    place: Place
    level: float = 0.0  # y of the edge, or of the middle of two
    at: float = 0.0


class Tracker:
    """Finds how a part lies."""

    def __init__(self, datums: Datums, lens: Lens) -> None:
        self._datums, self._lens = datums, lens
        self._looks = Looks((*datums.turn, datums.stop), lens.pixel)

    @property
    def taught(self) -> Signature:
        """The shadow that it was taught by."""
        return self._datums.taught

    def place(self, picture: Picture, seen: Signature | None = None) -> Place:
        """Return how the part in a picture lies, whose shadow may be known already.

        Raises
        ------
        EvaluationError
            There is not one whole part, or its elements are not seen: said in words.
        """
        seen = seen or signature_of(picture, self._lens)
        taught, known = self._datums.taught, self._datums.place
        said, best, found = "", np.inf, None
        for turn in taught.turns_to(seen):
            own = known.turn + turn
            c, s = np.cos(turn), np.sin(turn)
            origin = seen.middle + np.array([[c, -s], [s, c]]) @ (known.origin - taught.middle)
            try:
                place, noise = self._settled(picture, Place(origin, own))
            except EvaluationError as error:
                said = said or str(error)
                continue
            if noise < best:
                best, found = noise, place
        if found is None:
            raise EvaluationError(f"the part's elements are not found: {said}")
        return found

    def _settled(self, picture: Picture, place: Place) -> tuple[Place, float]:
        """Return where the elements put the part, beginning near there, and how far their points scatter, mm."""
        size = float(self._datums.taught.reach.max())
        noise = 0.0
        for _ in range(_ROUNDS):
            seen = self._looks.seen(picture, self._lens, place)
            wrong = next((one for one in seen if isinstance(one, str)), None)
            if wrong is not None:
                raise EvaluationError(wrong)
            edges = [one.edge for one in seen if isinstance(one, Seen)]
            noise = float(np.mean([edge.noise for edge in edges]))
            turn, off = self._needed(edges)
            moved = place.picture_from_part(off[None])[0]
            place = Place(moved, place.turn + turn)
            if abs(turn) * size + float(np.linalg.norm(off)) < _SETTLED * self._lens.pixel:
                break
        return place, noise

    def _needed(self, edges: list[StraightEdge | RoundEdge]) -> tuple[float, Floats]:
        """Return by how much the part is turned, rad, and where its coordinates begin (2,), seen in those so far."""
        *lines, stop = edges
        ways, points = [], []
        for line in lines:
            if isinstance(line, StraightEdge):
                ways.append(line.way if line.way[0] > 0 else -line.way)
                points.append(line.point)
        way = np.mean(ways, axis=0)
        way = way / np.linalg.norm(way)
        across = np.array([-way[1], way[0]])
        level = float(np.mean([_height(p, w, way) for p, w in zip(points, ways, strict=True)]))
        if isinstance(stop, RoundEdge):
            at = float(stop.center @ way)
        else:
            # Where the edge crosses the line that x goes along.
            base = (level - self._datums.level) * across
            along = stop.normal @ way
            if abs(along) < 0.1:
                raise EvaluationError("the edge that x begins at lies along it")
            at = float(stop.normal @ (stop.point - base) / along)
        origin = (at - self._datums.at) * way + (level - self._datums.level) * across
        return float(np.arctan2(way[1], way[0])), origin


def _height(point: Floats, own: Floats, way: Floats) -> float:
    """Return how far left of the beginning, along a mean way, a line through a point goes where that begins."""
    across = np.array([-way[1], way[0]])
    # Its own slope against the mean way takes it from its point to the middle of all.
    slope = float(own @ across) / float(own @ way)
    return float(point @ across - slope * (point @ way))
