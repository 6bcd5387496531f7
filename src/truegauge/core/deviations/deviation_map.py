"""The deviation map: one value a vertex of an even mesh over the part."""

from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Floats, Ints, Mask, Normals, Points, Triangles, frozen
from truegauge.core.cad.model import CadModel, SurfaceKind
from truegauge.core.cad.plane_mesh import even_plane_mesh
from truegauge.core.cad.projection import Deviations
from truegauge.core.cad.subdivision import subdivided

FINE, COARSE = 90, 36  # triangle sides across the diagonal
_ENOUGH = 50  # points a vertex
_NEIGHBOURS = 12


@dataclass(frozen=True, slots=True, eq=False)
class MapMesh:
    """An even mesh over the part: vertices (n, 3), normals (n, 3), triangles (m, 3), face of each vertex (n,)."""

    vertices: Points
    normals: Normals
    triangles: Triangles
    vertex_face: Ints
    spacing: float


@dataclass(frozen=True, slots=True, eq=False)
class DeviationMap:
    """The map on a fine mesh, and on a coarse one for turning it fast; values (n,) mm, NaN where nothing is near."""

    fine: MapMesh
    fine_values: Floats
    coarse: MapMesh
    coarse_values: Floats


def map_mesh(model: CadModel, sides: int = FINE) -> MapMesh:
    """Mesh the part evenly: plane faces anew, curved ones by splitting the seed mesh."""
    spacing = model.diagonal / sides
    vertices, normals, triangles, faces = [], [], [], []
    count = 0
    for face in model.faces:
        points, normal, corners = _even_face(model, face.index, spacing)
        vertices.append(points)
        normals.append(normal)
        triangles.append(corners + count)
        faces.append(np.full(len(points), face.index, dtype=np.int64))
        count += len(points)
    return MapMesh(np.vstack(vertices), np.vstack(normals), np.vstack(triangles), np.concatenate(faces), spacing)


def _even_face(model: CadModel, face: int, spacing: float) -> tuple[Points, Normals, Triangles]:
    surface = model.faces[face].surface
    if surface.kind == SurfaceKind.PLANE:
        made = even_plane_mesh(model, face, spacing)
        if made is not None:
            points, corners = made
            return points, np.tile(surface.outward * surface.z, (len(points), 1)), corners
    mesh = model.mesh
    corners = mesh.triangles[mesh.triangle_face == face]
    used, local = np.unique(corners, return_inverse=True)
    values, corners, _ = subdivided(
        np.hstack([mesh.vertices[used], mesh.normals[used]]), local.reshape(-1, 3), 2.0 * spacing
    )
    normals = values[:, 3:] / np.maximum(np.linalg.norm(values[:, 3:], axis=1, keepdims=True), 1e-12)
    return np.ascontiguousarray(values[:, :3]), normals, corners


def coarse_values(coarse: MapMesh, fine: MapMesh, values: Floats) -> Floats:
    """Return the values (n,) of a coarser mesh: those of the nearest vertices of its own faces."""
    from scipy.spatial import cKDTree

    out = np.full(len(coarse.vertices), np.nan)
    order, wanted = np.argsort(fine.vertex_face, kind="stable"), np.argsort(coarse.vertex_face, kind="stable")
    count = np.arange(int(coarse.vertex_face.max()) + 2)
    own, asked = np.searchsorted(fine.vertex_face[order], count), np.searchsorted(coarse.vertex_face[wanted], count)
    for face in range(len(count) - 1):
        there, here = order[own[face] : own[face + 1]], wanted[asked[face] : asked[face + 1]]
        if len(there) and len(here):
            out[here] = values[there[cKDTree(fine.vertices[there]).query(coarse.vertices[here])[1]]]
    return np.asarray(frozen(out))


def map_values(mesh: MapMesh, found: Deviations, usable: Mask) -> Floats:
    """Return the deviation at each vertex (n,) mm, NaN where no point of its face is near.

    A vertex takes the median of the up to 12 nearest feet of its own face within 1.6 mesh spacings: single strays
    do not show, edges stay sharp.
    """
    from scipy.spatial import cKDTree

    values = np.full(len(mesh.vertices), np.nan)
    step = max(1, len(usable) // (2 * _ENOUGH * len(mesh.vertices)))
    rows = step * np.flatnonzero((found.face[::step] >= 0) & usable[::step] & ~found.on_edge[::step])
    by_face = rows[np.argsort(found.face[rows], kind="stable")]
    bounds = np.searchsorted(found.face[by_face], np.arange(int(mesh.vertex_face.max()) + 2))
    order = np.argsort(mesh.vertex_face, kind="stable")
    vertex_bounds = np.searchsorted(mesh.vertex_face[order], np.arange(int(mesh.vertex_face.max()) + 2))
    for face in range(len(bounds) - 1):
        members = by_face[bounds[face] : bounds[face + 1]]
        vertices = order[vertex_bounds[face] : vertex_bounds[face + 1]]
        if len(members) < 3 or len(vertices) == 0:
            continue
        # Far more points than vertices tell the median no better.
        members = members[:: max(1, len(members) // (_ENOUGH * len(vertices)))]
        distance, index = cKDTree(found.feet_at(members)).query(
            mesh.vertices[vertices], k=min(_NEIGHBOURS, len(members)), distance_upper_bound=1.6 * mesh.spacing
        )
        there = np.isfinite(distance)
        near = found.distance[members][np.where(there, index, 0)]
        enough = there.sum(axis=1) >= min(3, len(members))
        near[~there] = np.nan
        values[vertices[enough]] = np.nanmedian(near[enough], axis=1)
    return np.asarray(frozen(values))
