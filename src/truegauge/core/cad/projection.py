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

from truegauge.core.arrays import Floats, Ints, Mask, Normals, Points, for_reading, frozen
from truegauge.core.cad.borders import Borders, borders_of
from truegauge.core.cad.bspline import SCRATCH, packed
from truegauge.core.cad.bvh import STACK, build_bvh, first_hit, first_hits, is_among, nearest_triangle
from truegauge.core.cad.clearance import clearances, heights
from truegauge.core.cad.feet import border_met, on_face, side_slipped_over
from truegauge.core.cad.model import CadModel, Mesh, SurfaceKind, border_edges
from truegauge.core.cad.pseudo_normals import surroundings
from truegauge.core.cad.subdivision import subdivided
from truegauge.core.cad.surface_foot import foot
from truegauge.core.progress import Progress, silent
from truegauge.core.shelf import NO_SHELF, Shelf

NO_FACE = -1
_CHUNK = 4096
_PIECE = 262_144
_MANY = 2_000_000
_CLEAR = 0.008  # of the diagonal: how far around triangles other faces are looked for
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
    height: NDArray[np.float64]  # (m, 3) mm, over edges ab, bc, ca
    clear: NDArray[np.float64]  # (m,) mm: to faces that do not touch the triangle
    inner: NDArray[np.bool_]  # (m,): no border at any side or corner
    borders: Borders  # in tree order


class Projector:
    """Exact deviations, and picking, for one part."""

    def __init__(self, model: CadModel, shelf: Shelf = NO_SHELF) -> None:
        self.shelf, self.faces = shelf, len(model.faces)
        mesh = _even_mesh(model)
        self.tree = build_bvh(mesh.vertices, mesh.triangles, mesh.triangle_face)
        self._face_of = mesh.triangle_face
        order = self.tree.order
        around = surroundings(mesh.vertices, mesh.triangles, 1e-6 * model.diagonal)
        borders = borders_of(model, mesh, around.welded)
        borders = borders._replace(
            side=np.ascontiguousarray(borders.side[order]), sag=np.ascontiguousarray(borders.sag[order])
        )
        face = mesh.triangle_face[order]
        curved = any(f.surface.kind != SurfaceKind.PLANE for f in model.faces)
        self._chord = 1.5e-4 * model.diagonal if curved else 0.0
        clear = frozen(np.zeros(0))
        if curved:
            clear = clearances(self.tree, face, borders, _CLEAR * model.diagonal, shelf)
        self._packed = _Packed(
            **_pack_surfaces(model),
            face=face,
            uv=np.ascontiguousarray(mesh.uv[mesh.triangles].reshape(-1, 6)[order]),
            corner_normal=np.ascontiguousarray(around.corner.reshape(-1, 9)[order]),
            flat=np.ascontiguousarray(around.flat[order]),
            height=heights(self.tree.corners),
            clear=clear,
            inner=(borders.side == -1).all(axis=1),
            borders=borders,
        )
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
        rough: bool = False,
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
        rough : bool
            Of two faces that are nearly as near, take the one of the nearer facet: to search, not to measure.
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
        chord = 0.0 if rough else self._chord
        read = for_reading(points)
        for start in range(0, n, _PIECE):
            progress(start / n, "distance to the part")
            piece = walk[start : start + _PIECE]
            there = np.zeros((len(piece), 3))
            _project_all(
                self.tree, self._packed, read, piece, max_distance, self._slack, chord, turned,
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

    def hits(self, origins: Points, directions: Points) -> Floats:
        """Return how far (n,) along rays (n, 3), (n, 3) the part is hit first, on the seed mesh; infinite: missed."""
        nothing = np.zeros(len(self._face_of), dtype=bool)
        found, along = np.zeros(len(origins), dtype=np.int64), np.zeros(len(origins))
        first_hits(self.tree, for_reading(origins), for_reading(directions), nothing, found, along)
        return np.where(found >= 0, along, np.inf)


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


@njit(cache=True, nogil=True)
def _border_near(k, v, w, px, py, pz, near, corners, side_of, height):  # type: ignore[no-untyped-def]
    """Tell whether a place of a triangle is so near to a border that the face beyond it may lie within `near`."""
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
    corner_normal, flat, height, clear, inner = part.corner_normal, part.flat, part.height, part.clear, part.inner
    borders, curves = part.borders, part.borders.curves
    side_of, sag, edge_faces, inward, seeds = borders.side, borders.sag, borders.faces, borders.inward, borders.seeds
    vertex_start, vertex_edges = borders.vertex_start, borders.vertex_edges
    info, breaks, coefficients, samples = curves.info, curves.breaks, curves.coefficients, curves.samples
    chunks = (walk.size + _CHUNK - 1) // _CHUNK
    for chunk in prange(chunks):
        previous = -1
        stack, stack_distance, scratch = np.empty(STACK, dtype=np.int64), np.empty(STACK), np.empty(SCRATCH)
        edge_out, curve, sums, at_edge = np.empty(6), np.empty(9), np.empty(3), np.empty((2, 4))
        result, seen = np.empty(6), np.empty(_MOST_FACES, dtype=np.int64)
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
                flat, tx, ty, tz, limit, face_of, seen, 0,
            )  # fmt: skip
            if k < 0:
                continue
            previous = k
            f, edge = face_of[k], 0.0
            region = 0 if inner[k] else border_met(k, v, w, region, side_of, sag, height)
            if region == 0:
                d, nx, ny, nz, fx, fy, fz = foot(
                    kind, frame, size, spline, knots, poles, uv, f, k, v, w, px, py, pz, scratch
                )
                d, nx, ny, nz = outward[f] * d, outward[f] * nx, outward[f] * ny, outward[f] * nz
                if not inner[k]:
                    region = side_slipped_over(k, v, w, fx, fy, fz, corners, side_of, height, info)
            if region > 0:  # its many arguments cost more than all of the above
                f = on_face(
                    k, v, w, region, px, py, pz, tx, ty, tz, limit, slack, corners, kind, frame, size, outward, spline,
                    knots, poles, face_of, uv, corner_normal, side_of, vertex_start, vertex_edges, edge_faces, inward,
                    seeds, info, breaks, coefficients, samples, scratch, edge_out, curve, sums, at_edge, result,
                )  # fmt: skip
                d, nx, ny, nz, edge = result[0], result[1], result[2], result[3], result[4]
            near = 2.0 * (abs(d) + chord)
            if chord > 0.0 and (
                clear[k] < near or (not inner[k] and _border_near(k, v, w, px, py, pz, near, corners, side_of, height))
            ):
                # The mesh is a little off the surfaces: another face may be nearer than the one of the triangle.
                seen[0], seen[1], count = face_of[k], f, 2
                while count < seen.size:
                    k, _, v, w, region = nearest_triangle(
                        boxes, nodes, corners, px, py, pz, (abs(d) + chord) ** 2, -1, stack, stack_distance, flat,
                        tx, ty, tz, limit, face_of, seen, count,
                    )  # fmt: skip
                    if k < 0:
                        break
                    g = on_face(
                        k, v, w, border_met(k, v, w, region, side_of, sag, height), px, py, pz, tx, ty, tz, limit,
                        slack, corners, kind, frame, size, outward, spline, knots, poles, face_of, uv, corner_normal,
                        side_of, vertex_start, vertex_edges, edge_faces, inward, seeds, info, breaks, coefficients,
                        samples, scratch, edge_out, curve, sums, at_edge, result,
                    )  # fmt: skip
                    # A face that was seen from its own triangle is not seen better across an edge.
                    known = g != face_of[k] and is_among(seen, count, g)
                    seen[count] = face_of[k]
                    count += 1
                    # Where bodies touch, their faces are as near: what lies in one of them lies in material.
                    level = result[0] < 0.0 < d and -result[0] <= d * (1.0 + 1e-9) + 1e-9
                    if not known and (level or abs(result[0]) < abs(d) * (1.0 - 1e-12)):
                        f, d, nx, ny, nz, edge = g, result[0], result[1], result[2], result[3], result[4]
            if abs(d) > reach:  # within reach of the triangle, not of the surface
                continue
            face[i] = f
            distance[i] = d
            on_edge[i] = edge > 0.0
            normals[step, 0], normals[step, 1], normals[step, 2] = nx, ny, nz
