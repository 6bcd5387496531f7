"""Sections of a blade: where they are, how they are measured and put onto their nominal, what is told of each.

Frozen models. Lengths in mm, angles in rad, part coordinates. A characteristic refers to a value of a section by its
id, as to a feature.
"""

from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from truegauge.core.blades.names import taken_apart
from truegauge.core.frozen_model import Frozen, Three, Two
from truegauge.core.references import Refers

ZoneName = Literal["leading", "trailing", "pressure", "suction"]
ZONE_NAMES: tuple[ZoneName, ...] = ("leading", "trailing", "pressure", "suction")
Share = Annotated[float, Field(ge=0.1, le=1.0)]
MOST_BLADES, MOST_SECTIONS = 12, 400
_SHORT, _ALONG = 1e-9, 0.1  # mm; sine between the stacking and the machine axis at least
_SQUARE = 1e-3  # tangent that the machine axis of cones is aslant at most


class BladeValue(Frozen):
    """A value of a section by its name (`what`), as `core.blades.told` gives them."""

    id: str = Field(min_length=1, max_length=80)
    name: str
    what: str = Field(min_length=1, max_length=80)

    @model_validator(mode="after")
    def _is_told(self) -> Self:
        taken_apart(self.what)
        return self

    @property
    def group(self) -> str:
        """What selecting it selects."""
        return self.id


class BladeConstruction(Frozen):
    """How edges and tangent are constructed, where they are not left as found (`core.blades.construction`)."""

    leading_share: Share = 2.0 / 3.0
    trailing_share: Share = 2.0 / 3.0
    leading_moved: float = Field(default=0.0, ge=-50, le=50)
    trailing_moved: float = Field(default=0.0, ge=-50, le=50)
    tangent: Two | None = None

    @model_validator(mode="after")
    def _apart(self) -> Self:
        if self.tangent is not None and not 0.0 <= self.tangent[0] < self.tangent[1] <= 1.0:
            raise ValueError("the tangent touches at two shares of the chord, from 0 to 1, the smaller one first")
        return self


class BladeSection(Frozen):
    """A section at a height along the stacking axis; with a `construction` of its own it has not that of all."""

    id: str = Field(min_length=1, max_length=80)
    height: float
    values: tuple[BladeValue, ...] = ()
    construction: BladeConstruction | None = None
    in_report: bool = True


class BladeBand(Frozen):
    """The lowest and the highest deviation of a zone from its nominal."""

    zone: ZoneName
    lower: float | None = None
    upper: float | None = None

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.lower is not None and self.upper is not None and self.lower > self.upper:
            raise ValueError(f"{self.zone}: the lower limit {self.lower:g} is above the upper limit {self.upper:g}")
        return self


class BladeFit(Frozen):
    """How a section is put onto its nominal: shifted along the machine axis, across it, both or not; turned or not.

    It turns about the centroid of the nominal section, a place of the section, the stacking axis, or where the axis of
    a feature goes through its plane. `weights` are of the zones, as `ZONE_NAMES` names them.
    """

    criterion: Literal["least squares", "minimax"] = "least squares"
    shifts: Literal["both", "along", "across", "none"] = "both"
    turns: bool = True
    about: Literal["centroid", "place", "stacking", "feature"] = "centroid"
    place: Two = (0.0, 0.0)
    feature: Annotated[str, Refers("feature", "shrinks")] = ""
    shift_limit: float | None = Field(default=None, ge=0)
    turn_limit: float | None = Field(default=None, ge=0)
    weights: tuple[float, float, float, float] = (1.0, 1.0, 1.0, 1.0)

    @model_validator(mode="after")
    def _weighed(self) -> Self:
        if min(self.weights) < 0 or max(self.weights) <= 0:
            raise ValueError("weights of zones are not below 0, and one of them is above")
        return self


class BladeCheck(Frozen):
    """Sections along `axis` through `origin`; `machine` is the axis that axial chord and chord angle are told by.

    `leading` and `pressure` are the ways to the leading edge and the pressure side; None: they are found. Points count
    within half of `thickness` of the plane. By `tilts` (at the lowest and the highest section, between straight over)
    the planes rise along the machine axis. Where that goes by `machine_below` mm below the origin sections lie on cones
    about it, unrolled; None: in planes. Of `bands` of zones one goes over into the next along `blend`.
    """

    id: str = Field(min_length=1, max_length=80)
    name: str = Field(default="blade", min_length=1, max_length=80)
    axis: Three = (0.0, 0.0, 1.0)
    origin: Three = (0.0, 0.0, 0.0)
    machine: Three = (1.0, 0.0, 0.0)
    leading: Three | None = None
    pressure: Three | None = None
    thickness: float = Field(default=1.0, ge=0.01, le=50)
    tilts: tuple[Annotated[float, Field(ge=-1.2, le=1.2)], Annotated[float, Field(ge=-1.2, le=1.2)]] = (0.0, 0.0)
    machine_below: float | None = Field(default=None, ge=-1e6, le=1e6)
    edge_distances: tuple[Annotated[float, Field(gt=0)], ...] = Field(default=(), max_length=20)
    chord_shares: tuple[Annotated[float, Field(gt=0, lt=1)], ...] = Field(default=(), max_length=20)
    wavelength: float = Field(default=0.0, ge=0, le=1e4)
    fit: BladeFit = BladeFit()
    bands: tuple[BladeBand, ...] = Field(default=(), max_length=4)
    blend: float = Field(default=1.0, ge=0, le=1e3)
    construction: BladeConstruction = BladeConstruction()
    magnification: float = Field(default=0.0, ge=0, le=1e6)  # of the needles; 0: as fits
    judged: Literal["before", "after"] = "after"  # the fit: what the flat view shows
    sections: tuple[BladeSection, ...] = Field(default=(), max_length=MOST_SECTIONS)

    @model_validator(mode="after")
    def _told(self) -> Self:
        for v in (self.axis, self.machine, self.leading, self.pressure):
            if v is not None and np.linalg.norm(v) <= _SHORT:
                raise ValueError(f"{self.name}: a direction of length zero points nowhere")
        across = np.linalg.norm(np.cross(self.axis, self.machine))
        if across < _ALONG * np.linalg.norm(self.axis) * np.linalg.norm(self.machine):
            raise ValueError(f"{self.name}: the machine axis lies along the stacking axis: no chord can be told by it")
        aslant = abs(float(np.dot(self.axis, self.machine)))
        if self.machine_below is not None and aslant > _SQUARE * across:
            raise ValueError(f"{self.name}: cones are about a machine axis that is square to the stacking axis")
        if len({b.zone for b in self.bands}) != len(self.bands):
            raise ValueError(f"{self.name}: a zone has two bands")
        if len({s.id for s in self.sections}) != len(self.sections):
            raise ValueError(f"{self.name}: two sections have the same id")
        if len({s.height for s in self.sections}) != len(self.sections):
            raise ValueError(f"{self.name}: two sections are at the same height")
        return self

    def tilt_of(self, section: BladeSection) -> float:
        """Return by which angle the plane of a section rises along the machine axis."""
        heights = [s.height for s in self.sections] or [section.height]
        low, high = min(heights), max(heights)
        return float(np.interp(section.height, [low, high], self.tilts)) if high > low else self.tilts[0]

    def construction_of(self, section: BladeSection) -> BladeConstruction:
        """Return how edges and tangent of a section are constructed."""
        return self.construction if section.construction is None else section.construction

    def content(self, section: BladeSection) -> tuple[object, ...]:
        """Return what the values of a section depend on."""
        return (
            section.height, self.tilt_of(section), self.axis, self.origin, self.machine, self.machine_below,
            self.leading, self.pressure, self.thickness, self.edge_distances, self.chord_shares, self.wavelength,
            self.fit, self.construction_of(section),
        )  # fmt: skip
