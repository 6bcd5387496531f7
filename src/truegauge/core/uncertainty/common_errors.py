"""Errors that all features of one measurement share: probing, and the strain of the device's space."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Points
from truegauge.core.uncertainty.stated_errors import StatedErrors


@dataclass(frozen=True, slots=True, eq=False)
class CommonErrors:
    """One draw of them: `probing` mm outward of the material, `strain` (3, 3) of the space, without unit.

    The strain is a random symmetric matrix, alike in all directions: it holds the scales along three axes and the
    squareness between them, and gives a length in any direction the stated share of its error that grows with it.
    """

    probing: float
    strain: NDArray[np.float64]

    def strained(self, points: Points) -> Points:
        """Return points (n, 3) where a device with this strain has them."""
        return np.asarray(points + points @ self.strain)


def common_errors(number: int, device: StatedErrors) -> CommonErrors:
    """Draw the errors of a trial by its number: the same for every feature, whatever is asked of it."""
    rng = np.random.default_rng([number])
    probing = rng.normal() * device.of_probing / 2
    drawn = rng.normal(size=(3, 3))
    # Beside the diagonal 1 / sqrt(2) of the standard deviation on it, so that n . strain . n has it for any n.
    return CommonErrors(probing, device.of_scale * (drawn + drawn.T) / 2)
