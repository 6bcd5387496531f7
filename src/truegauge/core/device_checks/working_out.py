"""What the touches of a check say: spread in one seat, errors on a sphere, how far something has moved or warmed."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.association.by_criterion import associate
from truegauge.core.association.enclosing import smallest_ball
from truegauge.core.association.features import Shape, Sphere
from truegauge.core.errors import AssociationError, EvaluationError

if TYPE_CHECKING:
    from collections.abc import Sequence

    from truegauge.core.arrays import Points

STEADY_K = 0.2  # that a warm device may change by in a quarter of an hour
STEADY_S = 900.0


def seat_spread(places: Points) -> float:
    """Return the diameter (mm) of the smallest ball around the places (n, 3) of a tip in one seat.

    The location error from several orientations of ISO 10360-12.
    """
    _, radius, _ = smallest_ball(np.asarray(places, dtype=np.float64))
    return 2 * radius


def sphere_errors(places: Points, radius: float, diameter: float) -> tuple[float, float]:
    """Return what a sphere is measured too large, and its form, mm, by centres (n, 3) of a tip of a radius (mm).

    Size and form of the least-squares sphere (ISO 10360-12).

    Raises
    ------
    EvaluationError
        The touches do not make a sphere.
    """
    try:
        fit = associate(Shape.SPHERE, places)
    except AssociationError as error:
        raise EvaluationError(f"these touches make no sphere ({error})") from error
    sphere = fit.feature
    assert isinstance(sphere, Sphere)
    off = np.linalg.norm(places - sphere.pose.origin, axis=1)
    measured = 2 * (float(sphere.radius) - radius)
    if not 0.5 * diameter < measured < 1.5 * diameter:
        raise EvaluationError(
            f"these touches make a sphere of {measured:.2f} mm, not of {diameter:.2f}: is it another?"
        )
    return measured - diameter, float(np.ptp(off))


def warming(readings: Sequence[tuple[float, float]]) -> float | None:
    """Return by how much (K) a temperature changed in the last quarter of an hour; None: not known for so long.

    `readings` are times (s) and temperatures (°C), the latest last.
    """
    if not readings or readings[-1][0] - readings[0][0] < STEADY_S:
        return None
    lately = [c for t, c in readings if t >= readings[-1][0] - STEADY_S]
    return max(lately) - min(lately)
