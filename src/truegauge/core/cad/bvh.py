"""A tree of boxes over triangles: nearest triangle and first triangle hit by a ray.

Nearest point on a triangle after Ericson, Real-Time Collision Detection (2005), section 5.1.5; ray and triangle after
Moeller and Trumbore (1997).
"""

from typing import NamedTuple

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from truegauge.core.arrays import Ints, Points, Triangles

LEAF = 4
STACK = 64


class Bvh(NamedTuple):
    """The tree in flat arrays.

    `boxes` (k, 6) low and high corners; `nodes` (k, 3): (right child, 0) or (first, count), and the face that all its
    triangles belong to (-1: several); `corners` (m, 9) triangles in tree order; `order` (m,) their original indices.
    The left child follows its parent.
    """

    boxes: NDArray[np.float64]
    nodes: NDArray[np.int64]
    corners: NDArray[np.float64]
    order: NDArray[np.int64]


def build_bvh(vertices: Points, triangles: Triangles, face: Ints | None = None) -> Bvh:
    """Build the tree by median splits along the longest side; `face` (m,) tells the face of each triangle."""
    corners = np.ascontiguousarray(vertices[triangles].reshape(-1, 9))
    centers = (corners[:, 0:3] + corners[:, 3:6] + corners[:, 6:9]) / 3.0
    order = np.arange(len(corners))
    boxes = np.empty((2 * len(corners) + 1, 6))
    nodes = np.full((2 * len(corners) + 1, 3), -1, dtype=np.int64)
    count = _build(corners, centers, order, boxes, nodes)
    if face is not None:
        _tell_faces(nodes[:count], np.asarray(face, dtype=np.int64)[order])
    return Bvh(boxes[:count].copy(), nodes[:count].copy(), np.ascontiguousarray(corners[order]), order)


@njit(cache=True, nogil=True)
def _build(corners, centers, order, boxes, nodes):  # type: ignore[no-untyped-def]
    todo = np.empty((128, 3), dtype=np.int64)  # start, end, parent whose right child this is (-1: none)
    todo[0] = (0, order.size, -1)
    size, count = 1, 0
    while size > 0:
        size -= 1
        start, end, parent = todo[size]
        node = count
        count += 1
        if parent >= 0:
            nodes[parent, 0] = node
        low = np.full(3, np.inf)
        high = np.full(3, -np.inf)
        clow = np.full(3, np.inf)
        chigh = np.full(3, -np.inf)
        for i in range(start, end):
            t = order[i]
            for c in range(3):
                for k in range(3):
                    x = corners[t, 3 * k + c]
                    low[c] = min(low[c], x)
                    high[c] = max(high[c], x)
                clow[c] = min(clow[c], centers[t, c])
                chigh[c] = max(chigh[c], centers[t, c])
        for c in range(3):
            boxes[node, c] = low[c]
            boxes[node, 3 + c] = high[c]
        if end - start <= LEAF:
            nodes[node, 0] = start
            nodes[node, 1] = end - start
            continue
        axis = int(np.argmax(chigh - clow))
        part = order[start:end].copy()
        order[start:end] = part[np.argsort(centers[part, axis])]
        middle = (start + end) // 2
        nodes[node, 1] = 0
        todo[size] = (middle, end, node)
        todo[size + 1] = (start, middle, -1)
        size += 2
    return count


@njit(cache=True, nogil=True)
def _tell_faces(nodes, face):  # type: ignore[no-untyped-def]
    for node in range(nodes.shape[0] - 1, -1, -1):  # children follow their parents
        first, leaf = nodes[node, 0], nodes[node, 1]
        if leaf == 0:
            nodes[node, 2] = nodes[first, 2] if nodes[first, 2] == nodes[node + 1, 2] else -1
            continue
        nodes[node, 2] = face[first]
        for k in range(first, first + leaf):
            if face[k] != face[first]:
                nodes[node, 2] = -1


@njit(cache=True, nogil=True, inline="always")
def _box_distance2(boxes, node, x, y, z):  # type: ignore[no-untyped-def]
    dx = max(boxes[node, 0] - x, 0.0, x - boxes[node, 3])
    dy = max(boxes[node, 1] - y, 0.0, y - boxes[node, 4])
    dz = max(boxes[node, 2] - z, 0.0, z - boxes[node, 5])
    return dx * dx + dy * dy + dz * dz


@njit(cache=True, nogil=True)
def nearest_on_triangle(corners, t, px, py, pz):  # type: ignore[no-untyped-def]
    """Return (distance^2, v, w, region) of triangle `t`, the foot being a + v (b - a) + w (c - a).

    Regions: 0 inside, 1 edge ab, 2 edge bc, 3 edge ca, 4 a, 5 b, 6 c.
    """
    ax, ay, az = corners[t, 0], corners[t, 1], corners[t, 2]
    abx, aby, abz = corners[t, 3] - ax, corners[t, 4] - ay, corners[t, 5] - az
    acx, acy, acz = corners[t, 6] - ax, corners[t, 7] - ay, corners[t, 8] - az
    apx, apy, apz = px - ax, py - ay, pz - az
    d1 = abx * apx + aby * apy + abz * apz
    d2 = acx * apx + acy * apy + acz * apz
    ab2 = abx * abx + aby * aby + abz * abz
    ac2 = acx * acx + acy * acy + acz * acz
    abac = abx * acx + aby * acy + abz * acz
    d3, d4 = d1 - ab2, d2 - abac
    d5, d6 = d1 - abac, d2 - ac2
    vc = d1 * d4 - d3 * d2
    vb = d5 * d2 - d1 * d6
    va = d3 * d6 - d5 * d4
    if d1 <= 0.0 and d2 <= 0.0:
        v, w, region = 0.0, 0.0, 4
    elif d3 >= 0.0 and d4 <= d3:
        v, w, region = 1.0, 0.0, 5
    elif vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
        v, w, region = d1 / (d1 - d3), 0.0, 1
    elif d6 >= 0.0 and d5 <= d6:
        v, w, region = 0.0, 1.0, 6
    elif vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
        v, w, region = 0.0, d2 / (d2 - d6), 3
    elif va <= 0.0 and d4 - d3 >= 0.0 and d5 - d6 >= 0.0:
        w = (d4 - d3) / ((d4 - d3) + (d5 - d6))
        v, region = 1.0 - w, 2
    else:
        s = 1.0 / (va + vb + vc)
        v, w, region = vb * s, vc * s, 0
    ex, ey, ez = apx - v * abx - w * acx, apy - v * aby - w * acy, apz - v * abz - w * acz
    return ex * ex + ey * ey + ez * ez, v, w, region


@njit(cache=True, nogil=True)
def is_among(numbers, count, number):  # type: ignore[no-untyped-def]
    """Tell whether a number is one of the first `count`."""
    found = False
    for q in range(count):
        found = found or numbers[q] == number
    return found


@njit(cache=True, nogil=True)
def nearest_triangle(  # type: ignore[no-untyped-def]
    boxes, nodes, corners, x, y, z, bound2, start, stack, far2, flat, nx, ny, nz, facing, face, seen, count
):
    """Return (tree position, distance^2, v, w, region); position -1 where nothing is nearer than sqrt(bound2).

    `start` is a tree position tried first: neighbouring points share their triangle, which makes the bound tight.
    Triangles whose normal (`flat`, in tree order) has a product below `facing` with (nx, ny, nz) do not count; a
    `facing` of -2 lets all count. Nor do those of the faces (`face`, in tree order) among `seen[:count]`. `stack` (int)
    and `far2` (float) are scratch of `STACK` entries, so that nothing is allocated a point.
    """
    best, bv, bw, bregion, bt = bound2, 0.0, 0.0, 0, -1
    if start >= 0:
        d, v, w, region = nearest_on_triangle(corners, start, x, y, z)
        if d < best and (facing < -1.5 or flat[start, 0] * nx + flat[start, 1] * ny + flat[start, 2] * nz >= facing):
            best, bv, bw, bregion, bt = d, v, w, region, start
    stack[0] = 0
    far2[0] = _box_distance2(boxes, 0, x, y, z)
    size = 1
    while size > 0:
        size -= 1
        if far2[size] >= best:
            continue
        node = stack[size]
        if count > 0 and nodes[node, 2] >= 0 and is_among(seen, count, nodes[node, 2]):
            continue
        first, leaf = nodes[node, 0], nodes[node, 1]
        if leaf > 0:
            for k in range(first, first + leaf):
                if count > 0 and is_among(seen, count, face[k]):
                    continue
                d, v, w, region = nearest_on_triangle(corners, k, x, y, z)
                if d < best and (facing < -1.5 or flat[k, 0] * nx + flat[k, 1] * ny + flat[k, 2] * nz >= facing):
                    best, bv, bw, bregion, bt = d, v, w, region, k
            continue
        left, right = node + 1, first
        dl = _box_distance2(boxes, left, x, y, z)
        dr = _box_distance2(boxes, right, x, y, z)
        if dl < dr:
            near, far, dn, df = left, right, dl, dr
        else:
            near, far, dn, df = right, left, dr, dl
        if df < best:
            stack[size] = far
            far2[size] = df
            size += 1
        if dn < best:
            stack[size] = near
            far2[size] = dn
            size += 1
    return bt, best, bv, bw, bregion


@njit(cache=True, nogil=True)
def first_hit(tree, origin, direction, hidden):  # type: ignore[no-untyped-def]
    """Return (original triangle index, ray parameter) of the first triangle along the ray; -1 where it misses.

    `hidden` (m,) bool, in original order: triangles the ray goes through.
    """
    best, hit = np.inf, -1
    inverse = np.empty(3)
    for c in range(3):
        inverse[c] = 1.0 / direction[c] if direction[c] != 0.0 else np.inf
    stack = np.empty(STACK, dtype=np.int64)
    stack[0] = 0
    size = 1
    while size > 0:
        size -= 1
        node = stack[size]
        t0, t1 = 0.0, best
        for c in range(3):
            low, high = tree.boxes[node, c] - origin[c], tree.boxes[node, 3 + c] - origin[c]
            if direction[c] == 0.0:
                if low > 0.0 or high < 0.0:
                    t1 = -1.0
                continue
            a, b = low * inverse[c], high * inverse[c]
            t0, t1 = max(t0, min(a, b)), min(t1, max(a, b))
        if t0 > t1 * (1.0 + 1e-12):
            continue
        first, count = tree.nodes[node, 0], tree.nodes[node, 1]
        if count == 0:
            stack[size] = node + 1
            stack[size + 1] = first
            size += 2
            continue
        for k in range(first, first + count):
            if hidden[tree.order[k]]:
                continue
            t = tree.corners[k]
            e1 = t[3:6] - t[0:3]
            e2 = t[6:9] - t[0:3]
            px = direction[1] * e2[2] - direction[2] * e2[1]
            py = direction[2] * e2[0] - direction[0] * e2[2]
            pz = direction[0] * e2[1] - direction[1] * e2[0]
            det = e1[0] * px + e1[1] * py + e1[2] * pz
            if det == 0.0:
                continue
            s = origin - t[0:3]
            u = (s[0] * px + s[1] * py + s[2] * pz) / det
            if u < 0.0 or u > 1.0:
                continue
            qx = s[1] * e1[2] - s[2] * e1[1]
            qy = s[2] * e1[0] - s[0] * e1[2]
            qz = s[0] * e1[1] - s[1] * e1[0]
            v = (direction[0] * qx + direction[1] * qy + direction[2] * qz) / det
            if v < 0.0 or u + v > 1.0:
                continue
            along = (e2[0] * qx + e2[1] * qy + e2[2] * qz) / det
            if 1e-12 < along < best:
                best, hit = along, tree.order[k]
    return hit, best


@njit(cache=True, nogil=True, parallel=True)
def first_hits(tree, origins, directions, hidden, hits, along):  # type: ignore[no-untyped-def]
    """Fill `hits` (n,) and `along` (n,) with what `first_hit` returns for rays (n, 3), (n, 3)."""
    for k in prange(len(origins)):
        hits[k], along[k] = first_hit(tree, origins[k], directions[k], hidden)
