"""How a part lies, however it was put down: roughly by its shadow, then by the elements that make its coordinates."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.errors import EvaluationError
from truegauge.core.silhouette.fitting import RoundEdge, StraightEdge
from truegauge.core.silhouette.looking import Band, Box, Looks, Place, Seen
from truegauge.core.silhouette.signature import Signature, signature_of

if TYPE_CHECKING:
    from collections.abc import Sequence

    from truegauge.core.arrays import Floats
    from truegauge.core.silhouette.edges import Picture
    from truegauge.core.silhouette.lens import Lens

_ROUNDS = 5
_CROSSED = 0.1  # sine between x and the edge that it begins at
_SETTLED = 0.002  # px, and of rad times the part's size


@dataclass(frozen=True, slots=True, eq=False)
class Datums:
    """The elements that make a part's coordinates.

    `turn` is a straight edge that lies along x, or two beside each other, whose middle does; `stop` lies at x = `at`: a
    straight edge across, or the centre of a round one. Without a stop x begins where the shadow roughly says; a round
    stop alone tells no turn: that is rough then. `taught` is the shadow of a part that lay at `place`. It may lie end
    for end, or upside down, where that is said.
    """

    turn: tuple[Box, ...]
    stop: Box | Band | None
    taught: Signature
    place: Place
    level: float = 0.0  # y of the edge, or of the middle of two
    at: float = 0.0
    end_for_end: bool = True
    upside_down: bool = False

    def ways(self) -> list[tuple[Signature, Place]]:
        """Return shadows that it may have, up to a turn, and where the part is in them."""
        made = [(self.taught, self.place)]
        if self.upside_down:
            middle, side = self.taught.middle, np.array([1.0, -1.0])
            origin = middle + side * (self.place.origin - middle)
            place = Place(origin, -self.place.turn, not self.place.mirrored)
            made.append((Signature(middle, self.taught.reach[::-1].copy(), self.taught.area), place))
        return made


class Tracker:
    """Finds how a part lies."""

    def __init__(self, datums: Datums, lens: Lens) -> None:
        self._datums, self._lens = datums, lens
        self._looks = Looks((*datums.turn, *([] if datums.stop is None else [datums.stop])), lens.pixel)

    @property
    def taught(self) -> Signature:
        """The shadow that it was taught by."""
        return self._datums.taught

    def place(self, picture: Picture, seen: Signature | None = None) -> Place:
        """Return how the part in a picture lies, whose shadow may be known already: as its elements fit best.

        Raises
        ------
        EvaluationError
            There is not one whole part, or its elements are not seen: said in words.
        """
        return min(self.places(picture, seen), key=lambda one: one[1])[0]

    def places(self, picture: Picture, seen: Signature | None = None) -> list[tuple[Place, float]]:
        """Return all ways in which the elements fit, and how far their points scatter then, mm.

        Raises
        ------
        EvaluationError
            There is none: said in words.
        """
        seen = seen or signature_of(picture, self._lens)
        said, found, far = "", list[tuple[Place, float]](), False
        for taught, known in self._datums.ways():
            for turn in taught.turns_to(seen):
                c, s = np.cos(turn), np.sin(turn)
                origin = seen.middle + np.array([[c, -s], [s, c]]) @ (known.origin - taught.middle)
                try:
                    place, noise = self._settled(picture, Place(origin, known.turn + turn, known.mirrored))
                except EvaluationError as error:
                    said = said or str(error)
                    continue
                if not self._datums.end_for_end and np.cos(place.turn - known.turn) < 0:
                    far = True
                    continue
                found.append((place, noise))
        if not found and far:
            raise EvaluationError("the part lies end for end, which the plan does not allow")
        if not found:
            raise EvaluationError(f"the part's elements are not found: {said}")
        return found

    def settled(self, picture: Picture, place: Place) -> Place:
        """Return where the elements put a part that lies about at a place.

        Raises
        ------
        EvaluationError
            They are not seen there: said in words.
        """
        return self._settled(picture, place)[0]

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
            lines = [e for e in edges[: len(self._datums.turn)] if isinstance(e, StraightEdge)]
            stop = None if self._datums.stop is None else edges[-1]
            turn, off = frame_of(lines, stop, self._datums.level, self._datums.at)
            place = place.moved(off, turn)
            if abs(turn) * size + float(np.linalg.norm(off)) < _SETTLED * self._lens.pixel:
                break
        return place, noise


def frame_of(
    lines: Sequence[StraightEdge], stop: StraightEdge | RoundEdge | None, level: float = 0.0, at: float = 0.0
) -> tuple[float, Floats]:  # fmt: skip
    """Return by how much coordinates are turned that edges make, rad, and where they begin (2,).

    x goes along the lines (one, or the middle of two), which are at y = `level`; the stop is at x = `at`. Without a
    stop they begin where those begin that the edges are in; a round stop without lines leaves their turn.

    Raises
    ------
    EvaluationError
        The stop lies along the lines, or there is nothing that tells.
    """
    if not lines:
        if not isinstance(stop, RoundEdge):
            raise EvaluationError("a straight edge across tells no coordinates alone: choose one that x goes along")
        return 0.0, stop.center - np.array([at, level])
    ways, points = list[np.ndarray](), []
    for line in lines:
        side = float(line.way @ ways[0]) if ways else float(line.way[0])
        ways.append(line.way if side > 0 else -line.way)
        points.append(line.point)
    way = np.mean(ways, axis=0)
    way = way / np.linalg.norm(way)
    across = np.array([-way[1], way[0]])
    high = float(np.mean([_height(p, w, way) for p, w in zip(points, ways, strict=True)]))
    begin = at
    if isinstance(stop, RoundEdge):
        begin = float(stop.center @ way)
    elif stop is not None:
        # Where the edge crosses the line that x goes along.
        base = (high - level) * across
        along = stop.normal @ way
        if abs(along) < _CROSSED:
            raise EvaluationError("the edge that x begins at lies along it")
        begin = float(stop.normal @ (stop.point - base) / along)
    origin = (begin - at) * way + (high - level) * across
    return float(np.arctan2(way[1], way[0])), origin


def _height(point: Floats, own: Floats, way: Floats) -> float:
    """Return how far left of the beginning, along a mean way, a line through a point goes where that begins."""
    across = np.array([-way[1], way[0]])
    # Its own slope against the mean way takes it from its point to the middle of all.
    slope = float(own @ across) / float(own @ way)
    return float(point @ across - slope * (point @ way))
