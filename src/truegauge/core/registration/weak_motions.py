"""Motions of a part that the points of a fit hardly hold."""

from typing import NamedTuple

import numpy as np

from truegauge.core.arrays import Floats, Points, Rigid
from truegauge.core.frames import twist_motion
from truegauge.core.registration.best_fit import Information

_WEAKLY = 0.05  # of the best-known motion, squared
_SHIFTED = 0.3  # of what a motion moves points: what shifts less is a turn


class Motion(NamedTuple):
    """A motion that moves points by 1 mm on average; whether it is rather a turn than a shift."""

    twist: Floats
    center: Points
    turns: bool

    def along(self, way: float) -> Rigid:
        """Return the motion (4, 4) that moves points by `way` (mm) on average."""
        return twist_motion(way * self.twist, self.center)


def weak_motions(information: Information | None, moved: Points, lever: float, most: int) -> list[Motion]:
    """Return at most so many motions that points (n, 3) on the part hardly hold, the weakest first.

    `lever` (mm) is where turns count like shifts.
    """
    if information is None:
        return []
    size = np.array([lever] * 3 + [1.0] * 3)
    values, vectors = np.linalg.eigh(information.matrix / np.outer(size, size))
    off = moved - information.center
    found = []
    for k in np.flatnonzero(values < _WEAKLY * values[-1])[:most]:
        twist = vectors[:, k] / size
        shift = float(np.linalg.norm(twist[3:]))
        far = float(np.sqrt(np.mean((np.cross(twist[:3], off) + twist[3:]) ** 2) * 3))
        found.append(Motion(twist / far, information.center, shift < _SHIFTED * far))
    return found


def axis_of(twist: Floats, center: Points) -> tuple[Points, Points]:
    """Return a point and the direction of the axis of a motion that turns."""
    turn, shift = twist[:3], twist[3:]
    size = float(np.linalg.norm(turn))
    return center + np.cross(turn, shift) / size**2, turn / size


def turn_about(center: Points, axis: Points, angle: float) -> Rigid:
    """Return the turn (4, 4) about an axis (unit) through a place by an angle, rad."""
    return twist_motion(np.concatenate([angle * axis, np.zeros(3)]), center)
