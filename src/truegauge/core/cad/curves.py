"""Edge curves: rational B-splines cut into polynomial pieces, and the nearest place on them by Newton's method.

Piegl and Tiller, The NURBS Book (2nd ed., 1997), chapters 2 to 4 and 6.1.
"""

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from truegauge.core.arrays import Ints, Points
from truegauge.core.cad.bspline import span_polynomials
from truegauge.core.cad.model import BSplineCurve

_SAMPLES = 8  # of each piece, as starts
_MOST_SAMPLES = 400


class Curves(NamedTuple):
    """Curves for the kernels.

    `info` (n, 8): degree, first and number of breaks, first coefficient, whether rational, first and number of samples,
    whether closed. `breaks` are the distinct knots, `coefficients` powers of the local parameter in [-1, 1], four
    homogeneous numbers each; `samples` (s, 4): parameter and place.
    """

    info: NDArray[np.int64]
    breaks: NDArray[np.float64]
    coefficients: NDArray[np.float64]
    samples: NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class _Pieces:
    breaks: NDArray[np.float64]
    coefficients: NDArray[np.float64]
    rational: bool


def polyline_curve(points: Points) -> BSplineCurve:
    """Return straight pieces through points (k, 3) as a curve."""
    places = np.arange(len(points), dtype=np.float64)
    return BSplineCurve(1, np.concatenate([places[:1], places, places[-1:]]), points, np.ones(len(points)))


def packed_curves(curves: list[BSplineCurve]) -> Curves:
    """Return curves for the kernels."""
    info = np.zeros((len(curves), 8), dtype=np.int64)
    breaks, coefficients, samples = [np.zeros(0)], [np.zeros(0)], [np.zeros((0, 4))]
    counts = [0, 0, 0]
    for n, curve in enumerate(curves):
        own = _pieces(curve)
        each = max(2, min(_SAMPLES, _MOST_SAMPLES // (len(own.breaks) - 1)))
        if curve.degree == 1:
            each = 1
        inner = [np.linspace(a, b, each, endpoint=False) for a, b in zip(own.breaks, own.breaks[1:], strict=False)]
        at = np.append(np.concatenate(inner), own.breaks[-1])
        row = np.array([curve.degree, counts[0], len(own.breaks), counts[1], own.rational, counts[2], len(at), 0])
        places = _evaluate_all(row, own.breaks, own.coefficients, at)
        size = float(np.abs(np.ptp(places, axis=0)).max())
        row[7] = len(at) > 2 and float(np.linalg.norm(places[0] - places[-1])) < 1e-6 * max(size, 1e-9)
        if row[7] and curve.degree > 1:
            row[7] = _goes_on(row, own)
        info[n] = row
        breaks.append(own.breaks)
        coefficients.append(own.coefficients)
        samples.append(np.column_stack([at, places]))
        counts = [counts[0] + len(own.breaks), counts[1] + len(own.coefficients), counts[2] + len(at)]
    return Curves(info, np.concatenate(breaks), np.concatenate(coefficients), np.vstack(samples))


def _pieces(curve: BSplineCurve) -> _Pieces:
    weights = np.ones(len(curve.weights)) if curve.degree == 1 else curve.weights  # they only shift the parameter
    homogeneous = np.column_stack([curve.poles * weights[:, None], weights])
    breaks, spans = span_polynomials(curve.knots, curve.degree)
    blocks = [(basis.T @ homogeneous[first : first + curve.degree + 1]).ravel() for first, basis in spans]
    rational = bool(np.ptp(weights) > 1e-15 * np.abs(weights).max())
    found = np.concatenate(blocks)
    if not rational and weights[0] != 1.0:
        found = found / weights[0]
    return _Pieces(breaks, found, rational)


def _evaluate_all(
    row: Ints, breaks: NDArray[np.float64], coefficients: NDArray[np.float64], at: NDArray[np.float64]
) -> Points:
    info = row.copy()[None]
    info[0, 1] = info[0, 3] = 0
    out, places = np.empty(9), np.empty((len(at), 3))
    for k, t in enumerate(at):
        evaluate_curve(info, breaks, coefficients, 0, float(t), out)
        places[k] = out[:3]
    return places


@njit(cache=True, nogil=True)
def evaluate_curve(info, breaks, coefficients, e, t, out):  # type: ignore[no-untyped-def]
    """Write C, C', C'' (9 numbers) of curve `e` at a parameter to `out`."""
    degree, first, count = info[e, 0], info[e, 1], info[e, 2]
    low, high = 0, count - 1
    while high - low > 1:
        mid = (low + high) // 2
        if t < breaks[first + mid]:
            high = mid
        else:
            low = mid
    scale = 2.0 / (breaks[first + low + 1] - breaks[first + low])
    s = (t - breaks[first + low]) * scale - 1.0
    start = info[e, 3] + 4 * (degree + 1) * low
    rational = info[e, 4] != 0
    w = wd = wdd = 0.0
    for c in range(4 if rational else 3):
        c = 3 - c if rational else c  # the weight comes first: the others are divided by it
        f = d = h = 0.0
        for i in range(degree, -1, -1):
            h = h * s + d
            d = d * s + f
            f = f * s + coefficients[start + 4 * i + c]
        d, h = d * scale, 2.0 * h * scale * scale
        if c == 3:
            w, wd, wdd = f, d, h
            continue
        if rational:
            f /= w
            d = (d - wd * f) / w
            h = (h - 2.0 * wd * d - wdd * f) / w
        out[c] = f
        out[3 + c] = d
        out[6 + c] = h


def _goes_on(row: Ints, pieces: _Pieces) -> bool:
    """Tell whether a curve ends in the direction in which it begins: at a kink it cannot be followed across."""
    out, ways = np.empty(9), []
    for t in (pieces.breaks[0], pieces.breaks[-1]):
        info = row.copy()[None]
        info[0, 1] = info[0, 3] = 0
        evaluate_curve(info, pieces.breaks, pieces.coefficients, 0, float(t), out)
        ways.append(out[3:6] / max(float(np.linalg.norm(out[3:6])), 1e-300))
    return bool(ways[0] @ ways[1] > 1.0 - 1e-6)


@njit(cache=True, nogil=True)
def _on_chords(info, samples, e, px, py, pz):  # type: ignore[no-untyped-def]
    """Return the parameter of curve `e` where the chords between its samples are nearest to p, and the next sample."""
    first, count = info[e, 5], info[e, 6]
    best, t, at = np.inf, samples[first, 0], first
    for k in range(first, first + count - 1):
        dot = square = 0.0
        for c in range(3):
            side = samples[k + 1, 1 + c] - samples[k, 1 + c]
            dot += ((px if c == 0 else (py if c == 1 else pz)) - samples[k, 1 + c]) * side
            square += side * side
        share = min(max(dot / square, 0.0), 1.0) if square > 0.0 else 0.0
        d = 0.0
        for c in range(3):
            there = samples[k, 1 + c] + share * (samples[k + 1, 1 + c] - samples[k, 1 + c])
            d += (there - (px if c == 0 else (py if c == 1 else pz))) ** 2
        if d < best:
            best, at = d, k + 1 if share > 0.5 else k
            t = samples[k, 0] + share * (samples[k + 1, 0] - samples[k, 0])
    return t, at


@njit(cache=True, nogil=True)
def nearest_on_curve(info, breaks, coefficients, samples, e, nx, ny, nz, px, py, pz, out):  # type: ignore[no-untyped-def]
    """Find the place of curve `e` nearest to p, begun beside (nx, ny, nz).

    Leaves C, C', C'' in `out` and returns (distance^2, sample next to the start, whether it is an end of the curve).
    """
    low, high = breaks[info[e, 1]], breaks[info[e, 1] + info[e, 2] - 1]
    closed = info[e, 7] != 0
    straight = info[e, 0] == 1
    if straight:  # between its samples there is nothing else: the nearest place is found at once
        t, at = _on_chords(info, samples, e, px, py, pz)
    else:
        t, at = _on_chords(info, samples, e, nx, ny, nz)
    evaluate_curve(info, breaks, coefficients, e, t, out)
    here = (out[0] - px) ** 2 + (out[1] - py) ** 2 + (out[2] - pz) ** 2
    held = False
    for _ in range(0 if straight else 40):
        g = h = j = 0.0
        for c in range(3):
            r = out[c] - (px if c == 0 else (py if c == 1 else pz))
            g += r * out[3 + c]
            h += out[3 + c] * out[3 + c]
            j += r * out[6 + c]
        if h <= 0.0:
            break
        held = not closed and ((t <= low and g > 0.0) or (t >= high and g < 0.0))
        if held:
            break
        step = -g / (h + j if h + j > 0.1 * h else h)
        share, moved = 1.0, False
        old = t
        for _ in range(20):
            t = old + share * step
            if closed:
                if t < low:
                    t = high - (low - t) if low - t < high - low else low
                elif t > high:
                    t = low + (t - high) if t - high < high - low else high
            else:
                t = min(max(t, low), high)
            evaluate_curve(info, breaks, coefficients, e, t, out)
            now = (out[0] - px) ** 2 + (out[1] - py) ** 2 + (out[2] - pz) ** 2
            if now <= here * (1.0 + 1e-14) + 1e-28:
                moved = True
                break
            share *= 0.5
        if not moved:
            t = old
            evaluate_curve(info, breaks, coefficients, e, t, out)
            break
        here = min(now, here)
        if abs(share * step) * np.sqrt(h) < 1e-11:
            break
    if not held and not closed:
        held = t <= low or t >= high
    return (out[0] - px) ** 2 + (out[1] - py) ** 2 + (out[2] - pz) ** 2, at, held
