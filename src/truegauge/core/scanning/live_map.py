"""The map of deviations while a scan is taken: it grows point by point, and shows what was not seen yet."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from scipy.spatial import cKDTree

from truegauge.core.deviations.deviation_map import map_mesh

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from truegauge.core.arrays import Floats, Points
    from truegauge.core.cad.model import CadModel

SIDES = 60  # triangle sides across the diagonal of the part
ENOUGH = 3  # points that a vertex is seen by
LAST = 9  # points of a vertex that its value is the median of


class LiveMap:
    """Each vertex has the median of the last points of its own face that are nearest to it: a stray does not show."""

    def __init__(self, model: CadModel, faces: tuple[int, ...] = (), sides: int = SIDES) -> None:
        """`faces` are those that are wanted; none for all."""
        self.mesh = map_mesh(model, sides)
        v, t = self.mesh.vertices, self.mesh.triangles
        area = np.linalg.norm(np.cross(v[t[:, 1]] - v[t[:, 0]], v[t[:, 2]] - v[t[:, 0]]), axis=1) / 6
        self._area = np.bincount(t.ravel(), np.repeat(area, 3), len(v))
        self.wanted = np.isin(self.mesh.vertex_face, faces) if faces else np.ones(len(v), dtype=bool)
        self._of_face = {int(f): np.flatnonzero(self.mesh.vertex_face == f) for f in np.unique(self.mesh.vertex_face)}
        self._trees = {f: cKDTree(v[rows]) for f, rows in self._of_face.items()}
        self.forget()

    def forget(self) -> None:
        """Begin anew."""
        count = len(self.mesh.vertices)
        self._last = np.full((count, LAST), np.nan)
        self._told = np.zeros(count, dtype=np.int64)  # points, by vertex
        self._values = np.full(count, np.nan)

    def tell(self, feet: Points, face: NDArray[np.int32], distance: Floats) -> None:
        """Take points by their feet (n, 3) mm, faces (n,), -1 for none, and deviations (n,) mm."""
        vertex = np.full(len(feet), -1, dtype=np.int64)
        for f in np.unique(face[face >= 0]):
            own = face == f
            if int(f) in self._trees:
                vertex[own] = self._of_face[int(f)][self._trees[int(f)].query(feet[own])[1]]
        order = np.argsort(vertex, kind="stable")
        order = order[np.searchsorted(vertex[order], 0) :]
        if not len(order):
            return
        # Those of one vertex come one after the other: each takes the place of the oldest.
        changed, first, count = np.unique(vertex[order], return_index=True, return_counts=True)
        rank = np.arange(len(order)) - np.repeat(first, count)
        late = rank >= np.repeat(count - LAST, count)  # of more than there are places only the last
        slot = (np.repeat(self._told[changed], count) + rank) % LAST
        self._last[vertex[order][late], slot[late]] = distance[order][late]
        self._told[changed] += count
        self._values[changed] = np.nanmedian(self._last[changed], axis=1)

    @property
    def seen(self) -> NDArray[np.bool_]:
        """Which vertices (n,) were seen by enough points."""
        return self._told >= ENOUGH

    @property
    def values(self) -> Floats:
        """The deviation at each vertex (n,) mm, NaN where it was not seen."""
        return np.where(self.seen & self.wanted, self._values, np.nan)

    @property
    def coverage(self) -> float:
        """The share of the wanted area that was seen."""
        wanted = float(self._area[self.wanted].sum())
        return float(self._area[self.wanted & self.seen].sum()) / wanted if wanted > 0 else 0.0
