"""What a datum system is established from: datums with their parts and targets, nominal and measured."""

from __future__ import annotations

from dataclasses import dataclass, field

from truegauge.core.arrays import Points, Vector
from truegauge.core.association.features import Feature
from truegauge.core.association.fit import Criterion


@dataclass(frozen=True, slots=True, eq=False)
class MeasuredTarget:
    """A datum target as designed and as measured: a place (3,) on the surface and the normal there.

    A movable target slides along `slides` (3,); all movable targets of a datum slide by the same amount.
    """

    name: str
    place: Vector
    normal: Vector
    measured: Vector
    slides: Vector | None = None


@dataclass(frozen=True, slots=True, eq=False)
class DatumPart:
    """One feature of a datum: as designed, and as measured.

    `points` (n, 3) are measured points on its surface (averaged); none for a constructed feature, of which `measured`
    is taken as it is. `criterion` None associates as the system says. A `settled` part moved a little since its optima
    were searched. Where nothing holds it, it is associated once for all systems.
    """

    name: str
    nominal: Feature
    outward: int
    middle: Vector
    measured: Feature
    points: Points | None
    criterion: Criterion | None = None
    settled: bool = False
    alone: dict[Criterion, Feature] = field(default_factory=dict, init=False, repr=False)


@dataclass(frozen=True, slots=True, eq=False)
class SystemDatum:
    """A datum in its place in the system.

    `material` is "M" or "L" (its boundary has the `sizes`, diameter or width, one for each part) or empty. `holds`
    names the freedoms that it may take (none: all that it can); `orients`: only turns.
    """

    letter: str
    parts: tuple[DatumPart, ...] = ()
    targets: tuple[MeasuredTarget, ...] = ()
    material: str = ""
    sizes: tuple[float, ...] = ()
    holds: tuple[str, ...] = ()
    orients: bool = False
    situation: str = ""  # PL, SL or PT: only this element of it
