"""Readouts: what is told of the tip of a portable device just now, in digits that can be read from afar."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from truegauge.core.frozen_model import Frozen, Three
from truegauge.core.references import Refers

ReadoutSubject = Literal["surface", "feature", "axis", "point", "tip"]
MOST = 12


class Readout(Frozen):
    """A readout of the deviation from the surface, of how far it is to a feature, an axis or a point, or of the tip.

    Limits (mm) are those of the number that is shown biggest; of a surface without any, what is allowed on the face.
    `alignment` (an id) is the one in whose frame it is told, the one in force without.
    """

    id: str = Field(min_length=1, max_length=80)
    name: str = Field(default="", max_length=80)
    subject: ReadoutSubject = "surface"
    feature: Annotated[str, Refers("feature", "goes")] = ""
    place: Three = (0.0, 0.0, 0.0)  # of the point, where no feature says it
    lower: float | None = None
    upper: float | None = None
    decimals: int | None = Field(default=None, ge=0, le=6)
    alignment: str = ""
    sound: bool = False

    @model_validator(mode="after")
    def _whole(self) -> Self:
        if self.subject in ("feature", "axis") and not self.feature:
            raise ValueError("a readout towards a feature or an axis needs a feature")
        if (self.lower is None) != (self.upper is None):
            raise ValueError("a readout has both limits or none")
        if self.lower is not None and self.upper is not None and self.lower > self.upper:
            raise ValueError("the lower limit of a readout is above the upper one")
        return self
