"""Location: position, coaxiality, concentricity, symmetry (ISO 1101:2017, 17.14 to 17.16)."""

from truegauge.core.characteristics.kind import Kind, up_to
from truegauge.core.characteristics.zones import ZoneKind
from truegauge.core.tolerancing import general, geometric_fits


def kinds() -> tuple[Kind, ...]:
    """Return the locations."""
    return (
        ZoneKind(name="position", label="position", symbol="position", rank=1, fits=geometric_fits.is_located,
                 limits=lambda features: (None, 0.2), takes_tiers=True, takes_pattern=True, takes_material=True,
                 takes_directions=True, widens_boundary=True),
        ZoneKind(name="coaxiality", label="coaxiality", symbol="coaxiality", rank=3, fits=geometric_fits.has_axis,
                 limits=lambda features: (None, 0.1), needs_datum=True, takes_material=True, round_zone=True,
                 widens_boundary=True),
        ZoneKind(name="concentricity", label="concentricity", symbol="concentricity", rank=41,
                 fits=geometric_fits.has_axis, limits=lambda features: (None, 0.1), common=False, needs_datum=True,
                 round_zone=True),
        ZoneKind(name="symmetry", label="symmetry", symbol="symmetry", rank=3, fits=geometric_fits.has_middle,
                 limits=up_to(general.symmetry_tolerance), needs_datum=True, takes_pattern=True,
                 takes_material=True, table=general.symmetry_tolerance),
    )  # fmt: skip
