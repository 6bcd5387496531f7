"""How the parameters of a section are constructed, where it is not left as it is found: edges, tangent."""

from __future__ import annotations

from dataclasses import dataclass

from truegauge.core.blades.edges import SHARE


@dataclass(frozen=True, slots=True)
class Construction:
    """What is set by hand.

    `leading_share` and `trailing_share` say how much of each edge its circle is fitted to (see `edge_at`), and
    `leading_moved` and `trailing_moved` (mm along the profile, towards the pressure side) where the middle of that is.
    `tangent` are two shares of the chord at which the straight edge lies on the pressure side; None: where it touches.
    """

    leading_share: float = SHARE
    trailing_share: float = SHARE
    leading_moved: float = 0.0
    trailing_moved: float = 0.0
    tangent: tuple[float, float] | None = None


AS_FOUND = Construction()
