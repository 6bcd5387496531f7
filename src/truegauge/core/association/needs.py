"""Checks on points before an association, in the inspector's words."""

import numpy as np

from truegauge.core.arrays import Points
from truegauge.core.errors import AssociationError


def need_points(points: Points, least: int, shape: str) -> None:
    """Refuse too few points and points that are no numbers."""
    if len(points) < least:
        have = "1 point" if len(points) == 1 else f"{len(points)} points"
        raise AssociationError(f"{have}, a {shape} needs {least}")
    if not np.isfinite(points).all():
        raise AssociationError("some points are not numbers (NaN); leave them out")
