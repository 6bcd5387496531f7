"""Flat points around a centre: the circle through them, and the widest gap between them."""

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats


def algebraic_center(flat: NDArray[np.float64]) -> Floats:
    """Return the centre (2,) of the circle through flat points (n, 2), algebraically: to read angles about it."""
    middle = flat.mean(axis=0)
    off = flat - middle
    found = np.linalg.lstsq(np.column_stack([2 * off, np.ones(len(off))]), (off**2).sum(axis=1), rcond=1e-9)[0]
    return np.asarray(middle + found[:2])


def widest_gap(flat: NDArray[np.float64]) -> float:
    """Return the widest angle (rad) without points, seen from the origin."""
    angles = np.sort(np.arctan2(flat[:, 1], flat[:, 0]))
    return float(np.diff(np.append(angles, angles[0] + 2 * np.pi)).max())
