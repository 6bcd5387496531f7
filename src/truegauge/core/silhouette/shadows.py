"""Which shadows lie in a picture: dark areas, how large, where, whether they reach its border."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats, Ints, Mask
    from truegauge.core.silhouette.edges import Picture

COARSE = 8  # pixels beside each other of which one is looked at
_LEAST, LIT = 30.0, 60.0  # of 255, between the darkest and the lightest; that the light is at least


@dataclass(frozen=True, slots=True, eq=False)
class Shadow:
    """A dark area: its middle (2,) px, its area px2, its second moments (2, 2) px2; whether it reaches the border.

    `named` (rows / COARSE, columns / COARSE) are the cells of the picture, by the `number` of what they belong to.
    """

    middle: Floats
    area: float
    spread: Floats
    at_border: bool
    named: Ints
    number: int

    @property
    def cells(self) -> Mask:
        """The cells (rows / COARSE, columns / COARSE) that belong to it."""
        return np.asarray(self.named == self.number)

    @property
    def along(self) -> Floats:
        """The unit vector (2,) along its longest extent."""
        return np.asarray(np.linalg.eigh(self.spread)[1][:, 1])


def levels_of(picture: Picture) -> tuple[float, float]:
    """Return the grey values of shadow and light: what the darkest and the lightest hundredth is beyond."""
    counts = np.cumsum(np.bincount(picture[::COARSE, ::COARSE].ravel(), minlength=256))
    low, high = np.searchsorted(counts, [0.01 * counts[-1], 0.99 * counts[-1]])
    return float(low), float(high)


def shadows_in(picture: Picture, least_area: float = 400.0) -> list[Shadow]:
    """Return the dark areas of a picture of at least so many px2, the largest first."""
    from scipy import ndimage

    low, high = levels_of(picture)
    if high < LIT:
        return []
    # Where hardly anything is dark the darkest hundredth is light.
    few = picture[::COARSE, ::COARSE] < (low + high if high - low > _LEAST else high) / 2
    named, count = ndimage.label(few)
    made = []
    sizes = np.bincount(named.ravel(), minlength=count + 1) * COARSE**2
    for own, box in enumerate(ndimage.find_objects(named, count), 1):
        if sizes[own] < least_area:
            continue
        rows, columns = np.nonzero(named[box] == own)
        x, y = COARSE * (columns + box[1].start).astype(np.float64), COARSE * (rows + box[0].start).astype(np.float64)
        border = box[0].start == 0 or box[1].start == 0 or box[0].stop == few.shape[0] or box[1].stop == few.shape[1]
        middle = np.array([x.mean(), y.mean()])
        x, y = x - middle[0], y - middle[1]
        spread = np.array([[x @ x, x @ y], [x @ y, y @ y]]) / len(x)
        made.append(Shadow(middle, float(sizes[own]), spread, border, named, own))
    return sorted(made, key=lambda s: -s.area)
