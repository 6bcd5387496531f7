"""Signed distance from points to the true surfaces of the part, not to its triangles.

The nearest triangle of the seed mesh tells the face and a start (u, v); the foot is then computed on the face's own
surface: in closed form for plane, cylinder, cone, sphere and torus, by Newton's method for B-splines. Where the
nearest point lies on the border of the face and the surface's foot lies off the face, the point belongs to the edge.
"""

from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Ints, Mask, Normals, Points
from truegauge.core.cad.bspline import SCRATCH, packed, project
from truegauge.core.cad.bvh import STACK, build_bvh, first_hit, nearest_triangle
from truegauge.core.cad.model import CadModel, Mesh, border_edges
from truegauge.core.cad.pseudo_normals import edge_and_corner_normals
from truegauge.core.cad.subdivision import subdivided
from truegauge.core.progress import Progress, silent

NO_FACE = -1
_CHUNK = 4096
_PIECE = 262_144
_SIDES = 30  # triangle sides across the diagonal, at least


@dataclass(frozen=True, slots=True, eq=False)
class Deviations:
    """What each point is to the part.

    `distance` (n,) mm, positive outside the material, meaningless where `face` is `NO_FACE` (nothing near enough);
    `on_edge` marks points whose nearest point lies on an edge. `feet` and `normals` (n, 3) are the nearest points and
    the outward normals there.
    """

    distance: Floats
    face: Ints
    on_edge: Mask
    feet: Points
    normals: Normals


class _Packed(NamedTuple):
    """The part in flat arrays for the kernels."""

    kind: NDArray[np.int64]
    frame: NDArray[np.float64]  # (f, 12): origin, x, y, z
    size: NDArray[np.float64]  # (f, 4): radius, minor, sin and cos of the half angle
    outward: NDArray[np.float64]
    spline: NDArray[np.int64]  # (f, 8): degrees, knot and pole ranges
    knots: NDArray[np.float64]
    poles: NDArray[np.float64]  # (p, 4)
    face: NDArray[np.int64]  # all below per triangle, in tree order
    uv: NDArray[np.float64]  # (m, 6)
    border: NDArray[np.bool_]  # (m, 6): edges ab, bc, ca, corners a, b, c
    edge_normal: NDArray[np.float64]  # (m, 9)
    corner_normal: NDArray[np.float64]  # (m, 9)


class Projector:
    """Exact deviations, and picking, for one part."""

    def __init__(self, model: CadModel) -> None:
        mesh = _even_mesh(model)
        self.tree = build_bvh(mesh.vertices, mesh.triangles)
        self._face_of = mesh.triangle_face
        order = self.tree.order
        edge, corner = edge_and_corner_normals(mesh.vertices, mesh.triangles, 1e-6 * model.diagonal)
        at_border = np.zeros(len(mesh.vertices), dtype=bool)
        for k in range(3):
            rows = mesh.boundary[:, k]
            at_border[mesh.triangles[rows, k]] = True
            at_border[mesh.triangles[rows, (k + 1) % 3]] = True
        border = np.hstack([mesh.boundary, at_border[mesh.triangles]])
        self._packed = _Packed(
            **_pack_surfaces(model),
            face=mesh.triangle_face[order],
            uv=np.ascontiguousarray(mesh.uv[mesh.triangles].reshape(-1, 6)[order]),
            border=np.ascontiguousarray(border[order]),
            edge_normal=np.ascontiguousarray(edge.reshape(-1, 9)[order]),
            corner_normal=np.ascontiguousarray(corner.reshape(-1, 9)[order]),
        )
        # A foot this far off the mesh border is still on the face: the border polyline cuts corners by its deflection.
        self._slack = 2e-4 * model.diagonal

    def deviations(
        self,
        points: Points,
        *,
        max_distance: float = np.inf,
        order: Ints | None = None,
        progress: Progress = silent,
    ) -> Deviations:
        """Project points onto the part.

        Parameters
        ----------
        points : (n, 3) float64
            Part coordinates, mm.
        max_distance : float
            Points farther than this are left without a face; a finite limit is faster.
        order : (n,) int, optional
            A walk through the points in which neighbours follow each other (`clouds.spatial_order`): faster.
        progress : Progress
            Called about every quarter of a million points.

        Returns
        -------
        Deviations
            In the order of `points`, whatever `order` is.
        """
        n = len(points)
        out = Deviations(
            np.zeros(n), np.full(n, NO_FACE, dtype=np.int64), np.zeros(n, dtype=bool), np.zeros((n, 3)),
            np.zeros((n, 3)),
        )  # fmt: skip
        walk = np.arange(n) if order is None else order
        for start in range(0, n, _PIECE):
            progress(start / n, "distance to the part")
            _project_all(
                self.tree, self._packed, points, walk[start : start + _PIECE], max_distance, self._slack,
                out.distance, out.face, out.on_edge, out.feet, out.normals,
            )  # fmt: skip
        return out

    def pick(
        self, origin: NDArray[np.float64], direction: NDArray[np.float64], hidden_faces: Mask | None = None
    ) -> int:
        """Return the first face that a ray hits, or `NO_FACE`; faces marked in `hidden_faces` are looked through."""
        hidden = np.zeros(len(self._face_of), dtype=bool) if hidden_faces is None else hidden_faces[self._face_of]
        triangle, _ = first_hit(self.tree, np.asarray(origin, float), np.asarray(direction, float), hidden)
        return NO_FACE if triangle < 0 else int(self._face_of[triangle])

    def pick_point(
        self, origin: NDArray[np.float64], direction: NDArray[np.float64], hidden_faces: Mask | None = None
    ) -> tuple[int, NDArray[np.float64]] | None:
        """Return the first face that a ray hits and the point there (on the seed mesh), or None."""
        hidden = np.zeros(len(self._face_of), dtype=bool) if hidden_faces is None else hidden_faces[self._face_of]
        triangle, along = first_hit(self.tree, np.asarray(origin, float), np.asarray(direction, float), hidden)
        return None if triangle < 0 else (int(self._face_of[triangle]), origin + along * direction)


def _even_mesh(model: CadModel) -> Mesh:
    """Split the long slivers of large plane faces: their boxes overlap and slow the search down."""
    mesh = model.mesh
    values, triangles, origin = subdivided(
        np.hstack([mesh.vertices, mesh.uv, mesh.normals]), mesh.triangles, model.diagonal / _SIDES
    )
    return Mesh(
        np.ascontiguousarray(values[:, :3]), values[:, 5:], values[:, 3:5], triangles, mesh.triangle_face[origin],
        border_edges(triangles),
    )  # fmt: skip


def _pack_surfaces(model: CadModel) -> dict[str, Any]:
    faces = model.faces
    splines, knots, poles = np.zeros((len(faces), 8), dtype=np.int64), [np.zeros(0)], [np.zeros((0, 4))]
    knot_count = pole_count = 0
    for f in faces:
        if f.surface.bspline is not None:
            pu, pv, ku, kv, h = packed(f.surface.bspline)
            splines[f.index] = (pu, pv, knot_count, ku.size, kv.size, pole_count, h.shape[0], h.shape[1])
            knots += [ku, kv]
            poles.append(h.reshape(-1, 4))
            knot_count += ku.size + kv.size
            pole_count += h.shape[0] * h.shape[1]
    s = [f.surface for f in faces]
    return {
        "kind": np.array([int(x.kind) for x in s]),
        "frame": np.array([np.concatenate([x.origin, x.x, x.y, x.z]) for x in s]),
        "size": np.array([(x.radius, x.minor, np.sin(x.half_angle), np.cos(x.half_angle)) for x in s]),
        "outward": np.array([float(x.outward) for x in s]),
        "spline": splines,
        "knots": np.concatenate(knots),
        "poles": np.ascontiguousarray(np.vstack(poles)),
    }


# The kernels take plain arrays and scalars: a tuple of arrays, or a row of one, costs a counted reference a call.


@njit(cache=True, nogil=True)
def _analytic(kind, frame, size, f, px, py, pz):  # type: ignore[no-untyped-def]
    """Return (signed distance, normal x, y, z), away from the axis or centre, for a closed-form surface."""
    lx, ly, lz = px - frame[f, 0], py - frame[f, 1], pz - frame[f, 2]
    zx, zy, zz = frame[f, 9], frame[f, 10], frame[f, 11]
    h = lx * zx + ly * zy + lz * zz
    if kind == 0:
        return h, zx, zy, zz
    radius = size[f, 0]
    if kind == 3:
        length = np.sqrt(lx * lx + ly * ly + lz * lz)
        if length > 0.0:
            return length - radius, lx / length, ly / length, lz / length
        return -radius, zx, zy, zz
    rx, ry, rz = lx - h * zx, ly - h * zy, lz - h * zz
    rho = np.sqrt(rx * rx + ry * ry + rz * rz)
    if rho > 0.0:
        rx, ry, rz = rx / rho, ry / rho, rz / rho
    else:  # on the axis every direction is nearest: take x
        rx, ry, rz = frame[f, 3], frame[f, 4], frame[f, 5]
    if kind == 1:
        return rho - radius, rx, ry, rz
    if kind == 2:
        s, c = size[f, 2], size[f, 3]
        return (rho - radius) * c - h * s, rx * c - zx * s, ry * c - zy * s, rz * c - zz * s
    q = np.sqrt((rho - radius) ** 2 + h * h)
    a, b = 1.0, 0.0
    if q > 0.0:
        a, b = (rho - radius) / q, h / q
    return q - size[f, 1], a * rx + b * zx, a * ry + b * zy, a * rz + b * zz


@njit(cache=True, nogil=True)
def _bspline(spline, knots, poles, f, px, py, pz, u, v, scratch):  # type: ignore[no-untyped-def]
    """Return (distance along the normal, normal x, y, z) at the foot nearest the seed (u, v)."""
    pu, pv, k0, nku, nkv, p0, nu, nv = (
        spline[f, 0], spline[f, 1], spline[f, 2], spline[f, 3], spline[f, 4], spline[f, 5], spline[f, 6], spline[f, 7],
    )  # fmt: skip
    d = scratch[:18].reshape((6, 3))
    project(
        pu, pv, knots[k0 : k0 + nku], knots[k0 + nku : k0 + nku + nkv],
        poles[p0 : p0 + nu * nv].reshape((nu, nv, 4)), px, py, pz, u, v, d, scratch[18:],
    )  # fmt: skip
    nx = d[1, 1] * d[2, 2] - d[1, 2] * d[2, 1]
    ny = d[1, 2] * d[2, 0] - d[1, 0] * d[2, 2]
    nz = d[1, 0] * d[2, 1] - d[1, 1] * d[2, 0]
    length = np.sqrt(nx * nx + ny * ny + nz * nz)
    if length > 0.0:
        nx, ny, nz = nx / length, ny / length, nz / length
    ex, ey, ez = px - d[0, 0], py - d[0, 1], pz - d[0, 2]
    distance = np.sqrt(ex * ex + ey * ey + ez * ez)
    return (distance if ex * nx + ey * ny + ez * nz >= 0.0 else -distance), nx, ny, nz


@njit(cache=True, nogil=True, parallel=True)
def _project_all(tree, part, points, walk, reach, slack, distance, face, on_edge, feet, normals):  # type: ignore[no-untyped-def]
    boxes, nodes, corners = tree.boxes, tree.nodes, tree.corners
    kind, frame, size, outward = part.kind, part.frame, part.size, part.outward
    spline, knots, poles = part.spline, part.knots, part.poles
    face_of, uv, border = part.face, part.uv, part.border
    edge_normal, corner_normal = part.edge_normal, part.corner_normal
    chunks = (walk.size + _CHUNK - 1) // _CHUNK
    for chunk in prange(chunks):
        previous = -1
        stack, stack_distance, scratch = np.empty(STACK, dtype=np.int64), np.empty(STACK), np.empty(SCRATCH)
        for step in range(chunk * _CHUNK, min(walk.size, (chunk + 1) * _CHUNK)):
            i = walk[step]
            px, py, pz = points[i, 0], points[i, 1], points[i, 2]
            k, _, v, w, region = nearest_triangle(
                boxes, nodes, corners, px, py, pz, reach * reach, previous, stack, stack_distance
            )
            if k < 0:
                continue
            previous = k
            f = face_of[k]
            face[i] = f
            if kind[f] == 5:
                su = uv[k, 0] + v * (uv[k, 2] - uv[k, 0]) + w * (uv[k, 4] - uv[k, 0])
                sv = uv[k, 1] + v * (uv[k, 3] - uv[k, 1]) + w * (uv[k, 5] - uv[k, 1])
                d, nx, ny, nz = _bspline(spline, knots, poles, f, px, py, pz, su, sv, scratch)
                fx, fy, fz = scratch[0], scratch[1], scratch[2]
            else:
                d, nx, ny, nz = _analytic(kind[f], frame, size, f, px, py, pz)
                fx, fy, fz = px - d * nx, py - d * ny, pz - d * nz
            side = outward[f]
            edge = region > 0 and border[k, region - 1]
            if edge:
                ex = corners[k, 0] + v * (corners[k, 3] - corners[k, 0]) + w * (corners[k, 6] - corners[k, 0])
                ey = corners[k, 1] + v * (corners[k, 4] - corners[k, 1]) + w * (corners[k, 7] - corners[k, 1])
                ez = corners[k, 2] + v * (corners[k, 5] - corners[k, 2]) + w * (corners[k, 8] - corners[k, 2])
                edge = (fx - ex) ** 2 + (fy - ey) ** 2 + (fz - ez) ** 2 > slack * slack
            if edge:
                # The foot on the unbounded surface lies off the face: the nearest point is on the edge.
                fx, fy, fz = ex, ey, ez
                nx, ny, nz = px - ex, py - ey, pz - ez
                d = np.sqrt(nx * nx + ny * ny + nz * nz)
                pseudo = edge_normal if region <= 3 else corner_normal
                c = 3 * (region - 1) if region <= 3 else 3 * (region - 4)
                side = 1.0 if nx * pseudo[k, c] + ny * pseudo[k, c + 1] + nz * pseudo[k, c + 2] >= 0.0 else -1.0
                scale = 1.0 / d if d > 0.0 else 0.0
                nx, ny, nz = nx * scale, ny * scale, nz * scale
            distance[i] = side * d
            on_edge[i] = edge
            feet[i, 0], feet[i, 1], feet[i, 2] = fx, fy, fz
            normals[i, 0], normals[i, 1], normals[i, 2] = side * nx, side * ny, side * nz
