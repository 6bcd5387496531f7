"""The route of a plan: steps in their order, how the probe comes to features, and what it keeps away from.

A route knows no machine: ways, changes of probe and pose, and times follow from the steps (`planning`).
"""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from truegauge.core.arrays import Floats, three
from truegauge.core.frozen_model import Frozen, Three
from truegauge.core.probing.probing import StylusUse
from truegauge.core.references import Refers
from truegauge.core.routes.facets import facets_from_text, facets_to_text
from truegauge.core.routes.pieces import Pieces
from truegauge.core.routes.strategies import Strategy, Usual


class Coming(Frozen):
    """How the probe comes to a feature and leaves it: `far` mm before it, along its normal or along an axis.

    The axis is that of the part, or of the frame of an alignment of the plan (`frame`, its id).
    """

    along: Literal["normal", "axis"] = "normal"
    axis: Three = (0.0, 0.0, 1.0)
    frame: str = ""
    far: float = Field(default=0.0, ge=0, le=1000)

    @model_validator(mode="after")
    def _points_somewhere(self) -> Self:
        if self.along == "axis" and not any(self.axis):
            raise ValueError("the axis along which the probe comes has no direction")
        return self


class Via(Frozen):
    """A place (part, mm) that the middle of the tip goes by on its way to a touch, by the touch's number from 0 on."""

    before: int = Field(ge=0, le=2000)
    place: Three


class MeasureStep(Frozen):
    """Measure a feature; without a stylus by the one that fits best.

    `approach` (mm) is how far before each place the probe stops and to where it goes back, `speed` (mm/s) how fast it
    travels; None: as everywhere in the plan.
    """

    kind: Literal["measure"] = "measure"
    id: str = Field(min_length=1)
    feature: Annotated[str, Refers("feature", "goes")]
    strategy: Strategy = Usual()
    stylus: StylusUse | None = None
    coming: Coming = Coming()
    approach: float | None = Field(default=None, gt=0, le=100)
    speed: float | None = Field(default=None, gt=0, le=2000)
    via: tuple[Via, ...] = Field(default=(), max_length=200)
    group: str = Field(default="", max_length=80)
    on: bool = True
    pinned: bool = False  # stays where it is when the order is worked out again


class AlignStep(Frozen):
    """From here on the part lies where an alignment of the plan finds it."""

    kind: Literal["align"] = "align"
    id: str = Field(min_length=1)
    alignment: str
    group: str = Field(default="", max_length=80)
    on: bool = True
    pinned: bool = False


class NoteStep(Frozen):
    """Something for the operator to do; the route waits."""

    kind: Literal["note"] = "note"
    id: str = Field(min_length=1)
    text: str = Field(min_length=1, max_length=500)
    group: str = Field(default="", max_length=80)
    on: bool = True
    pinned: bool = True


class TemperatureStep(Frozen):
    """Read the temperature of the part (°C); outside of the limits the run stands until it is within them."""

    kind: Literal["temperature"] = "temperature"
    id: str = Field(min_length=1)
    lowest: float | None = Field(default=None, gt=-60, lt=200)
    highest: float | None = Field(default=None, gt=-60, lt=200)
    group: str = Field(default="", max_length=80)
    on: bool = True
    pinned: bool = True

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.lowest is not None and self.highest is not None and self.lowest > self.highest:
            raise ValueError("the lowest temperature allowed is above the highest")
        return self

    def why_not(self, temperature_c: float) -> str:
        """Say why nothing is measured at a temperature; empty when it may be."""
        low, high = self.lowest, self.highest
        if (low is None or temperature_c >= low) and (high is None or temperature_c <= high):
            return ""
        if low is not None and high is not None:
            allowed = f"{low:g} to {high:g} °C"
        else:
            allowed = f"at least {low:g} °C" if low is not None else f"at most {high:g} °C"
        return f"the part has {temperature_c:.1f} °C, allowed is {allowed}"


AnyStep = Annotated[MeasureStep | AlignStep | NoteStep | TemperatureStep, Field(discriminator="kind")]


class Envelope(Frozen):
    """The safe envelope: how far it reaches beyond part and fixtures at each side of the table, mm."""

    low: Three = (20.0, 20.0, 0.0)
    high: Three = (20.0, 20.0, 20.0)
    inside: bool = False  # travel between features may take the shorter way inside, where it is free

    @model_validator(mode="after")
    def _reaches_outwards(self) -> Self:
        if min(*self.low, *self.high) < 0:
            raise ValueError("the safe envelope must not be smaller than the part")
        return self


class PartFixture(Frozen):
    """Something that holds the part, where it stands while the part lies as it is placed, mm.

    A box by two corners, a cylinder by its two ends (`low`, `high`) and its radius, or a mesh (`facets`, a text of
    `facets`; `low` and `high` are the corners of the box around it). It stands in coordinates of the part, or of the
    table on which the part is placed (Z 0 is its top).
    """

    name: str = Field(min_length=1, max_length=80)
    shape: Literal["box", "cylinder", "mesh"] = "box"
    low: Three
    high: Three
    radius: float = Field(default=0.0, ge=0, le=1e4)
    facets: str = ""
    where: Literal["part", "table"] = "part"

    @model_validator(mode="after")
    def _has_a_size(self) -> Self:
        if self.shape == "box" and any(a >= b for a, b in zip(self.low, self.high, strict=True)):
            raise ValueError(f"{self.name}: in X, Y and Z the first corner must lie below the second")
        if self.shape == "cylinder" and (self.low == self.high or self.radius <= 0):
            raise ValueError(f"{self.name}: a cylinder needs two different ends and a radius")
        if (self.shape == "mesh") != bool(self.facets):
            raise ValueError(f"{self.name}: a mesh has facets, other fixtures have none")
        if self.facets:
            try:
                facets_from_text(self.facets)
            except ValueError as error:
                raise ValueError(f"{self.name}: {error}") from None
        return self

    @staticmethod
    def of_facets(name: str, corners: Floats, where: Literal["part", "table"] = "part") -> "PartFixture":
        """Return a mesh by the corners (n, 3, 3) of its facets (ValueError: too many, or none)."""
        text = facets_to_text(corners)
        kept = facets_from_text(text).reshape(-1, 3)
        return PartFixture(name=name, shape="mesh", facets=text, where=where, low=three(kept.min(axis=0)),
                           high=three(kept.max(axis=0)))  # fmt: skip


class Placement(Frozen):
    """How the part lies on the table while nobody has located it: which of its directions is up, and how it is turned.

    `turn_deg` is about the vertical, `height` (mm) how high it stands over the table.
    """

    up: Three = (0.0, 0.0, 1.0)
    height: float = Field(default=60.0, ge=0, le=2000)
    turn_deg: float = Field(default=0.0, ge=-360, le=360)

    @model_validator(mode="after")
    def _points_somewhere(self) -> Self:
        if not any(self.up):
            raise ValueError("the direction that is up is zero")
        return self


class Route(Frozen):
    """Steps in their order, and what they are planned around. A plan without steps has no route."""

    steps: tuple[AnyStep, ...] = ()
    placement: Placement = Placement()
    envelope: Envelope = Envelope()
    fixtures: tuple[PartFixture, ...] = ()
    near: float = Field(default=1.0, ge=0, le=50)  # mm: what comes nearer on its way is listed
    pieces: Pieces | None = None  # that stand on the table, of which the route is run on each
    original: tuple[str, ...] = ()  # ids of steps as they stood before their order was made shorter

    @model_validator(mode="after")
    def _consistent(self) -> Self:
        ids = [s.id for s in self.steps]
        if len(set(ids)) != len(ids):
            raise ValueError("two steps of the route have the same id")
        measured = [s.feature for s in self.steps if isinstance(s, MeasureStep)]
        if len(set(measured)) != len(measured):
            raise ValueError("the route measures a feature twice")
        return self

    def step_of(self, feature: str) -> MeasureStep | None:
        """Return the step that measures a feature."""
        return next((s for s in self.steps if isinstance(s, MeasureStep) and s.feature == feature), None)

    def with_step(self, step: AnyStep) -> "Route":
        """Return the route with a step in the place of the one with its id, or at the end."""
        known = any(s.id == step.id for s in self.steps)
        every = tuple(step if s.id == step.id else s for s in self.steps)
        return self.replace(steps=every if known else (*every, step))


def step_id(feature: str) -> str:
    """Return the id of the step that measures a feature, so that making a route twice gives the same one."""
    return f"m-{feature}"
