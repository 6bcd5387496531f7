"""A surface in cells: how far it is off its reference, where each cell is and how much of the surface it stands for."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats, Ints, Mask, Points
    from truegauge.core.imperfections.cells import ByCell, Cells
    from truegauge.core.imperfections.charts import Chart


@dataclass(frozen=True, eq=False)
class Map:
    """A surface in cells (r, c): `deviation` from the reference along its normal, mm, NaN where there is none.

    `reference` are the heights of the reference over the chart, mm, `slope` (r, c, 2) its slopes.
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


def border_distances(valid: Mask, cells: Cells) -> Floats:
    """Return how far (r, c) cells are from the end of the smooth surface, mm."""
    from scipy.ndimage import distance_transform_edt

    if cells.is_closed:
        width = valid.shape[1]
        twice = np.hstack([valid, valid, valid])
        padded = np.pad(twice, ((1, 1), (0, 0)))
        return np.asarray(distance_transform_edt(padded)[1:-1, width : 2 * width] * cells.size)
    return np.asarray(distance_transform_edt(np.pad(valid, 1))[1:-1, 1:-1] * cells.size)
