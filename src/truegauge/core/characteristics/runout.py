"""Run-out, circular and total (ISO 1101:2017, 17.17 and 17.18)."""

from truegauge.core.characteristics.kind import Kind
from truegauge.core.characteristics.zones import ZoneKind
from truegauge.core.features.held_by_points import PLACE
from truegauge.core.tolerancing import geometric_fits
from truegauge.core.tolerancing.general import run_out_tolerance


def kinds() -> tuple[Kind, ...]:
    """Return the run-outs."""
    limit = run_out_tolerance()
    return (
        ZoneKind(name="circular_runout", label="circular run-out", symbol="circular_runout", rank=4,
                 fits=geometric_fits.can_run_out, limits=lambda features: (None, limit), needs_datum=True,
                 needs=(PLACE,), about_axis=True, table=lambda length, grade: run_out_tolerance(grade)),
        ZoneKind(name="total_runout", label="total run-out", symbol="total_runout", rank=5,
                 fits=geometric_fits.can_run_out, limits=lambda features: (None, limit), needs_datum=True,
                 about_axis=True),
    )  # fmt: skip
