"""Checks on points before an association, in the inspector's words."""

import numpy as np

from truegauge.core.arrays import Floats, Points
from truegauge.core.errors import AssociationError, TooFewPointsError


def need_points(points: Points, least: int, shape: str, given: str = "") -> None:
    """Refuse too few points and points that are no numbers; `given` says what is held, for the message."""
    if len(points) < least:
        have = "1 point" if len(points) == 1 else f"{len(points)} points"
        raise TooFewPointsError(f"{have}, a {shape}{given} needs {least}")
    if not np.isfinite(points.sum()) and not np.isfinite(points).all():
        raise AssociationError("some points are not numbers (NaN); leave them out")


def need_weights(weights: Floats, count: int) -> Floats:
    """Return weights (n,) as float64; refuse another number of them, and weights that are not positive numbers."""
    weights = np.asarray(weights, dtype=np.float64)
    if weights.shape != (count,):
        raise AssociationError(f"{weights.size} weights for {count} points; each point needs one")
    bad = np.flatnonzero(~(np.isfinite(weights) & (weights > 0)))
    if len(bad):
        raise AssociationError(f"the weight of point {bad[0] + 1} is {weights[bad[0]]:g}; weights are above 0")
    return weights
