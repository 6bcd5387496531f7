"""Surface checks: what is looked for on a scan where it leaves its own smooth course."""

from typing import Literal, Self

from pydantic import Field, model_validator

from truegauge.core.frozen_model import Frozen

ReferenceKind = Literal["smooth", "plane", "cylinder", "cone", "sphere"]
Sides = Literal["both", "in", "out"]
MOST_CHECKS = 12
SMOOTH_WAVELENGTH = 150.0  # mm, where nobody says


class SurfaceCheck(Frozen):
    """Imperfections beyond `depth` mm from a reference that follows waves longer than `wavelength` mm (0: none).

    What is nearer than `join` mm is one; smaller areas (mm2) and widths (mm) are not listed.
    """

    id: str = Field(min_length=1, max_length=80)
    name: str = Field(default="surface", min_length=1, max_length=80)
    reference: ReferenceKind = "smooth"
    wavelength: float = Field(default=SMOOTH_WAVELENGTH, ge=0, le=1e5)
    depth: float = Field(default=0.1, gt=0, le=1e3)
    sides: Sides = "both"
    join: float = Field(default=0.0, ge=0, le=1e3)
    min_area: float = Field(default=1.0, ge=0, le=1e8)
    min_width: float = Field(default=0.0, ge=0, le=1e4)

    @model_validator(mode="after")
    def _followed(self) -> Self:
        if self.reference == "smooth" and self.wavelength < 1:
            raise ValueError("a smooth reference follows waves of some length: 1 mm is the shortest")
        return self
