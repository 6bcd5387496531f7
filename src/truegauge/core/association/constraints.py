"""Constraints of an association: which motions and sizes of the feature are free.

A feature moves by rigid motions; a constraint takes some of them away. So fixed directions, directions across another,
and datum systems hold exactly at every step, and the unknowns are as few as they can be.
"""

from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Points, Rigid, Vector
from truegauge.core.association.kernels import S0, active
from truegauge.core.errors import AssociationError

# How a motion is given: in the shape's own frame, about the origin of the points, or by a direction of the points'
# frame about the shape's own origin.
OWN, GLOBAL, TURNED = 0.0, 1.0, 2.0
FREEDOMS = ("tx", "ty", "tz", "rx", "ry", "rz")


@dataclass(frozen=True, slots=True, eq=False)
class DatumSystem:
    """A datum system: its frame, and the freedoms (`tx` ... `rz`, in that frame) that it leaves to the feature."""

    part_from_datum: Rigid
    free: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        unknown = [f for f in self.free if f not in FREEDOMS]
        if unknown:
            raise AssociationError(f"{unknown[0]!r} is no freedom; use {', '.join(FREEDOMS)}")


@dataclass(frozen=True, slots=True, eq=False)
class Constraints:
    """What is held while a feature is associated; None is not held.

    Parameters
    ----------
    direction : (3,)
        The axis, or the normal, has this direction.
    across : (3,)
        The axis, or the normal, is perpendicular to this direction.
    radius : float, mm
        The radius (of a torus the radius of its ring; half of a width).
    through : (m, 3) mm
        The feature passes through these points.
    datums
        The feature keeps the place and direction of the start, apart from the freedoms that the datum system leaves.
    """

    direction: Vector | None = None
    across: Vector | None = None
    radius: float | None = None
    through: Points | None = None
    datums: DatumSystem | None = None

    @property
    def through_points(self) -> Points:
        """The points to pass through, (m, 3), perhaps none."""
        return np.zeros((0, 3)) if self.through is None else np.atleast_2d(np.asarray(self.through, dtype=np.float64))

    def scaled(self, factor: float, shift: Vector) -> "Constraints":
        """Return the constraints for points that are multiplied, then shifted."""
        datums = self.datums
        if datums is not None:
            frame = datums.part_from_datum.copy()
            frame[:3, 3] = frame[:3, 3] * factor + shift
            datums = DatumSystem(frame, datums.free)
        return Constraints(
            self.direction,
            self.across,
            None if self.radius is None else self.radius * factor,
            None if self.through is None else self.through_points * factor + shift,
            datums,
        )


NONE = Constraints()


@dataclass(frozen=True, slots=True, eq=False)
class Freedom:
    """The unknowns: motions (k, 7) as kind, shift (3), turn (3); which sizes are free (2,); points to pass through.

    `redundant` motions may leave the shape as it is (a datum system does not know the shape).
    """

    motions: NDArray[np.float64]
    sizes: NDArray[np.bool_]
    through: Points
    redundant: bool

    @property
    def unknowns(self) -> int:
        """How many points the association needs at least."""
        return max(len(self.motions) + int(self.sizes.sum()) - len(self.through), 1)


def freedom_of(code: int, constraints: Constraints) -> Freedom:
    """Return the unknowns of a shape under constraints, in the frame of the (normalised) points."""
    if constraints is NONE:
        return _all_free(code)
    return _freedom(code, constraints)


@cache
def _all_free(code: int) -> Freedom:
    return _freedom(code, NONE)


def _freedom(code: int, constraints: Constraints) -> Freedom:
    columns = active(code)
    sizes = np.array([S0 in columns, S0 + 1 in columns])
    if constraints.radius is not None:
        sizes[0] = False
    through = np.ascontiguousarray(constraints.through_points)
    if constraints.datums is not None:
        return Freedom(_datum_motions(constraints.datums), sizes, through, True)
    motions = []
    for column in columns:
        if column >= S0 or (column in (3, 4) and (constraints.direction is not None or constraints.across is not None)):
            continue
        motion = np.zeros(7)
        motion[1 + column] = 1.0
        motions.append(motion)
    if constraints.across is not None and constraints.direction is None and (3 in columns or 4 in columns):
        motions.append(np.concatenate([[TURNED, 0, 0, 0], constraints.across / np.linalg.norm(constraints.across)]))
    return Freedom(np.array(motions).reshape(-1, 7), sizes, through, False)


def _datum_motions(datums: DatumSystem) -> Floats:
    frame = datums.part_from_datum
    origin, motions = frame[:3, 3], []
    for name in datums.free:
        axis = frame[:3, "xyz".index(name[1])]
        if name[0] == "t":
            motions.append(np.concatenate([[GLOBAL], axis, np.zeros(3)]))
        else:  # a turn about the datum's origin: as a motion about the origin of the points it also shifts
            motions.append(np.concatenate([[GLOBAL], np.cross(origin, axis), axis]))
    return np.array(motions).reshape(-1, 7)
