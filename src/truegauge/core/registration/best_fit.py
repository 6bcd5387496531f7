"""Best fit of points to the true surfaces: least squares of the exact signed distances over trusted points."""

from dataclasses import dataclass

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Mask, Points, Rigid
from truegauge.core.cad.projection import Projector
from truegauge.core.errors import RegistrationError
from truegauge.core.frames import apply, orthonormalised
from truegauge.core.progress import Progress, part_of, silent
from truegauge.core.registration.coarse import solve6, turn_by

_CHUNK = 8192
_PIECE = 1 << 20  # a multiple of it
_ENOUGH = 30


@dataclass(frozen=True, slots=True, eq=False)
class BestFit:
    """A pose, the rms of the distances it leaves in the points used, and the robust scale (mm)."""

    part_from_scan: Rigid
    rms: float
    scale: float
    used: Mask
    distance: Floats
    iterations: int


def best_fit(
    points: Points,
    projector: Projector,
    start: Rigid,
    *,
    reach: float,
    trim: float = 3.0,
    least_reach: float = 0.0,
    iterations: int = 40,
    progress: Progress = silent,
) -> BestFit:
    """Refine a pose by Gauss-Newton steps on the signed distances to the true surfaces.

    Used are points nearer than `trim` times the robust scale (1.4826 times the median absolute distance of the
    points within reach) that do not belong to an edge. The reach shrinks with the scale, never below `least_reach`.

    Raises
    ------
    RegistrationError
        Fewer than 30 points near the part, or points that leave a freedom open.
    """
    pose = orthonormalised(start)
    last_step = np.inf
    best: BestFit | None = None
    for turn in range(iterations):
        progress(turn / iterations, "best fit")
        moved = apply(pose, points)
        found = projector.deviations(moved, max_distance=reach)
        near = (found.face >= 0) & ~found.on_edge
        if near.sum() < _ENOUGH:
            raise RegistrationError(f"only {int(near.sum())} points lie near the part; a best fit needs {_ENOUGH}")
        scale = 1.4826 * float(np.median(np.abs(found.distance[near])))
        limit = max(trim * scale, 1e-9)
        used = near & (np.abs(found.distance) <= limit)
        rms = float(np.sqrt(np.mean(found.distance[used] ** 2)))
        best = BestFit(pose, rms, scale, used, found.distance, turn)
        if last_step < 1e-7 * reach or last_step < 1e-9:
            break
        feet = found.feet
        center = feet[used].mean(axis=0)
        step = _step(feet, found.normals, found.distance, used, center)
        pose = pose.copy()
        turn_by(pose, step[:3], step[3:], center)
        pose = orthonormalised(pose)
        arm = float(np.abs(moved[used] - center).max())
        last_step = float(np.linalg.norm(step[:3]) * arm + np.linalg.norm(step[3:]))
        reach = max(min(reach, 6 * limit + 2 * last_step), least_reach)
        if last_step < 0.01 * scale / np.sqrt(used.sum()):  # far below what the noise lets the pose mean
            last_step = 0.0
    assert best is not None
    return best


def last_step(
    points: Points,
    projector: Projector,
    start: Rigid,
    *,
    reach: float,
    trim: float = 3.0,
    progress: Progress = silent,
) -> BestFit:
    """Take one step with many points from a pose that is already good, without projecting them a second time.

    The distances after the step are the linear prediction; with steps of micrometres its error is far below a
    nanometre.

    Raises
    ------
    RegistrationError
        As `best_fit`.
    """
    count = len(points)
    kind = np.float64 if count <= 2 * _PIECE else np.float32
    distance, near, normals = np.zeros(count), np.zeros(count, dtype=bool), np.zeros((count, 3), dtype=kind)
    pieces = [slice(k, min(count, k + _PIECE)) for k in range(0, count, _PIECE)]
    for piece in pieces:  # the memory of all distances is a quarter of that of all feet
        found = projector.deviations(
            apply(start, points[piece]), max_distance=reach,
            progress=part_of(progress, piece.start / count, piece.stop / count),
        )  # fmt: skip
        distance[piece], normals[piece] = found.distance, found.normals
        near[piece] = (found.face >= 0) & ~found.on_edge
    if near.sum() < _ENOUGH:
        raise RegistrationError(f"only {int(near.sum())} points lie near the part; a best fit needs {_ENOUGH}")
    scale = 1.4826 * float(np.median(np.abs(distance[near])))
    used = near & (np.abs(distance) <= max(trim * scale, 1e-9))
    center = apply(start, points[:: max(1, count // _PIECE)]).mean(axis=0)

    def feet(piece: slice) -> Points:
        return np.asarray(apply(start, points[piece]) - distance[piece, None] * normals[piece])

    step = _solved(
        sum(_summed(feet(p), normals[p], distance[p], used[p], center) for p in pieces)  # type: ignore[arg-type]
    )
    pose = start.copy()
    turn_by(pose, step[:3], step[3:], center)
    for piece in pieces:
        change = np.einsum("ij,ij->i", np.cross(step[:3], feet(piece) - center), normals[piece])
        distance[piece] += np.where(used[piece], change + normals[piece] @ step[3:], 0.0)
    rms = float(np.sqrt(np.mean(distance[used] ** 2)))
    return BestFit(orthonormalised(pose), rms, scale, used, distance, 1)


def _step(feet: Points, normals: NDArray[np.floating], distance: Floats, used: Mask, center: Floats) -> Floats:
    return _solved(_summed(feet, normals, distance, used, center))


def _summed(feet: Points, normals: NDArray[np.floating], distance: Floats, used: Mask, center: Floats) -> Floats:
    """Return the normal equations: the lower triangle (21) and the right side (6)."""
    chunks = (len(feet) + _CHUNK - 1) // _CHUNK
    parts = np.zeros((chunks, 27))
    normals = np.ascontiguousarray(normals, dtype=np.float64)
    _normal_equations(feet, normals, distance, used, center, parts)
    return np.asarray(parts.sum(axis=0))  # in the order of the chunks: the same digits every time


def _solved(total: Floats) -> Floats:
    a, b = np.zeros((6, 6)), total[21:].copy()
    a[np.tril_indices(6)] = total[:21]
    eigenvalues = np.linalg.eigvalsh(_scaled(a))
    if eigenvalues[0] < 1e-9 * eigenvalues[-1]:
        raise RegistrationError("the points leave the part free to move (say, all on one plane or one axis)")
    if not solve6(a, b):
        raise RegistrationError("the points do not determine the pose of the part")
    solution: Floats = b
    return solution


def _scaled(lower: Floats) -> Floats:
    full = lower + np.tril(lower, -1).T
    d = 1 / np.sqrt(np.maximum(np.diag(full), 1e-300))
    return np.asarray(full * d[:, None] * d)


@njit(cache=True, nogil=True, parallel=True)
def _normal_equations(feet, normals, distance, used, center, parts):  # type: ignore[no-untyped-def]
    n = feet.shape[0]
    for chunk in prange(parts.shape[0]):
        row = np.empty(6)
        for i in range(chunk * _CHUNK, min(n, (chunk + 1) * _CHUNK)):
            if not used[i]:
                continue
            ux, uy, uz = normals[i, 0], normals[i, 1], normals[i, 2]
            rx, ry, rz = feet[i, 0] - center[0], feet[i, 1] - center[1], feet[i, 2] - center[2]
            row[0] = ry * uz - rz * uy
            row[1] = rz * ux - rx * uz
            row[2] = rx * uy - ry * ux
            row[3], row[4], row[5] = ux, uy, uz
            m = 0
            for j in range(6):
                for k in range(j + 1):
                    parts[chunk, m] += row[j] * row[k]
                    m += 1
                parts[chunk, 21 + j] -= row[j] * distance[i]
