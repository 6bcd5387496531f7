"""Rational B-spline surfaces: point, first and second derivatives, and the nearest point by Newton's method.

Piegl and Tiller, The NURBS Book (2nd ed., 1997), algorithms A2.1, A2.3 and A4.4.
"""

import itertools

import numpy as np
from numba import njit
from numpy.typing import NDArray

from truegauge.core.arrays import Points
from truegauge.core.cad.model import BSpline

MAX_DEGREE = 14
_ROW = MAX_DEGREE + 1
# Floats of scratch for `project` and the derivatives in front of it: nothing is allocated a point.
SCRATCH = 18 + 18 + 24 + 6 * _ROW + _ROW * _ROW + 4 * _ROW


def evaluate_many(spline: BSpline, uv: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return (n, 6, 3): S, Su, Sv, Suu, Suv, Svv at parameters (n, 2)."""
    out = np.empty((len(uv), 6, 3))
    _evaluate_all(*packed(spline), np.ascontiguousarray(uv, dtype=np.float64), out)
    return out


def packed(spline: BSpline) -> tuple[int, int, NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Return (degree_u, degree_v, knots_u, knots_v, weighted homogeneous poles (nu, nv, 4)) for the kernels."""
    homogeneous = np.concatenate([spline.poles * spline.weights[..., None], spline.weights[..., None]], axis=2)
    return spline.degree_u, spline.degree_v, spline.knots_u, spline.knots_v, np.ascontiguousarray(homogeneous)


def nearest_parameters(spline: BSpline, points: Points) -> NDArray[np.float64]:
    """Return the parameters (n, 2) of the nearest surface points, found without a start: a grid, then Newton."""
    from scipy.spatial import cKDTree

    u, v = (_samples(k, d) for k, d in ((spline.knots_u, spline.degree_u), (spline.knots_v, spline.degree_v)))
    grid = np.array(np.meshgrid(u, v, indexing="ij")).reshape(2, -1).T
    tree = cKDTree(evaluate_many(spline, grid)[:, 0])
    seeds: NDArray[np.float64] = grid[tree.query(points)[1]]
    out = np.empty_like(seeds)
    _project_each(*packed(spline), np.ascontiguousarray(points), seeds, out)
    return out


def _samples(knots: NDArray[np.float64], degree: int) -> NDArray[np.float64]:
    spans = np.unique(knots[degree : knots.size - degree])
    steps = max(3, min(24, 240 // len(spans)))
    return np.asarray(np.unique(np.concatenate([np.linspace(a, b, steps + 1) for a, b in itertools.pairwise(spans)])))


@njit(cache=True, nogil=True)
def _project_each(pu, pv, ku, kv, poles, points, seeds, out):  # type: ignore[no-untyped-def]
    scratch = np.empty(SCRATCH)
    d = scratch[:18].reshape((6, 3))
    for i in range(points.shape[0]):
        out[i, 0], out[i, 1] = project(
            pu, pv, ku, kv, poles, points[i, 0], points[i, 1], points[i, 2], seeds[i, 0], seeds[i, 1], d, scratch[18:]
        )


@njit(cache=True, nogil=True)
def _span(knots, degree, t):  # type: ignore[no-untyped-def]
    """Find k with knots[k] <= t < knots[k + 1] (A2.1), the last span being closed."""
    n = knots.size - degree - 2
    if t >= knots[n + 1]:
        return n
    low, high = degree, n + 1
    while high - low > 1:
        mid = (low + high) // 2
        if t < knots[mid]:
            high = mid
        else:
            low = mid
    return low


@njit(cache=True, nogil=True)
def _basis(knots, degree, span, t, out, work):  # type: ignore[no-untyped-def]
    """Write the basis functions and their first two derivatives (3, degree + 1) to `out`.

    The derivatives follow from the bases of lower degree: N'(p) = p (N(p-1)_i / .. - N(p-1)_i+1 / ..).
    """
    ndu = work[: _ROW * _ROW].reshape((_ROW, _ROW))
    rest = work[_ROW * _ROW :]
    left, right, a = rest[:_ROW], rest[_ROW : 2 * _ROW], rest[2 * _ROW : 4 * _ROW].reshape((2, _ROW))
    ndu[0, 0] = 1.0
    for j in range(1, degree + 1):
        left[j] = t - knots[span + 1 - j]
        right[j] = knots[span + j] - t
        saved = 0.0
        for r in range(j):
            ndu[j, r] = right[r + 1] + left[j - r]
            temp = ndu[r, j - 1] / ndu[j, r]
            ndu[r, j] = saved + right[r + 1] * temp
            saved = left[j - r] * temp
        ndu[j, j] = saved
    for j in range(degree + 1):
        out[0, j] = ndu[j, degree]
    for r in range(degree + 1):
        s1, s2 = 0, 1
        a[0, 0] = 1.0
        factor = float(degree)
        for k in range(1, 3):
            if k > degree:
                out[k, r] = 0.0
                continue
            d = 0.0
            rk, pk = r - k, degree - k
            if r >= k:
                a[s2, 0] = a[s1, 0] / ndu[pk + 1, rk]
                d = a[s2, 0] * ndu[rk, pk]
            j1 = 1 if rk >= -1 else -rk
            j2 = k - 1 if r - 1 <= pk else degree - r
            for j in range(j1, j2 + 1):
                a[s2, j] = (a[s1, j] - a[s1, j - 1]) / ndu[pk + 1, rk + j]
                d += a[s2, j] * ndu[rk + j, pk]
            if r <= pk:
                a[s2, k] = -a[s1, k - 1] / ndu[pk + 1, r]
                d += a[s2, k] * ndu[r, pk]
            out[k, r] = d * factor
            factor *= pk
            s1, s2 = s2, s1
    return


@njit(cache=True, nogil=True)
def evaluate(pu, pv, ku, kv, poles, u, v, out, work):  # type: ignore[no-untyped-def]
    """Write S, Su, Sv, Suu, Suv, Svv (6, 3) at one parameter pair to `out`."""
    h = work[:24].reshape((6, 4))  # homogeneous, in the order of `out`
    nu = work[24 : 24 + 3 * _ROW].reshape((3, _ROW))
    nv = work[24 + 3 * _ROW : 24 + 6 * _ROW].reshape((3, _ROW))
    work = work[24 + 6 * _ROW :]
    su, sv = _span(ku, pu, u), _span(kv, pv, v)
    _basis(ku, pu, su, u, nu, work)
    _basis(kv, pv, sv, v, nv, work)
    h[:] = 0.0
    for i in range(pu + 1):
        for j in range(pv + 1):
            pole = poles[su - pu + i, sv - pv + j]
            b0 = nu[0, i] * nv[0, j]
            b1 = nu[1, i] * nv[0, j]
            b2 = nu[0, i] * nv[1, j]
            b3 = nu[2, i] * nv[0, j]
            b4 = nu[1, i] * nv[1, j]
            b5 = nu[0, i] * nv[2, j]
            for c in range(4):
                h[0, c] += b0 * pole[c]
                h[1, c] += b1 * pole[c]
                h[2, c] += b2 * pole[c]
                h[3, c] += b3 * pole[c]
                h[4, c] += b4 * pole[c]
                h[5, c] += b5 * pole[c]
    w = h[0, 3]
    for c in range(3):
        s = h[0, c] / w
        du = (h[1, c] - h[1, 3] * s) / w
        dv = (h[2, c] - h[2, 3] * s) / w
        out[0, c] = s
        out[1, c] = du
        out[2, c] = dv
        out[3, c] = (h[3, c] - 2.0 * h[1, 3] * du - h[3, 3] * s) / w
        out[4, c] = (h[4, c] - h[1, 3] * dv - h[2, 3] * du - h[4, 3] * s) / w
        out[5, c] = (h[5, c] - 2.0 * h[2, 3] * dv - h[5, 3] * s) / w


@njit(cache=True, nogil=True)
def _evaluate_all(pu, pv, ku, kv, poles, uv, out):  # type: ignore[no-untyped-def]
    work = np.empty(SCRATCH)
    for i in range(uv.shape[0]):
        evaluate(pu, pv, ku, kv, poles, uv[i, 0], uv[i, 1], out[i], work)


@njit(cache=True, nogil=True)
def project(pu, pv, ku, kv, poles, px, py, pz, u, v, d, work):  # type: ignore[no-untyped-def]
    """Newton's method for the nearest surface point from the seed (u, v), kept inside the knot range.

    Leaves S and its derivatives at the foot in `d` (6, 3) and returns (u, v).
    """
    u0, u1 = ku[pu], ku[ku.size - pu - 1]
    v0, v1 = kv[pv], kv[kv.size - pv - 1]
    trial, work = work[:18].reshape((6, 3)), work[18:]
    u = min(max(u, u0), u1)
    v = min(max(v, v0), v1)
    evaluate(pu, pv, ku, kv, poles, u, v, d, work)
    best = (d[0, 0] - px) ** 2 + (d[0, 1] - py) ** 2 + (d[0, 2] - pz) ** 2
    for _ in range(30):
        fu = fv = huu = huv = hvv = guu = guv = gvv = 0.0
        for c in range(3):
            r = d[0, c] - (px if c == 0 else (py if c == 1 else pz))
            fu += r * d[1, c]
            fv += r * d[2, c]
            guu += d[1, c] * d[1, c]
            guv += d[1, c] * d[2, c]
            gvv += d[2, c] * d[2, c]
            huu += r * d[3, c]
            huv += r * d[4, c]
            hvv += r * d[5, c]
        auu, auv, avv = guu + huu, guv + huv, gvv + hvv
        if not (auu > 0.0 and avv > 0.0 and auu * avv > auv * auv):  # not convex here: Gauss-Newton
            auu, auv, avv = guu, guv, gvv
        # A parameter at its limit that wants to go on outwards is held there.
        hold_u = (u <= u0 and fu > 0.0) or (u >= u1 and fu < 0.0)
        hold_v = (v <= v0 and fv > 0.0) or (v >= v1 and fv < 0.0)
        if hold_u and hold_v:
            break
        if hold_u:
            su, sv = 0.0, -fv / avv
        elif hold_v:
            su, sv = -fu / auu, 0.0
        else:
            det = auu * avv - auv * auv
            if det == 0.0:
                break
            su, sv = -(avv * fu - auv * fv) / det, -(auu * fv - auv * fu) / det
        moved = False
        share = 1.0
        for _ in range(8):
            un = min(max(u + share * su, u0), u1)
            vn = min(max(v + share * sv, v0), v1)
            evaluate(pu, pv, ku, kv, poles, un, vn, trial, work)
            now = (trial[0, 0] - px) ** 2 + (trial[0, 1] - py) ** 2 + (trial[0, 2] - pz) ** 2
            if now <= best * (1.0 + 1e-14) + 1e-28:
                moved = True
                break
            share *= 0.5
        if not moved:
            break
        step = abs(un - u) * np.sqrt(guu) + abs(vn - v) * np.sqrt(gvv)
        u, v, best = un, vn, min(now, best)
        for k in range(6):
            for c in range(3):
                d[k, c] = trial[k, c]
        if step < 1e-12:
            break
    return u, v
