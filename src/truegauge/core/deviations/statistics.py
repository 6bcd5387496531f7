"""Statistics of the deviations of a cloud."""

from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Floats


@dataclass(frozen=True, slots=True)
class DeviationStatistics:
    """Count, mean, standard deviation, extremes and percentiles, mm."""

    count: int
    mean: float
    std: float
    min: float
    max: float
    p05: float
    p50: float
    p95: float


def statistics(distance: Floats) -> DeviationStatistics:
    """Return the statistics of signed distances (n,), n >= 1."""
    p05, p50, p95 = (float(x) for x in np.percentile(distance, [5, 50, 95]))
    return DeviationStatistics(
        len(distance), float(distance.mean()), float(distance.std()), float(distance.min()), float(distance.max()),
        p05, p50, p95,
    )  # fmt: skip
