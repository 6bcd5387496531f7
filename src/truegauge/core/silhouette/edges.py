"""Edges of a shadow along rays, to a small part of a pixel.

Behind a lens a straight edge is a Gaussian's integral between dark and light. Where along a ray that lies is fitted by
least squares to the samples about the steepest place, its dark and its light taken from either side of it.
"""

from __future__ import annotations

import math
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cache
from typing import TYPE_CHECKING, Literal

import numpy as np
from numba import njit

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from truegauge.core.arrays import Floats, Ints

    Picture = NDArray[np.uint8]  # (rows, columns) grey, 0 dark

Turn = Literal["to light", "to dark", "either"]
Chosen = Literal["strongest", "first"]

READING = 0.25  # px2, the variance that an edge has from pixels and from reading between them
LEAST_CONTRAST = 25.0  # of 255, between dark and light
_TURNS = {"to light": 1, "to dark": -1, "either": 0}
_STEEP = 0.35  # of the least contrast, by which two samples beside each other differ at an edge
_BESIDE, _SIDE = 2.6, 4  # blurs off an edge begins what is dark or light; samples of it
_FITTED = 2.2  # blurs to either side, that are fitted
_ABOUT = 2.5  # blurs to either side, that are counted first
_ROOT, _HALF = math.sqrt(2.0 * math.pi), math.sqrt(0.5)
_TURNS_MOST = 8
_FOR_TWO = 600  # rays, from which on two threads look along them
_SETTLED = 0.05  # px: the next step would be a hundredth of it


@dataclass(frozen=True, slots=True, eq=False)
class EdgePoints:
    """Places (n, 2) px on an edge, one a ray, NaN where a ray has none; how far along it (n,) and its contrast (n,)."""

    places: Floats
    along: Floats
    contrast: Floats


def edges_along(
    picture: Picture, starts: Floats, ways: Floats, length: float, blur: float, *, turn: Turn = "either",
    chosen: Chosen = "strongest", least: float = LEAST_CONTRAST,
) -> EdgePoints:  # fmt: skip
    """Find the edge along each ray.

    Parameters
    ----------
    starts, ways : (n, 2) float64
        Where rays begin, px, and unit vectors along them; `length` px is how long they are.
    blur : float
        Standard deviation of the lens, px.
    turn : str
        From dark to light along the ray, back, or either.
    chosen : str
        The strongest edge of a ray, or the first that is one.
    least : float
        The contrast that an edge has at least, of 255.
    """
    kinds = np.tile(kind_of(turn, chosen), (len(starts), 1))
    return edges_of_rays(picture, starts, ways, np.full(len(starts), float(length)), blur, kinds, least)


def kind_of(turn: Turn, chosen: Chosen) -> tuple[int, int]:
    """Return how an edge is looked for, as numbers: its turn, and whether the first one is meant."""
    return _TURNS[turn], int(chosen == "first")


def edges_of_rays(
    picture: Picture, starts: Floats, ways: Floats, lengths: Floats, blur: float, kinds: Ints,
    least: float = LEAST_CONTRAST,
) -> EdgePoints:  # fmt: skip
    """Find the edge along each ray, as `edges_along` does; every ray has a length (n,) and a kind (n, 2) of its own."""
    along, contrast = np.full(len(starts), np.nan), np.zeros(len(starts))
    starts, ways = np.ascontiguousarray(starts, dtype=np.float64), np.ascontiguousarray(ways, dtype=np.float64)
    half = len(starts) // 2 if len(starts) > _FOR_TWO else len(starts)

    def find(rows: slice) -> None:
        _find(picture, starts[rows], ways[rows], lengths[rows], float(blur), kinds[rows], float(least), along[rows],
              contrast[rows])  # fmt: skip

    other = _pool().submit(find, slice(half, None)) if half < len(starts) else None
    find(slice(0, half))
    if other is not None:
        other.result()
    return EdgePoints(starts + along[:, None] * ways, along, contrast)


@cache
def _pool() -> ThreadPoolExecutor:
    """A second thread: what is compiled waits for no other."""
    return ThreadPoolExecutor(1, "edges")


@njit(cache=True, nogil=True)
def _find(picture, starts, ways, lengths, blur, kinds, least, along, contrast):  # type: ignore[no-untyped-def]
    longest = 0.0
    for i in range(len(starts)):
        longest = max(longest, lengths[i])
    room = np.empty(math.floor(longest) + 1)
    high, wide = picture.shape
    for i in range(len(starts)):
        samples = room[: math.floor(lengths[i]) + 1]
        inside = _sample(picture, starts[i, 0], starts[i, 1], ways[i, 0], ways[i, 1], samples, high, wide)
        at = _steepest(samples, inside, kinds[i, 0], kinds[i, 1] == 1, least)
        if at < 0.0:
            continue
        x, height = _fit(samples, inside, at, blur)
        if height >= least:
            along[i], contrast[i] = x, height


@njit(cache=True, nogil=True)
def _sample(picture, x0, y0, dx, dy, samples, high, wide):  # type: ignore[no-untyped-def]
    """Read a ray a pixel apart, between four pixels each; return how many samples are inside of the picture."""
    for k in range(len(samples)):
        x, y = x0 + k * dx, y0 + k * dy
        if not (0.0 <= x <= wide - 1.0 and 0.0 <= y <= high - 1.0):
            if k == 0:
                return 0
            return k
        c, r = min(int(x), wide - 2), min(int(y), high - 2)
        u, v = x - c, y - r
        above = picture[r, c] * (1.0 - u) + picture[r, c + 1] * u
        below = picture[r + 1, c] * (1.0 - u) + picture[r + 1, c + 1] * u
        samples[k] = above * (1.0 - v) + below * v
    return len(samples)


@njit(cache=True, nogil=True)
def _steepest(samples, count, turn, first, least):  # type: ignore[no-untyped-def]
    """Return where samples change most, or first, from dark to light (1), back (-1) or either (0); -1: nowhere."""
    best, found = _STEEP * least, -1.0
    for k in range(1, count - 1):
        slope = 0.5 * (samples[k + 1] - samples[k - 1])
        size = abs(slope) if turn == 0 else turn * slope
        if size > best:
            best, found = size, float(k)
        elif first and found >= 0.0:
            break
    return found


@njit(cache=True, nogil=True)
def _fit(samples, count, at, blur):  # type: ignore[no-untyped-def]
    """Return where along the ray the edge is, and its contrast: 0 where it has no dark or no light beside it."""
    x, rises = at, samples[int(at) + 1] > samples[int(at) - 1]
    spread = math.sqrt(blur * blur + READING)
    size = 0.0
    for turn in range(_TURNS_MOST):
        low, high = _level(samples, count, x, -1, spread), _level(samples, count, x, 1, spread)
        size = high - low
        if math.isnan(size) or (size > 0.0) != rises:
            return math.nan, 0.0
        if turn == 0:  # as far as what is light of the samples about it tells: near enough for one step
            first, last = max(0, math.floor(x - _ABOUT * spread)), min(count - 1, math.ceil(x + _ABOUT * spread))
            light = 0.0
            for k in range(first, last + 1):
                light += min(max((samples[k] - low) / size, 0.0), 1.0)
            x = min(max(last + 0.5 - light, x - 1.0), x + 1.0)
            continue
        top, steep = 0.0, 0.0
        reach = _FITTED * spread
        for k in range(max(0, math.ceil(x - reach)), min(count - 1, math.floor(x + reach)) + 1):
            z = (k - x) / spread
            slope = size * math.exp(-0.5 * z * z) / (spread * _ROOT)
            top += (low + size * 0.5 * (1.0 + math.erf(z * _HALF)) - samples[k]) * slope
            steep += slope * slope
        if steep == 0.0:
            return math.nan, 0.0
        step = min(max(top / steep, -1.0), 1.0)
        x += step
        if abs(step) < _SETTLED:
            break
    if not 0.0 <= x <= count - 1.0:
        return math.nan, 0.0
    return x, abs(size)


@njit(cache=True, nogil=True)
def _level(samples, count, x, side, spread):  # type: ignore[no-untyped-def]
    """Return the mean of some samples on a side of an edge, as far as there are any; NaN where there are none."""
    total, many = 0.0, 0
    start = x + side * _BESIDE * spread
    k = math.ceil(start) if side > 0 else math.floor(start)
    while 0 <= k < count and many < _SIDE:
        total += samples[k]
        many += 1
        k += side
    return total / many if many else math.nan


def blur_of(picture: Picture, starts: Floats, ways: Floats, length: float, along: Floats) -> float:
    """Return the blur of the lens, px: that with which edges found `along` (n,) rays fit their samples best; or NaN."""
    from scipy.optimize import minimize_scalar

    known = np.isfinite(along)
    if not known.any():
        return float("nan")
    starts, ways = np.ascontiguousarray(starts[known]), np.ascontiguousarray(ways[known])

    def off(blur: float) -> float:
        return float(_misfit(picture, starts, ways, float(length), float(blur), along[known]))

    return float(minimize_scalar(off, bounds=(0.2, 6.0), method="bounded", options={"xatol": 1e-3}).x)


@njit(cache=True, nogil=True)
def _misfit(picture, starts, ways, length, blur, along):  # type: ignore[no-untyped-def]
    """The sum of squares that edges of a blur leave of the samples of rays, each with the dark and light that fits."""
    samples = np.empty(math.floor(length) + 1)
    spread, total = math.sqrt(blur * blur + READING), 0.0
    for i in range(len(starts)):
        count = _sample(picture, starts[i, 0], starts[i, 1], ways[i, 0], ways[i, 1], samples, *picture.shape)
        m = s = mm = sm = ss = 0.0
        for k in range(count):
            p = 0.5 * (1.0 + math.erf((k - along[i]) / spread / math.sqrt(2.0)))
            m, s, mm, sm, ss = m + p, s + samples[k], mm + p * p, sm + p * samples[k], ss + samples[k] * samples[k]
        a = mm - m * m / count
        b = sm - m * s / count
        total += (ss - s * s / count) - (b * b / a if a > 0.0 else 0.0)
    return total
