"""The course of a surface by a robust Gaussian regression filter of second order (ISO 16610-71, with ISO 16610-31).

Around each node a paraboloid is fitted with weights that fall like a Gaussian; what is far off loses its weight. At a
border, beside openings and over what is left out it takes what there is: no height is made up.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from itertools import product
from math import comb
from typing import TYPE_CHECKING, Literal

import numpy as np
from scipy.ndimage import distance_transform_edt

from truegauge.core.imperfections.smooth_surface import SmoothSurface

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats, Ints, Mask
    from truegauge.core.imperfections.cells import Cells

_WIDE = 0.7309134280946554  # of the wavelength: a Gaussian so wide passes half of a wave, with a paraboloid in it
_FAR = 1.1  # wavelengths from which a weight is below a thousandth
_TUKEY = 4.4478  # medians off from which a height has no weight (ISO 16610-71)
_TURNS = 12
_SETTLED = 1e-3  # of the median off
_RIDGE = 1e-7  # of what a paraboloid is held by, where points lie on a line: it is level across it then
_BEYOND = 5  # nodes around what is there, so that nothing of its heights comes from the ends of a spline
Term = tuple[int, int]  # powers along and across
_TERMS: tuple[Term, ...] = ((0, 0), (1, 0), (0, 1), (2, 0), (1, 1), (0, 2))
_MOMENTS = tuple((a, b) for a, b in product(range(5), range(5)) if a + b <= 4)


@dataclass(frozen=True, slots=True, eq=False)
class GaussianTask:
    """The heights of some cells (rows, columns: (n,)) to be filtered at a wavelength, mm."""

    cells: Cells
    rows: Ints
    columns: Ints
    wavelength: float

    @staticmethod
    def of(cells: Cells, rows: Ints, columns: Ints, wavelength: float) -> GaussianTask:
        """Take some cells; what lies apart from all of them costs nothing."""
        top, bottom = int(rows.min()), int(rows.max()) + 1
        left, right = (0, cells.shape[1]) if cells.is_closed else (int(columns.min()), int(columns.max()) + 1)
        own = replace(
            cells, low=cells.low + cells.size * np.array([left, top]), height=cells.height[top:bottom, left:right],
            count=cells.count[top:bottom, left:right], at=cells.at[top:bottom, left:right],
        )  # fmt: skip
        return GaussianTask(own, rows - top, columns - left, wavelength)

    def fitted(self, out: Mask | None = None, least: float = 0.0) -> SmoothSurface:
        """Filter, without the cells that are `out` (n,), robustly where none are named; see `SmoothTask.fitted`."""
        weights = np.ones(len(self.rows)) if out is None else (~out).astype(np.float64)
        own = self.cells.at[self.rows, self.columns]
        height = self.cells.height[self.rows, self.columns]
        grid = _Grid.of(self.cells, self.wavelength, self.rows, self.columns)
        before: Floats | None = None
        for _ in range(_TURNS):
            value, held = grid.regressed(height, weights)
            fit = grid.surface(value)
            found = fit.heights(own)[0]
            off = np.abs(height - found)
            usual = float(np.median(off[weights > 0])) if (weights > 0).any() else 0.0
            if out is not None or (before is not None and np.abs(found - before).max() < max(_SETTLED * usual, 1e-9)):
                break
            before = found
            weights = np.square(np.clip(1.0 - np.square(off / max(_TUKEY * usual, least, 1e-9)), 0.0, None))
        unsure = grid.unsure(weights, held)
        return replace(fit, scatter=1.4826 * usual, spread_of=lambda at: grid.read(unsure, at))


@dataclass(frozen=True, eq=False)
class _Grid:
    """Nodes in the middles of cells, and some beyond their ends, told in wavelengths about the middle of all.

    Of closed surfaces the cells at both ends are there twice, a turn apart.
    """

    cells: Cells
    wavelength: float
    rows: Ints
    columns: Ints
    pad: tuple[int, int]  # rows and columns around the cells
    x: Floats  # places (r, c) of the cells with those around, wavelengths
    y: Floats
    kernel: Floats  # (2 far + 1, 2 far + 1)

    @staticmethod
    def of(cells: Cells, wavelength: float, rows: Ints, columns: Ints) -> _Grid:
        """Make the grid and its weights."""
        far = int(np.ceil(_FAR * wavelength / cells.size))
        if cells.is_closed:
            far = min(far, cells.shape[1] // 2)
        steps = np.arange(-far, far + 1) * cells.size / (_WIDE * wavelength)
        one = np.exp(-np.pi * np.square(steps))
        pad = (_BEYOND, far if cells.is_closed else _BEYOND)
        middle = cells.low + cells.size * np.array([cells.shape[1], cells.shape[0]]) / 2
        x, y = (cells.at - middle)[:, :, 0] / wavelength, (cells.at - middle)[:, :, 1] / wavelength
        mode: Literal["wrap", "constant"] = "wrap" if cells.is_closed else "constant"
        x, y = (np.pad(np.pad(v, ((0, 0), (pad[1], pad[1])), mode=mode), ((pad[0], pad[0]), (0, 0))) for v in (x, y))
        if cells.is_closed:
            period = cells.shape[1] * cells.size / wavelength
            x[:, : pad[1]] -= period
            x[:, -pad[1] :] += period
        return _Grid(cells, wavelength, rows, columns, pad, x, y, np.outer(one, one))

    def _put(self, value: Floats) -> Floats:
        """Return values (n,) of the cells where they are, with what is around."""
        made = np.zeros(self.cells.shape)
        made[self.rows, self.columns] = value
        made = np.pad(made, ((0, 0), (self.pad[1],) * 2), mode="wrap" if self.cells.is_closed else "constant")
        return np.pad(made, ((self.pad[0],) * 2, (0, 0)))

    def _crop(self, value: Floats) -> Floats:
        """Return what is at the nodes of what is put."""
        return value[:, self.pad[1] : -self.pad[1]] if self.cells.is_closed else value

    @cached_property
    def _nodes(self) -> tuple[Floats, Floats]:
        """Where the nodes (r, c) are, in wavelengths about the middle of all."""
        rows, columns = self.cells.shape
        wide = columns if self.cells.is_closed else columns + 2 * self.pad[1]
        x = (np.arange(wide) - (wide - 1) / 2) * self.cells.size / self.wavelength
        y = (np.arange(rows + 2 * self.pad[0]) - (rows - 1) / 2 - self.pad[0]) * self.cells.size / self.wavelength
        return np.broadcast_to(x, (len(y), wide)), np.broadcast_to(y[:, None], (len(y), wide))

    def _moments(self, value: Floats, terms: tuple[Term, ...], kernel: Floats) -> dict[Term, Floats]:
        """Return the weighted sums (r, c) of value times powers of how far (wavelengths) a place is from each node."""
        from scipy.fft import irfft2, next_fast_len, rfft2

        put = self._put(value)
        shape = tuple(next_fast_len(n + k - 1, real=True) for n, k in zip(put.shape, kernel.shape, strict=True))
        weight, low = rfft2(kernel, shape), kernel.shape[0] // 2
        skipped = self.pad[1] if self.cells.is_closed else 0
        at = self._nodes
        rows = slice(low, low + at[0].shape[0])
        columns = slice(low + skipped, low + skipped + at[0].shape[1])
        sums = {
            (a, b): irfft2(rfft2(put * self.x**a * self.y**b, shape) * weight, shape)[rows, columns] for a, b in terms
        }
        made = {}
        for a, b in terms:
            total = np.zeros(at[0].shape)
            for i, j in product(range(a + 1), range(b + 1)):
                total += comb(a, i) * comb(b, j) * (-at[0]) ** (a - i) * (-at[1]) ** (b - j) * sums[i, j]
            made[a, b] = total
        return made

    def regressed(self, height: Floats, weights: Floats) -> tuple[Floats, Floats]:
        """Return the heights (r, c) of the nodes, mm, and the row (r, c, 6) of the inverse that tells them."""
        moments = self._moments(weights, _MOMENTS, self.kernel)
        level = float(np.average(height, weights=weights)) if weights.any() else 0.0
        right = self._moments(weights * (height - level), _TERMS, self.kernel)
        shape = self._nodes[0].shape
        normal, ones = np.empty((*shape, 6, 6)), np.zeros((*shape, 6, 1))
        for i, (a, b) in enumerate(_TERMS):
            for j, (c, d) in enumerate(_TERMS):
                normal[:, :, i, j] = moments[a + c, b + d]
        held = np.maximum(moments[0, 0], 1e-12)
        for i in range(6):
            normal[:, :, i, i] += _RIDGE * held
        ones[:, :, 0] = 1.0
        inverse = np.linalg.solve(normal, ones)[:, :, :, 0]
        value = level + np.asarray(sum(inverse[:, :, i] * right[term] for i, term in enumerate(_TERMS)))
        # Far from all that is there nothing tells a height: the nearest that is told goes on.
        far = distance_transform_edt(self._crop(self._put(np.ones(len(self.rows)))) == 0)
        beside = distance_transform_edt(far > _BEYOND, return_distances=False, return_indices=True)
        return value[tuple(beside)], inverse

    def surface(self, value: Floats) -> SmoothSurface:
        """Return what goes through heights of the nodes, smoothly."""
        from scipy.ndimage import spline_filter1d

        closed, size = self.cells.is_closed, self.cells.size
        across = spline_filter1d(value, order=3, axis=0, mode="mirror")
        across = np.vstack([across[1], across, across[-2]])
        every = spline_filter1d(across, order=3, axis=1, mode="grid-wrap" if closed else "mirror")
        every = np.roll(every, 1, axis=1) if closed else np.column_stack([every[:, 1], every, every[:, -2]])
        low = self.cells.low + size * (0.5 - np.array([0 if closed else self.pad[1], self.pad[0]]))
        return SmoothSurface(low, np.array([size, size]), np.ascontiguousarray(every), closed, 0.0, lambda at: at[:, 0])

    def unsure(self, weights: Floats, inverse: Floats) -> Floats:
        """Return how far (r, c) heights may be off, in units of the noise of a height that stands for 1 mm2."""
        squares = self._moments(np.square(weights), _MOMENTS, np.square(self.kernel))
        total = np.zeros(inverse.shape[:2])
        for i, (a, b) in enumerate(_TERMS):
            for j, (c, d) in enumerate(_TERMS):
                total += inverse[:, :, i] * inverse[:, :, j] * squares[a + c, b + d]
        return np.sqrt(np.maximum(total, 0.0)) / self.cells.size

    def read(self, value: Floats, at: Floats) -> Floats:
        """Return values of the nodes (r, c) nearest to places (n, 2)."""
        index = np.floor((at - self.cells.low) / self.cells.size).astype(np.int64)
        rows, columns = value.shape
        column = np.mod(index[:, 0], columns) if self.cells.is_closed else index[:, 0] + self.pad[1]
        return np.asarray(value[np.clip(index[:, 1] + self.pad[0], 0, rows - 1), np.clip(column, 0, columns - 1)])
