"""Numbers as they are shown: mm or inch, decimals by the plan."""

from dataclasses import dataclass
from math import pi

from truegauge.core.characteristics.registry import kind_named
from truegauge.drawing.typed_length import ANGLES, UNITS, typed_value

MM_PER_INCH = 25.4
DEGREES = "°"
_LITTLE = 20  # steps: a length of fewer has less than two digits that can be read


@dataclass(frozen=True, slots=True)
class NumberFormat:
    """Turns mm into text. Inch shows one decimal more than mm, the usual equivalent resolution."""

    unit: str = "mm"
    decimals: int = 3

    def of(self, kind: str) -> "NumberFormat":
        """Return the format for the values of a kind of characteristic: angles in decimal degrees, areas in squares."""
        known = kind_named(kind)
        if known.area:
            return NumberFormat("in²" if self.unit == "inch" else "mm²", self.decimals)
        return NumberFormat(DEGREES, self.decimals) if known.angular else self

    @property
    def _decimals(self) -> int:
        return self.decimals + (1 if self.unit in ("inch", "in²") else 0)

    @property
    def _factor(self) -> float:
        return {"inch": MM_PER_INCH, "in²": MM_PER_INCH**2, DEGREES: pi / 180}.get(self.unit, 1.0)

    @property
    def step(self) -> float:
        """The least difference that shows, mm (or rad)."""
        return float(self._factor * 10.0**-self._decimals)

    def value(self, length_mm: float) -> str:
        """Return a length (mm) or an angle (rad) as text; never "-0.000"."""
        shown = length_mm / self._factor
        text = f"{shown:.{self._decimals}f}"
        text = text[1:] if text.startswith("-") and not text.strip("-0.") else text
        return text + {DEGREES: DEGREES, "mm²": " mm²", "in²": " in²"}.get(self.unit, "")

    def signed(self, length_mm: float) -> str:
        """Return a deviation with its sign."""
        text = self.value(length_mm)
        return text if text.startswith("-") or not text.strip(f"0.{DEGREES}") else f"+{text}"

    def rough(self, length_mm: float) -> str:
        """Return a length to three digits, for what nobody judges."""
        return f"{length_mm / self._factor:.3g}"

    def fine(self, length_mm: float) -> str:
        """Return a small length with its unit, in µm (µin) where the decimals of the plan say little: "9.7 µm"."""
        if abs(length_mm) >= _LITTLE * self.step or self.unit not in ("mm", "inch"):
            return f"{self.value(length_mm)} {self.unit}" if self.unit != DEGREES else self.value(length_mm)
        small, factor = ("µin", 1e6 / MM_PER_INCH) if self.unit == "inch" else ("µm", 1e3)
        shown = length_mm * factor
        digits = 0 if abs(shown) >= 10 else 1 if abs(shown) >= 1 else 2
        text = f"{shown:.{digits}f}"
        return f"{text if text.strip('-0.') else '0'} {small}"

    def fine_signed(self, length_mm: float) -> str:
        """Return a small deviation with sign and unit."""
        text = self.fine(length_mm)
        return f"+{text}" if length_mm > 0 and text.strip("0. µmin") else text

    def area(self, area_mm2: float) -> str:
        """Return an area with its unit, three digits of it."""
        shown = area_mm2 / self._factor**2
        size = abs(shown)
        digits = 0 if size >= 100 else 1 if size >= 10 else 2
        text = f"{shown:,.{digits}f}" if size >= 1 else f"{shown:.3g}"
        return f"{text} {'in²' if self.unit == 'inch' else 'mm²'}"

    def parse(self, text: str) -> float:
        """Return the mm (or rad) of a typed number or sum, in any unit: "30+0.02", "0.1 mm" (ValueError: none)."""
        return typed_value(text, self._factor, {DEGREES: ANGLES, "mm²": {}, "in²": {}}.get(self.unit, UNITS))


def limits_text(numbers: NumberFormat, nominal: float, lower: float | None, upper: float | None) -> str:
    """Return the tolerance as a drawing writes it: "±0.050", "+0.025 / 0.000", "0.050 at most"."""
    if lower is None and upper is None:
        return "no limits"
    if lower is None:
        assert upper is not None
        return f"≤ {numbers.value(nominal + upper)}"
    if upper is None:
        return f"≥ {numbers.value(nominal + lower)}"
    if numbers.value(lower) == numbers.value(-upper) or abs(lower + upper) < 1e-12:
        return f"±{numbers.value(upper)}"
    return f"{numbers.signed(upper)} / {numbers.signed(lower)}"
