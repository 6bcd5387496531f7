"""What a blade does over its height: twist, lean and bow, and how its values change from section to section."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from collections.abc import Sequence

    from truegauge.core.arrays import Floats
    from truegauge.core.blades.result import SectionResult


@dataclass(frozen=True, slots=True, eq=False)
class OverHeight:
    """Deviations from the nominal at `heights` (n,) mm: `twist` (n,) rad, places of the centroid `off` (n, 2) mm.

    `lean` (2,) is how far it leans, mm by mm; `bow` (n, 2) mm what is left of `off` beside the straight line that fits
    it best. NaN where a section tells it not.
    """

    heights: Floats
    twist: Floats
    off: Floats
    lean: Floats
    bow: Floats


def over_height(results: Sequence[SectionResult]) -> OverHeight:
    """Return what sections, in the same axes, tell of the whole blade; lean and bow from three of them on."""
    heights = np.array([one.height for one in results], dtype=np.float64)

    def more(name: str) -> Floats:
        return np.array([one.values.get(name, np.nan) - one.nominal_values[name] for one in results])

    twist = np.mod(more("chord_angle") + np.pi, 2 * np.pi) - np.pi
    off = np.column_stack([more("centroid_x"), more("centroid_y")])
    lean, bow = np.full(2, np.nan), np.full(off.shape, np.nan)
    known = np.isfinite(off).all(axis=1)
    if np.count_nonzero(known) > 2 and np.ptp(heights[known]) > 0:
        line = np.polyfit(heights[known], off[known], 1)
        lean = line[0]
        bow[known] = off[known] - (heights[known, None] * line[0] + line[1])
    return OverHeight(heights, twist, off, np.asarray(lean), bow)
