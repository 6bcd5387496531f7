"""Signed distance from points to the true surfaces of the part, not to its triangles.

The nearest triangle of the seed mesh tells the face and a start (u, v); the foot is then computed on the face's own
surface: in closed form for plane, cylinder, cone, sphere and torus, by Newton's method for B-splines and their offset
surfaces. Where the nearest point lies on a border, the nearest place of the exact edge curve is found; if the foot lies
beyond it, off the face, the point belongs to the face on the other side where its foot lies on that, else to the edge.
"""

from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Ints, Mask, Normals, Points
from truegauge.core.cad.borders import borders_of
from truegauge.core.cad.bspline import SCRATCH, packed, project
from truegauge.core.cad.bvh import STACK, build_bvh, first_hit, nearest_other, nearest_triangle
from truegauge.core.cad.clearance import clearances, heights
from truegauge.core.cad.curves import nearest_on_curve
from truegauge.core.cad.model import CadModel, Mesh, SurfaceKind, border_edges
from truegauge.core.cad.pseudo_normals import surroundings
from truegauge.core.cad.subdivision import subdivided
from truegauge.core.progress import Progress, silent

NO_FACE = -1
_CHUNK = 4096
_PIECE = 262_144
_MANY = 2_000_000
_CLEAR = 0.01  # of the diagonal: how far around triangles other faces are looked for
_MOST_FACES = 8  # that are looked at for one point
_WEDGE = 2.0  # two faces that meet at half a right angle are so much nearer to each other than to their edge
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
    corner_normal: NDArray[np.float64]  # (m, 9)
    flat: NDArray[np.float64]  # (m, 3)
    side: NDArray[np.int64]  # (m, 6): of edges ab, bc, ca and corners a, b, c, see `core.cad.borders`
    sag: NDArray[np.float64]  # (m, 3) mm, of edges ab, bc, ca: how far the chord is off its edge
    height: NDArray[np.float64]  # (m, 3) mm, over edges ab, bc, ca
    clear: NDArray[np.float64]  # (m,) mm: to faces that do not touch the triangle
    vertex_start: NDArray[np.int64]
    vertex_edges: NDArray[np.int64]
    edge_faces: NDArray[np.int64]
    inward: NDArray[np.float64]
    seeds: NDArray[np.float64]
    curve_info: NDArray[np.int64]
    curve_breaks: NDArray[np.float64]
    curve_coefficients: NDArray[np.float64]
    curve_samples: NDArray[np.float64]


class Projector:
    """Exact deviations, and picking, for one part."""

    def __init__(self, model: CadModel) -> None:
        mesh = _even_mesh(model)
        self.tree = build_bvh(mesh.vertices, mesh.triangles)
        self._face_of = mesh.triangle_face
        order = self.tree.order
        around = surroundings(mesh.vertices, mesh.triangles, 1e-6 * model.diagonal)
        borders = borders_of(model, mesh, around.welded)
        face, side = mesh.triangle_face[order], np.hstack([borders.side, borders.corner])[order]
        self._packed = _Packed(
            **_pack_surfaces(model),
            face=face,
            uv=np.ascontiguousarray(mesh.uv[mesh.triangles].reshape(-1, 6)[order]),
            corner_normal=np.ascontiguousarray(around.corner.reshape(-1, 9)[order]),
            flat=np.ascontiguousarray(around.flat[order]),
            side=np.ascontiguousarray(side),
            sag=np.ascontiguousarray(borders.sag[order]),
            height=heights(self.tree.corners),
            clear=clearances(
                self.tree,
                face,
                side,
                borders.faces,
                borders.vertex_start,
                borders.vertex_edges,
                _CLEAR * model.diagonal,
            ),
            vertex_start=borders.vertex_start,
            vertex_edges=borders.vertex_edges,
            edge_faces=borders.faces,
            inward=borders.inward,
            seeds=borders.seeds,
            curve_info=borders.curves.info,
            curve_breaks=borders.curves.breaks,
            curve_coefficients=borders.curves.coefficients,
            curve_samples=borders.curves.samples,
        )
        curved = any(f.surface.kind != SurfaceKind.PLANE for f in model.faces)
        self._chord = 1.5e-4 * model.diagonal if curved else 0.0
        # What the mesh may be off the surface: what is within reach of a point is within this of its triangle.
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
                self.tree, self._packed, points, piece, max_distance, self._slack, self._chord, turned,
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
        d, a, b = (rho - radius) * c - h * s, c, -s
        tip = -radius * c / s  # where the radius is 0
    else:
        q = np.sqrt((rho - radius) ** 2 + h * h)
        a, b = 1.0, 0.0
        if q > 0.0:
            a, b = (rho - radius) / q, h / q
        d = q - size[f, 1]
        tip = np.sqrt(max(size[f, 1] ** 2 - radius * radius, 0.0))
        tip = tip if h >= 0.0 else -tip
    if rho - d * a < 0.0:  # beyond the tip, where the surface has crossed its axis: the tip itself is nearest
        away = np.sqrt(rho * rho + (h - tip) ** 2)
        if away > 0.0:
            d = away if d >= 0.0 else -away
            a, b = rho / d, (h - tip) / d
    return d, a * rx + b * zx, a * ry + b * zy, a * rz + b * zz


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
def _nearest_edge(  # type: ignore[no-untyped-def]
    where, vertex_start, vertex_edges, info, breaks, coefficients, samples, ex, ey, ez, px, py, pz, curve, out
):
    """Find the place nearest to p on the edge `where`, or on those that meet at a corner of the part (-2 - v).

    Leaves place and tangent in `out` and returns (edge, distance^2, sample, whether it is an end of the edge).
    """
    first, last = 0, 1
    if where < -1:
        first, last = vertex_start[-2 - where], vertex_start[-1 - where]
    edge, best, sample, held = -1, np.inf, 0, False
    for k in range(first, last):
        e = vertex_edges[k] if where < -1 else where
        d, at, end = nearest_on_curve(info, breaks, coefficients, samples, e, ex, ey, ez, px, py, pz, curve)
        if d < best:
            edge, best, sample, held = e, d, at, end
            for c in range(6):
                out[c] = curve[c]
    return edge, best, sample, held


@njit(cache=True, nogil=True)
def _on_face(  # type: ignore[no-untyped-def]
    k, v, w, region, px, py, pz, tx, ty, tz, limit, slack, corners, kind, frame, size, outward, spline, knots,
    poles, face_of, uv, corner_normal, side_of, sag, height, vertex_start, vertex_edges, edge_faces, inward, seeds,
    info, breaks, coefficients, samples, scratch, edge_out, curve, sums, at_edge, result,
):  # fmt: skip
    """Find what a point is to the part beside a triangle of the mesh; (v, w, region) say where it is nearest.

    Leaves the signed distance, the outward normal and whether it lies on an edge in `result`, and returns the face.
    """
    f = face_of[k]
    if kind[f] == 5:
        su = uv[k, 0] + v * (uv[k, 2] - uv[k, 0]) + w * (uv[k, 4] - uv[k, 0])
        sv = uv[k, 1] + v * (uv[k, 3] - uv[k, 1]) + w * (uv[k, 5] - uv[k, 1])
        d, nx, ny, nz = _bspline(spline, knots, poles, f, size[f, 4], px, py, pz, su, sv, scratch)
        fx, fy, fz = scratch[0], scratch[1], scratch[2]
    else:
        d, nx, ny, nz = _analytic(kind[f], frame, size, f, px, py, pz)
        fx, fy, fz = px - d * nx, py - d * ny, pz - d * nz
    side = outward[f]
    edge = region > 0 and side_of[k, region - 1] != -1
    if region == 0 or not edge:
        # Inside of the mesh, but so near to a chord of a curved edge that it may lie beyond the edge.
        closest = 0.0
        for c in range(3):
            if side_of[k, c] >= 0 and sag[k, c] > 0.0:
                share = w if c == 0 else (1.0 - v - w if c == 1 else v)
                inside = share * height[k, c] - sag[k, c]
                if inside < closest:
                    closest, region, edge = inside, c + 1, True
    if edge:
        ex = corners[k, 0] + v * (corners[k, 3] - corners[k, 0]) + w * (corners[k, 6] - corners[k, 0])
        ey = corners[k, 1] + v * (corners[k, 4] - corners[k, 1]) + w * (corners[k, 7] - corners[k, 1])
        ez = corners[k, 2] + v * (corners[k, 5] - corners[k, 2]) + w * (corners[k, 8] - corners[k, 2])
        e, off2, at, held = _nearest_edge(
            side_of[k, region - 1], vertex_start, vertex_edges, info, breaks, coefficients, samples,
            ex, ey, ez, px, py, pz, curve, edge_out,
        )  # fmt: skip
        off = np.sqrt(off2)
        ex, ey, ez = edge_out[0], edge_out[1], edge_out[2]
        sums[0] = sums[1] = sums[2] = 0.0
        for j in range(2):
            q = edge_faces[e, j]
            if q < 0:
                continue
            at_edge[j, 0], at_edge[j, 1], at_edge[j, 2], at_edge[j, 3] = _at(
                kind, frame, size, spline, knots, poles, q, seeds[at, 2 * j], seeds[at, 2 * j + 1],
                ex, ey, ez, scratch,
            )  # fmt: skip
            for c in range(3):
                sums[c] += outward[q] * at_edge[j, 1 + c]
        if edge_faces[e, 1] >= 0 and not held:
            # The curve of a file is near the edge: the edge is where the two surfaces meet.
            c = at_edge[0, 1] * at_edge[1, 1] + at_edge[0, 2] * at_edge[1, 2] + at_edge[0, 3] * at_edge[1, 3]
            if c * c < 0.99:
                a = (-at_edge[0, 0] + c * at_edge[1, 0]) / (1.0 - c * c)
                b = (-at_edge[1, 0] + c * at_edge[0, 0]) / (1.0 - c * c)
                if abs(a) + abs(b) < slack:
                    ex += a * at_edge[0, 1] + b * at_edge[1, 1]
                    ey += a * at_edge[0, 2] + b * at_edge[1, 2]
                    ez += a * at_edge[0, 3] + b * at_edge[1, 3]
                    off = np.sqrt((px - ex) ** 2 + (py - ey) ** 2 + (pz - ez) ** 2)
        own = edge_faces[e, 0] == f or edge_faces[e, 1] == f
        nearest = off * (1.0 + 1e-9) + 1e-12
        fd, fnx, fny, fnz, g = d, nx, ny, nz, f
        for turn in range(2):
            j = turn if edge_faces[e, 0] == f or not own else 1 - turn  # the face of the triangle first
            q = edge_faces[e, j]
            if q < 0 or held or not edge:
                continue
            o = outward[q] * inward[e, j]
            qx, qy, qz = at_edge[j, 1], at_edge[j, 2], at_edge[j, 3]
            # Off the face is where, in the surface, one leaves it across the edge.
            mx = o * (qy * edge_out[5] - qz * edge_out[4])
            my = o * (qz * edge_out[3] - qx * edge_out[5])
            mz = o * (qx * edge_out[4] - qy * edge_out[3])
            if q == f:
                gd, gx, gy, gz = d, nx, ny, nz
                tx0, ty0, tz0 = fx, fy, fz
            else:
                gd, gx, gy, gz = _at(
                    kind, frame, size, spline, knots, poles, q, seeds[at, 2 * j], seeds[at, 2 * j + 1],
                    px, py, pz, scratch,
                )  # fmt: skip
                if kind[q] == 5:
                    tx0, ty0, tz0 = scratch[0], scratch[1], scratch[2]
                else:
                    tx0, ty0, tz0 = px - gd * gx, py - gd * gy, pz - gd * gz
                if limit > -1.5 and outward[q] * (gx * tx + gy * ty + gz * tz) < limit:
                    continue
            if (tx0 - ex) * mx + (ty0 - ey) * my + (tz0 - ez) * mz >= 0.0 and abs(gd) <= nearest:
                edge = False
                fd, fnx, fny, fnz, g = gd, gx, gy, gz, q
        if edge:
            # The feet on the unbounded surfaces lie off the faces: the nearest point is on the edge.
            nx, ny, nz = px - ex, py - ey, pz - ez
            d = off
            if held:  # a corner of the part
                near, c = np.inf, 0
                for b in range(3):
                    there = (
                        (corners[k, 3 * b] - ex) ** 2
                        + (corners[k, 3 * b + 1] - ey) ** 2
                        + (corners[k, 3 * b + 2] - ez) ** 2
                    )
                    if there < near:
                        near, c = there, 3 * b
                sums[0], sums[1], sums[2] = (
                    corner_normal[k, c],
                    corner_normal[k, c + 1],
                    corner_normal[k, c + 2],
                )
            side = 1.0 if nx * sums[0] + ny * sums[1] + nz * sums[2] >= 0.0 else -1.0
            scale = 1.0 / d if d > 0.0 else 0.0
            nx, ny, nz = nx * scale, ny * scale, nz * scale
        else:
            d, nx, ny, nz, side = fd, fnx, fny, fnz, outward[g]
            f = g
    result[0], result[1], result[2], result[3] = side * d, side * nx, side * ny, side * nz
    result[4] = 1.0 if edge else 0.0
    return f


@njit(cache=True, nogil=True)
def _others_near(k, v, w, px, py, pz, near, corners, side_of, height, clear):  # type: ignore[no-untyped-def]
    """Tell whether another face may lie within `near` of a place of a triangle."""
    if clear[k] < near:
        return True
    for c in range(3):
        if side_of[k, c] != -1:
            share = w if c == 0 else (1.0 - v - w if c == 1 else v)
            if share * height[k, c] < _WEDGE * near:
                return True
        if side_of[k, 3 + c] != -1:
            there = (
                (corners[k, 3 * c] - px) ** 2 + (corners[k, 3 * c + 1] - py) ** 2 + (corners[k, 3 * c + 2] - pz) ** 2
            )
            if there < (_WEDGE * near) ** 2:
                return True
    return False


@njit(cache=True, nogil=True, parallel=True)
def _project_all(tree, part, points, walk, reach, slack, chord, turned, facing, distance, face, on_edge, normals):  # type: ignore[no-untyped-def]
    boxes, nodes, corners = tree.boxes, tree.nodes, tree.corners
    kind, frame, size, outward = part.kind, part.frame, part.size, part.outward
    spline, knots, poles = part.spline, part.knots, part.poles
    face_of, uv = part.face, part.uv
    corner_normal, flat, side_of = part.corner_normal, part.flat, part.side
    sag, height, clear = part.sag, part.height, part.clear
    vertex_start, vertex_edges, edge_faces = part.vertex_start, part.vertex_edges, part.edge_faces
    inward, seeds = part.inward, part.seeds
    info, breaks, coefficients, samples = (
        part.curve_info, part.curve_breaks, part.curve_coefficients, part.curve_samples,
    )  # fmt: skip
    chunks = (walk.size + _CHUNK - 1) // _CHUNK
    for chunk in prange(chunks):
        previous = -1
        stack, stack_distance, scratch = np.empty(STACK, dtype=np.int64), np.empty(STACK), np.empty(SCRATCH)
        edge_out, curve, sums, at_edge = np.empty(6), np.empty(9), np.empty(3), np.empty((2, 4))
        result, seen = np.empty(5), np.empty(_MOST_FACES, dtype=np.int64)
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
            f = _on_face(
                k, v, w, region, px, py, pz, tx, ty, tz, limit, slack, corners, kind, frame, size, outward, spline,
                knots, poles, face_of, uv, corner_normal, side_of, sag, height, vertex_start, vertex_edges, edge_faces,
                inward, seeds, info, breaks, coefficients, samples, scratch, edge_out, curve, sums, at_edge, result,
            )  # fmt: skip
            d, nx, ny, nz, edge = result[0], result[1], result[2], result[3], result[4]
            if chord > 0.0 and _others_near(
                k, v, w, px, py, pz, 2.0 * (abs(d) + chord), corners, side_of, height, clear
            ):
                # The mesh is a little off the surfaces: another face may be nearer than the one of the triangle.
                seen[0], seen[1], count = face_of[k], f, 2
                while count < seen.size:
                    k, v, w, region = nearest_other(
                        boxes, nodes, corners, px, py, pz, (abs(d) + chord) ** 2, stack, stack_distance, flat,
                        tx, ty, tz, limit, face_of, seen, count,
                    )  # fmt: skip
                    if k < 0:
                        break
                    seen[count] = face_of[k]
                    count += 1
                    g = _on_face(
                        k, v, w, region, px, py, pz, tx, ty, tz, limit, slack, corners, kind, frame, size, outward,
                        spline, knots, poles, face_of, uv, corner_normal, side_of, sag, height, vertex_start,
                        vertex_edges, edge_faces, inward, seeds, info, breaks, coefficients, samples, scratch,
                        edge_out, curve, sums, at_edge, result,
                    )  # fmt: skip
                    if abs(result[0]) < abs(d) * (1.0 - 1e-12):
                        f, d, nx, ny, nz, edge = g, result[0], result[1], result[2], result[3], result[4]
            if abs(d) > reach:  # within reach of the triangle, not of the surface
                continue
            face[i] = f
            distance[i] = d
            on_edge[i] = edge > 0.0
            normals[step, 0], normals[step, 1], normals[step, 2] = nx, ny, nz
