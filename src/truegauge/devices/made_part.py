"""A part as it was made, for stand-ins: the designed surfaces with known errors, in a pose that only they know."""

from collections.abc import Sequence
from typing import Protocol

import numpy as np

from truegauge.core.arrays import Floats, Ints, Points, Rigid
from truegauge.core.cad.projection import Projector
from truegauge.core.frames import rotation_about
from truegauge.core.probing.obstacles import PartObstacle
from truegauge.core.routes.pieces import Pieces

_CLOSE = 8.0  # mm from a surface at which its errors count


class SurfaceError(Protocol):
    """A manufacturing error of some faces: what it does to their points, by points and outward normals (n, 3)."""

    @property
    def faces(self) -> tuple[int, ...]:
        """The faces that have it."""

    @property
    def shift(self) -> object:
        """A function of points and normals (n, 3) that returns the displacements (n, 3) mm."""


class MadePart(PartObstacle):
    """A part with known errors, somewhere before a stand-in."""

    def __init__(
        self, projector: Projector, box: Points, machine_from_part: Rigid, errors: Sequence[SurfaceError] = (),
        growth: float = 1.0,
    ) -> None:  # fmt: skip
        super().__init__(projector, box, machine_from_part, growth)
        self._errors = tuple(errors)
        last = max((f for e in self._errors for f in e.faces), default=-1)
        self._has = np.zeros((len(self._errors), last + 2), dtype=bool)  # faces by errors; the last: any other face
        for k, error in enumerate(self._errors):
            self._has[k, list(error.faces)] = True

    def beside(self, pieces: Pieces, seed: int) -> tuple["MadePart", ...]:
        """Return the other pieces, each placed a little differently than the pattern says."""
        made = []
        for k in range(1, pieces.count):
            rng = np.random.default_rng([seed, 10, k])
            turn = rotation_about(np.array([0.0, 0.0, 1.0]), float(rng.uniform(-0.001, 0.001)))
            pose = pieces.pose(self.machine_from_part, k)
            pose[:3, :3] = turn[:3, :3] @ pose[:3, :3]
            pose[:3, 3] += np.array([*rng.uniform(-0.3, 0.3, 2), 0.0])
            made.append(MadePart(self.projector, self._box, pose, self._errors, self.growth))
        return tuple(made)

    def surface(self, local: Points, reach: float) -> tuple[Points, Points, Ints]:
        """Return its true surface where points (n, 3) lie about on the designed one: places, normals out, faces.

        The face is -1 for points farther than `reach` (mm) from it.
        """
        found = self.projector.deviations(local, max_distance=reach)
        places, normals = found.feet, np.asarray(found.normals, dtype=np.float64)
        made, face = places.copy(), np.asarray(found.face, dtype=np.int64)
        for error, has in zip(self._errors, self._has, strict=True):
            rows = np.flatnonzero(has[np.minimum(face, len(has) - 1)] & (face >= 0))
            if len(rows) and callable(error.shift):
                made[rows] += error.shift(places[rows], normals[rows])
        return made, normals, face

    def near(self, local: Points) -> Floats:
        """Return the distances (n,) to its true surfaces."""
        nominal = self.projector.deviations(local)
        distance = np.array(nominal.distance)
        of_each = self._has[:, np.minimum(nominal.face, self._has.shape[1] - 1)]
        close = np.flatnonzero((np.abs(distance) < _CLOSE) & of_each.any(axis=0))
        if not len(close):
            return distance
        # A displaced face is as far from a point as the face is from the point displaced the other way.
        shift = np.zeros((len(close), 3))
        feet, normals = nominal.feet_at(close), np.asarray(nominal.normals[close], dtype=np.float64)
        for error, has in zip(self._errors, of_each[:, close], strict=True):
            rows = np.flatnonzero(has)
            if len(rows) and callable(error.shift):
                shift[rows] += error.shift(feet[rows], normals[rows])
        distance[close] = self.projector.deviations(local[close] - shift).distance
        return distance
