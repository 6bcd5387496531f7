"""Free-form association: the nominal faces of the CAD model, moved as a rigid body, to extracted points.

Distances and normals are those of the true surfaces. By least squares, or by the minimum zone (least largest
distance, ISO 1660 without datums). A datum system leaves only its freedoms.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Ints, Points, Rigid
from truegauge.core.association.constraints import DatumSystem
from truegauge.core.association.exchange import exchange
from truegauge.core.association.fit import Criterion
from truegauge.core.association.needs import need_points
from truegauge.core.association.small_algebra import symmetric_eigen
from truegauge.core.errors import AssociationError, ConvergenceError, IndeterminateError
from truegauge.core.frames import apply, from_rotation_vector, identity, invert, orthonormalised

if TYPE_CHECKING:
    from truegauge.core.cad.projection import Projector

_MOST = 60
_OPEN = 1e-6  # share of the largest eigenvalue below which a motion leaves the distances as they are


@dataclass(frozen=True, slots=True, eq=False)
class FreeFormFit:
    """Nominal faces associated with points.

    `part_from_nominal` moves the nominal faces onto the points; `residuals` (n,) mm, positive out of the material;
    `rows` (n,) index the points used: the others belong to other faces or to edges. `covariance` (6, 6) is that of
    the motion about `center` (shifts mm, turns rad); motions that change no distance are left out of it (zero).
    """

    part_from_nominal: Rigid
    criterion: Criterion
    residuals: Floats
    rows: Ints
    iterations: int
    condition: float
    center: Floats
    covariance: NDArray[np.float64]

    @property
    def form(self) -> float:
        """Peak to valley of the residuals, mm."""
        return float(self.residuals.max() - self.residuals.min())

    @property
    def profile(self) -> float:
        """Width of the zone about the nominal surface that holds the points: twice the largest distance, mm."""
        return 2 * float(np.abs(self.residuals).max())

    @property
    def rms(self) -> float:
        """Root mean square of the residuals, mm."""
        return float(np.sqrt(np.mean(self.residuals**2)))


def fit_free_form(
    projector: Projector,
    faces: tuple[int, ...],
    points: Points,
    criterion: Criterion = Criterion.LEAST_SQUARES,
    *,
    reach: float,
    datums: DatumSystem | None = None,
) -> FreeFormFit:
    """Associate faces of the CAD model with points (n, 3) mm that lie near them.

    Parameters
    ----------
    reach : float
        Points farther from the faces than this do not belong to them, mm.
    datums : DatumSystem
        Leaves only its freedoms; without it the faces move freely.

    Raises
    ------
    AssociationError
        Too few points near the faces, no convergence, or another criterion.
    """
    if criterion not in (Criterion.LEAST_SQUARES, Criterion.MINIMUM_ZONE):
        raise AssociationError(f"a free-form face cannot be associated by {criterion.replace('_', ' ')}")
    need_points(points, 6, "free-form face")
    pose = identity()
    rows, distance, jacobian, center, size = _linearised(projector, faces, points, pose, reach, datums)
    used = rows
    turns, last = 0, np.inf
    for turns in range(1, _MOST + 1):  # noqa: B007
        step = _least_squares_step(jacobian, distance)
        pose = _moved(pose, step, center, size, datums)
        _, distance, jacobian, center, size = _linearised(projector, faces, points[used], pose, np.inf, datums)
        length = float(np.abs(step).max(initial=0.0))
        if length < 1e-14 or (length < 1e-9 and length >= 0.5 * last):
            break
        last = length
    else:
        raise ConvergenceError("no convergence: the points do not resemble the faces")
    if criterion == Criterion.MINIMUM_ZONE:
        pose, turns = _narrowed(projector, faces, points[used], pose, datums)
        _, distance, jacobian, center, size = _linearised(projector, faces, points[used], pose, np.inf, datums)
    cofactors, condition = _cofactors(jacobian)
    noise2 = float(distance @ distance) / max(len(distance) - jacobian.shape[1], 1)
    motions = _motions(center, size, datums)
    covariance = noise2 * motions @ cofactors @ motions.T
    return FreeFormFit(pose, criterion, distance, used, turns, condition, center, covariance)


def _linearised(
    projector: Projector, faces: tuple[int, ...], points: Points, pose: Rigid, reach: float, datums: DatumSystem | None
) -> tuple[Ints, Floats, NDArray[np.float64], Floats, float]:
    """Return the rows of points on the faces, distances, their derivatives by the unknowns, centre and size."""
    local = apply(invert(pose), points)
    found = projector.deviations(local, max_distance=min(reach, 1e6))
    on = np.flatnonzero(np.isin(found.face, faces) & ~found.on_edge) if np.isfinite(reach) else np.arange(len(points))
    if len(on) < 6:
        raise IndeterminateError(f"only {len(on)} points lie near the faces; 6 are needed")
    where, normals = points[on], found.normals[on] @ pose[:3, :3].T
    center = where.mean(axis=0)
    size = float(np.abs(where - center).max()) or 1.0
    # The faces move by a shift and a turn about the centre: the distance of a point changes by minus that motion.
    full = -np.column_stack([normals, np.cross((where - center) / size, normals)])
    if datums is None:
        return on, found.distance[on], full, center, size
    return on, found.distance[on], full @ _unscaled(_motions(center, size, datums), size), center, size


def _motions(center: Floats, size: float, datums: DatumSystem | None) -> NDArray[np.float64]:
    """Return shifts (mm) and turns (rad) about the centre for each unknown, (6, q)."""
    if datums is None:
        return np.diag([1.0, 1.0, 1.0, 1 / size, 1 / size, 1 / size])
    frame, columns = datums.part_from_datum, []
    for name in datums.free:
        axis = frame[:3, "xyz".index(name[1])]
        if name[0] == "t":
            columns.append(np.concatenate([axis, np.zeros(3)]))
        else:
            columns.append(np.concatenate([np.cross(axis, center - frame[:3, 3]), axis]) / size)
    return np.array(columns).reshape(-1, 6).T


def _unscaled(motions: NDArray[np.float64], size: float) -> NDArray[np.float64]:
    scaled: NDArray[np.float64] = motions * np.array([1, 1, 1, size, size, size])[:, None]
    return scaled


def _moved(pose: Rigid, step: Floats, center: Floats, size: float, datums: DatumSystem | None) -> Rigid:
    if len(step) == 0:
        return pose
    motion = _motions(center, size, datums) @ step
    turned = from_rotation_vector(motion[3:], np.zeros(3))
    turned[:3, 3] = center - turned[:3, :3] @ center + motion[:3]
    return orthonormalised(turned @ pose)


def _least_squares_step(jacobian: NDArray[np.float64], distance: Floats) -> Floats:
    """Return the shortest step: motions that change no distance (along a ruled face, about an axis) are not taken."""
    if jacobian.shape[1] == 0:
        return np.zeros(0)
    return np.asarray(-_cofactors(jacobian)[0] @ (jacobian.T @ distance))


def _cofactors(jacobian: NDArray[np.float64]) -> tuple[NDArray[np.float64], float]:
    if jacobian.shape[1] == 0:
        return np.zeros((0, 0)), 1.0
    values, vectors = symmetric_eigen(jacobian.T @ jacobian)  # type: ignore[no-untyped-call]
    real = values > _OPEN**2 * values[-1] * 1e4
    inverse = (vectors[:, real] / values[real]) @ vectors[:, real].T
    return np.asarray(inverse), float(np.sqrt(values[-1] / values[real][0]))


def _narrowed(
    projector: Projector, faces: tuple[int, ...], points: Points, pose: Rigid, datums: DatumSystem | None
) -> tuple[Rigid, int]:
    """Make the largest distance as small as can be, by linear programs within a shrinking step."""
    sides = np.array([1.0, -1.0])
    _, distance, jacobian, center, size = _linearised(projector, faces, points, pose, np.inf, datums)
    level, trust = float(np.abs(distance).max()), 1.0
    turns = 0
    for turns in range(1, _MOST + 1):  # noqa: B007
        bound = trust * 4 * max(float(np.ptp(distance)), 1e-12)
        status, step, *_ = exchange(distance, np.ascontiguousarray(jacobian), sides, bound, np.ones(len(distance)))
        if status == 1:
            break
        trial = _moved(pose, step, center, size, datums)
        found = _linearised(projector, faces, points, trial, np.inf, datums)
        reached = float(np.abs(found[1]).max())
        if reached < level:
            done = level - reached < 1e-13 * max(1.0, level)
            pose, level = trial, reached
            _, distance, jacobian, center, size = found
            trust = min(2 * trust, 64.0)
            if done:
                break
        else:
            trust *= 0.25
            if trust < 1e-8:
                break
    return pose, turns
