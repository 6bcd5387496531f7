"""The distance between two convex solids, one of them swept along a straight way.

Gilbert, Johnson and Keerthi (1988), with the closest point of a simplex after Ericson, Real-Time Collision Detection
(2005), sections 5.1.5 and 5.1.6. A solid swept along a straight way is convex too: its farthest point in a direction is
that of the solid, shifted by the way where that goes with the direction. So the whole way is looked at in one question.

A solid is a row of `WIDTH` numbers: its kind, its rounding radius (mm), then what the kind needs:

- `BALLS`: from (3), to (3): a ball, or a rod with round ends, by its rounding radius;
- `CYLINDER`: from (3), to (3), radius: with flat ends;
- `BOX`: middle (3), three half edges (9);
- `TRIANGLE`: three corners (9).
"""

import numpy as np
from numba import njit

WIDTH = 14
BALLS, CYLINDER, BOX, TRIANGLE = 0.0, 1.0, 2.0, 3.0
_MOST = 60  # rounds; curved solids need most
_ENOUGH = 1e-9  # relative
_TOUCHING2 = 1e-18  # mm²


@njit(cache=True, nogil=True)
def _farthest(solid, dx, dy, dz, out):  # type: ignore[no-untyped-def]
    """Put the farthest point of a solid (without its rounding) in a direction into `out` (3,)."""
    kind = solid[0]
    if kind == TRIANGLE:
        best, row = -np.inf, 0
        for k in range(3):
            d = solid[2 + 3 * k] * dx + solid[3 + 3 * k] * dy + solid[4 + 3 * k] * dz
            if d > best:
                best, row = d, k
        for c in range(3):
            out[c] = solid[2 + 3 * row + c]
        return
    if kind == BOX:
        for c in range(3):
            out[c] = solid[2 + c]
        for k in range(3):
            d = solid[5 + 3 * k] * dx + solid[6 + 3 * k] * dy + solid[7 + 3 * k] * dz
            sign = 1.0 if d >= 0 else -1.0
            for c in range(3):
                out[c] += sign * solid[5 + 3 * k + c]
        return
    ux, uy, uz = solid[5] - solid[2], solid[6] - solid[3], solid[7] - solid[4]
    along = ux * dx + uy * dy + uz * dz
    base = 5 if along > 0 else 2
    for c in range(3):
        out[c] = solid[base + c]
    if kind == CYLINDER:
        length2 = ux * ux + uy * uy + uz * uz
        s = along / length2
        px, py, pz = dx - s * ux, dy - s * uy, dz - s * uz
        size = np.sqrt(px * px + py * py + pz * pz)
        if size > 1e-12 * (abs(dx) + abs(dy) + abs(dz)):
            f = solid[8] / size
            out[0] += f * px
            out[1] += f * py
            out[2] += f * pz


@njit(cache=True, nogil=True)
def _on_segment(w, i, j, weight):  # type: ignore[no-untyped-def]
    """Set the weights of the point of a segment (rows i, j of `w`) that is nearest to the origin; return its square."""
    ab2 = ab_a = 0.0
    for c in range(3):
        d = w[j, c] - w[i, c]
        ab2 += d * d
        ab_a += d * w[i, c]
    t = 0.0 if ab2 <= 0 else min(1.0, max(0.0, -ab_a / ab2))
    weight[i], weight[j] = 1 - t, t
    total = 0.0
    for c in range(3):
        p = w[i, c] + t * (w[j, c] - w[i, c])
        total += p * p
    return total


@njit(cache=True, nogil=True)
def _on_triangle(w, i, j, k, weight):  # type: ignore[no-untyped-def]
    """The same for a triangle (Ericson 5.1.5)."""
    d1 = d2 = d3 = d4 = d5 = d6 = 0.0
    for c in range(3):
        ab, ac = w[j, c] - w[i, c], w[k, c] - w[i, c]
        d1 -= ab * w[i, c]
        d2 -= ac * w[i, c]
        d3 -= ab * w[j, c]
        d4 -= ac * w[j, c]
        d5 -= ab * w[k, c]
        d6 -= ac * w[k, c]
    va, vb, vc = d3 * d6 - d5 * d4, d5 * d2 - d1 * d6, d1 * d4 - d3 * d2
    total = va + vb + vc
    if va > 0 and vb > 0 and vc > 0 and total > 0:
        a, b = vb / total, vc / total
        weight[i], weight[j], weight[k] = 1 - a - b, a, b
        square = 0.0
        for c in range(3):
            p = w[i, c] * (1 - a - b) + w[j, c] * a + w[k, c] * b
            square += p * p
        return square
    # Nearest to an edge: the best of the three is always right, and never unstable for slivers.
    trial = np.zeros(4)
    best = np.inf
    for edge in range(3):
        p, q = (i, j) if edge == 0 else ((j, k) if edge == 1 else (k, i))
        square = _on_segment(w, p, q, trial)
        if square < best:
            best = square
            weight[i] = weight[j] = weight[k] = 0.0
            weight[p], weight[q] = trial[p], trial[q]
    return best


@njit(cache=True, nogil=True)
def _on_simplex(w, count, weight):  # type: ignore[no-untyped-def]
    """Set the weights (4,) of the point of a simplex that is nearest to the origin; return its square (0: inside)."""
    weight[:] = 0.0
    if count == 1:
        weight[0] = 1.0
        return w[0, 0] ** 2 + w[0, 1] ** 2 + w[0, 2] ** 2
    if count == 2:
        return _on_segment(w, 0, 1, weight)
    if count == 3:
        return _on_triangle(w, 0, 1, 2, weight)
    best, inside = np.inf, True
    trial = np.zeros(4)
    for skip in range(4):
        i, j, k = (1, 2, 3) if skip == 0 else ((0, 2, 3) if skip == 1 else ((0, 1, 3) if skip == 2 else (0, 1, 2)))
        nx = (w[j, 1] - w[i, 1]) * (w[k, 2] - w[i, 2]) - (w[j, 2] - w[i, 2]) * (w[k, 1] - w[i, 1])
        ny = (w[j, 2] - w[i, 2]) * (w[k, 0] - w[i, 0]) - (w[j, 0] - w[i, 0]) * (w[k, 2] - w[i, 2])
        nz = (w[j, 0] - w[i, 0]) * (w[k, 1] - w[i, 1]) - (w[j, 1] - w[i, 1]) * (w[k, 0] - w[i, 0])
        origin = -(nx * w[i, 0] + ny * w[i, 1] + nz * w[i, 2])
        other = nx * (w[skip, 0] - w[i, 0]) + ny * (w[skip, 1] - w[i, 1]) + nz * (w[skip, 2] - w[i, 2])
        if origin * other > 0:
            continue  # the origin lies on the side of the fourth corner
        inside = False
        trial[:] = 0.0
        square = _on_triangle(w, i, j, k, trial)
        if square < best:
            best = square
            weight[:] = trial
    if inside:
        weight[:] = 0.25
        return 0.0
    return best


@njit(cache=True, nogil=True)
def convex_distance(a, sx, sy, sz, b, limit, at):  # type: ignore[no-untyped-def]
    """Return the distance (mm) of solid `a`, swept by (sx, sy, sz), from solid `b`; at most 0 where they meet.

    Roundings count; solids that meet with what is within the rounding give the depth as a negative number, deeper ones
    minus both roundings. What is farther than `limit` is not worked out: some number above it is returned. `at` (3,)
    gets the nearest point of `b`.
    """
    rounding = a[1] + b[1]
    w, on_b = np.empty((4, 3)), np.empty((4, 3))
    weight = np.zeros(4)
    pa, pb, v = np.empty(3), np.empty(3), np.empty(3)
    _farthest(a, 1.0, 0.0, 0.0, pa)
    _farthest(b, -1.0, 0.0, 0.0, pb)
    for c in range(3):
        v[c] = w[0, c] = pa[c] - pb[c]
        on_b[0, c] = pb[c]
    weight[0] = 1.0
    count, square, least = 1, v[0] ** 2 + v[1] ** 2 + v[2] ** 2, 0.0
    for rounds in range(_MOST + 1):
        if rounds == _MOST:
            # It did not come to an end: what is certain counts, so that nothing is believed to be free that is not.
            square = least * least
            break
        if square <= _TOUCHING2:
            square = 0.0
            break
        _farthest(a, -v[0], -v[1], -v[2], pa)
        if sx * v[0] + sy * v[1] + sz * v[2] < 0:
            pa[0] += sx
            pa[1] += sy
            pa[2] += sz
        _farthest(b, v[0], v[1], v[2], pb)
        along = v[0] * (pa[0] - pb[0]) + v[1] * (pa[1] - pb[1]) + v[2] * (pa[2] - pb[2])
        length = np.sqrt(square)
        least = max(least, along / length)
        if along / length - rounding > limit:
            return along / length - rounding
        if square - along <= _ENOUGH * square:
            break
        known = False
        for k in range(count):
            if w[k, 0] == pa[0] - pb[0] and w[k, 1] == pa[1] - pb[1] and w[k, 2] == pa[2] - pb[2]:
                known = True
        if known:
            break
        for c in range(3):
            w[count, c] = pa[c] - pb[c]
            on_b[count, c] = pb[c]
        count += 1
        now = _on_simplex(w, count, weight)
        # Keep what the nearest point rests on.
        kept = 0
        for k in range(count):
            if weight[k] > 0:
                weight[kept] = weight[k]
                for c in range(3):
                    w[kept, c] = w[k, c]
                    on_b[kept, c] = on_b[k, c]
                kept += 1
        count = kept
        for c in range(3):
            v[c] = 0.0
            for k in range(count):
                v[c] += weight[k] * w[k, c]
        if now >= square * (1 - 1e-14) and now > 0:
            square = min(square, now)
            break
        square = now
        if count == 4:
            square = 0.0
            break
    for c in range(3):
        at[c] = 0.0
        for k in range(count):
            at[c] += weight[k] * on_b[k, c]
    return np.sqrt(square) - rounding
