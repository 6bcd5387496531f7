"""Normals of points that came without: the plane of each point's neighbours."""

import numpy as np

from truegauge.core.arrays import Floats, Normals, Points
from truegauge.core.progress import Progress, silent

_PIECE = 100_000


def estimated_normals(points: Points, *, neighbours: int = 12, progress: Progress = silent) -> Normals:
    """Return unit normals (n, 3) of the planes of least squares through each point's nearest neighbours.

    Their side is not determined; the order of `points` does not matter. Hoppe et al., Surface reconstruction from
    unorganized points (1992).
    """
    from scipy.spatial import cKDTree

    out = np.zeros((len(points), 3))
    if len(points) < 3:
        return out
    tree = cKDTree(points, balanced_tree=False, compact_nodes=False)
    k = min(neighbours, len(points))
    for start in range(0, len(points), _PIECE):
        progress(start / len(points), "normals")
        near = tree.query(points[start : start + _PIECE], k=k, workers=2)[1]
        out[start : start + _PIECE] = _smallest_direction(points[near])
    return out


def _smallest_direction(groups: np.ndarray) -> np.ndarray:
    """Return the direction (n, 3) in which groups (n, k, 3) of points spread least."""
    centered = groups - groups.mean(axis=1, keepdims=True)
    spread = np.einsum("nki,nkj->nij", centered, centered)
    return np.asarray(np.linalg.eigh(spread)[1][:, :, 0])


def flatness_within(points: Points, radius: float, progress: Progress = silent) -> Floats:
    """Return how far (mm) the nearest neighbours within `radius` of each point lie from their common plane, at most."""
    from scipy.spatial import cKDTree

    out = np.zeros(len(points))
    if len(points) < 4:
        return out
    tree = cKDTree(points, balanced_tree=False, compact_nodes=False)
    k = min(24, len(points))
    for start in range(0, len(points), _PIECE):
        progress(start / len(points), "curvature")
        here = points[start : start + _PIECE]
        distance, near = tree.query(here, k=k, distance_upper_bound=radius, workers=2)
        there = np.isfinite(distance)
        groups = points[np.where(there, near, 0)]
        weight = there[..., None].astype(np.float64)
        centers = (groups * weight).sum(axis=1) / np.maximum(weight.sum(axis=1), 1)
        centered = (groups - centers[:, None]) * weight
        normals = np.linalg.eigh(np.einsum("nki,nkj->nij", centered, centered))[1][:, :, 0]
        out[start : start + _PIECE] = np.abs(np.einsum("nki,ni->nk", centered, normals)).max(axis=1)
    return out
