"""Another scan of the surface, before or after a repair, as the reference: its heights between its noisy points."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numba import njit

from truegauge.core.errors import EvaluationError
from truegauge.core.imperfections.cells import in_one_place, put_into_cells, usual_spacing, without_strays
from truegauge.core.imperfections.finding import noise_of
from truegauge.core.imperfections.nodes import read_nodes

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats, Normals, Points
    from truegauge.core.imperfections.cells import Cells
    from truegauge.core.imperfections.charts import Chart

_FINE = 1.5  # cells, times the spacing of the points
_REACH = 2.3  # cells around a place that its height is read from: 21 of them
_LEAST = 10  # of these that there have to be
_FACING = np.cos(np.radians(75.0))
_SHARED = 0.05  # of the points of a scan that another one has to cover


@dataclass(frozen=True, slots=True, eq=False)
class EarlierScan:
    """Points (n, 3) mm of another scan in the same coordinates, its normals (n, 3) where it has them, and its name."""

    points: Points
    normals: Normals | None = None
    name: str = ""


@dataclass(frozen=True, slots=True, eq=False)
class ScannedHeights:
    """A paraboloid (r, c, 6) about the middle of each cell, NaN where there are too few points.

    `per_area` is the noise of a height of it that stands for 1 mm2, mm.
    """

    cells: Cells
    shape: Floats
    per_area: float

    @staticmethod
    def of(scan: EarlierScan, chart: Chart) -> ScannedHeights:
        """Lay a scan out as another one is.

        Raises
        ------
        EvaluationError
            It has nothing there.
        """
        there = np.isfinite(scan.points).all(axis=1)
        laid = chart.laid(scan.points[there])
        if scan.normals is not None and np.any(scan.normals):
            ways = np.asarray(scan.normals, dtype=np.float64)[there]
            facing = np.einsum("ij,ij->i", ways, chart.out(laid)) > _FACING
            laid = laid[facing | ~ways.any(axis=1)]
        if len(laid) >= _LEAST:
            laid = laid[in_one_place(laid)]
        if len(laid) < _LEAST:
            raise EvaluationError("the other scan has no surface where this one has: are they in the same coordinates?")
        size = _FINE * usual_spacing(laid)
        laid = laid[without_strays(laid, 2 * size, chart.period)[0]]
        cells = put_into_cells(laid, size, chart.period)
        shape = np.full((*cells.shape, 6), np.nan)
        height = np.where(cells.known, cells.height, 0.0)
        _paraboloids(height, cells.at, cells.count, cells.low, cells.size, cells.is_closed, _REACH, _LEAST, shape)
        # What is left of the heights after their paraboloids tells the noise, however the surface runs.
        mine = np.where(cells.known, cells.height - shape[:, :, 0], np.nan)
        aside = cells.at - cells.middles(*(i.ravel() for i in np.indices(cells.shape))).reshape(*cells.shape, 2)
        mine -= np.einsum("rck,rck->rc", aside, shape[:, :, 1:3])
        noise = noise_of(mine, cells.count)
        per_cell = float(np.mean(cells.count[cells.known]))
        return ScannedHeights(cells, shape, noise * size / np.sqrt(per_cell))

    def heights(self, at: Floats) -> tuple[Floats, Floats]:
        """Return heights (n,) mm and slopes (n, 2) at laid places (n, 2); NaN where the scan has nothing."""
        return read_nodes(at, self.cells.low, self.cells.size, self.shape, closed=self.cells.is_closed)


def off_scan(scan: EarlierScan, chart: Chart, laid: Points) -> tuple[Floats, float]:
    """Return how far laid points (n, 3) are off another scan along its normal, mm, and its noise for 1 mm2.

    NaN where it has nothing.

    Raises
    ------
    EvaluationError
        It has hardly anything there.
    """
    heights = ScannedHeights.of(scan, chart)
    z, slope = heights.heights(laid[:, :2])
    off = (laid[:, 2] - z) / np.sqrt(1.0 + np.square(slope).sum(axis=1))
    if np.isfinite(off).mean() < _SHARED:
        raise EvaluationError("the other scan has no surface where this one has: are they in the same coordinates?")
    return off, heights.per_area


@njit(cache=True, nogil=True)
def _paraboloids(height, at, count, low, size, closed, reach, least, shape):  # type: ignore[no-untyped-def]
    """Fit z = a + b x + c y + d xx + e xy + f yy to the cells about the middle of each, by their numbers of points."""
    rows, columns = height.shape
    far = int(np.ceil(reach))
    row = np.empty(6)
    for r in range(rows):
        for c in range(columns):
            normal, right, found, beside = np.zeros((6, 6)), np.zeros(6), 0, False
            x0, y0 = low[0] + (c + 0.5) * size, low[1] + (r + 0.5) * size
            for dr in range(-far, far + 1):
                for dc in range(-far, far + 1):
                    i, j = r + dr, c + dc
                    wrapped = 0.0
                    if closed:
                        wrapped = (j // columns) * columns * size
                        j = j % columns
                    if i < 0 or i >= rows or j < 0 or j >= columns or count[i, j] == 0:
                        continue
                    x, y = (at[i, j, 0] + wrapped - x0) / size, (at[i, j, 1] - y0) / size
                    if dr * dr + dc * dc > reach * reach:
                        continue
                    found += 1
                    beside = beside or (abs(dr) <= 1 and abs(dc) <= 1)
                    row[0], row[1], row[2], row[3], row[4], row[5] = 1.0, x, y, x * x, x * y, y * y
                    for k in range(6):
                        right[k] += count[i, j] * row[k] * height[i, j]
                        for m in range(6):
                            normal[k, m] += count[i, j] * row[k] * row[m]
            if found < least or not beside:
                continue
            for k in range(6):  # cells in a row hold no paraboloid
                normal[k, k] += 1e-6 * count[r, c] + 1e-9
            solved = np.linalg.solve(normal, right)
            for k in range(6):
                shape[r, c, k] = solved[k] / (1.0 if k == 0 else size if k < 3 else size * size)
