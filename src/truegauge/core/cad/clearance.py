"""How near other faces are to each triangle of a mesh: whether its face alone can be the nearest of a point."""

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from truegauge.core.arrays import Ints
from truegauge.core.cad.bvh import STACK, Bvh, nearest_on_triangle


def heights(corners: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the heights (m, 3) of triangles (m, 9) over their sides ab, bc, ca, mm."""
    a, b, c = corners[:, 0:3], corners[:, 3:6], corners[:, 6:9]
    double = np.linalg.norm(np.cross(b - a, c - a), axis=1)
    sides = np.column_stack([np.linalg.norm(q - p, axis=1) for p, q in ((a, b), (b, c), (c, a))])
    return np.asarray(double[:, None] / np.maximum(sides, 1e-300))


def clearances(
    tree: Bvh, face: Ints, side: Ints, edge_faces: Ints, vertex_start: Ints, vertex_edges: Ints, most: float
) -> NDArray[np.float64]:
    """Return a bound (m,) below the distance of each triangle (tree order) to faces that do not touch it, mm.

    No more than `most` mm is told, and of triangles much larger than that nothing (-1).
    """
    out = np.zeros(len(tree.corners))
    _clearances(tree.boxes, tree.nodes, tree.corners, face, side, edge_faces, vertex_start, vertex_edges, most, out)
    return out


@njit(cache=True, nogil=True)
def _touches(k, other, side, edge_faces, vertex_start, vertex_edges):  # type: ignore[no-untyped-def]
    """Tell whether a face meets a triangle at a side or a corner."""
    for c in range(6):
        code = side[k, c]
        if code == -1:
            continue
        first, last = (0, 1) if code >= 0 else (vertex_start[-2 - code], vertex_start[-1 - code])
        for q in range(first, last):
            e = code if code >= 0 else vertex_edges[q]
            if edge_faces[e, 0] == other or edge_faces[e, 1] == other:
                return True
    return False


@njit(cache=True, nogil=True, parallel=True)
def _clearances(boxes, nodes, corners, face, side, edge_faces, vertex_start, vertex_edges, most, out):  # type: ignore[no-untyped-def]
    for chunk in prange((corners.shape[0] + 255) // 256):
        stack, far = np.empty(STACK, dtype=np.int64), np.empty(STACK)
        for k in range(256 * chunk, min(corners.shape[0], 256 * chunk + 256)):
            x = (corners[k, 0] + corners[k, 3] + corners[k, 6]) / 3.0
            y = (corners[k, 1] + corners[k, 4] + corners[k, 7]) / 3.0
            z = (corners[k, 2] + corners[k, 5] + corners[k, 8]) / 3.0
            size = 0.0
            for c in range(3):
                size = max(size, (corners[k, 3 * c] - x) ** 2 + (corners[k, 3 * c + 1] - y) ** 2
                           + (corners[k, 3 * c + 2] - z) ** 2)  # fmt: skip
            if size > 4.0 * most * most:
                out[k] = -1.0
                continue
            best = (most + np.sqrt(size)) ** 2
            stack[0], far[0], count = 0, 0.0, 1
            while count > 0:
                count -= 1
                if far[count] >= best:
                    continue
                node = stack[count]
                first, leaf = nodes[node, 0], nodes[node, 1]
                if leaf > 0:
                    for t in range(first, first + leaf):
                        if face[t] == face[k]:
                            continue
                        d, _, _, _ = nearest_on_triangle(corners, t, x, y, z)
                        if d < best and not _touches(k, face[t], side, edge_faces, vertex_start, vertex_edges):
                            best = d
                    continue
                for child in (node + 1, first):
                    d = 0.0
                    for c in range(3):
                        p = x if c == 0 else (y if c == 1 else z)
                        off = max(boxes[child, c] - p, 0.0, p - boxes[child, 3 + c])
                        d += off * off
                    if d < best:
                        stack[count], far[count] = child, d
                        count += 1
            out[k] = np.sqrt(best) - np.sqrt(size)
