"""Statistics of the deviations of a cloud."""

from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Floats, Mask


@dataclass(frozen=True, slots=True)
class DeviationStatistics:
    """Count, mean, standard deviation, extremes and percentiles, mm, and how many strays were left out of them."""

    count: int
    mean: float
    std: float
    min: float
    max: float
    p05: float
    p50: float
    p95: float
    strays: int = 0


def statistics(distance: Floats, stray: Mask | None = None) -> DeviationStatistics:
    """Return the statistics of signed distances (n,), n >= 1, without those that are `stray` (n,)."""
    left_out = 0 if stray is None else int(stray.sum())
    if stray is not None and left_out:
        distance = distance[~stray]
    p05, p50, p95 = (float(x) for x in np.percentile(distance, [5, 50, 95]))
    return DeviationStatistics(
        len(distance), float(distance.mean()), float(distance.std()), float(distance.min()), float(distance.max()),
        p05, p50, p95, left_out,
    )  # fmt: skip
