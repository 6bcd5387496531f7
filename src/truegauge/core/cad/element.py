"""What an element of a part is: a hole, a slot, a fillet ... in the words of a workshop."""

import math
from dataclasses import dataclass
from enum import StrEnum

from truegauge.core.arrays import Vector

FaceGroup = tuple[int, ...]


class ElementKind(StrEnum):
    """What an element is called."""

    HOLE = "hole"
    COUNTERBORE = "counterbore"
    COUNTERSINK = "countersink"
    BOSS = "boss"
    PIN = "pin"
    SLOT = "slot"
    PAD = "pad"
    FILLET = "fillet"
    SPHERE = "sphere"
    CONE = "cone"


@dataclass(frozen=True, slots=True, eq=False)
class Element:
    """One element: its faces in `groups` (one surface each, the one that names it first), mm.

    `position` is on its axis where it begins (seen from outside), `direction` points out of the part along the axis.
    `through` is None where it makes no sense; `second` is the larger diameter of a counterbore or countersink, the
    length of a slot or pad.
    """

    kind: ElementKind
    groups: tuple[FaceGroup, ...]
    position: Vector
    direction: Vector
    diameter: float
    depth: float
    through: bool | None = None
    second: float = 0.0
    angle: float = 0.0
    inside: bool = False

    @property
    def faces(self) -> FaceGroup:
        """All its faces."""
        return tuple(f for g in self.groups for f in g)

    def describe(self, *, short: bool = False) -> str:
        """Say what it is: "hole ⌀ 5.5, through, 14 deep", or short: "hole ⌀ 5.5"."""
        if short:
            size = f" x {_n(self.second)}" if self.kind in (ElementKind.SLOT, ElementKind.PAD) else ""
            return f"{self.kind} {'' if size else '⌀ '}{_n(self.diameter)}{size}"
        ending = "" if self.through is None else (", through" if self.through else ", blind")
        match self.kind:
            case ElementKind.HOLE:
                return f"hole ⌀ {_n(self.diameter)}{ending}, {_n(self.depth)} deep"
            case ElementKind.COUNTERBORE:
                return f"counterbore ⌀ {_n(self.second)} on hole ⌀ {_n(self.diameter)}{ending}"
            case ElementKind.COUNTERSINK:
                wide = f"⌀ {_n(self.second)} x {_n(math.degrees(self.angle))}°"
                return f"countersink {wide} on hole ⌀ {_n(self.diameter)}{ending}"
            case ElementKind.BOSS | ElementKind.PIN:
                return f"{self.kind} ⌀ {_n(self.diameter)}, {_n(self.depth)} long"
            case ElementKind.SLOT | ElementKind.PAD:
                size = f"{_n(self.diameter)} x {_n(self.second)}"
                return f"{self.kind} {size}{ending}, {_n(self.depth)} {'deep' if self.inside else 'high'}"
            case ElementKind.FILLET:
                return f"{'inside' if self.inside else 'outside'} fillet, radius {_n(self.diameter / 2)}"
            case ElementKind.SPHERE:
                return f"{'socket' if self.inside else 'ball'} ⌀ {_n(self.diameter)}"
            case _:
                side = "inside" if self.inside else "outside"
                return f"{side} cone {_n(math.degrees(self.angle))}°, {_n(self.depth)} long"


def _n(value: float) -> str:
    return f"{value:.3f}".rstrip("0").rstrip(".")
