"""Waviness of the sides of a section: what of its deviations is shorter than a wavelength (ISO 16610-21)."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.blades.covering import beside_gaps
from truegauge.core.blades.zones import ZONES, zone_of

if TYPE_CHECKING:
    from collections.abc import Sequence

    from truegauge.core.arrays import Floats
    from truegauge.core.blades.measured_profile import MeasuredProfile
    from truegauge.core.blades.parameters import Blade

_WIDE = 0.46971863934982566  # of the wavelength: a Gaussian so wide passes half of a wave
_PLACES = 1200
SIDES = ("pressure", "suction")


def waviness_of(
    profile: MeasuredProfile, blade: Blade, wavelength: float, gaps: Sequence[tuple[float, float]] = (),
    coefficients: Floats | None = None,
) -> dict[str, float]:  # fmt: skip
    """Return the height of waves, from the lowest to the highest, mm, of both sides; NaN where there are no points.

    What is nearer to an edge than half a wavelength is left out.

    Parameters
    ----------
    wavelength : float
        mm along the profile: half of a wave of this length belongs to its form, shorter ones to its waviness.
    gaps : sequence of (first, last)
        Parameters between which there are no points.
    """
    length = profile.nominal.length
    s = length * np.arange(_PLACES) / _PLACES
    d = profile.deviation(s, coefficients)
    frequency = np.fft.rfftfreq(_PLACES, length / _PLACES)
    passed = np.exp(-np.pi * np.square(_WIDE * wavelength * frequency))
    waves = d - np.fft.irfft(np.fft.rfft(d) * passed, _PLACES)
    zone = zone_of(blade, s)
    # What an edge is off by is no wave of the side beside it.
    beside = wavelength / 2
    edges = [(e.begin - beside, e.end + beside) for e in (blade.leading, blade.trailing)]
    there = beside_gaps(length, s, [*gaps, *edges])
    made = {}
    for name in SIDES:
        own = waves[there & (zone == ZONES.index(name))]
        made[f"waviness_{name}"] = float(np.ptp(own)) if len(own) else float("nan")
    return made
