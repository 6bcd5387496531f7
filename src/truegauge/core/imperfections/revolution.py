"""A surface of revolution: its axis, and the profile that is turned about it, found so that dents do not pull them."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.errors import EvaluationError
from truegauge.core.imperfections.charts import axes_with

if TYPE_CHECKING:
    from scipy.interpolate import CubicSpline

    from truegauge.core.arrays import Floats, Normals, Points, Vector
    from truegauge.core.imperfections.cells import Cells

_SAMPLE = 6_000  # points that the axis is found by
_BINS = 80  # rings of the profile while the axis is looked for
_LEAST = 12  # points of a ring
_RING, _RINGS = 3, 4  # cells of a ring, and rings of a profile, at least
_NEIGHBOURS = 14
_LINE = 1e-4  # of its length that a surface is wide at least
_FLAT = 0.94  # of a normal along the axis (20° from it) from which a place is no side of a body of revolution
_MOST_FLAT = 0.3
_TUKEY, _TURNS = 4.685, 8
_SETTLING = 3
_AS_WELL, _OTHER = 2.0, np.cos(np.radians(20.0))  # how much worse another axis may do, and how near it may be
_MEDIAN = 1.2533  # noise of a median, times that of a mean


def axis_of(points: Points, normals: Normals | None) -> tuple[Vector, Vector]:
    """Return a point and the direction (3,) of the axis of a surface of revolution.

    All normals of such a surface meet its axis, which a linear complex of lines tells at once (Pottmann and Randrup,
    Rotational and helical surface approximation, Computing 60, 1998). From there the radii are made to depend on the
    place along the axis only, robustly.

    Parameters
    ----------
    points : (n, 3) float64
        mm.
    normals : (n, 3), optional
        Without them they are taken from the points around each.

    Raises
    ------
    EvaluationError
        It is no surface of revolution, or lies too flat to its axis.
    """
    rng = np.random.default_rng(0)
    rows = rng.choice(len(points), _SAMPLE, replace=False) if len(points) > _SAMPLE else np.arange(len(points))
    some = points[rows]
    ways = _normals_of(some, points) if normals is None or not np.any(normals) else np.asarray(normals)[rows]
    middle = some.mean(axis=0)
    extents = np.linalg.svd(some - middle, compute_uv=False)
    if extents[1] <= _LINE * extents[0]:
        raise EvaluationError("the points lie in one place or on a line: they are no surface")
    size = float(np.sqrt(np.square(some - middle).sum(axis=1).mean()))
    p = (some - middle) / size
    found = sorted((_settled(p, *start) for start in _starts(p, ways)), key=lambda one: one[0])
    scale, origin, direction = found[0]
    for other in found[1:]:
        if other[0] < _AS_WELL * scale and abs(other[2] @ direction) < _OTHER:
            raise EvaluationError(
                "the surface is one of revolution about several axes: "
                "take a sphere, a plane or a smooth surface as its reference"
            )
    flat = float(np.mean(np.abs(ways @ direction) > _FLAT * np.maximum(np.linalg.norm(ways, axis=1), 1e-12)))
    if flat > _MOST_FLAT:
        raise EvaluationError(
            "the surface lies flat to its axis: its sides are what a surface of revolution is told by. "
            "Take a smooth surface or a plane as its reference"
        )
    direction = direction * np.sign(direction[int(np.argmax(np.abs(direction)))])
    return middle + size * origin, direction


def _normals_of(some: Points, points: Points) -> Normals:
    """Return the normals (m, 3) of some of the points, by those around each."""
    from scipy.spatial import cKDTree

    _, near = cKDTree(points).query(some, k=_NEIGHBOURS)
    around = points[near] - points[near].mean(axis=1, keepdims=True)
    return np.asarray(np.linalg.eigh(np.einsum("nki,nkj->nij", around, around))[1][:, :, 0])


def _starts(p: Points, ways: Normals) -> list[tuple[Vector, Vector]]:
    """Return axes to begin from: those of the linear complexes that the normals fit best."""
    lines = np.column_stack([np.cross(p, ways), ways])  # (moment, direction) of each normal
    used = np.ones(len(p), dtype=bool)
    found: list[tuple[Vector, Vector]] = []
    for _ in range(3):
        gram = lines[used].T @ lines[used]
        # The direction of the axis has the length 1: its moment is free.
        a, b, c = gram[:3, :3], gram[:3, 3:], gram[3:, 3:]
        free = np.linalg.pinv(c)
        _, vectors = np.linalg.eigh(a - b @ free @ b.T)
        found = []
        for k in range(3):
            direction = vectors[:, k]
            moment = -free @ b.T @ direction
            found.append((np.cross(direction, moment - direction * (moment @ direction)), direction))
        best = np.concatenate([vectors[:, 0], -free @ b.T @ vectors[:, 0]])
        off = np.abs(lines @ best)
        used = off <= 3.0 * max(1.4826 * float(np.median(off[used])), 1e-12)
    # A second one is tried, too: where it does nearly as well (of a sphere any does) nothing tells which is meant.
    return found[:2]


@dataclass(frozen=True, slots=True, eq=False)
class _Moved:
    """Points about an axis that is shifted along two axes across it (x[:2]) and turned towards them (x[2:])."""

    p: Points
    origin: Vector
    direction: Vector
    axes: Points

    def axis(self, x: Floats) -> tuple[Vector, Vector]:
        turned = self.direction + x[2:] @ self.axes
        return self.origin + x[:2] @ self.axes, turned / np.linalg.norm(turned)

    def off(self, x: Floats) -> Floats:
        return _off_profile(self.p, *self.axis(x), self.axes)[0]

    def change(self, x: Floats) -> Floats:
        return _off_profile(self.p, *self.axis(x), self.axes)[1]


def _settled(p: Points, origin: Vector, direction: Vector) -> tuple[float, Vector, Vector]:
    """Return the robust scale of what points are off the profile about an axis, and that axis, as near as it gets."""
    from scipy.optimize import least_squares

    scale = np.inf
    for _ in range(_SETTLING):
        off = _off_profile(p, origin, direction, axes_with(direction)[:2])[0]
        scale = max(1.4826 * float(np.median(np.abs(off))), 1e-9)
        moved = _Moved(p, origin, direction, axes_with(direction)[:2])
        made = least_squares(moved.off, np.zeros(4), jac=moved.change, loss="cauchy", f_scale=2.0 * scale, max_nfev=20)
        origin, direction = moved.axis(made.x)
    off, _, slope = _off_profile(p, origin, direction, axes_with(direction)[:2])
    # Along the normals: of a flat cone the radii scatter by much more than its surface.
    return max(1.4826 * float(np.median(np.abs(off / np.hypot(1.0, slope)))), 1e-9), origin, direction


def _off_profile(p: Points, origin: Vector, direction: Vector, axes: Points) -> tuple[Floats, Floats, Floats]:
    """Return how far points are off the usual radius of those beside them along the axis, what changes that, its slope.

    Changed by shifts of the axis along two `axes` across it, and by turns towards them (n, 4).
    """
    away = p - origin
    along = away @ direction
    out = away - np.outer(along, direction)
    radius = np.maximum(np.linalg.norm(out, axis=1), 1e-12)
    order = np.argsort(along, kind="stable")
    count = max(4, min(_BINS, len(p) // _LEAST))
    ends = list(pairwise(np.linspace(0, len(p), count + 1).astype(int)))
    at = np.array([np.median(along[order[a:b]]) for a, b in ends])
    at, first = np.unique(at, return_index=True)
    middle = np.array([np.median(radius[order[a:b]]) for a, b in ends])[first]
    slope = np.interp(along, at, np.gradient(middle, at)) if len(at) > 1 else np.zeros(len(p))
    share = (out @ axes.T) / radius[:, None]
    change = np.column_stack([-share, -(along + slope * radius)[:, None] * share])
    return np.asarray(radius - np.interp(along, at, middle)), change, slope


@dataclass(frozen=True, slots=True, eq=False)
class Profile:
    """Heights over a chart that do not change around: what is turned about the axis.

    `unsure` (n,) at `places` (n,) mm along is how far it may be off, in units of the noise of a height for 1 mm2.
    """

    spline: CubicSpline
    places: Floats
    unsure: Floats

    def heights(self, at: Floats) -> tuple[Floats, Floats]:
        """Return heights (n,) mm and slopes (n, 2) at places (n, 2) mm."""
        along = np.clip(at[:, 1], self.places[0], self.places[-1])
        beyond = at[:, 1] - along
        slope = self.spline(along, 1)
        return self.spline(along) + slope * beyond, np.column_stack([np.zeros(len(at)), slope])

    def spread(self, at: Floats) -> Floats:
        """See `SmoothSurface`."""
        return np.asarray(np.interp(at[:, 1], self.places, self.unsure))


def profile_of(cells: Cells, wavelength: float) -> Profile:
    """Return the profile of a surface laid out around its axis: of each ring the usual height.

    Along the axis it follows what is longer than a wavelength (mm; half of one that long); 0: each ring by itself.

    Raises
    ------
    EvaluationError
        There are too few rings.
    """
    from scipy.interpolate import CubicSpline

    there = cells.known.sum(axis=1) >= _RING
    rows = np.flatnonzero(there)
    if len(rows) < _RINGS:
        raise EvaluationError(f"the surface has {len(rows)} rings only along its axis: that is no profile")
    every = np.arange(rows[0], rows[-1] + 1)  # also where there is nothing: beyond a gap the waves go on as long
    middles = cells.low[1] + (every + 0.5) * cells.size
    along = middles.copy()
    height, area = np.zeros(len(every)), np.zeros(len(every))
    for row in rows.tolist():
        # Cells of a ring do not lie at one place along: on a slope that scatters their heights, not the profile.
        own, k = cells.known[row], row - rows[0]
        along[k], height[k] = cells.at[row, own, 1].mean(), np.median(cells.height[row, own])
        area[k] = np.count_nonzero(own) * cells.size**2
    known = area > 0
    unsure = _MEDIAN / np.sqrt(np.where(known, area, area[known].min()))
    if wavelength > 0:
        height, share = _followed(height, (along - middles) / cells.size, area, wavelength / cells.size)
        return Profile(CubicSpline(middles, height), middles, unsure[known].mean() * share)
    return Profile(CubicSpline(along[known], height[known]), along[known], unsure[known])


def _followed(height: Floats, aside: Floats, area: Floats, wavelength: float) -> tuple[Floats, Floats]:
    """Return heights (n,) of rings smoothed, and how much of their noise is left, by the same rule as a surface.

    Those that are given lie `aside` (n,) of the middles of the rings, those that are returned in these.

    Twice fitted, a wave of this length (rings) is left over by (1 - H)^2 = 1/2, H = 1 / (1 + strength (2 pi / wave)^6).
    Rings without an area have no height.
    """
    known = area > 0
    left = np.sqrt(0.5)
    strength = left / (1 - left) * (wavelength / (2 * np.pi)) ** 6
    third = np.diff(np.eye(len(height)), 3, axis=0)
    weights = area / area[known].mean()
    robust = np.ones(len(height))
    found = np.interp(np.arange(len(height)), np.flatnonzero(known), height[known])
    for _ in range(_TURNS):
        middle = np.where(known, height - aside * np.gradient(found), 0.0)
        w = weights * robust
        hat = np.linalg.solve(np.diag(w) + strength * third.T @ third, np.diag(w))
        twice = hat + hat @ (np.eye(len(height)) - hat)
        found = twice @ middle
        off = middle - found
        scale = max(1.4826 * float(np.median(np.abs(off[known]))), 1e-9)
        robust = np.maximum(np.square(np.clip(1.0 - np.square(off / (_TUKEY * scale)), 0.0, None)), 1e-6)
    return found, np.sqrt(np.square(twice).sum(axis=1))
