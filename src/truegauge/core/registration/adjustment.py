"""What alignments by targets share: solving for a pose from rows of deviations, and an opinion on the result.

A row is one deviation (mm) in one direction at one place; its derivative by a small motion of the part (turn about a
centre, then shift) is known. Gauss-Newton steps with the pseudo-inverse: what no row determines stays as it was.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Points, Rigid, Vector
from truegauge.core.datums.freedoms import NAMES, Freedoms, decoupling
from truegauge.core.errors import RegistrationError
from truegauge.core.frames import from_rotation_vector, orthonormalised, rigid

_TURNS = 60
_RANK = 1e-6  # a freedom is free when the largest target moves by less than this share of it
_WEAK = 0.08


@dataclass(frozen=True, slots=True, eq=False)
class Rows:
    """Deviations (m,) mm, their directions (m, 3) and places (m, 3) in part coordinates, and weights (m,)."""

    deviation: Floats
    direction: NDArray[np.float64]
    place: Points
    weight: Floats

    def jacobian(self, center: Vector) -> NDArray[np.float64]:
        """Return d deviation / d (turn about the centre, shift): (m, 6)."""
        return np.hstack([np.cross(self.place - center, self.direction), self.direction])


@dataclass(frozen=True, slots=True, eq=False)
class TargetDeviation:
    """How far one target is off after the alignment: `deviation` (3,) mm as measured minus nominal.

    `held` (3,) tells which directions of the part's axes (or of its own) the alignment counts; `used` is False for an
    excluded target, `poor` marks one that is far off in comparison with the others.
    """

    name: str
    place: Vector
    deviation: Vector
    used: bool = True
    poor: bool = False
    held: str = ""

    @property
    def length(self) -> float:
        """The size of the deviation, mm."""
        return float(np.linalg.norm(self.deviation))


@dataclass(frozen=True, slots=True, eq=False)
class Adjustment:
    """A pose from targets: `part_from_base` (applied after `scale`), rms and largest of the rows used, mm.

    `doubts` say why it should not be trusted (empty: nothing speaks against it), `notes` what else there is to know.
    `surplus` is the number of rows beyond what is needed.
    """

    part_from_base: Rigid
    rms: float
    largest: float
    targets: tuple[TargetDeviation, ...]
    freedoms: Freedoms
    surplus: int
    doubts: tuple[str, ...] = ()
    notes: tuple[str, ...] = ()
    scale: float = 1.0
    suggestion: str = ""  # the target whose exclusion would help most


def solve_rows(
    rows_at: Callable[[Rigid], Rows], start: Rigid, *, center: Vector, length: float, turns: int = _TURNS
) -> tuple[Rigid, Rows]:
    """Find the pose that minimises the weighted squares of the rows; returns it with the rows there.

    Raises
    ------
    RegistrationError
        The steps do not come to an end.
    """
    pose = orthonormalised(start)
    rows = rows_at(pose)
    unit_of = np.array([1 / length] * 3 + [1.0] * 3)  # turns as mm at the part's edge
    before = np.inf
    for _ in range(turns):
        w = np.sqrt(rows.weight)
        jacobian = rows.jacobian(center) * unit_of * w[:, None]
        step = -np.linalg.pinv(jacobian, rcond=_RANK) @ (w * rows.deviation) * unit_of
        pose = moved_by(pose, step, center)
        rows = rows_at(pose)
        size = float(np.linalg.norm(step / unit_of))
        if size < 1e-11 * length or (size < 1e-8 * length and size >= 0.5 * before):
            return pose, rows
        before = size
    if before < 1e-5 * length:
        return pose, rows
    raise RegistrationError("the alignment does not settle: its targets do not go together")


def moved_by(pose: Rigid, step: Floats, center: Vector) -> Rigid:
    """Turn a pose about a point by a rotation vector, then shift it: `step` (6,) rad and mm."""
    turn = from_rotation_vector(step[:3], np.zeros(3))
    about = rigid(turn[:3, :3], center - turn[:3, :3] @ center + step[3:])
    return orthonormalised(about @ pose)


def determination(rows: Rows, names: Sequence[str], *, center: Vector, length: float) -> tuple[Freedoms, int, str]:
    """Tell which rows determine which freedom, how many are to spare, and what is only weakly held.

    Parameters
    ----------
    names : sequence of str
        The target of each row.
    """
    jacobian, strength, free = _analysed(rows, center, length)
    if free.shape[1] and np.abs(free[:3]).max() > 1e-9:  # name the turns about where what is held lies
        jacobian, strength, free = _analysed(
            rows, center + decoupling(free / np.array([[length]] * 3 + [[1.0]] * 3)), length
        )
    rank = 6 - free.shape[1]
    inverse = np.linalg.pinv(jacobian, rcond=_RANK) if len(jacobian) else np.zeros((6, 0))
    holders, partly = [], []
    for place in (3, 4, 5, 0, 1, 2):
        open_share = float(np.sum(free[place] ** 2))
        partly.append(1e-9 <= open_share < 1 - 1e-6)
        share = np.abs(inverse[place])
        least = 0.25 * float(share.max(initial=0))
        chosen = [] if open_share > 1e-9 else [names[i] for i in np.flatnonzero(share > least).tolist()]
        holders.append("\n".join(dict.fromkeys(chosen)))
    added = tuple([1] * rank)
    weak = ""
    if rank == 6 and strength[5] < _WEAK * strength[0]:
        weak = freedom_named(np.linalg.svd(jacobian)[2][5])
    return Freedoms(tuple(holders), tuple(partly), added), len(jacobian) - rank, weak


def _analysed(rows: Rows, about: Vector, length: float) -> tuple[NDArray[np.float64], Floats, NDArray[np.float64]]:
    """Return the weighted derivatives by turns about a point (mm at the edge) and shifts, strengths, free motions."""
    scale = np.array([1 / length] * 3 + [1.0] * 3) * 2.0  # the edge is half the size away
    weight = np.sqrt(rows.weight / max(float(rows.weight.max(initial=0)), 1e-300))
    jacobian = rows.jacobian(about) * scale * weight[:, None]
    if len(jacobian) == 0:
        return jacobian, np.zeros(6), np.eye(6)
    _, strength, basis = np.linalg.svd(jacobian)
    strength = np.concatenate([strength, np.zeros(6 - len(strength))])
    rank = int((strength > _RANK * max(1.0, float(strength[0]))).sum())
    return jacobian, strength, np.asarray(basis[rank:].T)


def freedom_named(twist: Floats) -> str:
    """Return the freedom that is most like a twist (turn, then shift, comparable in size)."""
    return NAMES[int(np.argmax(np.abs(np.concatenate([twist[3:], twist[:3]]))))]
