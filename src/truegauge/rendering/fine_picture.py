"""A picture at rest that is rendered a band at a time, so that whoever renders it can do other things in between."""

import time

import numpy as np
from numpy.typing import NDArray

from truegauge.rendering.camera import Camera
from truegauge.rendering.scene import Scene

_BAND_S = 0.03  # wanted for a band
_HEIGHTS = (24, 48, 96)  # rows; few heights, as every change costs new buffers
_PARTS = 32  # of the height of a picture, each with what its rows cost


class Pace:
    """How many rows a band has: as many as are rendered in the time wanted for it.

    A part in the middle of the view costs several times what the empty rows above it do, so that it is learned from the
    bands before at about the same height, of this picture or the last. What a band costs at any height (the scene is
    looked through once for each) is told apart from what its rows do: else small bands would seem dear, and stay small.
    """

    def __init__(self) -> None:
        self._at_least = _BAND_S / 4  # seconds of any band
        self._row = np.full(_PARTS, _BAND_S / 2 / _HEIGHTS[1])  # seconds a row

    def rows(self, top: int, height: int) -> int:
        """Return the rows of the next band, from `top` on, of a picture of some height."""
        fit = [n for n in _HEIGHTS if self._at_least + n * self._row[_parts(top, n, height)].max() <= _BAND_S]
        return min(max(fit, default=_HEIGHTS[0]), height)

    def took(self, seconds: float, top: int, rows: int, height: int) -> None:
        """Learn from a band."""
        self._at_least = min(seconds, 1.02 * self._at_least)
        self._row[_parts(top, rows, height)] = max(seconds - self._at_least, 0.0) / rows


def _parts(top: int, rows: int, height: int) -> slice:
    return slice(top * _PARTS // height, max((top + rows) * _PARTS // height, top * _PARTS // height + 1))


class FinePicture:
    """One picture (height, width, 4) of a scene, `done` when all its rows are there."""

    def __init__(self, scene: Scene, camera: Camera, width: int, height: int, pace: Pace) -> None:
        self._scene, self._camera, self._pace = scene, camera, pace
        self.width, self.height = width, height
        self.pixels: NDArray[np.uint8] = np.zeros((height, width, 4), dtype=np.uint8)
        self._next = -1  # the scene is made ready first

    @property
    def done(self) -> bool:
        """Whether all of it is there."""
        return self._next >= self.height

    def step(self) -> None:
        """Render a band more."""
        if self._next < 0:
            self._scene.prepare(self._camera, self.width / self.height)
            self._next = 0
            return
        rows = self._pace.rows(self._next, self.height)
        top = min(self._next, self.height - rows)  # the last band is as high as the others
        begun = time.perf_counter()
        self.pixels[top : top + rows] = self._scene.render_band(self._camera, self.width, self.height, top, rows)
        self._pace.took(time.perf_counter() - begun, top, rows, self.height)
        self._next = top + rows
