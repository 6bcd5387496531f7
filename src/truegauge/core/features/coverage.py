"""Coverage: which share of the area of faces has measured points."""

import numpy as np

from truegauge.core.arrays import Points
from truegauge.core.cad.model import CadModel

MOST_FOR_COVERAGE = 20_000  # points: more tell it no better
_CELLS = 400
_LEAST_CELLS = 12
_POINTS_A_CELL = 4  # evenly spread points leave one cell in 50 empty


class AreaSamples:
    """Places spread evenly over faces: each stands for an equal piece of their area."""

    def __init__(self, model: CadModel, faces: tuple[int, ...]) -> None:
        mesh = model.mesh
        triangles = mesh.triangles[np.isin(mesh.triangle_face, faces)]
        a, b, c = (mesh.vertices[triangles[:, k]] for k in range(3))
        area = np.linalg.norm(np.cross(b - a, c - a), axis=1)
        if not len(triangles) or not area.sum() > 0:
            self._dense: Points = np.zeros((0, 3))
            return
        rng = np.random.default_rng(1)  # the same places every time
        chosen = rng.choice(len(triangles), 12 * _CELLS, p=area / area.sum())
        u, v = rng.random((2, len(chosen), 1))
        u, v = np.where(u + v > 1, 1 - u, u), np.where(u + v > 1, 1 - v, v)
        self._dense = a[chosen] + u * (b - a)[chosen] + v * (c - a)[chosen]
        self._known: dict[int, Points] = {}

    def cells(self, count: int) -> Points:
        """Return the middles of about `count` cells of equal area (Lloyd, 1982, a few rounds)."""
        from scipy.spatial import cKDTree

        found = self._known.get(count)
        if found is None:
            found = self._dense[:count].copy()
            for _ in range(3):
                nearest = cKDTree(found).query(self._dense)[1]
                members = np.bincount(nearest, minlength=count)
                sums = np.column_stack([np.bincount(nearest, self._dense[:, k], minlength=count) for k in range(3)])
                found[members > 0] = sums[members > 0] / members[members > 0, None]
            self._known[count] = found
        return found

    def share(self, points: Points) -> float:
        """Return the share (0 to 1) of the area that points (n, 3) on the faces cover.

        Few points make larger cells: a feature that is touched evenly all over is covered.
        """
        from scipy.spatial import cKDTree

        if not len(self._dense) or not len(points):
            return 0.0
        count = int(np.clip(len(points) // _POINTS_A_CELL, _LEAST_CELLS, _CELLS))
        count = 2 ** int(np.log2(count)) if count < _CELLS else _CELLS  # few different ones, so that they are kept
        cells = self.cells(count)
        nearest = cKDTree(cells).query(points)[1]
        return len(np.unique(nearest)) / count
