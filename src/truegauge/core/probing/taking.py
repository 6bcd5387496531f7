"""Ways in which points are taken of a tip that moves: by itself when it rests, every so far, every so often."""

from __future__ import annotations

from collections import deque
from enum import StrEnum
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from truegauge.core.arrays import Vector

_LEFT = 3.0  # radii of the ball that a tip must leave before it rests anew


class Way(StrEnum):
    """How points are taken beside the button of the device."""

    BUTTON = "button"
    REST = "rest"
    DISTANCE = "distance"
    TIME = "time"


class PointTaker:
    """Is told where a tip is, and says where a point is to be taken.

    `distance` mm between points, `seconds` between points, while somebody holds the button or key; a tip `rests` when
    it has stayed within a ball of radius `ball` mm for `rest_s`.
    """

    def __init__(
        self, way: Way, *, distance: float = 2.0, seconds: float = 0.5, rest_s: float = 0.6, ball: float = 0.15
    ) -> None:  # fmt: skip
        self.way, self.distance, self.seconds, self.rest_s, self.ball = way, distance, seconds, rest_s, ball
        self._lately: deque[tuple[float, Vector]] = deque()
        self._taken: tuple[float, Vector] | None = None  # of this stroke

    def moved(self, time: float, place: Vector, *, held: bool) -> Vector | None:
        """Return where a point is to be taken (3,), None for none, of a tip at a place (3,) at a time (s)."""
        place = np.asarray(place, dtype=np.float64)
        if self.way is Way.BUTTON:
            return None
        if self.way is Way.REST:
            return self._rested(time, place)
        if not held:
            self._taken = None
            return None
        if self._taken is not None:
            before, at = self._taken
            far = np.linalg.norm(place - at) >= self.distance
            if not (far if self.way is Way.DISTANCE else time - before >= self.seconds):
                return None
        self._taken = (time, place)
        return place

    def _rested(self, time: float, place: Vector) -> Vector | None:
        if self._lately and not 0 <= time - self._lately[-1][0] < self.rest_s:
            self._lately.clear()  # nothing is known of the time between, or the clock jumped
        self._lately.append((time, place))
        while len(self._lately) > 1 and time - self._lately[1][0] >= self.rest_s:
            self._lately.popleft()
        if self._taken is not None:
            if np.linalg.norm(place - self._taken[1]) < _LEFT * self.ball:
                return None
            self._taken = None
            self._lately = deque([(time, place)])
        if time - self._lately[0][0] < self.rest_s:
            return None
        places = np.array([p for _, p in self._lately])
        middle = np.asarray(places.mean(axis=0))
        if np.linalg.norm(places - middle, axis=1).max() > self.ball:
            return None
        self._taken = (time, middle)
        return middle
