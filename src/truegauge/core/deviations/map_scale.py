"""How deviations are coloured: limits, steps, band, colours. Lengths in mm."""

import re
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from truegauge.core.frozen_model import Frozen
from truegauge.core.references import Refers

PaletteName = Literal["indigo", "teal", "plum", "print"]
_COLOR = re.compile(r"^#[0-9A-Fa-f]{6}$")


class FaceTolerance(Frozen):
    """The tolerance band of some faces in the map, mm to both sides."""

    faces: Annotated[tuple[int, ...], Refers("face", "goes")] = Field(min_length=1)
    tolerance: float = Field(gt=0)


class DeviationScale(Frozen):
    """The limits of the deviation map: colours reach to `limit`, the tolerance band to `tolerance`.

    `inner` steps lie in the band (odd, so that zero lies in one), `outer` on each side of it. One-sided scales show
    only what is too much or too little. With `edges` (ascending) the steps are those, `colors` one less in number.
    Faces of `own` are coloured by their share of their own tolerance. `only_outside` leaves the band uncoloured.
    """

    limit: float = Field(default=0.10, gt=0)
    tolerance: float = Field(default=0.05, gt=0)
    sided: Literal["both", "plus", "minus"] = "both"
    inner: int = Field(default=5, ge=1, le=31)
    outer: int = Field(default=3, ge=1, le=30)
    palette: PaletteName = "indigo"
    only_outside: bool = False
    edges: tuple[float, ...] = ()
    colors: tuple[str, ...] = ()
    own: tuple[FaceTolerance, ...] = ()

    @model_validator(mode="after")
    def _band_inside(self) -> Self:
        if self.tolerance > self.limit:
            raise ValueError("the tolerance band of the map cannot be wider than its limits")
        if self.inner % 2 == 0:
            raise ValueError("the tolerance band takes an odd number of steps, so that zero lies in one")
        if self.edges and (
            len(self.edges) < 2 or any(b <= a for a, b in zip(self.edges, self.edges[1:], strict=False))
        ):
            raise ValueError("the edges of the steps must be two or more and grow from one to the next")
        if self.colors and len(self.colors) != len(self.edges) - 1:
            raise ValueError(f"{len(self.edges)} edges of steps take {max(0, len(self.edges) - 1)} colours")
        wrong = next((c for c in self.colors if not _COLOR.match(c)), None)
        if wrong is not None:
            raise ValueError(f"{wrong!r} is not a colour; write it as #RRGGBB")
        return self

    def tolerance_of(self, face: int) -> float:
        """Return the tolerance of a face, mm."""
        return next((o.tolerance for o in self.own if face in o.faces), self.tolerance)
