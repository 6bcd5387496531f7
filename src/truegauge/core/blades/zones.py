"""The zones of a section: both edges, as far as their circles go, and the sides between them."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats, Mask
    from truegauge.core.blades.parameters import Blade

ZONES = ("leading", "trailing", "pressure", "suction")


def zone_of(blade: Blade, s: Floats) -> Floats:
    """Return which zone (n,) parameters (n,) are in, by its number in `ZONES`.

    Against the clock from the leading to the trailing edge goes the side on the right of the chord.
    """
    right = 2 if blade.pressure < 0 else 3
    made = np.where(_between(blade, s, blade.leading.s, blade.trailing.s), right, 5 - right)
    for number, edge in enumerate((blade.leading, blade.trailing)):
        made = np.where(_between(blade, s, edge.begin, edge.end), number, made)
    return np.asarray(made)


def _between(blade: Blade, s: Floats, low: float, high: float) -> Mask:
    length = blade.profile.length
    return np.asarray(np.mod(s - low, length) <= np.mod(high - low, length))
