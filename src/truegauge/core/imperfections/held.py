"""How well the reference is held: where it may be off, and by how much, for all of the surface."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats
    from truegauge.core.imperfections.finding import Smoothed
    from truegauge.core.imperfections.preparing import Prepared

_PLACES = 2_000  # that it is worked out at; between them it changes little
_COVERAGE = 2.0  # of standard uncertainties


def noise_per_area(prepared: Prepared, found: Smoothed) -> float:
    """Return the noise of a height that stands for 1 mm2, mm."""
    cells = prepared.surface.cells
    there = np.isfinite(prepared.surface.deviation)
    return float(found.point_noise * cells.size / np.sqrt(float(np.mean(cells.count[there]))))


def expanded_uncertainty(prepared: Prepared, found: Smoothed, waves: float) -> Floats:
    """Return by how much (r, c) the reference may be off, mm (k = 2); NaN outside of it, and where nothing tells.

    By the noise of the points, and by `waves` (mm) that it follows in part only. A plane or cylinder through all of a
    surface is held everywhere: only what follows waves or rings is not.
    """
    from scipy.interpolate import griddata

    cells, part = prepared.surface.cells, prepared.part
    made = np.full(cells.shape, np.nan)
    per_area = noise_per_area(prepared, found)
    for k, fit in enumerate(prepared.smooth, 1):
        rows, columns = np.nonzero(part == k)
        if not len(rows):
            continue
        step = max(1, int(np.sqrt(len(rows) / _PLACES)))
        chosen = (rows % step == 0) & (columns % step == 0)
        # The ends of it, where it is held least, belong to what is known of it.
        chosen |= _is_end(part == k)[rows, columns] & ((rows + columns) % step == 0)
        at = cells.middles(rows, columns)
        known = fit.spread(at[chosen])
        value = np.full(len(rows), np.nan)
        if np.count_nonzero(chosen) > 3:
            value = griddata(at[chosen], known, at, method="linear")
        gone = ~np.isfinite(value)
        if gone.any():
            value[gone] = griddata(at[chosen], known, at[gone], method="nearest")
        made[rows, columns] = _COVERAGE * np.hypot(per_area * value, waves)
    return made


def _is_end(inside: np.ndarray) -> np.ndarray:
    from scipy.ndimage import binary_erosion

    return np.asarray(inside & ~binary_erosion(inside, np.ones((3, 3))))
