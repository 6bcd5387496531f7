"""Surface checks: what is looked for on a scan where it leaves its own smooth course, where, and what is allowed."""

from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from truegauge.core.frozen_model import Frozen
from truegauge.core.imperfections.area_steps import AreaStep, Place
from truegauge.core.references import Refers

ReferenceKind = Literal["smooth", "plane", "cylinder", "cone", "sphere", "revolution", "part", "scan"]
FilterName = Literal["spline", "gaussian"]  # by which longer waves are followed
Sides = Literal["both", "in", "out"]
Tags = Literal["number", "depth", "kind", "area"]  # what is told beside the number on the map
MOST_CHECKS = 12
SMOOTH_WAVELENGTH = 150.0  # mm, where nobody says
_LINE = 1e-3  # of the extent of three places, that they are off a line at least


# Of the imperfections: what of the worst of them is limited, and whether a limit is the least that is allowed.
EACH = ("depth", "area", "volume", "length", "width", "edge_to_edge", "border")
OF_ALL = ("count", "per_area", "total_area", "total_volume")
AT_LEAST = ("edge_to_edge", "border")
Quantity = Literal[
    "depth", "area", "volume", "length", "width", "edge_to_edge", "border", "count", "per_area", "total_area",
    "total_volume",
]  # fmt: skip


class SurfaceLimit(Frozen):
    """What is allowed of the worst one, or of all: mm, mm2, mm3, a number, or a number in a square metre."""

    quantity: Quantity
    limit: float = Field(ge=0, le=1e12)


class SurfaceCheck(Frozen):
    """Imperfections beyond `depth` mm from a reference that follows waves longer than `wavelength` mm (0: none).

    Those out of the material count beyond `height` mm; None: as those into it. What is nearer than `join` mm is one;
    two are, where the saddle between them is at least `saddle` of the shallower one. Smaller areas (mm2) and widths
    (mm) are not listed. The steps of `area` choose where it is looked, beginning with all; the reference may look
    `beyond` mm farther. Places are told in a frame by three places of the scan: its origin, one along x, and one more
    on the side of y; without in that of the scan. `to` are features that distances are told from.
    """

    id: str = Field(min_length=1, max_length=80)
    name: str = Field(default="surface", min_length=1, max_length=80)
    reference: ReferenceKind = "smooth"
    wavelength: float = Field(default=SMOOTH_WAVELENGTH, ge=0, le=1e5)
    by: FilterName = "spline"
    depth: float = Field(default=0.1, gt=0, le=1e3)
    height: float | None = Field(default=None, gt=0, le=1e3)
    sides: Sides = "both"
    join: float = Field(default=0.0, ge=0, le=1e3)
    saddle: float = Field(default=0.5, ge=0, le=1)
    min_area: float = Field(default=1.0, ge=0, le=1e8)
    min_width: float = Field(default=0.0, ge=0, le=1e4)
    area: tuple[AreaStep, ...] = Field(default=(), max_length=100)
    beyond: float = Field(default=0.0, ge=0, le=1e5)
    limits: tuple[SurfaceLimit, ...] = ()
    frame: tuple[Place, Place, Place] | None = None
    tags: Tags = "number"
    to: Annotated[tuple[str, ...], Refers("feature", "shrinks")] = Field(default=(), max_length=12)

    @model_validator(mode="after")
    def _followed(self) -> Self:
        if self.reference == "smooth" and self.wavelength < 1:
            raise ValueError("a smooth reference follows waves of some length: 1 mm is the shortest")
        told = [one.quantity for one in self.limits]
        if len(set(told)) != len(told):
            raise ValueError("one quantity of the imperfections has two limits")
        if self.frame is not None:
            a, b, c = np.array(self.frame)
            along, aside = float(np.linalg.norm(b - a)), float(np.linalg.norm(c - a))
            extent = max(along, aside)
            # Nor in one place: what is left between two of them would be rounding.
            apart = along > _LINE * extent and np.linalg.norm(np.cross(b - a, c - a)) > _LINE * extent * along
            if not apart:
                raise ValueError("the three places of the frame lie on a line: there is no plane through them")
        return self

    @property
    def levels(self) -> tuple[float, ...]:
        """From which heights on something counts, mm: into the material negative, out of it positive."""
        out = self.depth if self.height is None else self.height
        return {"both": (-self.depth, out), "in": (-self.depth,), "out": (out,)}[self.sides]

    @property
    def least(self) -> float:
        """The smallest of the thresholds, mm."""
        return min(abs(level) for level in self.levels)

    def frame_from_scan(self) -> np.ndarray:
        """Return the transform (4, 4) from coordinates of the scan to the frame that places are told in."""
        made = np.eye(4)
        if self.frame is not None:
            a, b, c = np.array(self.frame)
            x = (b - a) / np.linalg.norm(b - a)
            z = np.cross(x, c - a)
            z /= np.linalg.norm(z)
            made[:3, :3] = np.array([x, np.cross(z, x), z])
            made[:3, 3] = -made[:3, :3] @ a
        return made
