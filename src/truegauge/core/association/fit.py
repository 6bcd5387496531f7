"""What an association returns."""

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from truegauge.core.arrays import Floats, Points
from truegauge.core.association.features import Feature, Line
from truegauge.core.association.minimax import Certificate


class Criterion(StrEnum):
    """The association criteria (ISO 22432, ISO 14405-1)."""

    LEAST_SQUARES = "least_squares"
    MINIMUM_ZONE = "minimum_zone"
    MINIMUM_CIRCUMSCRIBED = "minimum_circumscribed"
    MAXIMUM_INSCRIBED = "maximum_inscribed"


@dataclass(frozen=True, slots=True, eq=False)
class Fit:
    """An associated feature with the residuals it leaves.

    `residuals` (n,) mm, signed as `Feature.distances`; `form` peak to valley (for a line in space twice the largest
    distance, unless they are signed in a plane); `rms` root mean square. `certificate` proves minimax criteria.
    """

    feature: Feature
    criterion: Criterion
    residuals: Floats
    iterations: int = 0
    certificate: Certificate | None = None
    width_is_signed: bool = False

    @property
    def form(self) -> float:
        """Width of the zone that holds the residuals, mm."""
        if isinstance(self.feature, Line) and not self.width_is_signed:
            return 2 * float(self.residuals.max())
        return float(self.residuals.max() - self.residuals.min())

    @property
    def rms(self) -> float:
        """Root mean square of the residuals, mm."""
        return float(np.sqrt(np.mean(self.residuals**2)))


def finished(feature: Feature, points: Points, criterion: Criterion, iterations: int = 0) -> Fit:
    """Build the result from the feature and the points it was associated with."""
    return Fit(feature, criterion, feature.distances(points), iterations)
