"""The outermost places of a part: few points that have the outline of all of it, from wherever it is seen."""

from __future__ import annotations

from typing import TYPE_CHECKING
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

if TYPE_CHECKING:
    from truegauge.core.cad.model import CadModel

_DIRECTIONS, _OF_ALL = 600, 26
_MOST = 20_000  # vertices of a large mesh that are looked at in every direction; in some directions all are
_KEPT = 8

_KNOWN: WeakKeyDictionary[CadModel, dict[frozenset[int], NDArray[np.float64]]] = WeakKeyDictionary()


def outermost_places(model: CadModel, hidden: frozenset[int] = frozenset()) -> NDArray[np.float64]:
    """Return places (n, 3) mm of what is not hidden; none when all of it is. Worked out once for what is hidden."""
    known = _KNOWN.setdefault(model, {})
    if hidden not in known:
        while len(known) >= _KEPT:
            known.pop(next(iter(known)))
        known[hidden] = _outermost(_drawn(model, hidden))
    return known[hidden]


def _drawn(model: CadModel, hidden: frozenset[int]) -> NDArray[np.float64]:
    mesh = model.mesh
    if not hidden:
        return mesh.vertices
    shown = ~np.isin(mesh.triangle_face, list(hidden))
    return np.asarray(mesh.vertices[np.unique(mesh.triangles[shown])])


def _outermost(points: NDArray[np.float64]) -> NDArray[np.float64]:
    if not len(points):
        return points
    few = points[:: len(points) // _MOST + 1]
    rows = np.unique((few @ _around(_DIRECTIONS).T).argmax(axis=0))
    more = np.unique((points @ _around(_OF_ALL).T).argmax(axis=0))
    return np.vstack([few[rows], points[more]])


def _around(count: int) -> NDArray[np.float64]:
    """Return directions (count, 3), even over the sphere (Fibonacci lattice)."""
    k = np.arange(count) + 0.5
    z, angle = 1 - 2 * k / count, np.pi * (1 + 5**0.5) * k
    r = np.sqrt(1 - z * z)
    return np.column_stack([r * np.cos(angle), r * np.sin(angle), z])
