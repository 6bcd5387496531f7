"""Orientation: perpendicularity, parallelism, angularity (ISO 1101:2017, 17.11 to 17.13)."""

from dataclasses import dataclass

from truegauge.core.characteristics.kind import Kind, up_to
from truegauge.core.characteristics.zones import ZoneKind
from truegauge.core.tolerancing import general, geometric_fits, orientation


@dataclass(frozen=True, kw_only=True)
class Orientation(ZoneKind):
    """A zone that only turns with the datums."""

    needs_datum: bool = True
    takes_material: bool = True
    takes_directions: bool = True
    orients: bool = True
    widens_boundary: bool = True


def kinds() -> tuple[Kind, ...]:
    """Return the orientations."""
    square, level = general.squareness_tolerance, general.form_tolerance
    return (
        Orientation(name="perpendicularity", label="perpendicularity", symbol="perpendicularity", rank=2,
                    fits=orientation.are_perpendicular, limits=up_to(square), to_the_second=True, table=square),
        Orientation(name="parallelism", label="parallelism", symbol="parallelism", rank=3,
                    fits=orientation.are_parallel, limits=up_to(level), to_the_second=True, table=level),
        Orientation(name="angularity", label="angularity", symbol="angularity", rank=3,
                    fits=geometric_fits.has_direction, limits=up_to(square)),
    )  # fmt: skip
