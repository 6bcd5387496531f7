"""Best fit of points to the true surfaces: least squares of the exact signed distances over trusted points."""

from dataclasses import dataclass

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Mask, Points, Rigid
from truegauge.core.cad.projection import Projector
from truegauge.core.errors import RegistrationError
from truegauge.core.frames import apply, from_rotation_vector, invert, orthonormalised, rotation_vector
from truegauge.core.progress import Progress, part_of, silent
from truegauge.core.registration.coarse import turn_by

_CHUNK = 8192
_PIECE = 1 << 20  # a multiple of it
_ENOUGH = 30
_OPEN = 1e-9  # of the best-known motion: one that is known less is open


@dataclass(frozen=True, slots=True, eq=False)
class FitSettings:
    """What a best fit counts and may move.

    `trim` is the multiple of the robust scale beyond which points are not used. `face_weights` (f,) tell how much the
    squares of the distances to each face count, 0 for not at all; None: all the same. `locked` (shifts along x, y, z,
    turns about x, y, z of the part) stay as they are in the pose `base`.
    """

    trim: float = 3.0
    face_weights: Floats | None = None
    locked: tuple[bool, ...] = (False,) * 6
    base: Rigid | None = None

    def counted(self, face: NDArray[np.int32]) -> Mask:
        """Tell which points lie on a face that counts."""
        there = face >= 0
        return there if self.face_weights is None else there & (self.face_weights[face] > 0)


USUAL = FitSettings()


@dataclass(frozen=True, slots=True, eq=False)
class Information:
    """What the points know about the pose: normal equations (6, 6) of turns about `center`, then shifts.

    `free` (6, k) are motions that no point notices, `strength` the rms of what the points notice of a motion.
    """

    matrix: NDArray[np.float64]
    center: Floats
    free: NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class BestFit:
    """A pose, the rms of the distances it leaves in the points used, and the robust scale (mm)."""

    part_from_scan: Rigid
    rms: float
    scale: float
    used: Mask
    distance: Floats
    iterations: int
    information: Information | None = None


def best_fit(
    points: Points,
    projector: Projector,
    start: Rigid,
    *,
    reach: float,
    settings: FitSettings = USUAL,
    least_reach: float = 0.0,
    iterations: int = 40,
    settled: float = 0.01,
    rough: bool = False,
    progress: Progress = silent,
) -> BestFit:
    """Refine a pose by Gauss-Newton steps on the signed distances to the true surfaces.

    Used are points nearer than `settings.trim` times the robust scale (1.4826 times the median absolute distance of the
    points within reach) that do not belong to an edge. The reach shrinks with the scale, never below `least_reach`.
    A freedom that the points leave open stays as it is, and is told in `information`. `rough` as of the projector.
    Steps end where they are smaller than `settled` times what the noise lets the pose mean.

    Raises
    ------
    RegistrationError
        Fewer than 30 points near the part.
    """
    pose = orthonormalised(start)
    last_step = np.inf
    best: BestFit | None = None
    trim, information = settings.trim, None
    for turn in range(iterations):
        progress(turn / iterations, "best fit")
        moved = apply(pose, points)
        found = projector.deviations(moved, max_distance=reach, rough=rough)
        near = settings.counted(found.face) & ~found.on_edge
        _refuse_few(near, settings)
        scale = 1.4826 * float(np.median(np.abs(found.distance[near])))
        limit = max(trim * scale, 1e-9)
        used = near & (np.abs(found.distance) <= limit)
        rms = float(np.sqrt(np.mean(found.distance[used] ** 2)))
        best = BestFit(pose, rms, scale, used, found.distance, turn, information)
        if last_step < 1e-7 * reach or last_step < 1e-9:
            break
        feet = found.feet
        center = _center(feet[used].mean(axis=0), settings)
        total = _summed(feet, found.normals, found.distance, found.face, used, settings, center)
        step, information = _solved(total, center, settings)
        pose = _stepped(pose, step, center, settings)
        arm = float(np.abs(moved[used] - center).max())
        last_step = float(np.linalg.norm(step[:3]) * arm + np.linalg.norm(step[3:]))
        reach = max(min(reach, 6 * limit + 2 * last_step), least_reach)
        if last_step < settled * scale / np.sqrt(used.sum()):
            last_step = 0.0
    assert best is not None
    return best


def last_step(
    points: Points,
    projector: Projector,
    start: Rigid,
    *,
    reach: float,
    settings: FitSettings = USUAL,
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
    face = np.zeros(count, dtype=np.int32)
    pieces = [slice(k, min(count, k + _PIECE)) for k in range(0, count, _PIECE)]
    # The lever of a foot about any axis is that of its point, as they differ along the normal: points do for feet.
    whole = apply(start, points) if len(pieces) == 1 else None

    def moved(piece: slice) -> Points:
        return apply(start, points[piece]) if whole is None else whole

    for piece in pieces:  # the memory of all distances is a quarter of that of all feet
        found = projector.deviations(
            moved(piece), max_distance=reach, progress=part_of(progress, piece.start / count, piece.stop / count)
        )
        distance[piece], normals[piece] = found.distance, found.normals
        near[piece] = settings.counted(found.face) & ~found.on_edge
        face[piece] = found.face
    _refuse_few(near, settings)
    scale = 1.4826 * float(np.median(np.abs(distance[near])))
    used = near & (np.abs(distance) <= max(settings.trim * scale, 1e-9))
    center = _center(apply(start, points[:: max(1, count // _PIECE)]).mean(axis=0), settings)
    total = np.zeros(27)
    for p in pieces:
        total += _summed(moved(p), normals[p], distance[p], face[p], used[p], settings, center)
    step, information = _solved(total, center, settings)
    pose = _stepped(start, step, center, settings)
    for p in pieces:
        _predict(moved(p), normals[p], used[p], step, center, distance[p])
    rms = float(np.sqrt(np.mean(distance[used] ** 2)))
    return BestFit(pose, rms, scale, used, distance, 1, information)


@njit(cache=True, nogil=True, parallel=True)
def _predict(points, normals, used, step, center, distance):  # type: ignore[no-untyped-def]
    """Add to the distances of the points used what a small motion does to them."""
    for i in prange(points.shape[0]):
        if used[i]:
            rx, ry, rz = points[i, 0] - center[0], points[i, 1] - center[1], points[i, 2] - center[2]
            dx = step[1] * rz - step[2] * ry + step[3]
            dy = step[2] * rx - step[0] * rz + step[4]
            dz = step[0] * ry - step[1] * rx + step[5]
            distance[i] += dx * normals[i, 0] + dy * normals[i, 1] + dz * normals[i, 2]


def _refuse_few(near: Mask, settings: FitSettings) -> None:
    if near.sum() < _ENOUGH:
        where = "part" if settings.face_weights is None else "chosen faces"
        raise RegistrationError(f"only {int(near.sum())} points lie near the {where}; a best fit needs {_ENOUGH}")


def _center(middle: Floats, settings: FitSettings) -> Floats:
    """Return what turns are about: with locks the origin of the part, whose shifts they mean."""
    return np.zeros(3) if any(settings.locked) else middle


def _stepped(pose: Rigid, step: Floats, center: Floats, settings: FitSettings) -> Rigid:
    pose = pose.copy()
    turn_by(pose, step[:3], step[3:], center)
    pose = orthonormalised(pose)
    return unlocked_part(pose, settings)


def unlocked_part(pose: Rigid, settings: FitSettings) -> Rigid:
    """Take out of the motion from the base to a pose what is locked."""
    if not any(settings.locked) or settings.base is None:
        return pose
    locked = np.array(settings.locked)
    motion = pose @ invert(settings.base)
    turn = np.where(locked[3:], 0.0, rotation_vector(motion))
    return from_rotation_vector(turn, np.where(locked[:3], 0.0, motion[:3, 3])) @ settings.base


def _summed(
    feet: Points, normals: NDArray[np.floating], distance: Floats, face: NDArray[np.int32], used: Mask,
    settings: FitSettings, center: Floats,
) -> Floats:  # fmt: skip
    """Return the normal equations: the lower triangle (21) and the right side (6)."""
    chunks = (len(feet) + _CHUNK - 1) // _CHUNK
    parts = np.zeros((chunks, 27))
    normals = np.ascontiguousarray(normals, dtype=np.float64)
    weights = np.ones(1) if settings.face_weights is None else settings.face_weights
    _normal_equations(feet, normals, distance, face, used, weights, center, parts)
    return np.asarray(parts.sum(axis=0))  # in the order of the chunks: the same digits every time


def _solved(total: Floats, center: Floats, settings: FitSettings) -> tuple[Floats, Information]:
    """Solve the normal equations for the freedoms that are not locked; what the points leave open does not move."""
    lower = np.zeros((6, 6))
    lower[np.tril_indices(6)] = total[:21]
    full = lower + np.tril(lower, -1).T
    open_ = np.array([not settings.locked[k] for k in (3, 4, 5, 0, 1, 2)])
    size = np.where(np.diag(full) > 0, np.sqrt(np.maximum(np.diag(full), 1e-300)), 1.0)
    scaled = (full / size / size[:, None])[np.ix_(open_, open_)]
    values, vectors = np.linalg.eigh(scaled)
    noticed = values > _OPEN * max(float(values[-1]), 1e-300) if len(values) else np.zeros(0, dtype=bool)
    kept = vectors[:, noticed]
    step = np.zeros(6)
    step[open_] = kept @ ((kept.T @ (total[21:] / size)[open_]) / values[noticed])
    free = np.zeros((6, int((~noticed).sum())))
    free[open_] = vectors[:, ~noticed]
    if not np.isfinite(step).all():
        raise RegistrationError("the points do not determine the pose of the part")
    return step / size, Information(full, center, free / size[:, None])


@njit(cache=True, nogil=True, parallel=True)
def _normal_equations(feet, normals, distance, face, used, weights, center, parts):  # type: ignore[no-untyped-def]
    n = feet.shape[0]
    weighted = weights.shape[0] > 1
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
            weight = weights[face[i]] if weighted else 1.0
            m = 0
            for j in range(6):
                for k in range(j + 1):
                    parts[chunk, m] += weight * row[j] * row[k]
                    m += 1
                parts[chunk, 21 + j] -= weight * row[j] * distance[i]
