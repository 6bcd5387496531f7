"""Strays among the deviations of a cloud: single points far from what their neighbours on the same face say."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Mask

_TOGETHER = 16  # neighbours that are compared
_LEAST = 5  # points that tell a stray among them
_FAR = 6.0  # robust scales
_FOR_SCALE = 256  # groups


def stray_points(face: NDArray[np.integer[Any]], distance: Floats) -> Mask:
    """Return which deviations (n,) are strays.

    Points are compared with those that lie beside them on the same face, sixteen at a time, and must be far off in each
    company: so that a dent, a burr or a face in a wrong place, which lie off together, are none. The scale is that of
    the sixteen, but no less than that of most of the face, as few points can lie together by chance.

    Parameters
    ----------
    face : array of int (n,)
        The face of each point, below 0 for none.
    distance : array (n,)
        Deviations, mm, of points in spatial order.
    """
    found = np.zeros(len(distance), dtype=bool)
    order = np.argsort(face, kind="stable")
    numbers, starts = np.unique(face[order], return_index=True)
    for number, rows in zip(numbers, np.split(order, starts[1:]), strict=True):
        if number >= 0 and len(rows) >= _LEAST:
            found[rows] = _of_face(distance[rows])
    return found


def _of_face(distance: Floats) -> Mask:
    n = len(distance)
    size = min(n, _TOGETHER)
    # Groups overlap by half, and the last reaches back: at the rim of a dent few points of one group are in the other.
    starts = np.append(np.arange(0, n - size, max(size // 2, 1)), n - size)
    groups = starts[:, None] + np.arange(size)
    some = groups[np.linspace(0, len(groups) - 1, min(len(groups), _FOR_SCALE)).astype(np.int64)]
    usual = float(np.median(_off(distance[some])[1]))
    values = distance[groups]
    doubtful = np.flatnonzero(np.ptp(values, axis=1) > _FAR * usual)  # in all others nothing can be far off
    found = np.zeros(n, dtype=bool)
    if len(doubtful):
        off, scale = _off(values[doubtful])
        far = groups[doubtful][off > np.maximum(_FAR * np.maximum(scale, usual), 1e-9)]
        found = np.bincount(far, minlength=n) == np.bincount(groups.ravel(), minlength=n)
    return found


def _off(values: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return how far groups (k, m) lie off their medians, and their robust scales (k, 1)."""
    off = np.abs(values - np.median(values, axis=1, keepdims=True))
    return off, 1.4826 * np.median(off, axis=1, keepdims=True)
