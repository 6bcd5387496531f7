"""Choosing which points of a large cloud to draw: those in view, and no more than a picture can show."""

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Ints, Points
from truegauge.rendering.camera import Camera

BLOCK = 2048
_SAMPLED = 8  # of the points of a block that tell its extent


class PointBlocks:
    """Points (n, 3) in a spatial order, in runs that lie close together."""

    def __init__(self, points: Points) -> None:
        self.count = len(points)
        starts = np.arange(0, self.count, BLOCK)
        # A few points of each run tell where it is; half as much again makes up for those not looked at.
        sampled = points[::_SAMPLED]
        at = np.minimum(starts // _SAMPLED, len(sampled) - 1)
        low, high = np.minimum.reduceat(sampled, at), np.maximum.reduceat(sampled, at)
        self._centers = (low + high) / 2
        self._radii = 0.75 * np.linalg.norm(high - low, axis=1)
        self._starts = starts

    def chosen(self, camera: Camera, aspect: float, most: int) -> Ints:
        """Return the rows to draw: every so many of the runs that the camera sees, about `most` at most."""
        from_target = self._centers - camera.target
        room = self._radii
        seen = np.abs(from_target @ camera.up) <= camera.height / 2 + room
        seen &= np.abs(from_target @ camera.right) <= camera.height * aspect / 2 + room
        starts = self._starts[seen]
        step = max(1, -(-len(starts) * BLOCK // most))
        rows = (starts[:, None] + np.arange(0, BLOCK, step)[None, :]).ravel()
        return np.asarray(rows[rows < self.count])


def states(off: NDArray[np.bool_] | None, removed: NDArray[np.bool_] | None, count: int) -> NDArray[np.uint8]:
    """Return 0 for points drawn plainly, 1 for pale ones, 2 for those not drawn."""
    out = np.zeros(count, dtype=np.uint8)
    if off is not None:
        out[off] = 1
    if removed is not None:
        out[removed] = 2
    return out
