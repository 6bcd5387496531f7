"""Numbers as they are shown: mm or inch, decimals by the plan."""

from dataclasses import dataclass

MM_PER_INCH = 25.4


@dataclass(frozen=True, slots=True)
class NumberFormat:
    """Turns mm into text. Inch shows one decimal more than mm, the usual equivalent resolution."""

    unit: str = "mm"
    decimals: int = 3

    @property
    def _decimals(self) -> int:
        return self.decimals + (1 if self.unit == "inch" else 0)

    def value(self, length_mm: float) -> str:
        """Return a length as text; never "-0.000"."""
        shown = length_mm / (MM_PER_INCH if self.unit == "inch" else 1.0)
        text = f"{shown:.{self._decimals}f}"
        return text[1:] if text.startswith("-") and not text.strip("-0.") else text

    def signed(self, length_mm: float) -> str:
        """Return a deviation with its sign."""
        text = self.value(length_mm)
        return text if text.startswith("-") or not text.strip("0.") else f"+{text}"

    def parse(self, text: str) -> float:
        """Return the mm of a typed length (ValueError when it is no number)."""
        cleaned = text.strip().replace(",", ".").replace("−", "-").removesuffix(self.unit).strip()
        number = float(cleaned)
        if not abs(number) < 1e9:
            raise ValueError("the number is too large")
        return number * (MM_PER_INCH if self.unit == "inch" else 1.0)


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
