"""What happens under a camera, picture by picture: a part is put down, lies still, is taken away; dirt on the glass."""

from __future__ import annotations

from typing import TYPE_CHECKING, Literal

import numpy as np

from truegauge.core.errors import EvaluationError
from truegauge.core.silhouette.shadows import COARSE, levels_of, shadows_in
from truegauge.core.silhouette.signature import the_part_in

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats, Ints
    from truegauge.core.silhouette.edges import Picture

Happening = Literal["nothing", "moving", "put down", "lying"]

_STILL = 3  # pictures that are alike, until a part lies still
_MOVED = 12  # cells that turn dark or light: something moves
_CHANGED = 40.0  # of 255, by which a cell is another
_DIRT = 5  # pictures that a spot is in, wherever the part is, until it is on the glass
_LEAST_DIRT = 60.0  # px2


class Watch:
    """Follows pictures, one after the other."""

    def __init__(self) -> None:
        self._before: Ints | None = None
        self._still = 0
        self._told = False
        self._spots: list[tuple[Floats, int]] = []
        self.words = ""  # why there is nothing to measure

    def follow(self, picture: Picture) -> Happening:
        """Take the next picture; "put down" comes once for every part that has come to lie still.

        What comes after it is "lying" until it is moved or taken away.
        """
        few = picture[::COARSE, ::COARSE].astype(np.int64)
        changed = self._before is None or np.count_nonzero(np.abs(few - self._before) > _CHANGED) > _MOVED
        self._before = few
        self._still = 0 if changed else self._still + 1
        if changed:
            self._told = False
        try:
            the_part_in(picture)
            self.words = ""
        except EvaluationError as error:
            self.words, self._told = str(error), False
            self._note_dirt(picture)
            return "nothing"
        if self._still < _STILL:
            return "moving"
        if self._told:
            return "lying"
        self._told = True
        self._note_dirt(picture)
        return "put down"

    @property
    def dirt(self) -> list[Floats]:
        """Places (2,) px of spots that were in picture after picture, wherever the part was: they are on the glass."""
        return [at for at, times in self._spots if times >= _DIRT]

    def _note_dirt(self, picture: Picture) -> None:
        """Count small shadows that are where they were, of parts put down and of the empty glass."""
        shadows = shadows_in(picture, _LEAST_DIRT)
        largest = shadows[0].area if shadows else 0.0
        small = [s.middle for s in shadows if s.area < 0.05 * largest or self._is_small(picture, s.area)]
        kept: list[tuple[Floats, int]] = []
        for at in small:
            times = next((n for own, n in self._spots if np.linalg.norm(own - at) < COARSE), 0)
            kept.append((at, times + 1))
        # What a part lies on is still there.
        low, high = levels_of(picture)
        for own, times in self._spots:
            y, x = np.clip(np.rint(own[::-1]).astype(np.int64), 0, np.array(picture.shape) - 1)
            seen_again = any(np.linalg.norm(own - at) < COARSE for at, _ in kept)
            if not seen_again and picture[y, x] < (low + high) / 2:
                kept.append((own, times))
        self._spots = kept

    @staticmethod
    def _is_small(picture: Picture, area: float) -> bool:
        return bool(area < 1e-3 * picture.shape[0] * picture.shape[1])
