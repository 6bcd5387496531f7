"""A part compared with itself, moved: where on its surface it is another one there."""

import numpy as np

from truegauge.core.arrays import Mask, Points, Rigid
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.core.frames import apply, invert

_SPOTS = 4000
_REACH, _LEAST = 0.05, 1e-4  # of the part's size: looked so far; what is less is no difference
_SCALES = 4.0  # of the noise of a scan, likewise


def spots_on(model: CadModel, count: int) -> Points:
    """Return places (n, 3) evenly over the surface of the part, always the same ones."""
    mesh = model.mesh
    a, b, c = (mesh.vertices[mesh.triangles[:, k]] for k in range(3))
    area = np.linalg.norm(np.cross(b - a, c - a), axis=1)
    rng = np.random.default_rng(2)
    spots = rng.choice(len(area), count, p=area / area.sum())
    u = rng.dirichlet([1, 1, 1], len(spots))
    return np.asarray(u[:, :1] * a[spots] + u[:, 1:2] * b[spots] + u[:, 2:] * c[spots])


class OnItself:
    """Compares a part with itself at the same places of its surface each time."""

    def __init__(self, projector: Projector, model: CadModel) -> None:
        self._projector, self._size = projector, model.diagonal
        self._spots = spots_on(model, _SPOTS)
        self._apart = float(np.sqrt(sum(face.area for face in model.faces) / _SPOTS))

    def share_that_differs(self, motion: Rigid, scale: float) -> float:
        """Return on which share of its surface the part differs; `scale` (mm) is of the noise of a scan."""
        return len(self._differing(motion, scale)) / _SPOTS

    def places_that_tell(self, motion: Rigid, scale: float) -> Points:
        """Return places (n, 3) where the part has surface in only one of the two poses, in those of the first one."""
        back = invert(motion)
        return np.vstack([self._differing(motion, scale), apply(back, self._differing(back, scale))])

    def near(self, moved: Points, places: Points) -> Mask:
        """Mark which points (n, 3) lie near some of these places, which stand as far apart as is looked at all."""
        from scipy.spatial import cKDTree

        if not len(places):
            return np.zeros(len(moved), dtype=bool)
        distance, _ = cKDTree(places).query(moved, distance_upper_bound=2.0 * self._apart)
        return np.asarray(np.isfinite(distance))

    def _differing(self, motion: Rigid, scale: float) -> Points:
        found = self._projector.deviations(apply(motion, self._spots), max_distance=_REACH * self._size)
        far = max(_SCALES * scale, _LEAST * self._size)
        return self._spots[(found.face < 0) | (np.abs(found.distance) > far)]
