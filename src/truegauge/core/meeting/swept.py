"""How near solids that move along a straight way come to what stands around: convex solids and meshes."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Points, Rigid, Triangles, Vector
from truegauge.core.cad.bvh import STACK, Bvh, build_bvh
from truegauge.core.frames import apply, rotate
from truegauge.core.meeting.gjk import BALLS, BOX, CYLINDER, TRIANGLE, WIDTH, convex_distance

Solids = NDArray[np.float64]  # (n, WIDTH)
_TOUCHES = 1e-6  # mm: what is nearer meets


def ball(center: Vector, radius: float) -> Floats:
    """Return a ball as a row."""
    return rod(center, center, radius)


def rod(start: Vector, end: Vector, radius: float) -> Floats:
    """Return a rod with round ends as a row."""
    return np.concatenate([[BALLS, radius], start, end, np.zeros(WIDTH - 8)])


def cylinder(start: Vector, end: Vector, radius: float) -> Floats:
    """Return a cylinder with flat ends as a row; one without a length is a disc (thinner than anything)."""
    start, end = np.asarray(start), np.asarray(end)
    if np.abs(end - start).max() < 1e-9:
        end = end + np.array([0.0, 0.0, 1e-6])
    return np.concatenate([[CYLINDER, 0.0], start, end, [radius], np.zeros(WIDTH - 9)])


def box(low: Vector, high: Vector, to_from: Rigid | None = None) -> Floats:
    """Return a box by its corners as a row, placed."""
    middle, half = (np.asarray(low) + high) / 2, np.diag((np.asarray(high) - low) / 2)
    if to_from is not None:
        middle, half = apply(to_from, middle[None])[0], rotate(to_from, half)
    return np.concatenate([[BOX, 0.0], middle, half.ravel()])


def moved(solids: Solids, to_from: Rigid) -> Solids:
    """Return solids (n, WIDTH) in other coordinates."""
    found = solids.copy()
    round_ones = found[:, 0] <= CYLINDER
    found[round_ones, 2:8] = apply(to_from, found[round_ones, 2:8].reshape(-1, 3)).reshape(-1, 6)
    for k in np.flatnonzero(~round_ones):
        row = found[k]
        if row[0] == BOX:
            row[2:5] = apply(to_from, row[2:5].reshape(1, 3)).ravel()
            row[5:14] = rotate(to_from, row[5:14].reshape(3, 3)).ravel()
        else:
            row[2:11] = apply(to_from, row[2:11].reshape(3, 3)).ravel()
    return found


@dataclass(frozen=True, slots=True, eq=False)
class Around:
    """Something that stands there: its name, and its convex solids or its mesh."""

    name: str
    solids: Solids
    mesh: Bvh | None = None

    @staticmethod
    def of_solids(name: str, solids: Sequence[Floats]) -> "Around":
        """Return what consists of convex solids."""
        return Around(name, np.array(solids, dtype=np.float64).reshape(-1, WIDTH))

    @staticmethod
    def of_mesh(name: str, vertices: Points, triangles: Triangles) -> "Around":
        """Return what is given by its facets."""
        return Around(name, np.zeros((0, WIDTH)), build_bvh(np.ascontiguousarray(vertices), triangles))


@dataclass(frozen=True, slots=True)
class Nearest:
    """How near (mm; at most 0: it meets), which solid that was, what it came near to, and where that is (3,)."""

    distance: float
    solid: int
    name: str
    at: Vector


def nearest(
    solids: Solids, start: Vector, end: Vector, around: Sequence[Around], limit: float
) -> Nearest | None:  # fmt: skip
    """Return what solids come nearest to while they are shifted from `start` to `end`; None: nothing within `limit`."""
    return nearest_at(solids_at(solids, start), np.asarray(end, dtype=np.float64) - start, around, limit)


def nearest_at(own: Solids, way: Vector, around: Sequence[Around], limit: float) -> Nearest | None:
    """Return what solids come nearest to while they are shifted by `way` from where they are."""
    best: Nearest | None = None
    limit = max(limit, _TOUCHES)
    for other in around:
        bound = limit if best is None else best.distance
        distance, solid, at = _of_one(own, way, other, bound)
        if solid >= 0:
            best = Nearest(distance, solid, other.name, at)
    return best


def box_around(own: Solids, way: Vector) -> tuple[Vector, Vector]:
    """Return the corners (3,) of the box around solids that are shifted by `way`."""
    low, high = np.full(3, np.inf), np.full(3, -np.inf)
    _around(own, way, low, high)
    return low, high


def solids_at(solids: Solids, at: Vector) -> Solids:
    """Return solids shifted by (3,)."""
    own = np.array(solids, dtype=np.float64, order="C")
    _shift(own, np.asarray(at, dtype=np.float64))
    return own


def _of_one(own: Solids, way: Vector, other: Around, bound: float) -> tuple[float, int, Vector]:
    at = np.zeros(3)
    if other.mesh is not None:
        t = other.mesh
        distance, solid = _to_mesh(own, way, t.boxes, t.nodes, t.corners, bound, at)
    else:
        distance, solid = _to_solids(own, way, other.solids, bound, at)
    return float(distance), int(solid), at


@njit(cache=True, nogil=True)
def _extent(solid, way, low, high):  # type: ignore[no-untyped-def]
    """Put the corners of the box around a swept solid into `low` and `high`."""
    for c in range(3):
        if solid[0] == BOX:
            reach = abs(solid[5 + c]) + abs(solid[8 + c]) + abs(solid[11 + c])
            low[c], high[c] = solid[2 + c] - reach, solid[2 + c] + reach
        elif solid[0] == TRIANGLE:
            low[c] = min(solid[2 + c], solid[5 + c], solid[8 + c])
            high[c] = max(solid[2 + c], solid[5 + c], solid[8 + c])
        else:
            reach = solid[8] if solid[0] == CYLINDER else 0.0
            low[c], high[c] = min(solid[2 + c], solid[5 + c]) - reach, max(solid[2 + c], solid[5 + c]) + reach
        low[c] += min(0.0, way[c]) - solid[1]
        high[c] += max(0.0, way[c]) + solid[1]


@njit(cache=True, nogil=True)
def _around(own, way, low, high):  # type: ignore[no-untyped-def]
    """Put the corners of the box around all of some swept solids into `low` and `high`."""
    least, most = np.empty(3), np.empty(3)
    for i in range(own.shape[0]):
        _extent(own[i], way, least, most)
        for c in range(3):
            low[c], high[c] = min(low[c], least[c]), max(high[c], most[c])


@njit(cache=True, nogil=True)
def _shift(own, at):  # type: ignore[no-untyped-def]
    """Shift solids: of boxes the middle, of all others all of their places."""
    for i in range(own.shape[0]):
        kind = own[i, 0]
        places = 1 if kind == BOX else (3 if kind == TRIANGLE else 2)
        for k in range(places):
            for c in range(3):
                own[i, 2 + 3 * k + c] += at[c]


@njit(cache=True, nogil=True)
def _to_solids(own, way, others, bound, at):  # type: ignore[no-untyped-def]
    """Return (distance, row of `own`) of the nearest pair that is nearer than `bound`; row -1 where there is none."""
    best, which = bound, -1
    trial = np.empty(3)
    for i in range(own.shape[0]):
        for j in range(others.shape[0]):
            d = convex_distance(own[i], way[0], way[1], way[2], others[j], best, trial)
            if d < best:
                best, which = d, i
                at[:] = trial
    return best, which


@njit(cache=True, nogil=True)
def _to_mesh(own, way, boxes, nodes, corners, bound, at):  # type: ignore[no-untyped-def]
    """The same for the triangles of a tree (`core.cad.bvh`)."""
    best, which = bound, -1
    low, high, trial = np.empty(3), np.empty(3), np.empty(3)
    triangle = np.zeros(WIDTH)
    triangle[0] = TRIANGLE
    stack = np.empty(STACK, dtype=np.int64)
    for i in range(own.shape[0]):
        _extent(own[i], way, low, high)
        stack[0] = 0
        size = 1
        while size > 0:
            size -= 1
            node = stack[size]
            far2 = 0.0
            for c in range(3):
                d = max(boxes[node, c] - high[c], 0.0, low[c] - boxes[node, 3 + c])
                far2 += d * d
            if best <= 0 or far2 >= best * best:
                if best <= 0:
                    # Deeper than touching tells nothing more of what is met.
                    return best, which
                continue
            first, leaf = nodes[node, 0], nodes[node, 1]
            if leaf == 0:
                stack[size] = first
                stack[size + 1] = node + 1
                size += 2
                continue
            for t in range(first, first + leaf):
                far2 = 0.0
                for c in range(3):
                    lowest = min(corners[t, c], corners[t, 3 + c], corners[t, 6 + c])
                    highest = max(corners[t, c], corners[t, 3 + c], corners[t, 6 + c])
                    d = max(lowest - high[c], 0.0, low[c] - highest)
                    far2 += d * d
                if far2 >= best * best:
                    continue
                for c in range(9):
                    triangle[2 + c] = corners[t, c]
                d = convex_distance(own[i], way[0], way[1], way[2], triangle, best, trial)
                if d < best:
                    best, which = d, i
                    at[:] = trial
                    if best <= 0:
                        return best, which
    return best, which
