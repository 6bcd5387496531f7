"""What people type into a field for a length or an angle: "30+0.02", "0.1/25.4", "0,1 mm", "2 in - 1 mm".

Numbers without a unit are in the unit that is shown. Sums and differences are of lengths; a length may be multiplied
and divided by a number, and a length divided by a length is a number.
"""

import re
from dataclasses import dataclass
from math import pi

from truegauge.core.typed_number import typed_number, within_reach

UNITS = {
    "mm": 1.0, "cm": 10.0, "m": 1000.0, "um": 1e-3, "µm": 1e-3, "μm": 1e-3, "in": 25.4, "inch": 25.4, '"': 25.4,
    "mil": 0.0254,
}  # fmt: skip
ANGLES = {"°": pi / 180, "deg": pi / 180, "rad": 1.0, "mrad": 1e-3}
_TOKEN = re.compile(r"\s*(?:(\d+[.,]?\d*(?:[eE][+-]?\d+)?|[.,]\d+(?:[eE][+-]?\d+)?)|([a-zA-Zµμ°\"]+)|([-+*/()]))")
_MOST = 200  # letters


@dataclass(frozen=True, slots=True)
class _Value:
    """A number, in the base unit (mm, rad) where it `has_unit`."""

    number: float
    has_unit: bool


def typed_value(text: str, factor: float, units: dict[str, float]) -> float:
    """Return what is typed, in the base unit; a number without a unit is multiplied by `factor`.

    Raises
    ------
    ValueError
        It is no number and no sum of such, or is beyond a million.
    """
    cleaned = text.strip().replace("−", "-")
    if not cleaned or len(cleaned) > _MOST:
        raise ValueError(f"{text.strip()[:40]!r} is not a number")
    try:
        return within_reach(typed_number(cleaned) * factor)
    except ValueError:
        if not any(c in cleaned for c in "+-*/()") and not any(c.isalpha() or c in '°"' for c in cleaned):
            raise
    try:
        value = _Reader(cleaned, factor, units).whole()
    except (ZeroDivisionError, OverflowError, RecursionError):
        raise ValueError(f"{text.strip()[:40]!r} has no value") from None
    return within_reach(value.number if value.has_unit else value.number * factor)


class _Reader:
    """Reads a sum by recursive descent."""

    def __init__(self, text: str, factor: float, units: dict[str, float]) -> None:
        self._text, self._factor, self._units = text, factor, units
        self._parts: list[tuple[str, str, str]] = []
        at = 0
        while at < len(text):
            found = _TOKEN.match(text, at)
            if found is None:
                raise self._wrong()
            self._parts.append((found[1] or "", found[2] or "", found[3] or ""))
            at = found.end()
        self._at = 0

    def _wrong(self) -> ValueError:
        return ValueError(f"{self._text[:40]!r} is not a number")

    def _next_sign(self, signs: str) -> str:
        if self._at < len(self._parts) and self._parts[self._at][2] in tuple(signs):
            self._at += 1
            return self._parts[self._at - 1][2]
        return ""

    def whole(self) -> _Value:
        value = self._sum()
        if self._at < len(self._parts):
            raise self._wrong()
        return value

    def _sum(self) -> _Value:
        value = self._product()
        while sign := self._next_sign("+-"):
            other = self._product()
            if value.has_unit or other.has_unit:
                value, other = self._with_unit(value), self._with_unit(other)
            value = _Value(value.number + (other.number if sign == "+" else -other.number), value.has_unit)
        return value

    def _with_unit(self, value: _Value) -> _Value:
        return value if value.has_unit else _Value(value.number * self._factor, True)

    def _product(self) -> _Value:
        value = self._signed()
        while sign := self._next_sign("*/"):
            other = self._signed()
            if sign == "*":
                if value.has_unit and other.has_unit:
                    raise ValueError(f"{self._text[:40]!r} is an area, not a length")
                value = _Value(value.number * other.number, value.has_unit or other.has_unit)
            elif other.has_unit and not value.has_unit:
                raise self._wrong()
            else:
                value = _Value(value.number / other.number, value.has_unit and not other.has_unit)
        return value

    def _signed(self) -> _Value:
        sign = self._next_sign("+-")
        if sign:
            value = self._signed()
            return _Value(-value.number, value.has_unit) if sign == "-" else value
        return self._one()

    def _one(self) -> _Value:
        if self._next_sign("("):
            value = self._sum()
            if not self._next_sign(")"):
                raise self._wrong()
            return value
        if self._at >= len(self._parts) or not self._parts[self._at][0]:
            raise self._wrong()
        number = typed_number(self._parts[self._at][0])
        self._at += 1
        if self._at < len(self._parts) and self._parts[self._at][1]:
            unit = self._parts[self._at][1]
            if unit not in self._units:
                known = ", ".join(dict.fromkeys(u for u in self._units if u.isascii()))
                raise ValueError(f"{unit[:20]!r} is no unit here: use {known}")
            self._at += 1
            return _Value(number * self._units[unit], True)
        return _Value(number, False)
