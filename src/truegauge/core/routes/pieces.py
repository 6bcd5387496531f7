"""Several pieces on one table: the same part in rows and columns, measured one after the other."""

import numpy as np
from pydantic import Field, model_validator

from truegauge.core.arrays import Points, Rigid, Vector, box_corners, three
from truegauge.core.frames import apply
from truegauge.core.frozen_model import Frozen
from truegauge.core.probing.records import Fixture

_PLAY = 2.0  # mm that the box around a neighbour is larger than the part: it is not located yet


class Pieces(Frozen):
    """Places in `rows` (along Y) and `columns` (along X), so far apart, turned about Z; mm, axes of the machine.

    They are numbered from 0 along the first row, then along the next ones.
    """

    rows: int = Field(default=1, ge=1, le=50)
    columns: int = Field(default=1, ge=1, le=50)
    row_pitch: float = Field(default=100.0, gt=0, le=5000)
    column_pitch: float = Field(default=100.0, gt=0, le=5000)
    turned_deg: float = Field(default=0.0, ge=-180, le=180)

    @model_validator(mode="after")
    def _not_too_many(self) -> "Pieces":
        if self.count > 500:
            raise ValueError(f"{self.count} pieces are too many: 500 at most")
        return self

    @property
    def count(self) -> int:
        """How many there are."""
        return self.rows * self.columns

    def shift(self, number: int) -> Vector:
        """Return where a piece is beside the first one (3,), mm in machine coordinates."""
        row, column = divmod(number, self.columns)
        a = np.radians(self.turned_deg)
        x, y = column * self.column_pitch, row * self.row_pitch
        return np.array([x * np.cos(a) - y * np.sin(a), x * np.sin(a) + y * np.cos(a), 0.0])

    def pose(self, first: Rigid, number: int) -> Rigid:
        """Return ``machine_from_part`` (4, 4) of a piece, by that of the first."""
        return _moved(first, self.shift(number))

    def first(self, pose: Rigid, number: int) -> Rigid:
        """Return ``machine_from_part`` of the first piece, by that of another one."""
        return _moved(pose, -self.shift(number))

    def neighbours(self, box: Points, pose: Rigid, number: int) -> tuple[Fixture, ...]:
        """Return the other pieces as boxes along the axes of the machine, where one (`pose`) of a part's `box` lies."""
        first = self.first(pose, number)
        made = []
        for k in range(self.count):
            if k != number:
                there = apply(self.pose(first, k), box_corners(box))
                low, high = there.min(axis=0) - _PLAY, there.max(axis=0) + _PLAY
                made.append(Fixture(name=f"piece {k + 1}", low=three(low), high=three(high)))
        return tuple(made)


def _moved(pose: Rigid, by: Vector) -> Rigid:
    made = pose.copy()
    made[:3, 3] += by
    return made
