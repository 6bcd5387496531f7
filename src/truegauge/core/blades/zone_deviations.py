"""Deviations of a measured section from its nominal: of all of it, and of each zone; what is in gaps aside."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.blades.covering import beside_gaps
from truegauge.core.blades.zones import ZONES, zone_of

if TYPE_CHECKING:
    from collections.abc import Sequence

    from truegauge.core.arrays import Floats, Mask
    from truegauge.core.blades.measured_profile import MeasuredProfile
    from truegauge.core.blades.parameters import Blade
    from truegauge.core.blades.profile import Profile

_SEEN = 600  # places that deviations are told by


@dataclass(frozen=True, slots=True, eq=False)
class Deviations:
    """The deviations of a section from its nominal, mm, positive outside: of its estimated curve, where points are."""

    lowest: float
    highest: float
    mean: float
    rms: float

    @staticmethod
    def of(deviations: Floats, lengths: Floats) -> Deviations:
        """Tell deviations (n,), each along a length (n,), mm; NaN where there are none."""
        if not len(deviations):
            nothing = float("nan")
            return Deviations(nothing, nothing, nothing, nothing)
        mean, square = (float(np.average(deviations**k, weights=lengths)) for k in (1, 2))
        return Deviations(float(deviations.min()), float(deviations.max()), mean, float(np.sqrt(square)))


def seen_places(nominal: Profile, gaps: Sequence[tuple[float, float]]) -> tuple[Floats, Mask]:
    """Return the places (n,) of a profile that deviations are told by, and which are not in a gap (n,)."""
    s = nominal.places(_SEEN)
    return s, beside_gaps(nominal.length, s, gaps)


def deviations_of(
    profile: MeasuredProfile, blade: Blade, gaps: Sequence[tuple[float, float]], coefficients: Floats | None = None
) -> dict[str, Deviations]:
    """Return the deviations of a measured profile by zone, and of `all` of it, without what is in gaps."""
    s, there = seen_places(profile.nominal, gaps)
    length = profile.nominal.length
    after = np.append(s[1:], s[0] + length)
    lengths = (after - np.roll(after, 2) + length) % length / 2
    d, zone = profile.deviation(s, coefficients), zone_of(blade, s)
    made = {"all": Deviations.of(d[there], lengths[there])}
    for number, name in enumerate(ZONES):
        own = there & (zone == number)
        made[name] = Deviations.of(d[own], lengths[own])
    return made
