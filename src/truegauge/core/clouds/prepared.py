"""What is worked out once for a set of raw points and used by every later step."""

from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Ints, Mask, Points, frozen
from truegauge.core.clouds.spatial import isolated, spatial_order, typical_spacing
from truegauge.core.progress import Progress, silent


@dataclass(frozen=True, slots=True, eq=False)
class PreparedCloud:
    """The points of a sample (n, 3) mm in a spatial order: neighbours stand near each other in memory.

    `order` (n,) are their indices among the raw points, `spacing` their typical distance (mm), `isolated` (n,) marks
    those that stand alone. Masks and rows of later steps refer to this order.
    """

    points: Points
    order: Ints
    spacing: float
    isolated: Mask


def prepare(points: Points, *, progress: Progress = silent) -> PreparedCloud:
    """Order points and mark isolated ones; the raw points are left as they are."""
    progress(0.0, "sorting the points")
    order = spatial_order(points)
    walked = np.ascontiguousarray(points[order])
    progress(0.5, "looking for stray points")
    spacing = typical_spacing(walked)
    alone = isolated(walked, spacing) if len(walked) > 100 else np.zeros(len(walked), dtype=bool)
    return PreparedCloud(frozen(walked), frozen(order), spacing, frozen(alone))
