"""Frames along the directions of ideal features."""

import numpy as np

from truegauge.core.arrays import Points, Vector, for_reading
from truegauge.core.association import small_algebra


def axes_along(direction: Vector) -> Points:
    """Return rows x, y, z of a right-handed frame whose z is the direction."""
    return np.asarray(small_algebra.axes_along(for_reading(direction)))  # type: ignore[no-untyped-call]


def flat_axes(direction: Vector, normal: Vector) -> Points:
    """Return rows x along the direction, z along the normal."""
    return np.vstack([direction, np.cross(normal, direction), normal])
