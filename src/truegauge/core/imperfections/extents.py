"""How long and wide regions are along the surface, and how near to each other."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numba import njit

if TYPE_CHECKING:
    from collections.abc import Sequence

    from truegauge.core.arrays import Floats, Ints, Normals, Points
    from truegauge.core.imperfections.members import Members

_ALIKE = 0.15  # how much more area a rectangle may have that lies along the longest extent
_TURNS = np.radians(np.arange(0.0, 180.0, 2.0))
_FEW = 100_000  # pairs of places up to which trying all is quicker than a tree
_FILLED = 0.8  # cells: half of one on each side, less what a round rim does not fill


def boxes_along(
    members: Members, places: Points, centers: Points, normals: Normals, size: float
) -> tuple[Floats, Floats, Normals]:
    """Return lengths, widths (m,) and directions (m, 3) of the smallest rectangles around regions.

    Each lies in the plane of the surface at its region: `places` (n, 3) are the middles of the cells, mm, of `size` mm.
    """
    x = np.cross(normals, np.eye(3)[np.argmin(np.abs(normals), axis=1)])
    x /= np.linalg.norm(x, axis=1, keepdims=True)
    y = np.cross(normals, x)
    away = places - centers[members.of]
    flat = np.column_stack([np.einsum("ij,ij->i", away, axis[members.of]) for axis in (x, y)])
    spread = np.empty((members.count, 2, 2))
    for i, j in ((0, 0), (0, 1), (1, 0), (1, 1)):
        spread[:, i, j] = members.sums(flat[:, i] * flat[:, j])
    values, ways = np.linalg.eigh(spread)
    turn = np.column_stack([np.cos(_TURNS), np.sin(_TURNS)])
    along, across = _extents(flat, members.of, members.count, turn)
    a, b = along + _FILLED * size, across + _FILLED * size
    # Rectangles around something round are nearly the same: of these the one along its longest extent.
    aside = np.square(ways[:, :, 0] @ turn.T)
    aside = np.where(values[:, 1:] > 0, np.minimum(aside, 1.0 - aside), 0.0)
    best = np.argmin(a * b * (1.0 + _ALIKE * aside), axis=1)
    every = np.arange(members.count)
    a, b, way = a[every, best], b[every, best], turn[best]
    turned = a < b
    way = np.where(turned[:, None], np.column_stack([-way[:, 1], way[:, 0]]), way)
    direction = way[:, :1] * x + way[:, 1:] * y
    # It is a line, no way: the largest component is positive.
    largest = np.take_along_axis(direction, np.argmax(np.abs(direction), axis=1)[:, None], axis=1)
    return np.maximum(a, b), np.minimum(a, b), np.where(largest < 0, -direction, direction)


@njit(cache=True, nogil=True)
def _extents(flat, of, count, turn):  # type: ignore[no-untyped-def]
    """Return how far the places of each of `count` groups reach along and across each turned axis."""
    low, high = np.full((count, len(turn), 2), np.inf), np.full((count, len(turn), 2), -np.inf)
    for k in range(len(flat)):
        u, v, own = flat[k, 0], flat[k, 1], of[k]
        for t in range(len(turn)):
            c, s = turn[t, 0], turn[t, 1]
            a, b = u * c + v * s, v * c - u * s
            low[own, t, 0] = min(low[own, t, 0], a)
            high[own, t, 0] = max(high[own, t, 0], a)
            low[own, t, 1] = min(low[own, t, 1], b)
            high[own, t, 1] = max(high[own, t, 1], b)
    return high[:, :, 0] - low[:, :, 0], high[:, :, 1] - low[:, :, 1]


def nearest_ones(centers: Points, edges: Sequence[Points]) -> tuple[Ints, Floats, Floats]:
    """Return for each region the number of the nearest, how far it is edge to edge, and the nearest centre, mm.

    `centers` (m, 3), m >= 2; `edges` the places on the edge of each.
    """
    radii = np.array([np.linalg.norm(e - c, axis=1).max() for e, c in zip(edges, centers, strict=True)])
    apart = np.linalg.norm(centers[:, None] - centers[None], axis=2)
    np.fill_diagonal(apart, np.inf)
    order = np.argsort(apart - radii, axis=1)
    numbers, gaps = np.full(len(edges), -1), np.full(len(edges), np.inf)
    known: dict[tuple[int, int], float] = {}
    for k, own in enumerate(edges):
        for j in order[k].tolist():
            if j == k or apart[k, j] - radii[j] - radii[k] > gaps[k]:
                continue
            pair = (min(j, k), max(j, k))
            if pair not in known:
                known[pair] = _gap(own, edges[j])
            if known[pair] < gaps[k]:
                numbers[k], gaps[k] = j, known[pair]
    return numbers, gaps, apart.min(axis=1)


def _gap(a: Points, b: Points) -> float:
    """Return the least distance of places (n, 3), (m, 3), mm."""
    if len(a) * len(b) <= _FEW:
        return float(_least(a, b))
    from scipy.spatial import cKDTree

    return float(cKDTree(a).query(b)[0].min())


@njit(cache=True, nogil=True)
def _least(a, b):  # type: ignore[no-untyped-def]
    best = np.inf
    for i in range(len(a)):
        for j in range(len(b)):
            best = min(best, (a[i, 0] - b[j, 0]) ** 2 + (a[i, 1] - b[j, 1]) ** 2 + (a[i, 2] - b[j, 2]) ** 2)
    return np.sqrt(best)
