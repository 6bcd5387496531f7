"""Where things are drawn: lines, loops, circles, arcs, boxes, words. y grows downwards; lengths are the surface's."""

from collections.abc import Sequence
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

Points = Sequence[tuple[float, float]]
Pixels = NDArray[np.uint8]  # (height, width, 3)


class Surface(Protocol):
    """A sheet of the window, of a PDF or of an SVG. An empty colour draws nothing."""

    @property
    def unit(self) -> float:
        """How long a pixel of the window is here: sizes that are meant in pixels are multiplied by it."""

    def crisp(self, value: float) -> float:
        """Return a coordinate of a thin line, moved where it is drawn sharply."""

    def line(self, points: Points, color: str, width: float = 1.0) -> None:
        """Draw an open polyline."""

    def lines(self, segments: Sequence[tuple[float, float, float, float]], color: str, width: float = 1.0) -> None:
        """Draw many straight lines (x, y to x, y) alike: ticks, hatches."""

    def loop(self, points: Points, *, fill: str = "", color: str = "", width: float = 1.0) -> None:
        """Draw a closed polygon."""

    def circle(self, x: float, y: float, radius: float, *, fill: str = "", color: str = "", width: float = 1.0) -> None:
        """Draw a circle."""

    def arc(
        self, x: float, y: float, radius: float, start: float, sweep: float, color: str, width: float = 1.0
    ) -> None:
        """Draw an arc; degrees counter-clockwise from +x."""

    def box(
        self, x: float, y: float, width: float, height: float, *, fill: str = "", color: str = "", line: float = 1.0,
        rounded: float = 0.0,
    ) -> None:  # fmt: skip
        """Draw a box with its upper left corner at a place."""

    def text(self, x: float, y: float, text: str, size: float, color: str, *, bold: bool = False) -> None:
        """Write from a place of the base line to the right."""

    def centered(self, box: tuple[float, float, float, float], text: str, size: float, color: str) -> None:
        """Write in the middle of a box (x, y, width, height)."""

    def advance(self, text: str, size: float, *, bold: bool = False) -> float:
        """Return how wide a text is."""

    def image(self, box: tuple[float, float, float, float], pixels: Pixels) -> None:
        """Draw a picture into a box (x, y, width, height)."""
