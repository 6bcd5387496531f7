"""Normals for corners of a closed mesh, so that the side of a point whose nearest point is a corner is right.

Baerentzen and Aanaes, Signed distance computation using the angle weighted pseudonormal (2005).
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Ints, Normals, Points, Triangles


@dataclass(frozen=True, slots=True, eq=False)
class Surroundings:
    """What surrounds each of m triangles.

    `welded` (vertices,) is equal for vertices in one place; `flat` (m, 3) unit normals; pseudo-normals of its
    corners (m, 3, 3).
    """

    flat: Normals
    corner: NDArray[np.float64]
    welded: Ints


def surroundings(vertices: Points, triangles: Triangles, weld: float) -> Surroundings:
    """Work out the surroundings of triangles.

    Vertices nearer than about `weld` (mm, at least a millionth of the extent) count as one: faces of a part have
    vertices of their own.
    """
    welded = welded_vertices(vertices, weld)
    ids = welded[triangles]
    corners = vertices[triangles]
    sides = np.roll(corners, -1, axis=1) - corners
    flat = np.cross(sides[:, 0], sides[:, 1])
    flat /= np.maximum(np.linalg.norm(flat, axis=1, keepdims=True), 1e-300)

    before = -np.roll(sides, 1, axis=1)
    angle = np.arctan2(np.linalg.norm(np.cross(sides, before), axis=2), np.einsum("mki,mki->mk", sides, before))
    corner_sum = _sum_by(ids.ravel(), (flat[:, None, :] * angle[:, :, None]).reshape(-1, 3))
    return Surroundings(flat, corner_sum[ids], welded)


def welded_vertices(vertices: Points, weld: float) -> Ints:
    """Return equal numbers (n,) for vertices nearer to each other than about `weld`, mm."""
    # 21 bits an axis in one integer: sorting integers is many times faster than sorting rows.
    cells = np.round((vertices - vertices.min(axis=0)) / weld).astype(np.int64)
    _, welded = np.unique((cells[:, 0] << 42) + (cells[:, 1] << 21) + cells[:, 2], return_inverse=True)
    return np.asarray(welded.ravel())


def _sum_by(index: NDArray[np.int64], vectors: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.stack([np.bincount(index, weights=vectors[:, c]) for c in range(3)], axis=1)
