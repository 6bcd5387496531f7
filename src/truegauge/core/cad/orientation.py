"""Faces that look into the material although their neighbours look out of it: some exports turn faces of a solid."""

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Ints, Points, Triangles
from truegauge.core.cad.pseudo_normals import welded_vertices

_RAYS = np.array([[0.832, 0.349, 0.431], [-0.412, 0.723, -0.554], [0.291, -0.614, 0.733]])
_OFF = 2e-5  # of the extent: where inside and outside are asked for


def turned_faces(vertices: Points, triangles: Triangles, face: Ints, body: Ints) -> list[int]:
    """Return the faces whose triangles, counter-clockwise from their outside, are turned the wrong way.

    Two faces that share a border run along it in opposite directions. Where they do not, the side of each face of the
    body is found by counting how often rays from it pass the surface.

    Parameters
    ----------
    face : (m,) int
        The face of each triangle.
    body : (faces,) int
        The body of each face.
    """
    size = float(np.ptp(vertices, axis=0).max())
    ids = welded_vertices(vertices, 1e-6 * size)[triangles]
    ends = np.stack([ids, np.roll(ids, -1, axis=1)], axis=2).reshape(-1, 2)
    owner = np.repeat(face, 3)
    proper = ends[:, 0] != ends[:, 1]
    ends, owner = ends[proper], owner[proper]
    forward = ends[:, 0] < ends[:, 1]
    keys = np.sort(ends, axis=1) @ np.array([len(vertices), 1])
    order = np.argsort(keys, kind="stable")
    keys, owner, forward = keys[order], owner[order], forward[order]
    first = np.flatnonzero(np.append(True, keys[1:] != keys[:-1]))
    counts = np.diff(np.append(first, len(keys)))
    pair = first[counts == 2]
    conflict = (owner[pair] != owner[pair + 1]) & (forward[pair] == forward[pair + 1])
    bodies = np.unique(body[owner[pair][conflict]])
    found = []
    for b in bodies:
        own = np.flatnonzero(body[face] == b)
        open_ = counts[np.isin(owner[first], np.flatnonzero(body == b))] == 1
        if open_.any():  # nothing is inside of an open shell
            continue
        corners = vertices[triangles[own]]
        for f in np.unique(face[own]):
            mine = np.flatnonzero(face[own] == f)
            flat = np.cross(corners[mine, 1] - corners[mine, 0], corners[mine, 2] - corners[mine, 0])
            k = int(np.argmax(np.linalg.norm(flat, axis=1)))
            normal = flat[k] / np.linalg.norm(flat[k])
            middle = corners[mine[k]].mean(axis=0)
            if _inside(middle + _OFF * size * normal, corners) and not _inside(middle - _OFF * size * normal, corners):
                found.append(int(f))
    return found


def _inside(point: NDArray[np.float64], corners: NDArray[np.float64]) -> bool:
    a, e1, e2 = corners[:, 0], corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    odd = 0
    for ray in _RAYS:
        p = np.cross(ray, e2)
        det = np.einsum("ij,ij->i", p, e1)
        ok = np.abs(det) > 1e-300
        scale = np.where(ok, 1.0 / np.where(ok, det, 1.0), 0.0)
        s = point - a
        u = np.einsum("ij,ij->i", s, p) * scale
        q = np.cross(s, e1)
        v = q @ ray * scale
        along = np.einsum("ij,ij->i", q, e2) * scale
        odd += int((ok & (u >= 0) & (v >= 0) & (u + v <= 1) & (along > 0)).sum()) % 2
    return odd >= 2
