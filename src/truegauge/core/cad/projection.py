"""Signed distance from points to the true surfaces of the part, not to its triangles.

The nearest triangle of the seed mesh tells the face and a start (u, v); the foot is then computed on the face's own
surface: in closed form for plane, cylinder, cone, sphere and torus, by Newton's method for B-splines and their offset
surfaces. Where the nearest point lies on a border, the point of the true edge nearest to it is found on both surfaces
at once; if the foot lies beyond it, off the face, the point belongs to the edge.
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
from truegauge.core.cad.pseudo_normals import surroundings
from truegauge.core.cad.subdivision import subdivided
from truegauge.core.progress import Progress, silent

NO_FACE = -1
_CHUNK = 4096
_PIECE = 262_144
_MANY = 2_000_000
_SIDES = 30  # triangle sides across the diagonal, at least


@dataclass(frozen=True, slots=True, eq=False)
class Deviations:
    """What each point is to the part.

    `distance` (n,) mm, positive outside the material, meaningless where `face` is `NO_FACE` (nothing near enough);
    `on_edge` marks points whose nearest point lies on an edge. `normals` (n, 3) are the outward normals there
    (off an edge the direction to the point). The nearest points themselves follow from these. Of more than two million
    points the normals are kept in single precision, which the distances do not depend on.
    """

    points: Points
    distance: Floats
    face: NDArray[np.int32]
    on_edge: Mask
    normals: NDArray[np.floating]

    @property
    def feet(self) -> Points:
        """The nearest points (n, 3) on the part."""
        return self.feet_at(slice(None))

    def feet_at(self, rows: Ints | Mask | slice) -> Points:
        """Return the nearest points on the part for some of the points."""
        return np.asarray(self.points[rows] - self.distance[rows, None] * self.normals[rows])


class _Packed(NamedTuple):
    """The part in flat arrays for the kernels."""

    kind: NDArray[np.int64]
    frame: NDArray[np.float64]  # (f, 12): origin, x, y, z
    size: NDArray[np.float64]  # (f, 5): radius, minor, sin and cos of the half angle, offset
    outward: NDArray[np.float64]
    spline: NDArray[np.int64]  # (f, 8): degrees, ranges of breaks and coefficients, whether rational
    knots: NDArray[np.float64]
    poles: NDArray[np.float64]  # flat: coefficients of the patches
    face: NDArray[np.int64]  # all below per triangle, in tree order
    uv: NDArray[np.float64]  # (m, 6)
    border: NDArray[np.bool_]  # (m, 6): edges ab, bc, ca, corners a, b, c
    edge_normal: NDArray[np.float64]  # (m, 9)
    corner_normal: NDArray[np.float64]  # (m, 9)
    neighbour: NDArray[np.int64]  # (m, 6): a triangle of the other face at edges ab, bc, ca and corners a, b, c, or -1
    flat: NDArray[np.float64]  # (m, 3)


class Projector:
    """Exact deviations, and picking, for one part."""

    def __init__(self, model: CadModel) -> None:
        mesh = _even_mesh(model)
        self.tree = build_bvh(mesh.vertices, mesh.triangles)
        self._face_of = mesh.triangle_face
        order = self.tree.order
        around = surroundings(mesh.vertices, mesh.triangles, mesh.triangle_face, 1e-6 * model.diagonal)
        place = np.empty(len(order) + 1, dtype=np.int64)  # of each triangle in the tree; the last stands for none
        place[order], place[-1] = np.arange(len(order)), -1
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
            edge_normal=np.ascontiguousarray(around.edge.reshape(-1, 9)[order]),
            corner_normal=np.ascontiguousarray(around.corner.reshape(-1, 9)[order]),
            neighbour=np.ascontiguousarray(place[np.hstack([around.across, around.beside])[order]]),
            flat=np.ascontiguousarray(around.flat[order]),
        )
        # On borders of one face only, and where faces meet without an angle, there is nothing to find the true edge
        # by: a foot this far off the mesh border is still on the face, as the polyline cuts corners by its deflection.
        self._slack = 2e-4 * model.diagonal

    def deviations(
        self,
        points: Points,
        *,
        max_distance: float = np.inf,
        normals: Normals | None = None,
        max_angle: float = np.pi,
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
        normals : (n, 3) float64, optional
            Unit normals of the points, out of the material.
        max_angle : float
            With `normals`: faces that turn away from a point's normal by more than this (rad) are not its faces, so
            that the two sides of a thin wall are told apart. A normal of zeros is none, and limits nothing.
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
            points, np.zeros(n), np.full(n, NO_FACE, dtype=np.int32), np.zeros(n, dtype=bool),
            np.zeros((n, 3), dtype=np.float64 if n <= _MANY else np.float32),
        )  # fmt: skip
        walk = np.arange(n) if order is None else order
        facing = -2.0 if normals is None or max_angle >= np.pi else float(np.cos(max_angle))
        turned = np.zeros((1, 3)) if normals is None or facing < -1.5 else normals
        for start in range(0, n, _PIECE):
            progress(start / n, "distance to the part")
            piece = walk[start : start + _PIECE]
            there = np.zeros((len(piece), 3))
            _project_all(
                self.tree, self._packed, points, piece, max_distance, self._slack, turned,
                facing, out.distance, out.face, out.on_edge, there,
            )  # fmt: skip
            out.normals[piece] = there
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
    splines, knots, poles = np.zeros((len(faces), 8), dtype=np.int64), [np.zeros(0)], [np.zeros(0)]
    knot_count = pole_count = 0
    for f in faces:
        if f.surface.bspline is not None:
            p = packed(f.surface.bspline)
            u, v = p.breaks_u, p.breaks_v
            splines[f.index] = (
                p.degree_u, p.degree_v, knot_count, u.size, v.size, pole_count, p.coefficients.size, p.rational
            )  # fmt: skip
            knots += [u, v]
            poles.append(p.coefficients)
            knot_count += u.size + v.size
            pole_count += p.coefficients.size
    s = [f.surface for f in faces]
    return {
        "kind": np.array([int(x.kind) for x in s]),
        "frame": np.array([np.concatenate([x.origin, x.x, x.y, x.z]) for x in s]),
        "size": np.array([(x.radius, x.minor, np.sin(x.half_angle), np.cos(x.half_angle), x.offset) for x in s]),
        "outward": np.array([float(x.outward) for x in s]),
        "spline": splines,
        "knots": np.concatenate(knots),
        "poles": np.concatenate(poles),
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
def _bspline(spline, knots, poles, f, offset, px, py, pz, u, v, scratch):  # type: ignore[no-untyped-def]
    """Return (distance along the normal, normal x, y, z) at the foot nearest the seed (u, v), left in scratch[:3].

    The foot on an offset surface stands over the foot on its base: both have one normal.
    """
    pu, pv, k0, nku, nkv, p0, count = (
        spline[f, 0], spline[f, 1], spline[f, 2], spline[f, 3], spline[f, 4], spline[f, 5], spline[f, 6],
    )  # fmt: skip
    d, trial = scratch[:18].reshape((6, 3)), scratch[18:].reshape((6, 3))
    project(
        pu, pv, knots[k0 : k0 + nku], knots[k0 + nku : k0 + nku + nkv], poles[p0 : p0 + count], spline[f, 7] != 0,
        px, py, pz, u, v, d, trial,
    )  # fmt: skip
    nx = d[1, 1] * d[2, 2] - d[1, 2] * d[2, 1]
    ny = d[1, 2] * d[2, 0] - d[1, 0] * d[2, 2]
    nz = d[1, 0] * d[2, 1] - d[1, 1] * d[2, 0]
    length = np.sqrt(nx * nx + ny * ny + nz * nz)
    if length > 0.0:
        nx, ny, nz = nx / length, ny / length, nz / length
    if offset != 0.0:
        d[0, 0], d[0, 1], d[0, 2] = d[0, 0] + offset * nx, d[0, 1] + offset * ny, d[0, 2] + offset * nz
    ex, ey, ez = px - d[0, 0], py - d[0, 1], pz - d[0, 2]
    distance = np.sqrt(ex * ex + ey * ey + ez * ez)
    return (distance if ex * nx + ey * ny + ez * nz >= 0.0 else -distance), nx, ny, nz


@njit(cache=True, nogil=True)
def _at(kind, frame, size, spline, knots, poles, f, u, v, px, py, pz, scratch):  # type: ignore[no-untyped-def]
    """Return (signed distance, normal x, y, z) to the unbounded surface of a face; (u, v) is the seed of a B-spline."""
    if kind[f] == 5:
        return _bspline(spline, knots, poles, f, size[f, 4], px, py, pz, u, v, scratch)
    return _analytic(kind[f], frame, size, f, px, py, pz)


@njit(cache=True, nogil=True)
def _on_true_edge(  # type: ignore[no-untyped-def]
    kind, frame, size, spline, knots, poles, f, fu, fv, g, gu, gv, px, py, pz, ex, ey, ez, scratch, out
):
    """Move (ex, ey, ez), near the edge of two faces, to the point of that edge nearest to p; False where it fails.

    Newton's method on both surfaces across the edge, the secant method along it. Leaves in `out` the point, the
    normals of both surfaces there, and the direction of the edge.
    """
    before, step = 0.0, 0.0
    for turn in range(24):
        df, fx, fy, fz = _at(kind, frame, size, spline, knots, poles, f, fu, fv, ex, ey, ez, scratch)
        dg, gx, gy, gz = _at(kind, frame, size, spline, knots, poles, g, gu, gv, ex, ey, ez, scratch)
        c = fx * gx + fy * gy + fz * gz
        sine2 = 1.0 - c * c
        if sine2 < 1e-3:  # they meet without an angle
            return False
        tx, ty, tz = fy * gz - fz * gy, fz * gx - fx * gz, fx * gy - fy * gx
        scale = 1.0 / np.sqrt(sine2)
        tx, ty, tz = tx * scale, ty * scale, tz * scale
        a, b = (-df + c * dg) / sine2, (-dg + c * df) / sine2
        here = tx * (px - ex) + ty * (py - ey) + tz * (pz - ez)
        along = here
        if turn > 0 and step != 0.0 and before != here:
            secant = step * here / (before - here)
            # Beside a curved edge the plain step is too long or too short; a secant that leads back or farther than the
            # point is away is not believed.
            far2 = (px - ex) ** 2 + (py - ey) ** 2 + (pz - ez) ** 2
            if secant * here >= 0.0 and secant * secant <= far2:
                along = secant
        before, step = here, along
        ex += a * fx + b * gx + along * tx
        ey += a * fy + b * gy + along * ty
        ez += a * fz + b * gz + along * tz
        if abs(a) + abs(b) + abs(along) < 1e-10:
            out[0], out[1], out[2] = ex, ey, ez
            out[3], out[4], out[5] = fx, fy, fz
            out[6], out[7], out[8] = gx, gy, gz
            out[9], out[10], out[11] = tx, ty, tz
            return True
    return False


@njit(cache=True, nogil=True, parallel=True)
def _project_all(tree, part, points, walk, reach, slack, turned, facing, distance, face, on_edge, normals):  # type: ignore[no-untyped-def]
    boxes, nodes, corners = tree.boxes, tree.nodes, tree.corners
    kind, frame, size, outward = part.kind, part.frame, part.size, part.outward
    spline, knots, poles = part.spline, part.knots, part.poles
    face_of, uv, border = part.face, part.uv, part.border
    edge_normal, corner_normal = part.edge_normal, part.corner_normal
    neighbour, flat = part.neighbour, part.flat
    chunks = (walk.size + _CHUNK - 1) // _CHUNK
    for chunk in prange(chunks):
        previous = -1
        stack, stack_distance, scratch = np.empty(STACK, dtype=np.int64), np.empty(STACK), np.empty(SCRATCH)
        edge_out = np.empty(12)
        tx, ty, tz = 0.0, 0.0, 0.0
        for step in range(chunk * _CHUNK, min(walk.size, (chunk + 1) * _CHUNK)):
            i = walk[step]
            px, py, pz = points[i, 0], points[i, 1], points[i, 2]
            if facing > -1.5:
                tx, ty, tz = turned[i, 0], turned[i, 1], turned[i, 2]
            # A point without a normal (all zero) is near whatever is nearest.
            limit = facing if tx * tx + ty * ty + tz * tz > 0.0 else -2.0
            k, _, v, w, region = nearest_triangle(
                boxes, nodes, corners, px, py, pz, (reach + slack) * (reach + slack), previous, stack, stack_distance,
                flat, tx, ty, tz, limit,
            )  # fmt: skip
            if k < 0:
                continue
            previous = k
            f = face_of[k]
            face[i] = f
            if kind[f] == 5:
                su = uv[k, 0] + v * (uv[k, 2] - uv[k, 0]) + w * (uv[k, 4] - uv[k, 0])
                sv = uv[k, 1] + v * (uv[k, 3] - uv[k, 1]) + w * (uv[k, 5] - uv[k, 1])
                d, nx, ny, nz = _bspline(spline, knots, poles, f, size[f, 4], px, py, pz, su, sv, scratch)
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
                other = neighbour[k, region - 1]
                found = False
                if other >= 0:
                    g = face_of[other]
                    su = uv[k, 0] + v * (uv[k, 2] - uv[k, 0]) + w * (uv[k, 4] - uv[k, 0])
                    sv = uv[k, 1] + v * (uv[k, 3] - uv[k, 1]) + w * (uv[k, 5] - uv[k, 1])
                    ou = (uv[other, 0] + uv[other, 2] + uv[other, 4]) / 3.0
                    ov = (uv[other, 1] + uv[other, 3] + uv[other, 5]) / 3.0
                    found = _on_true_edge(
                        kind, frame, size, spline, knots, poles, f, su, sv, g, ou, ov, px, py, pz, ex, ey, ez,
                        scratch, edge_out,
                    )  # fmt: skip
                if found:
                    # Off the face is where, in the surface, one leaves the middle of the triangle behind.
                    mx = edge_out[10] * edge_out[5] - edge_out[11] * edge_out[4]
                    my = edge_out[11] * edge_out[3] - edge_out[9] * edge_out[5]
                    mz = edge_out[9] * edge_out[4] - edge_out[10] * edge_out[3]
                    inward = 0.0
                    for c in range(3):
                        middle = (corners[k, c] + corners[k, 3 + c] + corners[k, 6 + c]) / 3.0 - edge_out[c]
                        inward += middle * (mx if c == 0 else (my if c == 1 else mz))
                    ex, ey, ez = edge_out[0], edge_out[1], edge_out[2]
                    beyond = (fx - ex) * mx + (fy - ey) * my + (fz - ez) * mz
                    edge = beyond * inward < 0.0
                else:
                    edge = (fx - ex) ** 2 + (fy - ey) ** 2 + (fz - ez) ** 2 > slack * slack
                if edge:
                    # The foot on the unbounded surface lies off the face: the nearest point is on the edge.
                    fx, fy, fz = ex, ey, ez
                    nx, ny, nz = px - ex, py - ey, pz - ez
                    d = np.sqrt(nx * nx + ny * ny + nz * nz)
                    if found:
                        o = outward[g]
                        sx = side * edge_out[3] + o * edge_out[6]
                        sy = side * edge_out[4] + o * edge_out[7]
                        sz = side * edge_out[5] + o * edge_out[8]
                    else:
                        c = 3 * (region - 1) if region <= 3 else 3 * (region - 4)
                        if region <= 3:
                            sx, sy, sz = edge_normal[k, c], edge_normal[k, c + 1], edge_normal[k, c + 2]
                        else:
                            sx, sy, sz = corner_normal[k, c], corner_normal[k, c + 1], corner_normal[k, c + 2]
                    side = 1.0 if nx * sx + ny * sy + nz * sz >= 0.0 else -1.0
                    scale = 1.0 / d if d > 0.0 else 0.0
                    nx, ny, nz = nx * scale, ny * scale, nz * scale
            if d > reach or -d > reach:  # within reach of the triangle, not of the surface
                face[i] = -1
                continue
            distance[i] = side * d
            on_edge[i] = edge
            normals[step, 0], normals[step, 1], normals[step, 2] = side * nx, side * ny, side * nz
