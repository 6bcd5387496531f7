"""Amounts of imperfections as text: lengths, areas and volumes in the unit of the plan, and plain numbers."""

from __future__ import annotations

from typing import TYPE_CHECKING

from truegauge.drawing.units import MM_PER_INCH, NumberFormat

if TYPE_CHECKING:
    from collections.abc import Sequence

    from truegauge.core.imperfections.measuring import Imperfection

_MANY = 9999.5  # from which no digits are left behind the point
_POWERS = {"area": 2, "total_area": 2, "volume": 3, "total_volume": 3, "count": 0, "per_area": 0}


def factor_of(quantity: str, unit: str) -> float:
    """Return how many mm (mm2, mm3) one of the unit of a quantity is; 1 for numbers."""
    return float((1.0 if unit == "mm" else MM_PER_INCH) ** _POWERS.get(quantity, 1))


def tag_texts(found: Sequence[Imperfection], told: str, numbers: NumberFormat) -> tuple[str, ...]:
    """Return what stands beside each imperfection on a map: its number, and with it depth, kind or area."""

    def more(one: Imperfection) -> str:
        match told:
            case "depth":
                return f"  {numbers.signed(one.depth)}"
            case "kind":
                return f"  {one.kind} {numbers.signed(one.depth)}"
            case "area":
                return f"  {amount_text(one.area, 'area', numbers)}"
            case _:
                return ""

    return tuple(f"{k}{more(one)}" for k, one in enumerate(found, 1))


def amount_text(value: float, quantity: str, numbers: NumberFormat) -> str:
    """Return an amount with its unit."""
    power = _POWERS.get(quantity, 1)
    shown = value / factor_of(quantity, numbers.unit)
    if quantity == "count":
        return f"{shown:.0f}"
    if quantity == "per_area":
        return f"{shown:.3g} in 1 m²"
    if power == 1:
        return f"{numbers.value(value)} {numbers.unit}"
    text = f"{shown:.4g}" if shown < _MANY else f"{float(f'{shown:.4g}'):,.0f}"
    return f"{text} {numbers.unit}{'²' if power == 2 else '³'}"
