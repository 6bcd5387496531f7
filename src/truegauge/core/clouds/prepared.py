"""What is worked out once for a set of raw points and used by every later step."""

from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Ints, Mask, Points, frozen
from truegauge.core.clouds.spatial import isolated, spatial_order, typical_spacing
from truegauge.core.progress import Progress, silent


@dataclass(frozen=True, slots=True, eq=False)
class PreparedCloud:
    """Raw points (n, 3) mm, a spatial walk through them, their typical spacing (mm), and which stand alone."""

    points: Points
    order: Ints
    spacing: float
    isolated: Mask


def prepare(points: Points, *, progress: Progress = silent) -> PreparedCloud:
    """Order points and mark isolated ones."""
    progress(0.0, "sorting the points")
    order = spatial_order(points)
    progress(0.5, "looking for stray points")
    spacing = typical_spacing(points, order)
    alone = isolated(points, spacing) if len(points) > 100 else np.zeros(len(points), dtype=bool)
    return PreparedCloud(points, frozen(order), spacing, frozen(alone))
