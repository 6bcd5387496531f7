"""An even mesh of a plane face: Delaunay triangles over its border and a grid inside."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from truegauge.core.arrays import Points, Triangles
from truegauge.core.cad.model import CadModel

_Flat = NDArray[np.float64]


def even_plane_mesh(model: CadModel, face: int, spacing: float) -> tuple[Points, Triangles] | None:
    """Return vertices (n, 3) and triangles (m, 3) of a plane face, sides about `spacing` mm.

    None when the result does not have the face's area (a border that the Delaunay triangles cross): the caller then
    takes the seed mesh.
    """
    from scipy.spatial import Delaunay, cKDTree

    surface = model.faces[face].surface
    border = [e.polyline for e in model.edges if face in e.faces]
    if not border:
        return None
    axes = np.vstack([surface.x, np.cross(surface.z, surface.x)])
    segments = np.vstack([np.hstack([_flat(p[:-1], surface.origin, axes), _flat(p[1:], surface.origin, axes)])
                          for p in border])  # fmt: skip
    rim = np.vstack([_evenly(a, b, spacing) for a, b in zip(segments[:, :2], segments[:, 2:], strict=True)])
    rim = rim[np.unique(np.round(rim / (1e-4 * spacing)).astype(np.int64), axis=0, return_index=True)[1]]
    inside = _grid(rim, spacing)
    inside = inside[_within(inside, segments)]
    if len(inside):
        inside = inside[cKDTree(rim).query(inside)[0] > 0.5 * spacing]
    points = np.vstack([rim, inside])
    if len(points) < 3:
        return None
    triangles = Delaunay(points).simplices.astype(np.int64)
    triangles = triangles[_within(points[triangles].mean(axis=1), segments)]
    a, b, c = (points[triangles[:, k]] for k in range(3))
    cross = (b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0]
    if abs(np.abs(cross).sum() / 2 - model.faces[face].area) > 0.01 * model.faces[face].area:
        return None
    wrong = (cross > 0) != (surface.outward > 0)
    triangles[wrong] = triangles[wrong][:, [0, 2, 1]]
    return surface.origin + points @ axes, triangles[np.abs(cross) > 1e-9 * spacing**2]


def _flat(points: Points, origin: NDArray[np.float64], axes: _Flat) -> _Flat:
    return np.asarray((points - origin) @ axes.T)


def _evenly(a: _Flat, b: _Flat, spacing: float) -> _Flat:
    count = max(1, int(np.ceil(np.linalg.norm(b - a) / spacing)))
    return np.asarray(a + (np.arange(count + 1) / count)[:, None] * (b - a))


def _grid(rim: _Flat, spacing: float) -> _Flat:
    """Return a grid of equilateral triangles over the box of the rim."""
    low, high = rim.min(axis=0), rim.max(axis=0)
    rows = np.arange(low[1] + 0.5 * spacing, high[1], spacing * 0.866)
    columns = np.arange(low[0] + 0.25 * spacing, high[0], spacing)
    x, y = np.meshgrid(columns, rows)
    x[1::2] += 0.5 * spacing
    return np.column_stack([x.ravel(), y.ravel()])


@njit(cache=True, nogil=True)
def _within(points, segments):  # type: ignore[no-untyped-def]
    """Tell which points (n, 2) lie inside the loops made of segments (s, 4), by counting crossings."""
    out = np.zeros(points.shape[0], dtype=np.bool_)
    for i in range(points.shape[0]):
        x, y = points[i, 0], points[i, 1]
        inside = False
        for s in range(segments.shape[0]):
            y0, y1 = segments[s, 1], segments[s, 3]
            if (y0 > y) != (y1 > y) and x < segments[s, 0] + (y - y0) / (y1 - y0) * (segments[s, 2] - segments[s, 0]):
                inside = not inside
        out[i] = inside
    return out
