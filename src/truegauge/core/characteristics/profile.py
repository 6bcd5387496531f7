"""Profiles of surfaces and lines (ISO 1660:2017)."""

from dataclasses import dataclass

from truegauge.core.characteristics.kind import NONE, Kind, Limits, Nominals
from truegauge.core.characteristics.zones import ZoneKind
from truegauge.core.tolerancing import geometric_fits
from truegauge.core.tolerancing.general import GeneralTolerances


@dataclass(frozen=True, kw_only=True)
class Profile(ZoneKind):
    """A profile: of faces that are no ideal feature too."""

    is_profile: bool = True
    takes_tiers: bool = True
    takes_pattern: bool = True
    needs: tuple[str, ...] = ()


@dataclass(frozen=True, kw_only=True)
class SurfaceProfile(Profile):
    """The profile of a surface, for which a plan may state a general tolerance."""

    def general(self, stated: GeneralTolerances, nominal: float, features: Nominals) -> Limits:
        """Return the general profile tolerance of the plan."""
        return NONE if stated.surface is None else (None, stated.surface)


def kinds() -> tuple[Kind, ...]:
    """Return the profiles."""
    return (
        SurfaceProfile(name="profile_surface", label="profile of a surface", symbol="profile_surface", rank=4,
                       fits=geometric_fits.has_surface, limits=lambda features: (None, 0.2)),
        Profile(name="profile_line", label="profile of a line", symbol="profile_line", rank=40,
                fits=geometric_fits.has_surface, limits=lambda features: (None, 0.2), common=False, takes_lines=True),
    )  # fmt: skip
