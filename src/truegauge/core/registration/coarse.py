"""Finding the pose of a scan from nothing: many starts, each slid into place on the distance field.

The score is a truncated mean square distance over all points, so that a table, outliers and missing regions cost a
constant and do not pull (after Zhou, Park and Koltun, Fast Global Registration, 2016, on robust costs; the starts
are an even set of rotations after Alexa, Super-Fibonacci Spirals, 2022).
"""

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from truegauge.core.arrays import Mask, Points, Rigid
from truegauge.core.cad.model import CadModel
from truegauge.core.frames import rigid
from truegauge.core.progress import Progress, silent
from truegauge.core.registration.distance_field import DistanceField
from truegauge.core.shelf import NO_SHELF, Arrays, Shelf, key_of

STARTS = 720
COARSE_LIMIT = 0.015  # of the diagonal: farther points cost no more
_FEW, _MANY = 120, 360  # points: enough to tell hopeless starts, enough to settle
_PROMISING = 96
_LEAST = 60  # points besides a table


def even_rotations(count: int) -> NDArray[np.float64]:
    """Return `count` evenly spread rotations (count, 3, 3) (super-Fibonacci spiral on the unit quaternions)."""
    phi, psi = np.sqrt(2.0), 1.533751168755204288118041
    s = np.arange(count) + 0.5
    t, d = s / count, 2 * np.pi * s
    r, big = np.sqrt(t), np.sqrt(1 - t)
    x, y, z, w = r * np.sin(d / phi), r * np.cos(d / phi), big * np.sin(d / psi), big * np.cos(d / psi)
    return np.stack(
        [
            np.stack([1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)], axis=-1),
            np.stack([2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)], axis=-1),
            np.stack([2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)], axis=-1),
        ],
        axis=-2,
    )


def coarse_poses(
    points: Points,
    model: CadModel,
    field: DistanceField,
    *,
    keep: int = 8,
    thorough: bool = False,
    shelf: Shelf = NO_SHELF,
    progress: Progress = silent,
) -> list[tuple[float, Rigid]]:
    """Return the best distinct poses as (score, part_from_scan), best first; the score is in mm^2.

    Parameters
    ----------
    points : (n, 3) float64
        Thinned scan points, a few thousand, in scan coordinates.
    thorough : bool
        Start from three times as many rotations, with twice the points.
    """

    def made() -> Arrays:
        found = _coarse_poses(points, model, field, keep, thorough, progress)
        return {"costs": np.array([c for c, _ in found]), "poses": np.array([p for _, p in found]).reshape(-1, 4, 4)}

    of = key_of(points, model.key, field.low, field.step, field.feet, keep, thorough)
    kept = shelf.take("coarse", of, made)
    return list(zip(kept["costs"].tolist(), kept["poses"], strict=True))


def _coarse_poses(
    points: Points, model: CadModel, field: DistanceField, keep: int, thorough: bool, progress: Progress
) -> list[tuple[float, Rigid]]:
    rng = np.random.default_rng(11)
    center_of_part = _area_center(model)
    starts = 3 * STARTS if thorough else STARTS
    few, many = (2 * _FEW, 2 * _MANY) if thorough else (_FEW, _MANY)
    rotations = even_rotations(starts)
    limit = COARSE_LIMIT * model.diagonal
    found: list[tuple[float, Rigid]] = []
    groups = [np.ones(len(points), dtype=bool)]
    rest = [~table for table in table_candidates(points, 0.004 * model.diagonal)]
    groups += [group for group in rest if group.sum() >= _LEAST]  # a scan of one plane is no table
    for number, group in enumerate(groups):
        chosen = points[group]
        # Strays sit far out and would move a plain mean.
        middle = _robust_center(chosen)
        shuffled = chosen[rng.permutation(len(chosen))]
        poses = np.empty((starts, 4, 4))
        poses[:] = np.eye(4)
        poses[:, :3, :3] = rotations
        poses[:, :3, 3] = center_of_part - rotations @ middle
        check = points[rng.permutation(len(points))[:1500]]
        progress(number / len(groups), "finding the pose")
        _slide_all(*field, shuffled[:few], poses, 0.30 * model.diagonal, 0.06 * model.diagonal, 12)
        costs = np.empty(starts)
        _score_all(*field, check[:400], poses, 2 * limit, costs)
        poses = np.ascontiguousarray(poses[np.argsort(costs)[: _PROMISING * (2 if thorough else 1)]])
        progress((number + 0.6) / len(groups), "finding the pose")
        _slide_all(*field, shuffled[:many], poses, 0.10 * model.diagonal, limit, 22)
        costs = np.empty(len(poses))
        _score_all(*field, check, poses, limit, costs)
        found += [(float(costs[i]), rigid(poses[i, :3, :3], poses[i, :3, 3])) for i in np.argsort(costs)]
    found.sort(key=lambda item: item[0])
    distinct: list[tuple[float, Rigid]] = []
    for cost, pose in found:
        if all(_apart(pose, other, model) for _, other in distinct):
            distinct.append((cost, pose))
        if len(distinct) == keep:
            break
    return distinct


def table_candidates(points: Points, thickness: float) -> list[Mask]:
    """Return masks of points on planes that may be a table: large, with nearly all else on one side."""
    rng = np.random.default_rng(3)
    left = np.ones(len(points), dtype=bool)
    tables: list[Mask] = []
    for _ in range(3):
        ids = np.flatnonzero(left)
        if len(ids) < 50:
            break
        plane = dominant_plane(points[ids], thickness, rng)
        if plane is None:
            break
        normal, offset = plane
        height = points @ normal - offset
        on = np.abs(height) < thickness
        if on.sum() < 0.06 * len(points):
            break
        left &= ~on
        above, below = int((height > 2 * thickness).sum()), int((height < -2 * thickness).sum())
        if min(above, below) < 0.03 * len(points):
            tables.append(on)
    return tables


def dominant_plane(
    points: Points, thickness: float, rng: np.random.Generator, *, tries: int = 300
) -> tuple[NDArray[np.float64], float] | None:
    """Return (normal, offset) of the plane with the most points within `thickness`, by random triples."""
    sample = points[rng.permutation(len(points))[:2000]]
    triples = sample[rng.integers(0, len(sample), (tries, 3))]
    normals = np.cross(triples[:, 1] - triples[:, 0], triples[:, 2] - triples[:, 0])
    lengths = np.linalg.norm(normals, axis=1)
    good = lengths > 1e-9
    if not good.any():
        return None
    normals = normals[good] / lengths[good, None]
    offsets = np.einsum("ij,ij->i", normals, triples[good, 0])
    counts = (np.abs(sample @ normals.T - offsets) < thickness).sum(axis=0)
    best = int(np.argmax(counts))
    normal, offset = normals[best], float(offsets[best])
    for _ in range(3):
        on = points[np.abs(points @ normal - offset) < thickness]
        if len(on) < 3:
            return None
        center = on.mean(axis=0)
        normal = np.linalg.svd(on - center, full_matrices=False)[2][2]
        offset = float(center @ normal)
    return normal, offset


def _area_center(model: CadModel) -> NDArray[np.float64]:
    areas = np.array([f.area for f in model.faces])
    return np.asarray(areas @ np.array([f.centroid for f in model.faces]) / areas.sum())


def _robust_center(points: Points) -> NDArray[np.float64]:
    center = np.median(points, axis=0)
    distance = np.linalg.norm(points - center, axis=1)
    return np.asarray(points[distance <= np.quantile(distance, 0.97)].mean(axis=0))


def _apart(a: Rigid, b: Rigid, model: CadModel) -> bool:
    """Two poses are distinct when they place some corner of the part's box differently."""
    turn = a[:3, :3] @ b[:3, :3].T
    angle = np.arccos(np.clip((np.trace(turn) - 1) / 2, -1, 1))
    center = model.box.mean(axis=0)
    moved = turn @ (center - b[:3, 3]) + a[:3, 3] - center
    return bool(angle > 0.15 or np.linalg.norm(moved) > 0.04 * model.diagonal)


@njit(cache=True, nogil=True)
def solve6(a, b):  # type: ignore[no-untyped-def]
    """Solve the symmetric 6x6 system in place by Cholesky's method; False where it is singular."""
    for i in range(6):
        a[i, i] += 1e-12 * a[i, i] + 1e-300
    for j in range(6):
        s = a[j, j]
        for k in range(j):
            s -= a[j, k] * a[j, k]
        if not s > 0.0:
            return False
        a[j, j] = np.sqrt(s)
        for i in range(j + 1, 6):
            t = a[i, j]
            for k in range(j):
                t -= a[i, k] * a[j, k]
            a[i, j] = t / a[j, j]
    for i in range(6):
        for k in range(i):
            b[i] -= a[i, k] * b[k]
        b[i] /= a[i, i]
    for i in range(5, -1, -1):
        for k in range(i + 1, 6):
            b[i] -= a[k, i] * b[k]
        b[i] /= a[i, i]
    return True


@njit(cache=True, nogil=True)
def turn_by(pose, w, t, center):  # type: ignore[no-untyped-def]
    """Turn `pose` about `center` by the rotation vector `w`, then shift it by `t`, in place (Rodrigues)."""
    angle = np.sqrt(w[0] ** 2 + w[1] ** 2 + w[2] ** 2)
    if angle > 1e-15:
        x, y, z = w[0] / angle, w[1] / angle, w[2] / angle
    else:
        x, y, z = 1.0, 0.0, 0.0
    c, s = np.cos(angle), np.sin(angle)
    k = 1.0 - c
    r = np.array(
        (
            (c + x * x * k, x * y * k - z * s, x * z * k + y * s),
            (y * x * k + z * s, c + y * y * k, y * z * k - x * s),
            (z * x * k - y * s, z * y * k + x * s, c + z * z * k),
        )
    )
    old = pose.copy()
    for i in range(3):
        for j in range(4):
            value = 0.0
            for m in range(3):
                value += r[i, m] * (old[m, j] - (center[m] if j == 3 else 0.0))
            pose[i, j] = value
        pose[i, 3] += center[i] + t[i]


@njit(cache=True, nogil=True)
def _slide(low, step, feet, normals, points, pose, wide, narrow, turns):  # type: ignore[no-untyped-def]
    nx, ny, nz = feet.shape[0], feet.shape[1], feet.shape[2]
    a = np.empty((6, 6))
    b = np.empty(6)
    row = np.empty(6)
    center = np.empty(3)
    for turn in range(turns):
        share = turn / max(1, turns - 1)
        scale = wide * (narrow / wide) ** share  # from far-sighted to near-sighted
        point_weight = (1.0 - share) ** 2 * 0.5 + 0.02  # from point-to-point to point-to-plane
        a[:] = 0.0
        b[:] = 0.0
        for c in range(3):
            center[c] = low[c] + 0.5 * step * feet.shape[c]
        for i in range(points.shape[0]):
            x = pose[0, 0] * points[i, 0] + pose[0, 1] * points[i, 1] + pose[0, 2] * points[i, 2] + pose[0, 3]
            y = pose[1, 0] * points[i, 0] + pose[1, 1] * points[i, 1] + pose[1, 2] * points[i, 2] + pose[1, 3]
            z = pose[2, 0] * points[i, 0] + pose[2, 1] * points[i, 1] + pose[2, 2] * points[i, 2] + pose[2, 3]
            gx = min(max(int((x - low[0]) / step), 0), nx - 1)
            gy = min(max(int((y - low[1]) / step), 0), ny - 1)
            gz = min(max(int((z - low[2]) / step), 0), nz - 1)
            q, n = feet[gx, gy, gz], normals[gx, gy, gz]
            ex, ey, ez = x - q[0], y - q[1], z - q[2]
            d2 = (ex * ex + ey * ey + ez * ez) / (scale * scale)
            if d2 >= 9.0:
                continue
            weight = (1.0 - d2 / 9.0) ** 2
            rx, ry, rz = x - center[0], y - center[1], z - center[2]
            # Along the normal,
            ux, uy, uz = np.float64(n[0]), np.float64(n[1]), np.float64(n[2])
            e = ex * ux + ey * uy + ez * uz
            row[0] = ry * uz - rz * uy
            row[1] = rz * ux - rx * uz
            row[2] = rx * uy - ry * ux
            row[3], row[4], row[5] = ux, uy, uz
            for j in range(6):
                part = weight * row[j]
                b[j] -= part * e
                for k in range(j + 1):
                    a[j, k] += part * row[k]
            # and, weaker, along the three axes, whose rows are (0, rz, -ry, 1, 0, 0), (-rz, 0, rx, 0, 1, 0), ...
            f = weight * point_weight
            a[0, 0] += f * (ry * ry + rz * rz)
            a[1, 0] -= f * rx * ry
            a[1, 1] += f * (rx * rx + rz * rz)
            a[2, 0] -= f * rx * rz
            a[2, 1] -= f * ry * rz
            a[2, 2] += f * (rx * rx + ry * ry)
            a[3, 1] += f * rz
            a[3, 2] -= f * ry
            a[4, 0] -= f * rz
            a[4, 2] += f * rx
            a[5, 0] += f * ry
            a[5, 1] -= f * rx
            b[0] -= f * (ry * ez - rz * ey)
            b[1] -= f * (rz * ex - rx * ez)
            b[2] -= f * (rx * ey - ry * ex)
            for j in range(3):
                a[3 + j, 3 + j] += f
            b[3] -= f * ex
            b[4] -= f * ey
            b[5] -= f * ez
        if not solve6(a, b):
            return
        turn_by(pose, b[0:3], b[3:6], center)


@njit(cache=True, nogil=True, parallel=True)
def _slide_all(low, step, feet, normals, points, poses, wide, narrow, turns):  # type: ignore[no-untyped-def]
    for i in prange(poses.shape[0]):
        _slide(low, step, feet, normals, points, poses[i], wide, narrow, turns)


@njit(cache=True, nogil=True, parallel=True)
def _score_all(low, step, feet, normals, points, poses, limit, out):  # type: ignore[no-untyped-def]
    for c in prange(poses.shape[0]):
        pose = poses[c]
        total = 0.0
        for i in range(points.shape[0]):
            x = pose[0, 0] * points[i, 0] + pose[0, 1] * points[i, 1] + pose[0, 2] * points[i, 2] + pose[0, 3]
            y = pose[1, 0] * points[i, 0] + pose[1, 1] * points[i, 1] + pose[1, 2] * points[i, 2] + pose[1, 3]
            z = pose[2, 0] * points[i, 0] + pose[2, 1] * points[i, 1] + pose[2, 2] * points[i, 2] + pose[2, 3]
            gx, gy, gz = int((x - low[0]) / step), int((y - low[1]) / step), int((z - low[2]) / step)
            if not (0 <= gx < feet.shape[0] and 0 <= gy < feet.shape[1] and 0 <= gz < feet.shape[2]):
                total += limit * limit
                continue
            q, n = feet[gx, gy, gz], normals[gx, gy, gz]
            ex, ey, ez = x - q[0], y - q[1], z - q[2]
            along = abs(ex * n[0] + ey * n[1] + ez * n[2])
            beside = np.sqrt(max(0.0, ex * ex + ey * ey + ez * ez - along * along))
            # The tangent plane of the cell's foot is only known to hold for about a cell around it.
            d = along + max(0.0, beside - step)
            total += min(d * d, limit * limit)
        out[c] = total / points.shape[0]
