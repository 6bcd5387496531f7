"""How large a cloud is, and whether that fits the part."""

from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Points

_UNITS = {"mm": 1.0, "inch": 25.4, "cm": 10.0, "m": 1000.0}
_TINY, _HUGE = 1.5, 20_000.0  # mm: scans smaller or larger than this are not of parts


@dataclass(frozen=True, slots=True)
class UnitDoubt:
    """Why the unit of a scan looks wrong, and the unit that would fit."""

    text: str
    unit: str


def scan_diagonal(points: Points) -> float:
    """Return the diagonal (mm) of the box of the middle 98 % of the points: strays do not count."""
    sample = points[:: max(1, len(points) // 20_000)]
    low, high = np.quantile(sample, [0.01, 0.99], axis=0)
    return float(np.linalg.norm(high - low))


def unit_doubt(
    scan_diagonal: float, part_diagonal: float | None, unit: str = "mm", of: str = "part"
) -> UnitDoubt | None:
    """Tell when the size of a scan speaks for another unit than `unit`, by which it was read; None when it does not.

    `of` says what it is compared with. Without a part only sizes that no part has are doubted.
    """
    file_size = scan_diagonal / _UNITS[unit]
    if part_diagonal is None:
        if _TINY < scan_diagonal < _HUGE:
            return None
        wanted = "m" if scan_diagonal <= _TINY else "mm"
        if wanted == unit or not _TINY < file_size * _UNITS[wanted] < _HUGE:
            return None
        return UnitDoubt(f"the scan measures {scan_diagonal:.3g} mm: its lengths look like {_named(wanted)}", wanted)
    ratio = scan_diagonal / part_diagonal
    if 0.12 <= ratio <= 8:
        return None
    fits = {u: file_size * mm / part_diagonal for u, mm in _UNITS.items() if u != unit}
    # The scan of a part is about as large as the part; a table or a missing side make it a little more or less.
    best = min(fits, key=lambda u: abs(np.log(fits[u] / 1.1)))
    if not 0.3 < fits[best] < 6:
        return None
    return UnitDoubt(
        f"the scan measures {scan_diagonal:.3g} mm, the {of} {part_diagonal:.1f} mm: "
        f"its lengths look like {_named(best)}", best,
    )  # fmt: skip


def _named(unit: str) -> str:
    return {"m": "metres", "cm": "centimetres"}.get(unit, unit)
