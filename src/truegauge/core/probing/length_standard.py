"""A step gauge: blocks in a row whose faces are calibrated lengths apart; where it lies, and how probes meet it."""

from collections.abc import Sequence

import numpy as np
from pydantic import Field, model_validator

from truegauge.core.arrays import Floats, Points, Rigid, Vector, box_corners, unit
from truegauge.core.errors import DeviceError
from truegauge.core.frames import apply, invert, rigid, rotate
from truegauge.core.frozen_model import Frozen
from truegauge.core.meeting.swept import Around, Nearest, Solids, box, moved, nearest_at

_LYING = 0.5  # of the normal of its top that points upwards, at least
_ASKEW = 0.2  # of its length that touches of one face may differ in height
_EVERY = 40.0  # mm
FOOT = 20.0  # mm that the bar under the blocks reaches beyond them


class LengthStandard(Frozen):
    """A step gauge as its certificate says, mm at 20 °C.

    `lengths` lead from the first face of the first block to the last face of each block. A block is `block` long; all
    are `width` wide and stand `height` over a bar that is `bar` high. `uncertainty` is the standard uncertainty of a
    length, `expansion` 1/K.
    """

    name: str = Field(default="Step gauge", max_length=80)
    certificate: str = Field(default="", max_length=80)
    lengths: tuple[float, ...] = Field(default=tuple(20.0 + 40.0 * k for k in range(11)), min_length=1, max_length=100)
    block: float = Field(default=20.0, gt=0, le=500)
    width: float = Field(default=20.0, gt=0, le=200)
    height: float = Field(default=20.0, gt=0, le=200)
    bar: float = Field(default=25.0, gt=0, le=300)
    expansion: float = Field(default=11.5e-6, ge=0, le=1e-4)
    uncertainty: float = Field(default=0.0003, ge=0, le=1)

    @model_validator(mode="after")
    def _in_a_row(self) -> "LengthStandard":
        if self.lengths[0] < 1.0 or any(
            b - a <= self.block for a, b in zip(self.lengths, self.lengths[1:], strict=False)
        ):
            raise ValueError("the lengths of a step gauge grow from block to block by more than a block")
        return self

    def length(self, k: int, temperature_c: float) -> float:
        """Return a length at a temperature, mm."""
        return self.lengths[k] * (1 + self.expansion * (temperature_c - 20.0))

    def measured(self, count: int) -> tuple[int, ...]:
        """Return the numbers of so many lengths, spread over all of them, the longest among them."""
        last = len(self.lengths) - 1
        return tuple(sorted({round(k) for k in np.linspace(last / max(count, 1), last, min(count, last + 1))}))

    def boxes(self) -> Points:
        """Return its blocks, then its bar, as corners (n, 2, 3) in its own coordinates.

        X leads along it from the first face, Z is up, 0 at the top of the blocks; Y 0 is its middle.
        """
        half = self.width / 2
        starts = [0.0, *(b - self.block for b in self.lengths[1:])]
        made = [[[a, -half, -self.height], [b, half, 0.0]] for a, b in zip(starts, self.lengths, strict=True)]
        low = -self.height - self.bar
        made.append([[-FOOT, -half, low], [self.lengths[-1] + FOOT, half, -self.height]])
        return np.array(made)


# What is touched by hand to find it: where to, in words, and out of which side of it (its own axes).
BY_HAND: tuple[tuple[str, tuple[float, float, float]], ...] = (
    ("the top of the first block", (0.0, 0.0, 1.0)), ("the top of the last block", (0.0, 0.0, 1.0)),
    ("the front side of the first block", (0.0, -1.0, 0.0)), ("the front side of the last block", (0.0, -1.0, 0.0)),
    ("the first face of the first block", (-1.0, 0.0, 0.0)),
)  # fmt: skip


def by_hand_place(standard: LengthStandard, number: int) -> Vector:
    """Return where a touch by hand is to be, in coordinates of the gauge, mm."""
    first, last = standard.lengths[0] / 2, standard.lengths[-1] - standard.block / 2
    deep = -min(standard.height / 2, 5.0)
    half = standard.width / 2
    return np.array([(first, 0, 0), (last, 0, 0), (first, -half, deep), (last, -half, deep), (0, 0, deep)][number])


def located(standard: LengthStandard, contacts: Points, outs: Sequence[Vector]) -> Rigid:
    """Return ``machine_from_gauge`` (4, 4) by the five touches by hand: contacts (5, 3) mm, directions out of them.

    Raises
    ------
    DeviceError
        They cannot be these faces.
    """
    along = contacts[1] - contacts[0]
    length = float(np.linalg.norm(along))
    wanted = standard.lengths[-1] - standard.block / 2 - standard.lengths[0] / 2
    if abs(length - wanted) > 0.5 * standard.block + 0.05 * wanted:
        raise DeviceError(f"the touches on top are {length:.0f} mm apart, about {wanted:.0f} were to be: touch again")
    e = along / length
    up = unit(np.asarray(outs[0]) - (outs[0] @ e) * e)
    side = np.cross(up, e)
    if up[2] < _LYING or abs((contacts[3] - contacts[2]) @ side) > _ASKEW * length:
        raise DeviceError("the touches are not on top and side of a gauge that lies on the table: touch again")
    # The tops give how it is inclined, the sides how it is turned.
    beside = contacts[3] - contacts[2]
    x = unit(e + ((beside @ side) / (beside @ e)) * side)
    z = unit(up - (up @ x) * x)
    y = np.cross(z, x)
    origin = contacts[4] @ x * x + (contacts[2] @ y + standard.width / 2) * y + contacts[0] @ z * z
    return rigid(np.column_stack([x, y, z]), origin)


class GaugeObstacle:
    """A step gauge where it lies."""

    name = "the step gauge"

    def __init__(self, standard: LengthStandard, machine_from_gauge: Rigid) -> None:
        self.standard, self.machine_from_gauge = standard, machine_from_gauge
        self._boxes = self.boxes()
        self._rows = [box(low, high) for low, high in self._boxes]

    def boxes(self) -> Points:
        """Return its solids as corners (n, 2, 3), in its own coordinates."""
        return self.standard.boxes()

    def distances(self, points: Points, radii: Floats | float = 0.0) -> Floats:
        """Return the distances (n,) to its surface, negative inside."""
        local = apply(invert(self.machine_from_gauge), points)[:, None]
        beyond = np.maximum(self._boxes[:, 0] - local, local - self._boxes[:, 1])
        outside = np.linalg.norm(np.maximum(beyond, 0.0), axis=2)
        return np.asarray(np.where(outside > 0, outside, beyond.max(axis=2)).min(axis=1))

    def reach(self) -> tuple[Vector, Vector]:
        """Return the corners (3,) of a box around it."""
        every = np.vstack([box_corners(b) for b in self._boxes])
        there = apply(self.machine_from_gauge, every)
        return there.min(axis=0), there.max(axis=0)

    @property
    def top(self) -> float:
        """How high it reaches, mm."""
        return float(self.reach()[1][2])

    def middles(self) -> Points:
        """Return places (n, 3) along it, around which nothing else stands, mm."""
        along = np.arange(0.0, self.standard.lengths[-1] + _EVERY, _EVERY)
        return apply(self.machine_from_gauge, np.column_stack([along, 0 * along, 0 * along]))

    def nearest(self, solids: Solids, way: Vector, limit: float) -> Nearest | None:
        """Return how near solids come to it."""
        gauge_from_machine = invert(self.machine_from_gauge)
        own, shift = moved(solids, gauge_from_machine), rotate(gauge_from_machine, way[None])[0]
        found = nearest_at(own, shift, [Around.of_solids(self.name, self._rows)], limit)
        if found is None:
            return None
        return Nearest(found.distance, found.solid, found.name, apply(self.machine_from_gauge, found.at[None])[0])
