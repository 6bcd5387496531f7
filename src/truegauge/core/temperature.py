"""Lengths at the reference temperature: parts and scales grow when they are warm (ISO 1: 20 degrees Celsius)."""

from dataclasses import dataclass

REFERENCE_C = 20.0

# Usual coefficients of linear expansion near 20 °C, 1/K. The certificate of a material goes before this table.
MATERIALS: dict[str, float] = {
    "steel": 11.5e-6,
    "stainless steel": 16.0e-6,
    "cast iron": 10.5e-6,
    "aluminium": 23.1e-6,
    "brass": 18.7e-6,
    "copper": 16.6e-6,
    "titanium": 8.6e-6,
    "magnesium": 25.2e-6,
    "glass": 8.0e-6,
    "glass ceramic": 0.0,
    "carbon fibre laminate": 1.5e-6,
}


@dataclass(frozen=True, slots=True)
class Temperatures:
    """Temperatures (°C) and coefficients of linear expansion (1/K) of the part and of the device's scale."""

    part_c: float = REFERENCE_C
    scale_c: float = REFERENCE_C
    part_expansion: float = 0.0
    scale_expansion: float = 0.0

    @property
    def growth(self) -> float:
        """What measured lengths are multiplied by to be those of the part at 20 °C.

        A warm scale shows too little, a warm part is too long:
        (1 + a_scale (T_scale - 20)) / (1 + a_part (T_part - 20)).
        """
        scale = 1.0 + self.scale_expansion * (self.scale_c - REFERENCE_C)
        return scale / (1.0 + self.part_expansion * (self.part_c - REFERENCE_C))

    def say(self) -> str:
        """Say what is done, for the places where results are shown; empty when nothing is."""
        if self.growth == 1.0:
            return ""
        scale = f", scale {self.scale_c:g} °C" if self.scale_expansion else ""
        return f"at 20 °C: part {self.part_c:g} °C{scale}, lengths × {self.growth:.6f}"
