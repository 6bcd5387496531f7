"""How near other faces are to each triangle of a mesh: whether its face alone can be the nearest of a point."""

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from truegauge.core.arrays import Ints
from truegauge.core.cad.borders import Borders
from truegauge.core.cad.bvh import STACK, Bvh, nearest_triangle
from truegauge.core.shelf import NO_SHELF, Arrays, Shelf, key_of

_MOST_TOUCHED = 32  # faces around a triangle
_PIECES_IN_REACH, _MOST_PIECES = 2.0, 24


def heights(corners: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the heights (m, 3) of triangles (m, 9) over their sides ab, bc, ca, mm."""
    a, b, c = corners[:, 0:3], corners[:, 3:6], corners[:, 6:9]
    double = np.linalg.norm(np.cross(b - a, c - a), axis=1)
    sides = np.column_stack([np.linalg.norm(q - p, axis=1) for p, q in ((a, b), (b, c), (c, a))])
    return np.asarray(double[:, None] / np.maximum(sides, 1e-300))


def clearances(tree: Bvh, face: Ints, borders: Borders, most: float, shelf: Shelf = NO_SHELF) -> NDArray[np.float64]:
    """Return a bound (m,) below the distance of each triangle (tree order) to faces that do not touch it, mm.

    No more than `most` mm is told, and of triangles much larger than that nothing (-1).
    """

    def made() -> Arrays:
        out = np.zeros(len(tree.corners))
        _clearances(
            tree.boxes, tree.nodes, tree.corners, face, borders.side, borders.faces, borders.vertex_start,
            borders.vertex_edges, most, out,
        )  # fmt: skip
        return {"clear": out}

    around = (borders.side, borders.faces, borders.vertex_start, borders.vertex_edges)
    return shelf.take("clearances", key_of(tree.corners, face, *around, most), made)["clear"]


@njit(cache=True, nogil=True)
def _touched(k, face, side, edge_faces, vertex_start, vertex_edges, seen):  # type: ignore[no-untyped-def]
    """Write the face of a triangle and those that meet it at a side or a corner to `seen`; return how many there are.

    -1 where there are more than `seen` holds.
    """
    seen[0], count = face[k], 1
    for c in range(6):
        code = side[k, c]
        if code == -1:
            continue
        first, last = (0, 1) if code >= 0 else (vertex_start[-2 - code], vertex_start[-1 - code])
        for q in range(first, last):
            e = code if code >= 0 else vertex_edges[q]
            for j in range(2):
                other, known = edge_faces[e, j], edge_faces[e, j] < 0
                for n in range(count):
                    known = known or seen[n] == other
                if not known:
                    if count == seen.size:
                        return -1
                    seen[count] = other
                    count += 1
    return count


@njit(cache=True, nogil=True, parallel=True)
def _clearances(boxes, nodes, corners, face, side, edge_faces, vertex_start, vertex_edges, most, out):  # type: ignore[no-untyped-def]
    for chunk in prange((corners.shape[0] + 255) // 256):
        stack, far, seen = np.empty(STACK, dtype=np.int64), np.empty(STACK), np.empty(_MOST_TOUCHED, dtype=np.int64)
        for k in range(256 * chunk, min(corners.shape[0], 256 * chunk + 256)):
            size = 0.0
            for c in range(3):
                d = 0.0
                for b in range(3):
                    d += (corners[k, 3 * c + b] - (corners[k, b] + corners[k, 3 + b] + corners[k, 6 + b]) / 3.0) ** 2
                size = max(size, np.sqrt(d))
            count = _touched(k, face, side, edge_faces, vertex_start, vertex_edges, seen)
            pieces = int(np.ceil(_PIECES_IN_REACH * size / most))
            if count < 0 or pieces > _MOST_PIECES:
                out[k] = -1.0
                continue
            # Large triangles in pieces: from their middles alone the bound would be below nothing.
            size = size / pieces
            nearest2 = (most + size) ** 2
            for i in range(pieces):
                for j in range(pieces - i):
                    for turned in range(2 if i + j < pieces - 1 else 1):
                        v, w = (i + (1 + turned) / 3.0) / pieces, (j + (1 + turned) / 3.0) / pieces
                        x = corners[k, 0] + v * (corners[k, 3] - corners[k, 0]) + w * (corners[k, 6] - corners[k, 0])
                        y = corners[k, 1] + v * (corners[k, 4] - corners[k, 1]) + w * (corners[k, 7] - corners[k, 1])
                        z = corners[k, 2] + v * (corners[k, 5] - corners[k, 2]) + w * (corners[k, 8] - corners[k, 2])
                        t, found2, _, _, _ = nearest_triangle(
                            boxes, nodes, corners, x, y, z, nearest2, -1, stack, far, corners, 0.0, 0.0, 0.0, -2.0,
                            face, seen, count,
                        )  # fmt: skip
                        if t >= 0:
                            nearest2 = found2
            out[k] = np.sqrt(nearest2) - size
