"""What is smooth from a place on: grown from cube to cube through the points until the surface turns at a crease."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numba import njit

from truegauge.core.errors import EvaluationError

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats, Ints, Mask, Normals, Points, Vector

_IN_CUBE = 16.0  # points
_ALONG = 250.0  # cubes at most: what passes for a crease does not depend on how dense the points are
_SOME = 200_000  # points that tell how large a cube is
_OFFSETS = np.array([(a, b, c) for a in (-1, 0, 1) for b in (-1, 0, 1) for c in (-1, 0, 1)])
_PAIRS = ((0, 0), (0, 1), (0, 2), (1, 1), (1, 2), (2, 2))
_WINDOW = 3  # cubes to a crease, within which it is seen
_FAR = 3.0  # cubes from a place to the nearest points
_SMALL = 0.15  # of the extent of what was reached, below which something in the midst of it belongs to it: dents


def smooth_from(points: Points, place: Vector, turn: float) -> Mask:
    """Return which points (n, 3) are reached from a place without crossing a crease that turns by more than `turn` rad.

    The direction of the surface in each cube of some points is that of the plane through the points of the 27 cubes
    around it; at a crease that differs within three cubes by more than half of the turn. What is small in the midst of
    what is reached, a steep dent, belongs to it.

    Raises
    ------
    EvaluationError
        There are no points at the place, or it lies on a crease.
    """
    cubes = _Cubes.of(points)
    crease = _creases(cubes.middle, cubes.normal, _WINDOW * cubes.size, turn)
    wanted = np.asarray(place) - cubes.low
    begin = int(np.argmin(np.square(cubes.middle - wanted).sum(axis=1)))
    if np.linalg.norm(cubes.middle[begin] - wanted) > _FAR * cubes.size:
        raise EvaluationError("there are no points at the place that it grows from")
    if crease[begin]:
        raise EvaluationError("the place that it grows from lies on a crease or an edge: choose one beside it")
    reached = np.zeros(len(cubes.middle), dtype=bool)
    _spread(cubes.around, cubes.normal, crease, begin, np.cos(turn), reached)
    _up_to_the_crease(cubes.around, cubes.normal, reached, turn)
    _fill(cubes.around, cubes.middle, reached)
    return np.asarray(reached[cubes.of_point])


def rough_directions(points: Points) -> Normals:
    """Return the direction (n, 3), of either sign, across the surface around each point: good enough to light it."""
    cubes = _Cubes.of(points)
    return np.asarray(cubes.normal[cubes.of_point])


@dataclass(frozen=True, slots=True, eq=False)
class _Cubes:
    """Points in cubes of `size` mm: the cube of each point; middles (m, 3) from `low`, directions, those around."""

    low: Vector
    size: float
    of_point: Ints
    middle: Points
    normal: Normals
    around: Ints

    @staticmethod
    def of(points: Points) -> _Cubes:
        along = float(np.ptp(points, axis=0).max())
        size = max(_cube_size(points), along / _ALONG) if along > 0 else 1.0  # all in one place: one cube
        low = points.min(axis=0) - 2 * size
        at = np.floor((points - low) / size).astype(np.int64)
        extent = at.max(axis=0) + 3
        steps = np.array([extent[1] * extent[2], extent[2], 1])
        keys, own, count = np.unique(at @ steps, return_inverse=True, return_counts=True)
        off = points - low  # near numbers: squares of far ones would lose digits
        sums: Floats = np.column_stack([np.bincount(own, off[:, c], len(keys)) for c in range(3)])
        squares: Floats = np.column_stack([np.bincount(own, off[:, a] * off[:, b], len(keys)) for a, b in _PAIRS])
        around = _beside(keys, _OFFSETS @ steps)
        normal = _normals(around, count.astype(np.float64), sums, squares)
        return _Cubes(low, size, own, sums / count[:, None], normal, around)


def _cube_size(points: Points) -> float:
    """Return how large cubes with about 16 points are, mm."""
    some = points[:: max(1, len(points) // _SOME)]
    share = len(points) / len(some)
    size = float(np.ptp(some, axis=0).max()) / 50.0
    for _ in range(6):
        at = np.floor((some - some.min(axis=0)) / size).astype(np.int64)
        extent = at.max(axis=0) + 1
        cubes = len(np.unique((at[:, 0] * extent[1] + at[:, 1]) * extent[2] + at[:, 2]))
        held = share * len(some) / cubes
        size *= float(np.clip(np.sqrt(_IN_CUBE / held), 0.3, 3.0))
    return size


def _beside(keys: Ints, offsets: Ints) -> Ints:
    """Return the numbers (n, 27) of the cubes around each, -1 where there is none."""
    made = np.empty((len(keys), len(offsets)), dtype=np.int64)
    for k, offset in enumerate(offsets):
        wanted = keys + offset
        found = np.minimum(np.searchsorted(keys, wanted), len(keys) - 1)
        made[:, k] = np.where(keys[found] == wanted, found, -1)
    return made


def _normals(around: Ints, count: Floats, sums: Floats, squares: Floats) -> Floats:
    """Return the direction (n, 3), of either sign, across the plane through the points around each cube."""
    known = around >= 0
    safe = np.where(known, around, 0)
    total = np.where(known, count[safe], 0.0).sum(axis=1)
    mean = np.where(known[:, :, None], sums[safe], 0.0).sum(axis=1) / total[:, None]
    moments = np.where(known[:, :, None], squares[safe], 0.0).sum(axis=1) / total[:, None]
    matrix = np.empty((len(count), 3, 3))
    for k, (a, b) in enumerate(_PAIRS):
        matrix[:, a, b] = matrix[:, b, a] = moments[:, k] - mean[:, a] * mean[:, b]
    return np.ascontiguousarray(np.linalg.eigh(matrix)[1][:, :, 0])


def _creases(middle: Points, normal: Floats, far: float, turn: float) -> Mask:
    """Return which cubes (n,) have one within `far` mm whose surface differs in direction by more than half a turn."""
    from scipy.spatial import cKDTree

    pairs = cKDTree(middle).query_pairs(far, output_type="ndarray")
    cosine = np.abs(np.einsum("ij,ij->i", normal[pairs[:, 0]], normal[pairs[:, 1]]))
    made = np.zeros(len(middle), dtype=bool)
    made[pairs[cosine < np.cos(turn / 2)].ravel()] = True
    return made


def _up_to_the_crease(around: Ints, normal: Floats, reached: Mask, turn: float) -> None:
    """Take in what is near a crease and still goes the way of what was reached."""
    way = np.where(reached[:, None], normal, 0.0)
    for _ in range(_WINDOW):
        beside = np.where(around >= 0, around, 0)
        cosine = np.abs(np.einsum("ikj,ij->ik", way[beside], normal))
        cosine = np.where((around >= 0) & reached[beside], cosine, 0.0)
        best = np.argmax(cosine, axis=1)
        rows = np.arange(len(best))
        new = ~reached & (cosine[rows, best] > np.cos(turn / 4))
        # It is compared with where it came from, not with what it has turned to by now.
        way[new] = way[beside[rows[new], best[new]]]
        reached |= new


@njit(cache=True, nogil=True)
def _spread(around, normal, barred, begin, least, reached):  # type: ignore[no-untyped-def]
    waiting = np.empty(len(reached), dtype=np.int64)
    waiting[0], reached[begin] = begin, True
    first, last = 0, 1
    while first < last:
        k = waiting[first]
        first += 1
        for j in around[k]:
            if j < 0 or reached[j] or barred[j]:
                continue
            cosine = abs(normal[k, 0] * normal[j, 0] + normal[k, 1] * normal[j, 1] + normal[k, 2] * normal[j, 2])
            if cosine >= least:
                reached[j] = True
                waiting[last] = j
                last += 1


def _fill(around: Ints, middle: Points, reached: Mask) -> None:
    """Take in what is small and lies in the midst of what was reached."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    left = np.flatnonzero(~reached)
    if not len(left):
        return
    number = np.full(len(reached), -1)
    number[left] = np.arange(len(left))
    beside = around[left]
    rows, columns = np.nonzero((beside >= 0) & (np.where(beside >= 0, number[beside], -1) >= 0))
    to = number[beside[rows, columns]]
    graph = coo_array((np.ones(len(rows), dtype=np.int8), (rows, to)), shape=(len(left), len(left)))
    groups, of = connected_components(graph, directed=False)
    low, high = np.full((groups, 3), np.inf), np.full((groups, 3), -np.inf)
    np.minimum.at(low, of, middle[left])
    np.maximum.at(high, of, middle[left])
    most = _SMALL * float(np.linalg.norm(np.ptp(middle[reached], axis=0)))
    small = np.linalg.norm(high - low, axis=1) < most
    # In the midst: nothing, or only a rim of it, lies where the scan ends.
    touches = np.zeros(groups, dtype=bool)
    borders = ((beside >= 0) & reached[np.where(beside >= 0, beside, 0)]).any(axis=1)
    np.logical_or.at(touches, of, borders)
    reached[left[(small & touches)[of]]] = True
