"""Rational B-spline surfaces: point, first and second derivatives, and the nearest point by Newton's method.

Piegl and Tiller, The NURBS Book (2nd ed., 1997), chapters 2 to 4.
"""

import itertools
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from truegauge.core.arrays import Points
from truegauge.core.cad.model import BSpline

SCRATCH = 36  # floats for `project`: nothing is allocated a point
_CLOSED = 1e-6  # mm


def evaluate_many(spline: BSpline, uv: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return (n, 6, 3): S, Su, Sv, Suu, Suv, Svv at parameters (n, 2)."""
    out = np.empty((len(uv), 6, 3))
    _evaluate_all(*packed(spline), np.ascontiguousarray(uv, dtype=np.float64), out)
    return out


class Patches(NamedTuple):
    """A surface cut at its knots into polynomial patches, for the kernels.

    `breaks_u`, `breaks_v` are the distinct knots; `coefficients` (flat) hold for each patch, row by row, the powers of
    the local parameters in [-1, 1], four homogeneous numbers each; without weights the fourth is left out of account.
    """

    degree_u: int
    degree_v: int
    breaks_u: NDArray[np.float64]
    breaks_v: NDArray[np.float64]
    coefficients: NDArray[np.float64]
    rational: bool


def packed(spline: BSpline) -> Patches:
    """Return the polynomial patches of a surface.

    Polynomials are evaluated several times faster than the recurrence of the basis functions; about the middle of
    their patch they lose no digits that matter (1e-13 of the size of the surface).
    """
    homogeneous = np.concatenate([spline.poles * spline.weights[..., None], spline.weights[..., None]], axis=2)
    breaks_u, basis_u = span_polynomials(spline.knots_u, spline.degree_u)
    breaks_v, basis_v = span_polynomials(spline.knots_v, spline.degree_v)
    blocks = []
    for first_u, polynomials_u in basis_u:
        for first_v, polynomials_v in basis_v:
            net = homogeneous[first_u : first_u + spline.degree_u + 1, first_v : first_v + spline.degree_v + 1]
            blocks.append(np.einsum("ia,jb,ijc->abc", polynomials_u, polynomials_v, net).ravel())
    rational = bool(np.ptp(spline.weights) > 1e-15 * np.abs(spline.weights).max())
    if not rational and spline.weights.flat[0] != 1.0:
        blocks = [x / spline.weights.flat[0] for x in blocks]
    return Patches(spline.degree_u, spline.degree_v, breaks_u, breaks_v, np.concatenate(blocks), rational)


def span_polynomials(
    knots: NDArray[np.float64], degree: int
) -> tuple[NDArray[np.float64], list[tuple[int, NDArray[np.float64]]]]:
    """Return the distinct knots, and for each span the first pole and the basis as powers (degree + 1, degree + 1).

    The recurrence of Cox and de Boor (A2.2), carried out on polynomials of the local parameter instead of numbers.
    """
    inner = knots[degree : knots.size - degree]
    breaks = inner[np.append(True, np.diff(inner) > 1e-14 * max(1.0, float(np.ptp(inner))))]
    found = []
    for low, high in itertools.pairwise(breaks):
        span = int(np.searchsorted(knots, (low + high) / 2)) - 1
        middle, half = (low + high) / 2, (high - low) / 2
        basis = np.zeros((1, degree + 1))
        basis[0, 0] = 1.0
        for p in range(1, degree + 1):
            higher = np.zeros((p + 1, degree + 1))
            for j in range(p + 1):
                i = span - p + j
                if j > 0 and knots[i + p] > knots[i]:
                    width = knots[i + p] - knots[i]
                    higher[j] += ((middle - knots[i]) * basis[j - 1] + half * np.roll(basis[j - 1], 1)) / width
                if j < p and knots[i + p + 1] > knots[i + 1]:
                    width = knots[i + p + 1] - knots[i + 1]
                    higher[j] += ((knots[i + p + 1] - middle) * basis[j] - half * np.roll(basis[j], 1)) / width
            basis = higher
        found.append((span - degree, basis))
    return breaks, found


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
def _project_each(pu, pv, bu, bv, coefficients, rational, points, seeds, out):  # type: ignore[no-untyped-def]
    d, trial = np.empty((6, 3)), np.empty((6, 3))
    for i in range(points.shape[0]):
        out[i, 0], out[i, 1] = project(
            pu, pv, bu, bv, coefficients, rational, points[i, 0], points[i, 1], points[i, 2], seeds[i, 0], seeds[i, 1],
            d, trial,
        )  # fmt: skip


@njit(cache=True, nogil=True)
def _patch(breaks, t):  # type: ignore[no-untyped-def]
    """Find k with breaks[k] <= t < breaks[k + 1], the last patch being closed."""
    low, high = 0, breaks.size - 1
    while high - low > 1:
        mid = (low + high) // 2
        if t < breaks[mid]:
            high = mid
        else:
            low = mid
    return low


@njit(cache=True, nogil=True)
def evaluate(pu, pv, bu, bv, coefficients, rational, u, v, out):  # type: ignore[no-untyped-def]
    """Write S, Su, Sv, Suu, Suv, Svv (6, 3) at one parameter pair to `out` (Horner's scheme in both directions)."""
    iu, iv = _patch(bu, u), _patch(bv, v)
    hu, hv = 2.0 / (bu[iu + 1] - bu[iu]), 2.0 / (bv[iv + 1] - bv[iv])
    s = (u - bu[iu]) * hu - 1.0
    t = (v - bv[iv]) * hv - 1.0
    start = 4 * (pu + 1) * (pv + 1) * (iu * (bv.size - 1) + iv)
    row = 4 * (pv + 1)
    w = wu = wv = wuu = wuv = wvv = 0.0
    for c in range(4 if rational else 3):
        c = 3 - c if rational else c  # the weight comes first: the others are divided by it
        f = fu = fuu = g = gu = h = 0.0  # value in v with derivatives in u; first and second derivative in v
        for i in range(pu, -1, -1):
            at = start + i * row + c
            a = b = d = 0.0
            for j in range(pv, -1, -1):
                d = d * t + b
                b = b * t + a
                a = a * t + coefficients[at + 4 * j]
            fuu = fuu * s + fu
            fu = fu * s + f
            f = f * s + a
            gu = gu * s + g
            g = g * s + b
            h = h * s + d
        fu, g, gu = fu * hu, g * hv, gu * hu * hv
        fuu, h = 2.0 * fuu * hu * hu, 2.0 * h * hv * hv
        if c == 3:
            w, wu, wv, wuu, wuv, wvv = f, fu, g, fuu, gu, h
            continue
        if rational:
            f /= w
            fu = (fu - wu * f) / w
            g = (g - wv * f) / w
            fuu = (fuu - 2.0 * wu * fu - wuu * f) / w
            gu = (gu - wu * g - wv * fu - wuv * f) / w
            h = (h - 2.0 * wv * g - wvv * f) / w
        out[0, c] = f
        out[1, c] = fu
        out[2, c] = g
        out[3, c] = fuu
        out[4, c] = gu
        out[5, c] = h


@njit(cache=True, nogil=True)
def _evaluate_all(pu, pv, bu, bv, coefficients, rational, uv, out):  # type: ignore[no-untyped-def]
    for i in range(uv.shape[0]):
        evaluate(pu, pv, bu, bv, coefficients, rational, uv[i, 0], uv[i, 1], out[i])


@njit(cache=True, nogil=True)
def project(pu, pv, bu, bv, coefficients, rational, px, py, pz, u, v, d, trial):  # type: ignore[no-untyped-def]
    """Newton's method for the nearest surface point from the seed (u, v), kept inside the knot range.

    Where the surface closes it goes on across the seam. Leaves S and its derivatives at the foot in `d` (6, 3), uses
    `trial` (6, 3), and returns (u, v).
    """
    u0, u1 = bu[0], bu[bu.size - 1]
    v0, v1 = bv[0], bv[bv.size - 1]
    u = min(max(u, u0), u1)
    v = min(max(v, v0), v1)
    evaluate(pu, pv, bu, bv, coefficients, rational, u, v, d)
    best = (d[0, 0] - px) ** 2 + (d[0, 1] - py) ** 2 + (d[0, 2] - pz) ** 2
    crossed = 0
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
        newton = auu > 0.0 and avv > 0.0 and auu * avv > auv * auv
        if not newton:  # not convex here: Gauss-Newton
            auu, auv, avv = guu, guv, gvv
        # A parameter at its limit that wants to go on outwards is held there.
        hold_u = (u <= u0 and fu > 0.0) or (u >= u1 and fu < 0.0)
        hold_v = (v <= v0 and fv > 0.0) or (v >= v1 and fv < 0.0)
        if (hold_u or hold_v) and crossed < 2:
            un = (u1 if u <= u0 else u0) if hold_u else u
            vn = v if hold_u else (v1 if v <= v0 else v0)
            evaluate(pu, pv, bu, bv, coefficients, rational, un, vn, trial)
            apart = (trial[0, 0] - d[0, 0]) ** 2 + (trial[0, 1] - d[0, 1]) ** 2 + (trial[0, 2] - d[0, 2]) ** 2
            if apart < _CLOSED**2:
                crossed += 1
                u, v = un, vn
                for k in range(6):
                    for c in range(3):
                        d[k, c] = trial[k, c]
                continue
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
            evaluate(pu, pv, bu, bv, coefficients, rational, un, vn, trial)
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
        # A Newton step squares the error: after one below a nanometre nothing is left to find.
        if step < (1e-6 if newton and share == 1.0 else 1e-12):
            break
    return u, v
