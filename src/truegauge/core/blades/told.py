"""Everything that is told of a section as numbers with names: its values, its profile by zone, its fit."""

from __future__ import annotations

from typing import TYPE_CHECKING

from truegauge.core.blades.parameters import thickness_at, thickness_at_share, values_of
from truegauge.core.blades.waviness import SIDES
from truegauge.core.blades.zones import ZONES

if TYPE_CHECKING:
    from collections.abc import Mapping

    from truegauge.core.blades.asked import Asked
    from truegauge.core.blades.parameters import Blade
    from truegauge.core.blades.section_fit import SectionFit
    from truegauge.core.blades.zone_deviations import Deviations

OF_PROFILE = ("min", "max", "mean", "form")
BEYOND = "beyond"  # by how much a profile is beyond its bands
WHENS = ("before", "after")  # the fit
ANYWHERE = ("all", *ZONES)


def blade_values(blade: Blade, asked: Asked) -> dict[str, float]:
    """Return all values of a section, with its thickness where that is asked for; mm, mm2, rad."""
    made = values_of(blade)
    for distance in asked.edge_distances:
        made[f"leading_thickness_{distance:g}"] = thickness_at(blade, distance)
        made[f"trailing_thickness_{distance:g}"] = thickness_at(blade, distance, trailing=True)
    for share in asked.chord_shares:
        made[f"thickness_{share:g}"] = thickness_at_share(blade, share)
    return made


def profile_name(what: str, zone: str, when: str) -> str:
    """Return the name of a deviation of the profile: "profile_max.leading.after"."""
    return f"profile_{what}.{zone}.{when}"


def profile_values(told: Mapping[str, Deviations], when: str) -> dict[str, float]:
    """Return the deviations of a profile by zone, before or after the fit, by their names."""
    made: dict[str, float] = {}
    for zone, own in told.items():
        numbers = (own.lowest, own.highest, own.mean, own.highest - own.lowest)
        made |= {profile_name(what, zone, when): v for what, v in zip(OF_PROFILE, numbers, strict=True)}
    return made


def fit_values(fit: SectionFit) -> dict[str, float]:
    """Return how far the fit moves a section, mm and rad."""
    return {"fit_dx": float(fit.shift[0]), "fit_dy": float(fit.shift[1]), "fit_turn": fit.turn}


def nominals_beside(asked: Asked) -> dict[str, float]:
    """Return the nominals, all 0, of what only a measured section has."""
    made = {profile_name(what, zone, when): 0.0 for what in OF_PROFILE for zone in ANYWHERE for when in WHENS}
    made |= dict.fromkeys(("fit_dx", "fit_dy", "fit_turn"), 0.0)
    return made | ({f"waviness_{side}": 0.0 for side in SIDES} if asked.wavelength else {})
