"""What a lens makes of round edges: smaller than they are, by their own curvature."""

from __future__ import annotations

import math

from truegauge.core.silhouette.edges import READING


def true_radius(seen: float, blur: float, pixel: float) -> float:
    """Return the radius of a round edge, mm, that is seen with a radius.

    Half the light comes through, behind a Gaussian lens, beside a round edge: s^2 / 2 r nearer to its centre, to first
    order, whichever side is dark (the heat equation moves level lines by their curvature).

    Parameters
    ----------
    seen : float
        mm; `blur` is the lens's, px, and `pixel` the size of one, mm.
    """
    square = (blur * blur + READING) * pixel * pixel
    return 0.5 * (seen + math.sqrt(seen * seen + 2.0 * square))
