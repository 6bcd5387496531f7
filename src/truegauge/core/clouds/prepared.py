"""What is worked out once for a set of raw points and used by every later step."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Mask, Points, frozen
from truegauge.core.clouds.spatial import gathered, isolated, spatial_order, typical_spacing
from truegauge.core.progress import Progress, silent
from truegauge.core.shelf import NO_SHELF, Arrays, Shelf, key_of


@dataclass(frozen=True, slots=True, eq=False)
class PreparedCloud:
    """The points of a sample in a spatial order: neighbours stand near each other in memory.

    `raw` (n, 3) mm are the points as they came, which the sample keeps anyway; the walk through them is made when it
    is asked for, since another copy of a large scan is not always worth its memory. `order` (n,) are their indices
    among the raw points, `spacing` their typical distance (mm), `isolated` (n,) marks those that stand alone. Masks
    and rows of later steps refer to this order. `points` are the raw ones times `growth` (temperature).
    """

    raw: Points
    order: NDArray[np.int32]
    spacing: float
    isolated: Mask
    growth: float = 1.0

    @property
    def points(self) -> Points:
        """The points (n, 3) in order, made anew: keep it while it is used."""
        points = gathered(self.raw, self.order)
        if self.growth != 1.0:
            points *= self.growth
        return points


def prepare(
    points: Points, *, growth: float = 1.0, shelf: Shelf = NO_SHELF, progress: Progress = silent
) -> PreparedCloud:
    """Order points and mark isolated ones; the raw points are left as they are."""

    def made() -> Arrays:
        progress(0.0, "sorting the points")
        order = spatial_order(points)
        walked = gathered(points, order)
        progress(0.5, "looking for stray points")
        spacing = typical_spacing(walked)
        alone = isolated(walked, spacing) if len(walked) > 100 else np.zeros(len(walked), dtype=bool)
        return {"order": order.astype(np.int32), "spacing": np.array([spacing]), "alone": alone}

    kept = shelf.take("cloud", key_of(points), made)
    return PreparedCloud(points, frozen(kept["order"]), float(kept["spacing"][0]), frozen(kept["alone"]), growth)
