"""Finding the points near a place or a plane in a large cloud: runs of points that lie together, with their boxes."""

import numpy as np

from truegauge.core.arrays import Ints, Points, Vector

_RUN = 512


class NearIndex:
    """Points (n, 3) in a spatial order (`spatial_order`); any other order works too, but slower."""

    def __init__(self, points: Points) -> None:
        self.points = points
        self._starts = np.arange(0, len(points), _RUN)
        if len(points):
            self._low = np.minimum.reduceat(points, self._starts)
            self._high = np.maximum.reduceat(points, self._starts)

    def within(self, place: Vector, radius: float) -> Ints:
        """Return the rows of the points no farther than `radius` mm from a place, in ascending order."""
        if not len(self.points):
            return np.zeros(0, dtype=np.int64)
        apart = np.maximum(np.maximum(self._low - place, place - self._high), 0.0)
        rows = self._rows((apart**2).sum(axis=1) <= radius**2)
        return np.asarray(rows[((self.points[rows] - place) ** 2).sum(axis=1) <= radius**2])

    def in_slab(self, origin: Vector, normal: Vector, half: float) -> Ints:
        """Return the rows of the points no farther than `half` mm from a plane (unit normal), in ascending order."""
        if not len(self.points):
            return np.zeros(0, dtype=np.int64)
        middle = ((self._low + self._high) / 2 - origin) @ normal
        extent = (self._high - self._low) / 2 @ np.abs(normal)
        rows = self._rows(np.abs(middle) - extent <= half)
        return np.asarray(rows[np.abs((self.points[rows] - origin) @ normal) <= half])

    def _rows(self, chosen: np.ndarray) -> Ints:
        starts = self._starts[chosen]
        rows = (starts[:, None] + np.arange(_RUN)[None, :]).ravel()
        return np.asarray(rows[rows < len(self.points)])
