"""Waves that a reference does not follow: what is left of them, and how far a depth may be off by it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats, Ints, Mask

_BLOCK = 1.0 / 12.0  # of a wavelength: the mean of so much shows waves, hardly noise
_LEAST_BLOCKS = 10
_FULL = 0.5  # of the usual number of points that a block has at least, to be judged
_UNDER = 2.0  # how much larger they are under what the reference may not look at, by its width in wavelengths


@dataclass(frozen=True, slots=True, eq=False)
class Blocks:
    """Means (r, c) mm of deviations in blocks of `cells` x `cells` cells, and which `full` (r, c) of them count.

    `shrunk` is what the noise of a point comes to in the mean of a block.
    """

    cells: int
    mean: Floats
    full: Mask
    shrunk: float

    @staticmethod
    def of(deviation: Floats, count: Ints, size: float, wavelength: float) -> Blocks:
        """Return blocks of a twelfth of a wavelength (mm).

        Parameters
        ----------
        deviation, count : (r, c)
            Of cells of `size` mm: mean of their points (NaN: none), and how many there are.
        """
        cells = max(1, round(_BLOCK * wavelength / size))
        rows, columns = deviation.shape[0] // cells, deviation.shape[1] // cells
        inside, shape = (slice(rows * cells), slice(columns * cells)), (rows, cells, columns, cells)
        known = np.isfinite(deviation[inside])
        points = np.where(known, count[inside], 0).reshape(shape).sum(axis=(1, 3))
        sums = np.where(known, deviation[inside] * count[inside], 0.0).reshape(shape).sum(axis=(1, 3))
        usual = float(np.median(points[points > 0])) if points.any() else 1.0
        full = points >= max(1.0, _FULL * usual)
        shrunk = float(np.median(1.0 / np.sqrt(points[full]))) if full.any() else 0.0
        return Blocks(cells, sums / np.maximum(points, 1), full, shrunk)

    def left(self, rows: Ints, columns: Ints, noise: float) -> float:
        """Return the robust scale (mm) of the waves that are left outside of cells at `rows`, `columns` (n,).

        What `noise` of a point (mm) makes of the means is taken off.
        """
        own = self.full.copy()
        r, c = rows // self.cells, columns // self.cells
        there = (r < own.shape[0]) & (c < own.shape[1])
        own[r[there], c[there]] = False
        if np.count_nonzero(own) < _LEAST_BLOCKS:
            return 0.0
        mean = self.mean[own]
        scale = 1.4826 * float(np.median(np.abs(mean - np.median(mean))))
        return float(np.sqrt(max(0.0, scale**2 - (noise * self.shrunk) ** 2)))


def off_by_waves(waves: float, width: Floats, wavelength: float) -> Floats:
    """Return by how much (n,) mm depths of what is `width` (n,) mm wide may be off, standard uncertainty.

    Under what is left out of it a reference bridges a wave, and is the farther off it the wider that is.
    """
    return np.asarray(waves * (1.0 + _UNDER * width / wavelength))
