"""How a feature is touched: strategies with their numbers. Lengths in mm."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from truegauge.core.frozen_model import Frozen, Three


class Trace(Frozen):
    """Continuous contact instead of single touches: a point every `spacing` mm, at `speed` mm/s."""

    spacing: float = Field(default=0.5, gt=0, le=50)
    speed: float = Field(default=10.0, gt=0, le=200)


class Usual(Frozen):
    """What is usual for the kind and size of the feature; with so many touches and rows where they are asked for."""

    kind: Literal["usual"] = "usual"
    touches: int = Field(default=0, ge=0, le=500)
    rows: int = Field(default=0, ge=0, le=50)


class Spread(Frozen):
    """Places as far from each other as can be; holes and pockets are left out."""

    kind: Literal["spread"] = "spread"
    touches: int = Field(default=9, ge=1, le=500)


class Grid(Frozen):
    """So many places each way over a face, as a whole drawn in (share of its size), shifted (mm) and turned.

    Those that come to lie beside the trimmed face are moved onto it, or left out.
    """

    kind: Literal["grid"] = "grid"
    along: int = Field(default=3, ge=1, le=60)
    across: int = Field(default=3, ge=1, le=60)
    drawn_in: float = Field(default=0.1, ge=0, lt=0.5)
    shift_along: float = Field(default=0.0, ge=-1e4, le=1e4)
    shift_across: float = Field(default=0.0, ge=-1e4, le=1e4)
    turned_deg: float = Field(default=0.0, ge=-360, le=360)


class _AlongAxis(Frozen):
    """What rows and helices share: between `first` and `last` mm from an end, from an angle on, touched or traced.

    The outer end is the one nearer to the outside of the part. Without numbers they take all of the height.
    """

    start_deg: float = Field(default=0.0, ge=-360, le=360)
    end: Literal["outer", "inner"] = "outer"
    first: float | None = Field(default=None, ge=0, le=1e4)
    last: float | None = Field(default=None, ge=0, le=1e4)
    trace: Trace | None = None

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.first is not None and self.last is not None and self.first > self.last:
            raise ValueError("it begins deeper than it ends: the first number must not be larger than the last")
        return self


class Rings(_AlongAxis):
    """Rows around an axis: of a turned feature, a torus, or about the middle (or a datum axis) of a plane.

    Each row has `touches` places over `sweep_deg`; every other whole row is turned by half a step.
    """

    kind: Literal["rings"] = "rings"
    touches: int = Field(default=4, ge=1, le=500)
    rows: int = Field(default=3, ge=1, le=50)
    sweep_deg: float = Field(default=360.0, gt=0, le=360)


class Border(Frozen):
    """Places along the border of a face, `inset` mm inside of it."""

    kind: Literal["border"] = "border"
    touches: int = Field(default=12, ge=1, le=500)
    inset: float = Field(default=3.0, gt=0, le=1000)


class Cap(Frozen):
    """Rows on a sphere about the middle of what there is of it, over `coverage` percent of that, and one on top."""

    kind: Literal["cap"] = "cap"
    touches: int = Field(default=12, ge=1, le=500)
    rows: int = Field(default=2, ge=1, le=30)
    coverage: float = Field(default=85.0, gt=0, le=100)
    start_deg: float = Field(default=0.0, ge=-360, le=360)


class StraightLine(Frozen):
    """Places along a straight line over the face, its ends pulled in by a length from where the trimmed face ends.

    It lies in the direction in which the face extends most, turned and shifted (mm) across; on a turned feature along
    its axis, `turned_deg` about it.
    """

    kind: Literal["line"] = "line"
    touches: int = Field(default=5, ge=1, le=500)
    pulled_in: float = Field(default=3.0, ge=0, le=1e4)
    turned_deg: float = Field(default=0.0, ge=-360, le=360)
    shift: float = Field(default=0.0, ge=-1e4, le=1e4)
    trace: Trace | None = None


class Helix(_AlongAxis):
    """Places along a helix on a turned feature, so many turns of it; to and fro where it does not go all round."""

    kind: Literal["helix"] = "helix"
    touches: int = Field(default=24, ge=2, le=500)
    turns: float = Field(default=2.0, gt=0, le=100)


class Sides(Frozen):
    """Each face of a feature of several on its own, as of a slot: so many on a flat side, so many on a round end."""

    kind: Literal["sides"] = "sides"
    touches: int = Field(default=4, ge=1, le=500)
    ends: int = Field(default=3, ge=0, le=500)


class SheetEdge(Frozen):
    """The narrow face of a sheet, along its edge: each time first the sheet beside it, then the edge below that.

    The sheet is touched `inset` mm inside of the edge; where it is found, the edge is touched `depth` mm below it.
    Places lie evenly along the edge, its ends pulled in. `other` takes the sheet's other side.
    """

    kind: Literal["edge"] = "edge"
    touches: int = Field(default=6, ge=1, le=250)
    depth: float = Field(default=0.5, gt=0, le=100)
    inset: float = Field(default=4.0, gt=0, le=100)
    pulled_in: float = Field(default=4.0, ge=0, le=1e4)
    other: bool = False


class Clicked(Frozen):
    """Places that were chosen one by one: place (part, mm) and direction out of the surface."""

    kind: Literal["clicked"] = "clicked"
    places: tuple[tuple[Three, Three], ...] = Field(min_length=1, max_length=500)


Placing = Spread | Grid | Rings | Border | Cap | StraightLine | Helix | Sides | SheetEdge | Clicked
Strategy = Annotated[
    Usual | Spread | Grid | Rings | Border | Cap | StraightLine | Helix | Sides | SheetEdge | Clicked,
    Field(discriminator="kind"),
]


Traceable = Rings | StraightLine | Helix


def trace_of(strategy: Strategy) -> Trace | None:
    """Return how a strategy is traced; None: by single touches."""
    return strategy.trace if isinstance(strategy, Traceable) else None
