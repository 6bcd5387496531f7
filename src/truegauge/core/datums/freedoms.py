"""The six freedoms of a part, and which of several things in order holds each.

A motion is a twist (6,): a turn vector (rad) about a point, then a shift (mm). What holds a part is written as rows
(k, 6): motions m with row @ m = 0 are left free (screw algebra; ISO 5459 lists the cases for datums).
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Vector

SHIFTS = ("shift along x", "shift along y", "shift along z")
TURNS = ("turn about x", "turn about y", "turn about z")
NAMES = (*SHIFTS, *TURNS)  # the order of everything shown
TWIST_OF = (3, 4, 5, 0, 1, 2)  # where each of them stands in a twist
_HELD = 1e-9
_RANK = 1e-7
NOBODY = ""

Rows = NDArray[np.float64]  # (k, 6)


@dataclass(frozen=True, slots=True)
class Freedoms:
    """Who holds each of the six freedoms, in the order of `NAMES`; `NOBODY` where it is free, several on own lines.

    `partly` marks freedoms that are free only together with another one (a datum at an angle to the axes).
    `added` tells how many freedoms each holder takes away, in their order; 0 for one that takes nothing.
    """

    holders: tuple[str, ...] = (NOBODY,) * 6
    partly: tuple[bool, ...] = (False,) * 6
    added: tuple[int, ...] = ()

    @property
    def held(self) -> int:
        """How many freedoms are held in all, 0 to 6."""
        return sum(self.added)

    @property
    def free(self) -> tuple[str, ...]:
        """The names of the freedoms that nothing holds."""
        return tuple(name for name, holder in zip(NAMES, self.holders, strict=True) if holder == NOBODY)

    def say_free(self) -> str:
        """Say what still moves; empty when nothing does."""
        return _listed(self.free)

    def held_by(self, name: str) -> tuple[str, ...]:
        """Return the freedoms that one of the holders holds."""
        return tuple(n for n, holder in zip(NAMES, self.holders, strict=True) if holder == name)


def _listed(names: Sequence[str]) -> str:
    if len(names) < 2:
        return "".join(names)
    return f"{', '.join(names[:-1])} and {names[-1]}"


def turn_rows(direction: Vector) -> Rows:
    """Return the rows that hold a direction: no turn but about it."""
    across = np.linalg.svd(direction[None])[2][1:]
    return np.hstack([across, np.zeros((2, 3))])


def shift_rows(directions: NDArray[np.float64], place: Vector, about: Vector) -> Rows:
    """Return the rows that hold a place along directions (k, 3); turns are about the point `about`."""
    return np.hstack([np.cross(place - about, directions), directions])


def holders(rows: Sequence[Rows], names: Sequence[str], *, length: float) -> Freedoms:
    """Tell who holds what: each next one takes what those before it left.

    Parameters
    ----------
    rows : sequence of (k, 6) float64
        What each holds, in the axes that the freedoms are named by.
    length : float
        Size of the part, mm: it makes turns and shifts comparable.
    """
    free = np.eye(6)
    found, added = [NOBODY] * 6, []
    scale = np.array([length, length, length, 1.0, 1.0, 1.0])  # twists in mm at the part's edge
    for own, name in zip(rows, names, strict=True):
        left = _left_free(free, own / scale)
        added.append(free.shape[1] - left.shape[1])
        free = left
        for k, place in enumerate(TWIST_OF):
            if found[k] == NOBODY and float(np.sum(free[place] ** 2)) < _HELD:
                found[k] = name
    share = [float(np.sum(free[place] ** 2)) for place in TWIST_OF]
    partly = tuple(_HELD <= s < 1 - 1e-6 for s in share)
    return Freedoms(tuple(found), partly, tuple(added))


def _left_free(free: NDArray[np.float64], rows: Rows) -> NDArray[np.float64]:
    """Return an orthonormal basis (6, k) of the motions in `free` that the rows allow."""
    if free.shape[1] == 0 or len(rows) == 0:
        return free
    strength, basis = np.linalg.svd(rows @ free)[1:]
    return np.asarray(free @ basis[int((strength > _RANK).sum()) :].T)


def decoupling(free: NDArray[np.float64]) -> Vector:
    """Return the shift of the centre about which free motions (6, k: turns, then shifts) shift the least."""
    turns, shifts = free[:3].T, free[3:].T
    rows = np.vstack([np.cross(turns, axis) for axis in np.eye(3)])  # (w x d) . axis = d . (axis x w)
    wanted = np.concatenate([shifts[:, k] for k in range(3)])
    return np.asarray(np.linalg.lstsq(rows, wanted, rcond=1e-9)[0])


def open_shares(free: NDArray[np.float64], length: float) -> NDArray[np.float64]:
    """Return how much (0 to 1) each of the freedoms, in the order of `NAMES`, is left open by free motions (6, k).

    Turns are taken about the place about which the free motions shift the least.
    """
    if free.shape[1] == 0:
        return np.zeros(6)
    place = decoupling(free)
    moved = free.copy()
    moved[3:] += np.cross(free[:3].T, place).T
    moved[:3] *= length
    basis = np.linalg.qr(moved)[0]
    return np.asarray((basis**2).sum(axis=1)[list(TWIST_OF)])
