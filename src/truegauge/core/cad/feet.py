"""What a point is to a face beside a triangle of its mesh: the foot on the exact surface, or on the exact edge.

Kernels for `core.cad.projection`.
"""

import numpy as np
from numba import njit

from truegauge.core.cad.curves import nearest_on_curve
from truegauge.core.cad.surface_foot import foot, place_at

_BEYOND = 0.005  # of the slack: a foot that is less beyond an edge than that lies on its face


@njit(cache=True, nogil=True)
def border_met(k, v, w, region, side_of, sag, height):  # type: ignore[no-untyped-def]
    """Return the side (1 to 3) or corner (4 to 6) of a triangle at which a point may belong to an edge, 0 for none.

    Inside of the mesh too, so near to a chord of a curved edge that the foot may lie beyond the edge.
    """
    if region > 0 and side_of[k, region - 1] != -1:
        return region
    closest, at = 0.0, 0
    for c in range(3):
        if side_of[k, c] >= 0 and sag[k, c] > 0.0:
            share = w if c == 0 else (1.0 - v - w if c == 1 else v)
            inside = share * height[k, c] - sag[k, c]
            if inside < closest:
                closest, at = inside, c + 1
    return at


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
def _is_polyline(info, e):  # type: ignore[no-untyped-def]
    return e >= 0 and info[e, 0] == 1 and info[e, 6] > 2


@njit(cache=True, nogil=True)
def side_slipped_over(k, v, w, fx, fy, fz, corners, side_of, height, info):  # type: ignore[no-untyped-def]
    """Return the border side (1 to 3) that a foot may lie beyond, as far as it is from the place on the mesh; 0: none.

    Facets are turned a little against the surface: the farther off a point is, the farther its two feet are apart.
    Edges known as polylines only are less exact than that.
    """
    slip2 = 0.0
    for c in range(3):
        there = corners[k, c] + v * (corners[k, 3 + c] - corners[k, c]) + w * (corners[k, 6 + c] - corners[k, c])
        slip2 += ((fx if c == 0 else (fy if c == 1 else fz)) - there) ** 2
    # What the surface is off the mesh is in it too: but for that, the slip along the facet is what counts.
    closest, at = np.inf, 0
    for c in range(3):
        if side_of[k, c] != -1 and not _is_polyline(info, side_of[k, c]):
            room = (w if c == 0 else (1.0 - v - w if c == 1 else v)) * height[k, c]
            if room < closest:
                closest, at = room, c + 1
    return at if closest * closest < slip2 else 0


@njit(cache=True, nogil=True)
def _other_edge_left(  # type: ignore[no-untyped-def]
    k, f, e, ex, ey, ez, fx, fy, fz, slack, kind, frame, size, outward, spline, knots, poles, side_of,
    vertex_start, vertex_edges, edge_faces, inward, seeds, info, breaks, coefficients, samples, scratch, curve,
):  # fmt: skip
    """Return an edge that touches triangle `k` beyond which a foot on face `f` lies; -1 for none.

    Another one than `e`, on which (ex, ey, ez) lies.
    """
    for c in range(6):
        where = side_of[k, c]
        first, last = 0, 1
        if where < -1:
            first, last = vertex_start[-2 - where], vertex_start[-1 - where]
        for n in range(first, last):
            other = vertex_edges[n] if where < -1 else where
            if other < 0 or other == e or _is_polyline(info, other):
                continue
            if edge_faces[other, 0] == edge_faces[other, 1]:
                continue
            j = 0 if edge_faces[other, 0] == f else 1
            if edge_faces[other, j] != f:
                continue
            _, at, held = nearest_on_curve(info, breaks, coefficients, samples, other, fx, fy, fz, fx, fy, fz, curve)
            _, qx, qy, qz = place_at(
                kind, frame, size, spline, knots, poles, f, seeds[at, 2 * j], seeds[at, 2 * j + 1],
                curve[0], curve[1], curve[2], scratch,
            )  # fmt: skip
            o = outward[f] * inward[other, j]
            mx = o * (qy * curve[5] - qz * curve[4])
            my = o * (qz * curve[3] - qx * curve[5])
            mz = o * (qx * curve[4] - qy * curve[3])
            if held and (ex - curve[0]) * mx + (ey - curve[1]) * my + (ez - curve[2]) * mz <= 0.0:
                continue  # a corner that the face goes round
            speed = np.sqrt(curve[3] ** 2 + curve[4] ** 2 + curve[5] ** 2)
            if (fx - curve[0]) * mx + (fy - curve[1]) * my + (fz - curve[2]) * mz < -_BEYOND * slack * speed:
                return other
    return -1


@njit(cache=True, nogil=True)
def _beside_edge(  # type: ignore[no-untyped-def]
    where, only_edge, f, d, nx, ny, nz, fx, fy, fz, ex, ey, ez,
    k, px, py, pz, tx, ty, tz, limit, slack, corners, kind, frame, size, outward, spline, knots, poles,
    corner_normal, vertex_start, vertex_edges, edge_faces, inward, seeds, info, breaks, coefficients, samples,
    scratch, edge_out, curve, sums, at_edge, result,
):  # fmt: skip
    """Find whether a point belongs to a face at the edge (or corner of the part) `where`, or to the edge itself.

    Its foot on face `f` is (fx, fy, fz); the edge is looked for beside (ex, ey, ez). With `only_edge` it belongs to no
    face. Results as of `on_face`.
    """
    edge, side = True, outward[f]
    e, off2, at, held = _nearest_edge(
        where, vertex_start, vertex_edges, info, breaks, coefficients, samples,
        ex, ey, ez, px, py, pz, curve, edge_out,
    )  # fmt: skip
    off = np.sqrt(off2)
    ex, ey, ez = edge_out[0], edge_out[1], edge_out[2]
    sums[0] = sums[1] = sums[2] = 0.0
    for j in range(2):
        q = edge_faces[e, j]
        if q < 0:
            continue
        at_edge[j, 0], at_edge[j, 1], at_edge[j, 2], at_edge[j, 3] = place_at(
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
        if q < 0 or held or not edge or only_edge:
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
            gd, gx, gy, gz = place_at(
                kind, frame, size, spline, knots, poles, q, seeds[at, 2 * j], seeds[at, 2 * j + 1],
                px, py, pz, scratch,
            )  # fmt: skip
            if kind[q] == 5:
                tx0, ty0, tz0 = scratch[0], scratch[1], scratch[2]
            else:
                tx0, ty0, tz0 = px - gd * gx, py - gd * gy, pz - gd * gz
            if limit > -1.5 and outward[q] * (gx * tx + gy * ty + gz * tz) < limit:
                continue
        if kind[q] == 5 and _is_held_at_end(px - tx0, py - ty0, pz - tz0, gx, gy, gz):
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
    result[4], result[5] = (1.0 if edge else 0.0), (1.0 if held else 0.0)
    return f


@njit(cache=True, nogil=True)
def _is_held_at_end(x, y, z, nx, ny, nz):  # type: ignore[no-untyped-def]
    """Tell whether (x, y, z), from a foot to its point, leaves a spline surface other than square.

    A spline ends: beyond its end the foot stays there, on the edge, where the face does not tell the side of a point.
    """
    along = x * nx + y * ny + z * nz
    square = x * x + y * y + z * z
    beside = square - along * along
    return beside > 1e-4 * square and beside > 1e-14


@njit(cache=True, nogil=True)
def _cornerat(k, x, y, z, corners, side_of):  # type: ignore[no-untyped-def]
    """Return the code of the corner of the part that is the corner of triangle `k` nearest to a place; -1: none."""
    best, code = np.inf, -1
    for c in range(3):
        d = (corners[k, 3 * c] - x) ** 2 + (corners[k, 3 * c + 1] - y) ** 2 + (corners[k, 3 * c + 2] - z) ** 2
        if d < best:
            best, code = d, side_of[k, 3 + c]
    return code if code < -1 else -1


@njit(cache=True, nogil=True)
def on_face(  # type: ignore[no-untyped-def]
    k, v, w, region, px, py, pz, tx, ty, tz, limit, slack, corners, kind, frame, size, outward, spline, knots,
    poles, face_of, uv, corner_normal, side_of, vertex_start, vertex_edges, edge_faces, inward, seeds,
    info, breaks, coefficients, samples, scratch, edge_out, curve, sums, at_edge, result,
):  # fmt: skip
    """Find what a point is to the part beside a triangle of the mesh; (v, w) say where it is nearest.

    `region` is the side (1 to 3) or corner (4 to 6) of the triangle that it may lie beyond, 0 for none. Leaves the
    signed distance, the outward normal and whether it lies on an edge in `result`, and returns the face.
    """
    f = face_of[k]
    d, nx, ny, nz, fx, fy, fz = foot(kind, frame, size, spline, knots, poles, uv, f, k, v, w, px, py, pz, scratch)
    side = outward[f]
    result[0], result[1], result[2], result[3], result[4] = side * d, side * nx, side * ny, side * nz, 0.0
    if region == 0:
        return f
    ex = corners[k, 0] + v * (corners[k, 3] - corners[k, 0]) + w * (corners[k, 6] - corners[k, 0])
    ey = corners[k, 1] + v * (corners[k, 4] - corners[k, 1]) + w * (corners[k, 7] - corners[k, 1])
    ez = corners[k, 2] + v * (corners[k, 5] - corners[k, 2]) + w * (corners[k, 8] - corners[k, 2])
    where, g = side_of[k, region - 1], f
    for _ in range(2):
        g = _beside_edge(
            where, False, f, d, nx, ny, nz, fx, fy, fz, ex, ey, ez,
            k, px, py, pz, tx, ty, tz, limit, slack, corners, kind, frame, size, outward, spline, knots, poles,
            corner_normal, vertex_start, vertex_edges, edge_faces, inward, seeds, info, breaks, coefficients, samples,
            scratch, edge_out, curve, sums, at_edge, result,
        )  # fmt: skip
        if result[5] > 0.0 and where >= 0:
            # At the end of an edge: the foot may lie within the others that meet there.
            corner = _cornerat(k, edge_out[0], edge_out[1], edge_out[2], corners, side_of)
            if corner < -1:
                where = corner
                ex, ey, ez = edge_out[0], edge_out[1], edge_out[2]
                continue
        if result[4] > 0.0:
            break
        # The face may be narrow there: a foot within one of its borders can lie beyond another.
        gx, gy, gz = px - result[0] * result[1], py - result[0] * result[2], pz - result[0] * result[3]
        other = _other_edge_left(
            k, g, where, edge_out[0], edge_out[1], edge_out[2], gx, gy, gz, slack, kind, frame, size, outward, spline,
            knots, poles, side_of, vertex_start, vertex_edges, edge_faces, inward, seeds, info, breaks, coefficients,
            samples, scratch, curve,
        )  # fmt: skip
        if other < 0:
            break
        # Then the nearest is beside the other edge, or on the first one.
        h = _beside_edge(
            other, False, f, d, nx, ny, nz, fx, fy, fz, gx, gy, gz,
            k, px, py, pz, tx, ty, tz, limit, slack, corners, kind, frame, size, outward, spline, knots, poles,
            corner_normal, vertex_start, vertex_edges, edge_faces, inward, seeds, info, breaks, coefficients, samples,
            scratch, edge_out, curve, sums, at_edge, result,
        )  # fmt: skip
        d2, nx2, ny2, nz2, edge2 = result[0], result[1], result[2], result[3], result[4]
        g = _beside_edge(
            where, True, f, d, nx, ny, nz, fx, fy, fz, ex, ey, ez,
            k, px, py, pz, tx, ty, tz, limit, slack, corners, kind, frame, size, outward, spline, knots, poles,
            corner_normal, vertex_start, vertex_edges, edge_faces, inward, seeds, info, breaks, coefficients, samples,
            scratch, edge_out, curve, sums, at_edge, result,
        )  # fmt: skip
        if abs(d2) < abs(result[0]):
            g = h
            result[0], result[1], result[2], result[3], result[4] = d2, nx2, ny2, nz2, edge2
        break
    return g
