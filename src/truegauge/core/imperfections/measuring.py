"""What is measured of imperfections: depth, places, area, volume, length, width, neighbours, and how sure it is."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np
from numba import njit

from truegauge.core.imperfections.extents import boxes_along, nearest_ones
from truegauge.core.imperfections.members import Members, quantiles
from truegauge.core.imperfections.tops import LEAST_POINTS, top_of

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats, Ints, Points, Vector
    from truegauge.core.imperfections.cells import Cells
    from truegauge.core.imperfections.finding import Finding, Smoothed
    from truegauge.core.imperfections.surface_map import Map

_REACHES = (0.85, 0.6, 0.42, 0.3)  # of the radius of a region, within which its deepest place is read off
_COUNTED = 0.4  # of a threshold that the noise is at most for areas by counting points
_PIT = 0.08  # depth to width from which a dent is a pit
_HEAD, _UPPER = 0.08, 0.9  # height to width of what stands out, from which it is a head of a rivet or the like
_LONG = 4.0  # times as long as wide from which it is a scratch
_STEEPEST = 0.98  # of the places are less steep than what is told as the steepest: one is noise


@dataclass(frozen=True, slots=True)
class Imperfection:
    """One imperfection. Depth is signed: into the material negative; lengths in mm, places in coordinates of the scan.

    `area` and `volume` are beyond the threshold, `whole_area` and `whole_volume` beyond what is seen at all. `border`
    is how far its edge is from the end of the smooth surface; `neighbour` the number of the nearest other one, -1 for
    none. `depth_u` is the standard uncertainty of the depth. `slope` is the steepest of its sides, rad.
    """

    kind: str
    depth: float
    depth_u: float
    deepest: tuple[float, float, float]
    centroid: tuple[float, float, float]
    normal: tuple[float, float, float]
    points: int
    area: float
    volume: float
    whole_area: float
    whole_volume: float
    length: float
    width: float
    direction: tuple[float, float, float]
    slope: float
    mean_slope: float
    border: float
    neighbour: int = -1
    edge_to_edge: float = float("nan")
    center_to_center: float = float("nan")


def kind_of(depth: float, length: float, width: float) -> str:
    """Return the word for an imperfection (ISO 8785 by its shape): bump, scratch, pit or dent."""
    if depth > 0:
        return "bump"
    if length > _LONG * width:
        return "scratch"
    return "pit" if -depth > _PIT * width else "dent"


@dataclass(frozen=True, slots=True, eq=False)
class Measured:
    """An imperfection, and places (m, 3) on its edge. `is_head`: so steep that it was put there."""

    imperfection: Imperfection
    edge: Points
    is_head: bool


def measured(
    surface: Map, found: Smoothed, labels: Ints, own: Members, whole: Members, wanted: Finding, border: Floats
) -> list[Measured]:
    """Measure regions, each of one sign.

    Parameters
    ----------
    labels : (r, c) int
        The numbers of all regions beyond the threshold, from 1; 0: none.
    own, whole : Members
        The cells of those to measure, and where something is seen of them at all.
    wanted : Finding
        The thresholds.
    border : (r, c) float64
        How far the cells are from the end of the surface, mm.
    """
    if not own.count:
        return []
    cells, size = surface.cells, surface.cells.size
    rows, columns = own.rows, own.columns
    sign = np.where(found.height[rows, columns][own.starts[:-1]] > 0, 1.0, -1.0)
    signs = sign[own.of]
    threshold = np.where(sign > 0, wanted.threshold(1), wanted.threshold(-1))
    up = signs * found.height[rows, columns]
    deviation = surface.deviation[rows, columns]
    places, area_of = surface.places(rows, columns), surface.areas(rows, columns)
    around, share = _shares(found.height, sign, own, threshold, cells)
    inner = around.only_cells(share > 0)
    area = inner.sums(surface.areas(inner.rows, inner.columns) * share[share > 0])
    beside = inner.joined(whole, cells.shape)
    if found.point_noise < _COUNTED * threshold.max():
        counted = _counted(surface, beside, sign, threshold, area)
        area = np.where(found.point_noise < _COUNTED * threshold, counted, area)
    radius = np.sqrt(np.maximum(area, size**2) / np.pi)
    depth, depth_u, top, seen = _deepest(surface, found, own, up, sign, radius)
    volume = own.sums(np.where(np.isfinite(deviation), signs * deviation, up) * area_of)
    weight = up * area_of
    centroid = np.column_stack([own.sums(places[:, k] * weight) for k in range(3)]) / own.sums(weight)[:, None]
    at = own.firsts(np.square(places - top[own.of]).sum(axis=1))
    normal = surface.normals(rows[at], columns[at])
    length, width, direction = boxes_along(own, places, centroid, normal, size)
    rise = found.rise(cells)
    steep = np.nan_to_num(quantiles(rise[beside.rows, beside.columns], beside.starts, _STEEPEST))
    mean = own.means(rise[rows, columns])
    whole_area = whole.sums(surface.areas(whole.rows, whole.columns))
    beyond = sign[whole.of] * np.nan_to_num(surface.deviation[whole.rows, whole.columns])
    whole_volume = whole.sums(beyond * surface.areas(whole.rows, whole.columns))
    points = own.sums(cells.count[rows, columns])
    far = border[rows, columns]
    far = np.maximum(0.0, far[own.firsts(far)] - size)
    # Few points on something small do not show all of its height: the upper ones of them do.
    height = np.fmax(depth, seen)
    head = (sign > 0) & (height > _HEAD * 2.0 * np.sqrt(area / np.pi))
    edge = own.beside(labels, closed=cells.is_closed)
    made = []
    for k in range(own.count):
        of_it = slice(own.starts[k], own.starts[k + 1])
        one = Imperfection(
            kind_of(sign[k] * depth[k], length[k], width[k]), float(sign[k] * depth[k]), float(depth_u[k]),
            _three(top[k]), _three(centroid[k]), _three(normal[k]), int(points[k]), float(area[k]), float(volume[k]),
            float(max(area[k], whole_area[k])), float(max(volume[k], whole_volume[k])), float(length[k]),
            float(width[k]), _three(direction[k]), float(np.arctan(steep[k])), float(np.arctan(mean[k])), float(far[k]),
        )  # fmt: skip
        made.append(Measured(one, places[of_it][edge[of_it]], bool(head[k])))
    return made


def _three(v: Vector) -> tuple[float, float, float]:
    return float(v[0]), float(v[1]), float(v[2])


def _shares(heights: Floats, sign: Floats, own: Members, threshold: Floats, cells: Cells) -> tuple[Members, Floats]:
    """Return the cells of regions with their rims, and which share (n,) of each lies beyond the threshold."""
    around = own.widened(cells.shape, closed=cells.is_closed)
    around = around.only_cells(np.isfinite(heights[around.rows, around.columns]))
    return around, _beyond(heights, around.rows, around.columns, sign[around.of], threshold[around.of], cells.is_closed)


@njit(cache=True, nogil=True)
def _at(heights, r, c, closed, sign, threshold):  # type: ignore[no-untyped-def]
    up = sign * heights[r, c % heights.shape[1] if closed else c]
    return up if np.isfinite(up) else threshold


@njit(cache=True, nogil=True)
def _beyond(heights, rows, columns, signs, thresholds, closed):  # type: ignore[no-untyped-def]
    """A cell on the rim is beyond the threshold as far as its height, on the slope that there is, says."""
    height, width = heights.shape
    share = np.empty(len(rows))
    for k in range(len(rows)):
        r, c, sign, threshold = rows[k], columns[k], signs[k], thresholds[k]
        above, below, left, right = max(r - 1, 0), min(r + 1, height - 1), c - 1, c + 1
        if not closed:
            left, right = max(left, 0), min(right, width - 1)
        gy = _at(heights, below, c, closed, sign, threshold) - _at(heights, above, c, closed, sign, threshold)
        gx = _at(heights, r, right, closed, sign, threshold) - _at(heights, r, left, closed, sign, threshold)
        rise = max(np.hypot(gx / max(right - left, 1), gy / max(below - above, 1)), 1e-9)
        share[k] = min(1.0, max(0.0, (sign * heights[r, c] - threshold) / rise + 0.5))
    return share


def _points_of(surface: Map, members: Members) -> tuple[Ints, Ints]:
    """Return the numbers of the points in the cells of regions, and of which region each is."""
    width = surface.cells.shape[1]
    numbers = surface.by_cell.within(members.rows, members.columns, width)
    cell = members.rows * width + members.columns
    return numbers, np.repeat(members.of, surface.by_cell.starts[cell + 1] - surface.by_cell.starts[cell])


def _counted(surface: Map, beside: Members, sign: Floats, threshold: Floats, rough: Floats) -> Floats:
    """Return the areas beyond a threshold by the points beyond it, mm2; the rough ones where there are few points.

    Cells blur a steep rim. Points do not: of those that noise carries over the threshold about as many come from either
    side.
    """
    numbers, of = _points_of(surface, beside)
    beyond = np.bincount(of[sign[of] * surface.by_cell.deviation[numbers] >= threshold[of]], minlength=beside.count)
    count = np.bincount(of, minlength=beside.count)
    area = beside.sums(surface.areas(beside.rows, beside.columns)) * beyond / np.maximum(count, 1)
    return np.where(count < LEAST_POINTS, rough, area)


def _deepest(
    surface: Map, found: Smoothed, own: Members, up: Floats, sign: Floats, radius: Floats
) -> tuple[Floats, Floats, Points, Floats]:
    """Return depths (positive), their standard uncertainties by the noise, where they are, and what nine in ten reach.

    Read off a paraboloid through the points about the highest cell: the highest of many noisy points is too high.
    """
    cells = surface.cells
    numbers, of = _points_of(surface, own)
    at, value = surface.by_cell.at[numbers], sign[of] * surface.by_cell.deviation[numbers]
    tops = own.firsts(-up)
    rows, columns = own.rows[tops], own.columns[tops]
    middles = cells.middles(rows, columns)
    if cells.is_closed:
        period = cells.size * cells.shape[1]
        at[:, 0] -= period * np.round((at[:, 0] - middles[of, 0]) / period)
    ends = np.append(0, np.cumsum(np.bincount(of, minlength=own.count)))
    height, unsure, place = up[tops], np.full(own.count, found.point_noise), middles.copy()
    for k in range(own.count):
        mine = slice(ends[k], ends[k + 1])
        best = _top(at[mine], value[mine], middles[k], radius[k], cells.size, found.point_noise)
        if best is not None:
            height[k], unsure[k], place[k] = best
    # The reference at the place itself, from that of the middle of the cell.
    below = surface.reference[rows, columns] + np.einsum("ij,ij->i", place - middles, surface.slope[rows, columns])
    back = surface.chart.back(np.column_stack([place, below]))
    return height, unsure, back, quantiles(value, ends, _UPPER)


def _top(
    at: Floats, value: Floats, start: Floats, radius: float, size: float, noise: float
) -> tuple[float, float, Floats] | None:
    """Return height, uncertainty and place of a top, read as wide as it agrees with what a narrower one says.

    So a shallow dent is not read off a few points.
    """
    best: tuple[float, float, Floats] | None = None
    for reach in _REACHES:
        now = top_of(at, value, start if best is None else best[2], max(reach * radius, 1.5 * size), noise)
        if now is None:
            break
        if best is not None and abs(now[0] - best[0]) < 2.0 * np.hypot(now[1], best[1]):
            # It agrees as far as the noise tells; what it differs by is not known any better.
            return best[0], float(np.hypot(best[1], 0.5 * (now[0] - best[0]))), best[2]
        best = now
    return best


def neighbours(every: list[Measured]) -> list[Imperfection]:
    """Return imperfections with their nearest neighbours, edge to edge and centre to centre."""
    plain = [m.imperfection for m in every]
    if len(every) < 2:
        return plain
    numbers, gaps, between = nearest_ones(np.array([p.centroid for p in plain]), [m.edge for m in every])
    return [
        replace(p, neighbour=int(n), edge_to_edge=float(g), center_to_center=float(b))
        for p, n, g, b in zip(plain, numbers, gaps, between, strict=True)
    ]
