"""What evaluating a geometrical tolerance gives: the value, and why it is what it is."""

from dataclasses import dataclass, field

import numpy as np

from truegauge.core.arrays import Points, Rigid, Vector
from truegauge.core.datums.freedoms import Freedoms


@dataclass(frozen=True, slots=True)
class UnitValue:
    """The value of one of several features, and the bonus of that one, mm."""

    name: str
    value: float
    bonus: float = 0.0


@dataclass(frozen=True, slots=True, eq=False)
class Sketch:
    """What a view draws: true places (m, 3) and offsets (m, 3) from them, part coordinates; `worst` is a row.

    `kind` says what the zone is like (cylinder, sphere, planes, surface); `direction` is its axis or normal.
    """

    kind: str
    places: Points
    offsets: Points
    worst: int
    direction: Vector | None = None


@dataclass(frozen=True, slots=True, eq=False)
class Outcome:
    """Value (mm) with what was used: bonus of the worst feature, the shift that datum boundaries allowed.

    `poses` (one a unit) move the points, as the datum system places them, into their smallest zones.
    `shift` (3,) mm and `turn` rad are the motion from where the datums are centred in their boundaries.
    """

    value: float
    bonus: float = 0.0
    units: tuple[UnitValue, ...] = ()
    freedoms: Freedoms | None = None
    letters: tuple[str, ...] = ()
    shift: Vector = field(default_factory=lambda: np.zeros(3))
    turn: float = 0.0
    bounded: int = 0
    sketch: Sketch | None = None
    association: str = ""
    notes: tuple[str, ...] = ()
    poses: tuple[Rigid, ...] = ()
