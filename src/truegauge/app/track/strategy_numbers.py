"""Which numbers each kind of strategy has: their words, ranges and steps."""

from collections.abc import Callable
from dataclasses import dataclass

from truegauge.core.routes.strategies import (
    Border,
    Cap,
    Grid,
    Helix,
    Rings,
    SheetEdge,
    Sides,
    Spread,
    StraightLine,
    Strategy,
    Usual,
)

KINDS: dict[str, tuple[str, Callable[[], Strategy]]] = {
    "usual": ("The usual places", Usual), "spread": ("Spread over the face", Spread),
    "grid": ("A grid over the face", Grid), "rings": ("Rows around the axis", Rings),
    "border": ("Along the border", Border), "cap": ("Rows over the ball", Cap),
    "line": ("Along a straight line", StraightLine), "helix": ("Along a helix", Helix),
    "sides": ("Each side on its own", Sides), "edge": ("The edge of a sheet", SheetEdge),
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Number:
    """A number of a strategy: its field, words, range, decimals and step."""

    name: str
    words: str
    least: float
    most: float
    decimals: int
    step: float


NUMBERS: dict[str, tuple[Number, ...]] = {
    "usual": (),
    "spread": (Number("touches", "touches", 1, 500, 0, 1),),
    "grid": (
        Number("along", "places along", 1, 60, 0, 1), Number("across", "places across", 1, 60, 0, 1),
        Number("drawn_in", "drawn in (share)", 0, 0.49, 2, 0.02),
        Number("shift_along", "shifted along, mm", -1e3, 1e3, 2, 1),
        Number("shift_across", "shifted across, mm", -1e3, 1e3, 2, 1),
        Number("turned_deg", "turned, °", -360, 360, 1, 5),
    ),
    "rings": (
        Number("touches", "touches a row", 1, 500, 0, 1), Number("rows", "rows", 1, 50, 0, 1),
        Number("first", "first row at, mm", 0, 1e4, 2, 0.5),
        Number("last", "last row at, mm", 0, 1e4, 2, 0.5),
        Number("start_deg", "start, °", -360, 360, 1, 5), Number("sweep_deg", "sweep, °", 1, 360, 1, 5),
    ),
    "border": (Number("touches", "touches", 1, 500, 0, 1), Number("inset", "inside by, mm", 0.1, 1000, 2, 0.5)),
    "cap": (
        Number("touches", "touches", 1, 500, 0, 1), Number("rows", "rows", 1, 30, 0, 1),
        Number("coverage", "coverage, %", 1, 100, 0, 5), Number("start_deg", "start, °", -360, 360, 1, 5),
    ),
    "line": (
        Number("touches", "touches", 1, 500, 0, 1), Number("pulled_in", "ends pulled in, mm", 0, 1e4, 2, 0.5),
        Number("turned_deg", "turned, °", -360, 360, 1, 5), Number("shift", "shifted across, mm", -1e4, 1e4, 2, 1),
    ),
    "helix": (
        Number("touches", "touches", 2, 500, 0, 1), Number("turns", "turns", 0.1, 100, 2, 0.25),
        Number("first", "begins at, mm", 0, 1e4, 2, 0.5),
        Number("last", "ends at, mm", 0, 1e4, 2, 0.5), Number("start_deg", "start, °", -360, 360, 1, 5),
    ),
    "sides": (
        Number("touches", "on a flat side", 1, 500, 0, 1), Number("ends", "on a round end", 0, 500, 0, 1),
    ),
    "edge": (
        Number("touches", "touches", 1, 250, 0, 1), Number("depth", "below the sheet, mm", 0.05, 100, 2, 0.1),
        Number("inset", "sheet touched at, mm", 0.1, 100, 2, 0.5),
        Number("pulled_in", "ends pulled in, mm", 0, 1e4, 2, 0.5),
    ),
}  # fmt: skip
# Those of continuous contact, whatever it follows.
TRACE = (
    Number("spacing", "a point every, mm", 0.01, 50, 2, 0.1), Number("speed", "speed, mm/s", 0.1, 200, 1, 1),
)  # fmt: skip
