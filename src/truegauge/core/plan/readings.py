"""What is read off the cloud without a feature: spot checks, sections with their dimensions, points by name.

Frozen models. Lengths in mm, part coordinates. A characteristic refers to one of these by its id, as to a feature.
"""

from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from truegauge.core.frozen_model import Frozen, Three, Two
from truegauge.core.plan.blades import BladeValue
from truegauge.core.plan.silhouette import ShadowSize
from truegauge.core.references import Refers

_SHORT = 1e-9


def _is_direction(v: Three) -> bool:
    return float(np.linalg.norm(v)) > _SHORT


class SpotCheck(Frozen):
    """A remembered place to read the deviation.

    The surface is read around `place` (on the nominal surface, outward `normal`), from the points within `radius`, on
    these `faces` (none: any that face the same way). With a `direction` the deviation is read along it. "highest" and
    "lowest" look for the extreme within `area` mm of the place; 0 is all of the faces.
    """

    id: str
    name: str
    place: Three
    normal: Three
    direction: Three | None = None
    faces: Annotated[tuple[int, ...], Refers("face", "lost")] = ()
    radius: float = Field(default=1.0, gt=0)
    reads: Literal["at", "highest", "lowest"] = "at"
    area: float = Field(default=0.0, ge=0)

    @model_validator(mode="after")
    def _directions(self) -> Self:
        if not _is_direction(self.normal) or (self.direction is not None and not _is_direction(self.direction)):
            raise ValueError(f"spot check {self.name}: a direction of length zero points nowhere")
        if self.reads != "at" and not self.area and not self.faces:
            raise ValueError(f"spot check {self.name}: an extreme needs an area or faces to look in")
        return self

    @property
    def group(self) -> str:
        """What selecting it selects."""
        return self.id


class Span(Frozen):
    """A piece of a section that a line, a circle or a point is fitted to.

    The nominal curve near `at` (coordinates of the section) and `reach` mm along it to both sides, on the same face.
    """

    at: Two
    reach: float = Field(default=3.0, gt=0)
    fits: Literal["point", "line", "circle"] = "line"


DimensionKind = Literal["aligned", "horizontal", "vertical", "radius", "diameter", "angle"]


class SectionDimension(Frozen):
    """A dimension in a section: of one span (radius, diameter) or between two."""

    id: str
    name: str
    kind: DimensionKind
    spans: tuple[Span, ...] = Field(min_length=1, max_length=2)
    value_at: Two | None = None  # where its value stands in the section; None: where there is room

    @model_validator(mode="after")
    def _spans_fit(self) -> Self:
        round_ = self.kind in ("radius", "diameter")
        if len(self.spans) != (1 if round_ else 2):
            raise ValueError(f"{self.name}: {self.kind} takes {'one span' if round_ else 'two spans'} of the section")
        if round_ and self.spans[0].fits != "circle":
            raise ValueError(f"{self.name}: {self.kind} needs a circle")
        if self.kind == "angle" and any(s.fits != "line" for s in self.spans):
            raise ValueError(f"{self.name}: an angle needs two lines")
        return self

    @property
    def group(self) -> str:
        """What selecting it selects."""
        return self.id


class Section(Frozen):
    """A plane through the part with its own horizontal direction `across`; points within half of `thickness` count."""

    id: str
    name: str
    origin: Three
    normal: Three
    across: Three | None = None
    thickness: float = Field(default=1.0, gt=0)
    magnification: float = Field(default=0.0, ge=0)  # of the needles; 0: as fits
    dimensions: tuple[SectionDimension, ...] = ()
    in_report: bool = True

    @model_validator(mode="after")
    def _directions(self) -> Self:
        if not _is_direction(self.normal):
            raise ValueError(f"section {self.name}: a direction of length zero points nowhere")
        if self.across is not None and not _is_direction(tuple(np.cross(self.normal, self.across).tolist())):
            raise ValueError(f"section {self.name}: its horizontal direction is its normal")
        return self

    @property
    def plane_content(self) -> tuple[object, ...]:
        """What the curves depend on."""
        return (self.origin, self.normal, self.across, self.thickness)


class ComparedPoint(Frozen):
    """A nominal point that a measured one of the same name is compared with.

    Measured are touches of that name, or the feature of that name. Along `normal` where one is given.
    """

    id: str
    name: str
    place: Three
    normal: Three | None = None

    @property
    def group(self) -> str:
        """What selecting it selects."""
        return self.id


Reading = SpotCheck | SectionDimension | ComparedPoint | BladeValue | ShadowSize
