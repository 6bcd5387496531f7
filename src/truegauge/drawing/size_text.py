"""A dimension as a drawing states it: nominal, fit class, limits, and what the size is by the standard."""

from truegauge.core.evaluation.results import Result
from truegauge.drawing.units import NumberFormat, limits_text


def size_text(result: Result, numbers: NumberFormat) -> str:
    """Return "42.000 H7 +0.025 / 0.000 (E)": the limits are those in force."""
    c = result.characteristic
    parts = [numbers.value(c.nominal)] if c.nominal or result.definition else []
    if c.fit:
        parts.append(c.fit)
    if c.basic:
        parts.append("exact")
    elif result.lower is not None or result.upper is not None:
        parts.append(limits_text(numbers, c.nominal, result.lower, result.upper))
    if result.definition:
        parts.append(result.definition)
    return "  ".join(parts)
