"""Where faces end: the exact edge that each border side and corner of the seed mesh lies on, and its faces."""

from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from truegauge.core.arrays import Ints
from truegauge.core.cad.curves import Curves, nearest_on_curve, packed_curves, polyline_curve
from truegauge.core.cad.model import CadModel, Mesh, SurfaceKind

_NEAR = 3e-4  # of the diagonal: what a mesh side may be off its edge
_ALONG = 0.5  # cosine


class Borders(NamedTuple):
    """The edges of the part as the kernels see them, and where the m triangles of the mesh touch them.

    `side` (m, 6) the edge of each side ab, bc, ca, -1 for none, and that of each corner, or -2 - v for a corner of the
    part, at which the edges `vertex_edges[vertex_start[v]:vertex_start[v + 1]]` meet. `faces` (n, 2) of each edge (-1:
    none), `inward` (n, 2) whether normal x tangent points into the face (1) or out of it (-1); `seeds` (s, 4): (u, v)
    on both faces beside each sample of the curves. `sag` (m, 3) mm:
    how far a side may be off its edge, 0 for straight ones.
    """

    curves: Curves
    side: NDArray[np.int64]
    vertex_start: NDArray[np.int64]
    vertex_edges: NDArray[np.int64]
    faces: NDArray[np.int64]
    inward: NDArray[np.float64]
    seeds: NDArray[np.float64]
    sag: NDArray[np.float64]


def borders_of(model: CadModel, mesh: Mesh, welded: Ints) -> Borders:
    """Find the edges of the border sides.

    Parameters
    ----------
    mesh : Mesh
        The seed mesh, or a finer one of the same faces.
    welded : (vertices,) int
        Equal for vertices in one place.
    """
    edges = [e for e in model.edges if not e.is_seam and len(e.polyline) > 1]
    curves = packed_curves([e.curve or polyline_curve(e.polyline) for e in edges])
    faces = np.array([(*e.faces[:2], -1, -1)[:2] for e in edges], dtype=np.int64).reshape(-1, 2)
    boxes = np.array([np.concatenate([e.polyline.min(axis=0), e.polyline.max(axis=0)]) for e in edges]).reshape(-1, 6)
    tri, k = np.nonzero(mesh.boundary)
    a, b = mesh.triangles[tri, k], mesh.triangles[tri, (k + 1) % 3]
    pairs = [(f, n) for n, e in enumerate(edges) for f in e.faces]
    of_face, owners = np.zeros(0, dtype=np.int64), np.zeros(len(model.faces) + 1, dtype=np.int64)
    if pairs:
        table = np.array(sorted(pairs), dtype=np.int64)
        of_face = np.ascontiguousarray(table[:, 1])
        owners = np.searchsorted(table[:, 0], np.arange(len(model.faces) + 1)).astype(np.int64)
    found = np.full(len(tri), -1, dtype=np.int64)
    vote, off = np.zeros((len(edges), 2)), np.zeros(len(tri))
    middle = mesh.vertices[mesh.triangles[tri]].mean(axis=1)
    normal = mesh.normals[a] + mesh.normals[b]
    _assign(
        np.ascontiguousarray(mesh.vertices[a]), np.ascontiguousarray(mesh.vertices[b]), middle, normal,
        mesh.triangle_face[tri], owners, of_face, boxes, faces, _NEAR * model.diagonal, *curves, found, vote, off,
    )  # fmt: skip
    side = np.full(mesh.triangles.shape, -1, dtype=np.int64)
    side[tri, k] = found
    sag = np.zeros(mesh.triangles.shape)
    sag[tri, k] = off
    corner, start, at_vertex = _corners(mesh, welded, a, b, found)
    return Borders(curves, np.hstack([side, corner]), start, at_vertex, faces, np.where(vote >= 0, 1.0, -1.0),
                   _seeds(model, mesh, curves, faces), sag)  # fmt: skip


def _corners(
    mesh: Mesh, welded: Ints, a: Ints, b: Ints, edge: Ints
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]:
    """Return the edge of each corner or the place of the part where several meet, and these."""
    on = edge >= 0
    count = int(edge.max(initial=-1)) + 1
    keys = np.unique(np.concatenate([welded[a[on]], welded[b[on]]]) * max(count, 1) + np.tile(edge[on], 2))
    place, own = keys // max(count, 1), keys % max(count, 1)
    places, first, many = np.unique(place, return_index=True, return_counts=True)
    code = np.full(int(welded.max(initial=-1)) + 1, -1, dtype=np.int64)
    code[places[many == 1]] = own[first[many == 1]]
    several = np.flatnonzero(many > 1)
    code[places[several]] = -2 - np.arange(len(several))
    lists = [own[first[s] : first[s] + many[s]] for s in several]
    start = np.concatenate([[0], np.cumsum([len(x) for x in lists])]).astype(np.int64)
    return code[welded[mesh.triangles]], start, np.concatenate([*lists, np.zeros(0, dtype=np.int64)]).astype(np.int64)


def _seeds(model: CadModel, mesh: Mesh, curves: Curves, faces: NDArray[np.int64]) -> NDArray[np.float64]:
    """Return (u, v) on both faces of an edge beside each sample; zeros where a face needs none."""
    from scipy.spatial import cKDTree

    seeds = np.zeros((len(curves.samples), 4))
    splines = {f.index for f in model.faces if f.surface.kind == SurfaceKind.BSPLINE}
    wanted: dict[int, list[tuple[int, int]]] = {}
    for n, pair in enumerate(faces):
        for j, f in enumerate(pair):
            if int(f) in splines:
                wanted.setdefault(int(f), []).append((n, j))
    if not wanted:
        return seeds
    order = np.argsort(mesh.triangle_face, kind="stable")
    bounds = np.searchsorted(mesh.triangle_face[order], np.arange(len(model.faces) + 1))
    for f, uses in wanted.items():
        own = np.unique(mesh.triangles[order[bounds[f] : bounds[f + 1]]])
        tree = cKDTree(mesh.vertices[own])
        for n, j in uses:
            rows = slice(int(curves.info[n, 5]), int(curves.info[n, 5] + curves.info[n, 6]))
            seeds[rows, 2 * j : 2 * j + 2] = mesh.uv[own[tree.query(curves.samples[rows, 1:])[1]]]
    return seeds


@njit(cache=True, nogil=True)
def _assign(  # type: ignore[no-untyped-def]
    a,
    b,
    middle,
    normal,
    face,
    owners,
    of_face,
    boxes,
    faces,
    near,
    info,
    breaks,
    coefficients,
    samples,
    found,
    vote,
    sag,
):
    out = np.empty(9)
    for s in range(a.shape[0]):
        best = near
        mx, my, mz = (a[s, 0] + b[s, 0]) / 2, (a[s, 1] + b[s, 1]) / 2, (a[s, 2] + b[s, 2]) / 2
        wx, wy, wz = b[s, 0] - a[s, 0], b[s, 1] - a[s, 1], b[s, 2] - a[s, 2]
        length = np.sqrt(wx * wx + wy * wy + wz * wz)
        for q in range(owners[face[s]], owners[face[s] + 1]):
            e = of_face[q]
            outside = False
            for c in range(3):
                low, high = min(a[s, c], b[s, c]), max(a[s, c], b[s, c])
                if high < boxes[e, c] - near or low > boxes[e, 3 + c] + near:
                    outside = True
            if outside:
                continue
            da, _, _ = nearest_on_curve(
                info, breaks, coefficients, samples, e, a[s, 0], a[s, 1], a[s, 2], a[s, 0], a[s, 1], a[s, 2], out
            )
            if da > best * best:
                continue
            db, _, _ = nearest_on_curve(
                info, breaks, coefficients, samples, e, b[s, 0], b[s, 1], b[s, 2], b[s, 0], b[s, 1], b[s, 2], out
            )
            off = max(np.sqrt(da), np.sqrt(db))
            if off >= best:
                continue
            dm, _, _ = nearest_on_curve(info, breaks, coefficients, samples, e, mx, my, mz, mx, my, mz, out)
            tangent = np.sqrt(out[3] ** 2 + out[4] ** 2 + out[5] ** 2)
            along = abs(out[3] * wx + out[4] * wy + out[5] * wz)
            if dm > near * near or along < _ALONG * tangent * length:
                continue
            best = off
            found[s] = e
            sag[s] = 0.0 if info[e, 0] == 1 and info[e, 6] == 2 else 1.3 * max(off, np.sqrt(dm)) + 1e-9
            j = 0 if faces[e, 0] == face[s] else 1
            if faces[e, j] == face[s]:
                ix = normal[s, 1] * out[5] - normal[s, 2] * out[4]
                iy = normal[s, 2] * out[3] - normal[s, 0] * out[5]
                iz = normal[s, 0] * out[4] - normal[s, 1] * out[3]
                into = (middle[s, 0] - mx) * ix + (middle[s, 1] - my) * iy + (middle[s, 2] - mz) * iz
                vote[e, j] += 1.0 if into > 0.0 else -1.0
