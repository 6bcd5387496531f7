"""A picture at rest that is rendered a band at a time, so that whoever renders it can do other things in between."""

import time

import numpy as np
from numpy.typing import NDArray

from truegauge.rendering.camera import Camera
from truegauge.rendering.scene import Scene

_BAND_S = 0.02  # wanted for a band
_LEAST, _FIRST = 24, 64  # rows


class Pace:
    """How many rows a band has: as many as are rendered in the time wanted for it, learned from those before."""

    def __init__(self) -> None:
        self.rows = _FIRST

    def took(self, seconds: float) -> None:
        """Learn from a band; the height changes in steps, as every change costs new buffers."""
        if seconds > 1.6 * _BAND_S:
            self.rows = max(_LEAST, self.rows // 2)
        elif seconds < 0.3 * _BAND_S:
            self.rows = min(2 * _FIRST, self.rows * 2)


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
        rows = self._pace.rows
        top = max(0, min(self._next, self.height - rows))  # the last band is as high as the others
        rows = min(rows, self.height)
        begun = time.perf_counter()
        self.pixels[top : top + rows] = self._scene.render_band(self._camera, self.width, self.height, top, rows)
        self._pace.took(time.perf_counter() - begun)
        self._next = top + rows
