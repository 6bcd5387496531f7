"""What is measured of an imperfection: depth, places, area, volume, length, width, neighbours, and how sure it is."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.imperfections.tops import LEAST_POINTS, top_of

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats, Ints, Mask, Points, Vector
    from truegauge.core.imperfections.cells import ByCell, Cells
    from truegauge.core.imperfections.charts import Chart
    from truegauge.core.imperfections.finding import Smoothed

_REACHES = (0.85, 0.6, 0.42, 0.3)  # of the radius of a region, within which its deepest place is read off
_COUNTED = 0.4  # of a threshold that the noise is at most for areas by counting points
_PIT = 0.08  # depth to width from which a dent is a pit
_MANY = 20_000  # places from which it takes less to look for the outer ones than to turn all
_ALIKE = 0.15  # how much more area a rectangle may have that lies along the longest extent
_HEAD, _UPPER = 0.08, 0.9  # height to width of what stands out, from which it is a head of a rivet or the like
_LONG = 4.0  # times as long as wide from which it is a scratch
_TURNS = np.radians(np.arange(0.0, 180.0, 2.0))


@dataclass(frozen=True, eq=False)
class Map:
    """A surface in cells (r, c): `deviation` from the reference along its normal, mm, NaN where there is none.

    `reference` are the heights of the reference over the chart, mm, `slope` (r, c, 2) its slopes, `unsure` how far it
    may be off, times the noise of a height that stands for 1 mm2, by place (n, 2).
    """

    chart: Chart
    cells: Cells
    deviation: Floats
    reference: Floats
    slope: Floats
    by_cell: ByCell

    @cached_property
    def _laid(self) -> Floats:
        """The middles (r, c, 3) of the cells on the reference, laid out."""
        rows, columns = np.indices(self.cells.shape)
        at = self.cells.middles(rows.ravel(), columns.ravel())
        return np.column_stack([at, self.reference.ravel()])

    @cached_property
    def _places(self) -> Floats:
        return self.chart.back(self._laid).reshape(*self.cells.shape, 3)

    @cached_property
    def area(self) -> Floats:
        """How much of the surface (r, c) each cell stands for, mm2."""
        spread = self.chart.spread(self._laid).reshape(self.cells.shape)
        return np.asarray(self.cells.size**2 * spread * np.sqrt(1.0 + np.square(self.slope).sum(axis=2)))

    @cached_property
    def squares(self) -> Floats:
        """The sums (r, c) of the squares of the deviations of the points in each cell, mm2."""
        sums = np.append(0.0, np.cumsum(np.square(self.by_cell.deviation)))
        return np.asarray(np.diff(sums[self.by_cell.starts]).reshape(self.cells.shape))

    def place_at(self, at: Floats) -> Points:
        """Return where places (n, 2) of the laid out surface are on the reference; beyond it on the chart itself."""
        index = np.floor((at - self.cells.low) / self.cells.size).astype(np.int64)
        rows, columns = self.cells.shape
        inside = ((index >= 0) & (index < (columns, rows))).all(axis=1)
        height = np.zeros(len(at))
        height[inside] = self.reference[index[inside, 1], index[inside, 0]]
        return self.chart.back(np.column_stack([at, height]))

    def places(self, rows: Ints, columns: Ints) -> Points:
        """Return where the middles (n, 3) of cells are on the reference, mm."""
        return np.asarray(self._places[rows, columns])

    def normals(self, rows: Ints, columns: Ints) -> Points:
        """Return the normals (n, 3) of the reference, out of the material."""
        laid = np.column_stack([self.cells.middles(rows, columns), self.reference[rows, columns]])
        step = 0.01
        a = self.chart.back(laid + np.column_stack([np.full(len(laid), step), np.zeros(len(laid)),
                                                    step * self.slope[rows, columns, 0]]))  # fmt: skip
        b = self.chart.back(laid + np.column_stack([np.zeros(len(laid)), np.full(len(laid), step),
                                                    step * self.slope[rows, columns, 1]]))  # fmt: skip
        at = self.chart.back(laid)
        n = np.cross(a - at, b - at)
        n /= np.linalg.norm(n, axis=1, keepdims=True)
        turned = np.sign(np.einsum("ij,ij->i", n, self.chart.out(laid)))
        return np.asarray(n * turned[:, None])

    def areas(self, rows: Ints, columns: Ints) -> Floats:
        """Return how much of the surface (n,) cells stand for, mm2."""
        return np.asarray(self.area[rows, columns])


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
    """An imperfection, the cells (n,) that it takes in, and places (m, 3) on its edge.

    `is_head`: so steep that it was put there.
    """

    imperfection: Imperfection
    rows: Ints
    columns: Ints
    edge: Points
    is_head: bool


def measure(
    surface: Map, found: Smoothed, rows: Ints, columns: Ints, threshold: float, far_from_border: Floats,
    whole: tuple[Ints, Ints],
) -> Measured:  # fmt: skip
    """Measure the region of some cells (n,) of one sign; `whole` are those in which something is seen at all."""
    cells, size = surface.cells, surface.cells.size
    sign = 1.0 if found.height[rows[0], columns[0]] > 0 else -1.0
    up = sign * found.height[rows, columns]
    places = surface.places(rows, columns)
    area_of = surface.areas(rows, columns)
    inner, share, edge = _shares(found.height, sign, rows, columns, threshold, cells)
    area = float((surface.areas(*inner) * share).sum())
    if found.point_noise < _COUNTED * threshold:
        area = _counted(surface, inner, whole, sign, threshold, area)
    radius = np.sqrt(max(area, size**2) / np.pi)
    depth, depth_u, top = _deepest(surface, found, rows, columns, up, sign, radius)
    weight = np.where(np.isfinite(surface.deviation[rows, columns]), sign * surface.deviation[rows, columns], up)
    volume = float((weight * area_of).sum())
    centroid = (places * (up * area_of)[:, None]).sum(axis=0) / (up * area_of).sum()
    k = int(np.argmin(np.square(places - top).sum(axis=1)))
    normal = surface.normals(rows[k : k + 1], columns[k : k + 1])[0]
    length, width, direction = _box_along(places, centroid, normal, size)
    steep, mean = _sides(found.height, rows, columns, cells)
    whole_area = surface.areas(*whole)
    beyond = sign * np.nan_to_num(surface.deviation[whole])
    made = Imperfection(
        kind_of(sign * depth, length, width), sign * depth, depth_u, _three(top), _three(centroid), _three(normal),
        int(surface.cells.count[rows, columns].sum()), area, volume, max(area, float(whole_area.sum())),
        max(volume, float((beyond * whole_area).sum())),
        length, width, _three(direction), steep, mean, float(max(0.0, far_from_border[rows, columns].min() - size)),
    )  # fmt: skip
    # Few points on something small do not show all of its height: the upper ones of them do.
    seen = sign * surface.by_cell.deviation[surface.by_cell.within(rows, columns, cells.shape[1])]
    height = max(depth, float(np.quantile(seen, _UPPER))) if len(seen) else depth
    return Measured(made, rows, columns, places[edge], bool(sign > 0 and height > _HEAD * 2.0 * np.sqrt(area / np.pi)))


def _three(v: Vector) -> tuple[float, float, float]:
    return float(v[0]), float(v[1]), float(v[2])


def _shares(
    heights: Floats, sign: float, rows: Ints, columns: Ints, threshold: float, cells: Cells
) -> tuple[tuple[Ints, Ints], Floats, Mask]:
    """Return the cells of a region with its rim, which share (n,) of each lies beyond the threshold, and its edge.

    The edge tells which of the cells of the region (m,) have one beside them that does not belong to it.
    """
    height, width = cells.shape
    pad = 2
    r0, r1 = max(0, rows.min() - pad), min(height, rows.max() + pad + 1)
    if cells.is_closed and columns.max() - columns.min() > width // 2:
        shift = width // 2
        columns = (columns + shift) % width
    else:
        shift = 0
    c0, c1 = max(0, columns.min() - pad), min(width, columns.max() + pad + 1)
    # Only what is around it is looked at: of all of the surface that would take longer than all the rest.
    box = sign * heights[r0:r1, (np.arange(c0, c1) - shift) % width]
    own = np.zeros(box.shape, dtype=bool)
    own[rows - r0, columns - c0] = True
    from scipy.ndimage import binary_dilation, binary_erosion

    edge = ~binary_erosion(own, np.ones((3, 3)))[rows - r0, columns - c0]
    rim = binary_dilation(own, np.ones((3, 3))) & np.isfinite(box)
    filled = np.where(np.isfinite(box), box, threshold)
    if min(box.shape) < 3:
        inner = np.nonzero(own)
        return (inner[0] + r0, (inner[1] + c0 - shift) % width), np.ones(len(inner[0])), edge
    gy, gx = np.gradient(filled)
    rise = np.maximum(np.hypot(gx, gy), 1e-9)
    # A cell on the rim is beyond the threshold as far as its height, on the slope that there is, says.
    share = np.clip((filled - threshold) / rise + 0.5, 0.0, 1.0)
    r, c = np.nonzero(rim & (share > 0))
    return (r + r0, (c + c0 - shift) % width), np.asarray(share[r, c]), np.asarray(edge)


def _counted(
    surface: Map, inner: tuple[Ints, Ints], whole: tuple[Ints, Ints], sign: float, threshold: float, rough: float
) -> float:
    """Return the area beyond a threshold by the points beyond it, mm2.

    Cells blur a steep rim. Points do not: of those that noise carries over the threshold about as many come from either
    side.
    """
    width = surface.cells.shape[1]
    cell = np.unique(np.concatenate([inner[0] * width + inner[1], whole[0] * width + whole[1]]))
    rows, columns = np.divmod(cell, width)
    numbers = surface.by_cell.within(rows, columns, width)
    if len(numbers) < LEAST_POINTS:
        return rough
    beyond = np.count_nonzero(sign * surface.by_cell.deviation[numbers] >= threshold)
    return float(surface.areas(rows, columns).sum() * beyond / len(numbers))


def _deepest(
    surface: Map, found: Smoothed, rows: Ints, columns: Ints, up: Floats, sign: float, radius: float
) -> tuple[float, float, Vector]:
    """Return the depth (positive), its standard uncertainty by the noise, and where it is.

    Read off a paraboloid through the points about the highest cell: the highest of many noisy points is too high. It is
    as wide as it agrees with a narrower one, so that a shallow dent is not read off a few points.
    """
    cells, k = surface.cells, int(np.argmax(up))
    numbers = surface.by_cell.within(rows, columns, cells.shape[1])
    at, value = surface.by_cell.at[numbers], sign * surface.by_cell.deviation[numbers]
    start = surface.cells.middles(rows[k : k + 1], columns[k : k + 1])[0]
    if cells.is_closed:
        period = cells.size * cells.shape[1]
        at = at - np.column_stack([period * np.round((at[:, 0] - start[0]) / period), np.zeros(len(at))])
    best: tuple[float, float, Floats] | None = None
    for reach in _REACHES:
        now = top_of(
            at, value, start if best is None else best[2], max(reach * radius, 1.5 * cells.size), found.point_noise
        )
        if now is None:
            break
        if best is not None and abs(now[0] - best[0]) < 2.0 * np.hypot(now[1], best[1]):
            # It agrees as far as the noise tells; what it differs by is not known any better.
            best = best[0], float(np.hypot(best[1], 0.5 * (now[0] - best[0]))), best[2]
            break
        best = now
    height, unsure, place = best or (float(up[k]), found.point_noise, start)
    laid = np.array([[place[0], place[1], surface.reference[rows[k], columns[k]]]])
    # The reference at the place itself, from that of the middle of the cell.
    laid[0, 2] += float((place - start) @ surface.slope[rows[k], columns[k]])
    return height, unsure, surface.chart.back(laid)[0]


def _box_along(places: Points, center: Vector, normal: Vector, size: float) -> tuple[float, float, Vector]:
    """Return length, width and direction of the smallest rectangle around places, in the plane of the surface there."""
    x = np.cross(normal, np.eye(3)[int(np.argmin(np.abs(normal)))])
    x /= np.linalg.norm(x)
    y = np.cross(normal, x)
    flat = np.column_stack([(places - center) @ x, (places - center) @ y])
    values, ways = np.linalg.eigh(flat.T @ flat)
    flat = _corners(flat)
    turn = np.column_stack([np.cos(_TURNS), np.sin(_TURNS)])
    along, across = flat @ turn.T, flat @ np.column_stack([-turn[:, 1], turn[:, 0]]).T
    # Middles of cells: half a cell more on each side, less what a round rim does not fill.
    a, b = np.ptp(along, axis=0) + 0.8 * size, np.ptp(across, axis=0) + 0.8 * size
    # Rectangles around something round are nearly the same: of these the one along its longest extent.
    aside = np.square(turn @ ways[:, 0] if values[1] > 0 else np.zeros(len(turn)))
    aside = np.minimum(aside, 1.0 - aside)
    k = int(np.argmin(a * b * (1.0 + _ALIKE * aside)))
    length, width, way = (a[k], b[k], turn[k]) if a[k] >= b[k] else (b[k], a[k], np.array([-turn[k, 1], turn[k, 0]]))
    return float(length), float(width), way[0] * x + way[1] * y


def _corners(flat: Floats) -> Floats:
    """Return the places (m, 2) that all others lie between; all of them where they lie on a line."""
    from scipy.spatial import ConvexHull, QhullError

    if len(flat) < _MANY:
        return flat
    try:
        return np.asarray(flat[ConvexHull(flat).vertices])
    except QhullError:
        return flat


def _sides(height: Floats, rows: Ints, columns: Ints, cells: Cells) -> tuple[float, float]:
    """Return how steep the deviations of a region are at most and in the mean, rad."""
    r0, r1 = max(0, rows.min() - 2), rows.max() + 3
    if cells.is_closed and columns.max() - columns.min() > cells.shape[1] // 2:
        shift = cells.shape[1] // 2
        height, columns = np.roll(height, shift, axis=1), (columns + shift) % cells.shape[1]
    c0, c1 = max(0, columns.min() - 2), columns.max() + 3
    box = height[r0:r1, c0:c1]
    if min(box.shape) < 3:
        return 0.0, 0.0
    from scipy.ndimage import gaussian_filter

    # A cell has the mean of points that are not in its middle: unsmoothed that would pass for slopes, and the steepest
    # would be too steep. Twice, so that what is round stays as steep.
    there = np.isfinite(box)
    filled = np.where(there, box, 0.0)
    once = gaussian_filter(filled, 1.0)
    gy, gx = np.gradient(once + gaussian_filter(filled - once, 1.0), cells.size)
    rise = np.hypot(gx, gy)
    own = rise[rows - r0, columns - c0]
    return float(np.arctan(np.quantile(rise[there], 0.98))), float(np.arctan(own.mean()))


def neighbours(every: list[Measured]) -> list[Imperfection]:
    """Return imperfections with their nearest neighbours, edge to edge and centre to centre."""
    from dataclasses import replace

    from scipy.spatial import cKDTree

    plain = [m.imperfection for m in every]
    if len(every) < 2:
        return plain
    centers = np.array([p.centroid for p in plain])
    trees = [cKDTree(m.edge) for m in every]
    radii = np.array([np.linalg.norm(m.edge - c, axis=1).max() for m, c in zip(every, centers, strict=True)])
    made = []
    for k, own in enumerate(plain):
        between = np.linalg.norm(centers - centers[k], axis=1)
        between[k] = np.inf
        nearest, edge = -1, np.inf
        for j in np.argsort(between - radii):
            if j == k or between[j] - radii[j] - radii[k] > edge:
                continue
            gap = float(trees[j].query(every[k].edge, distance_upper_bound=edge + 1e-9)[0].min())
            if gap < edge:
                nearest, edge = int(j), gap
        made.append(replace(own, neighbour=nearest, edge_to_edge=edge, center_to_center=float(between.min())))
    return made


def border_distances(valid: Mask, cells: Cells) -> Floats:
    """Return how far (r, c) cells are from the end of the smooth surface, mm."""
    from scipy.ndimage import distance_transform_edt

    if cells.is_closed:
        width = valid.shape[1]
        twice = np.hstack([valid, valid, valid])
        padded = np.pad(twice, ((1, 1), (0, 0)))
        return np.asarray(distance_transform_edt(padded)[1:-1, width : 2 * width] * cells.size)
    return np.asarray(distance_transform_edt(np.pad(valid, 1))[1:-1, 1:-1] * cells.size)
