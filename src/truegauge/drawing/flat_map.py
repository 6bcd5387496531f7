"""A surface laid out flat as a picture: colours of its deviations, contours, and cuts through it. Knows no window."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.deviations.map_scale import DeviationScale
from truegauge.palette import colors_of

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from truegauge.core.arrays import Floats
    from truegauge.core.imperfections.measuring import Imperfection
    from truegauge.core.imperfections.search import Found

_HELD = ("#EEF0F3", "#D3D9E2", "#B4BFCE", "#93A2B8", "#71849F", "#506685")
_TOO_MUCH = ("#F6E4DC", "#F0CDBF", "#E8B09B", "#DD8E74", "#CF6A4D", "#BE4628")
_DARKER, _PALE = 0.55, 0.7
_COARSE = 3.0  # mm a pixel from which contours would only be a blur


@dataclass(frozen=True, slots=True)
class Frame:
    """What is seen: `middle` (2,) mm in the middle of a picture of `size` (width, height) at `scale` pixels a mm."""

    middle: tuple[float, float]
    scale: float
    size: tuple[int, int]

    def to_pixels(self, at: Floats) -> Floats:
        """Return pixels (n, 2) of places (n, 2) mm; the second length goes up."""
        off = (np.asarray(at) - self.middle) * self.scale
        return np.column_stack([self.size[0] / 2 + off[:, 0], self.size[1] / 2 - off[:, 1]])

    def to_surface(self, x: float, y: float) -> tuple[float, float]:
        """Return the place (mm) of a pixel."""
        return (self.middle[0] + (x - self.size[0] / 2) / self.scale,
                self.middle[1] - (y - self.size[1] / 2) / self.scale)  # fmt: skip


def scale_of(found: Found, depth: float) -> DeviationScale:
    """Return how deviations are coloured: the threshold is the tolerance, the deepest the limit."""
    deepest = max((abs(i.depth) for i in found.imperfections), default=0.0)
    return DeviationScale(limit=max(2.0 * depth, float(f"{deepest:.2g}")), tolerance=depth, inner=3)


def held_scale_of(depth: float, worst: float) -> DeviationScale:
    """Return how is coloured what the reference may be off, mm: red where that is over a third of the threshold."""
    limit = max(worst, 1e-6)
    edges = tuple(limit * k / len(_HELD) for k in range(len(_HELD) + 1))
    colors = tuple(c if edges[k + 1] <= depth / 3 else _TOO_MUCH[k] for k, c in enumerate(_HELD))
    return DeviationScale(limit=limit, tolerance=limit, sided="plus", edges=edges, colors=colors)


def box_of(found: Found) -> Floats:
    """Return the lowest and highest place (2, 2) of the surface, mm laid out."""
    cells = found.prepared.surface.cells
    rows, columns = np.nonzero(found.prepared.part > 0)
    low = cells.low + cells.size * np.array([columns.min(), rows.min()])
    return np.array([low, cells.low + cells.size * np.array([columns.max() + 1, rows.max() + 1])])


def picture(
    found: Found, frame: Frame, scale: DeviationScale, paper: tuple[int, int, int], step: float = 0.0,
    values: Floats | None = None,
) -> NDArray[np.uint8]:  # fmt: skip
    """Return the colours (height, width, 3) of what is seen, contours every `step` mm; `paper` where nothing is.

    Of the deviations, or of other `values` (r, c) mm of the cells.
    """
    width, height = frame.size
    x = frame.middle[0] + (np.arange(width) + 0.5 - width / 2) / frame.scale
    y = frame.middle[1] - (np.arange(height) + 0.5 - height / 2) / frame.scale
    across, up = np.meshgrid(x, y)
    value, there = _read(found, across, up, values)
    made = np.empty((height, width, 3), dtype=np.uint8)
    made[:] = paper
    made[there] = colors_of(value[there], scale)
    if found.prepared.inside is not None:  # what the reference may look at, and nobody asked for, is pale
        outside = there & ~_at(found.prepared.inside, found, np.asarray(x), np.asarray(y))
        made[outside] = (_PALE * np.array(paper) + (1 - _PALE) * made[outside]).astype(np.uint8)
    if step > 0 and frame.scale > 1.0 / _COARSE:
        level = np.floor(np.where(there, value, 0.0) / step + 0.5)
        line = np.zeros(level.shape, dtype=bool)
        line[:, 1:] |= (level[:, 1:] != level[:, :-1]) & there[:, 1:] & there[:, :-1]
        line[1:] |= (level[1:] != level[:-1]) & there[1:] & there[:-1]
        made[line] = (made[line] * _DARKER).astype(np.uint8)
    return made


def _at(mask: NDArray[np.bool_], found: Found, x: Floats, y: Floats) -> NDArray[np.bool_]:
    """Return what the cells say at places (n,) x (m,)."""
    cells = found.prepared.surface.cells
    row, column = ((y - cells.low[1]) / cells.size).astype(int), ((x - cells.low[0]) / cells.size).astype(int)
    rows, columns = cells.shape
    return np.asarray(mask[np.clip(row, 0, rows - 1)[:, None], np.clip(column, 0, columns - 1)[None]])


def _read(found: Found, x: Floats, y: Floats, values: Floats | None = None) -> tuple[Floats, NDArray[np.bool_]]:
    """Return deviations (mm) at places, between the cells, and where there are any."""
    from scipy.ndimage import map_coordinates

    cells, height = found.prepared.surface.cells, found.smoothed.height if values is None else values
    row, column = (y - cells.low[1]) / cells.size - 0.5, (x - cells.low[0]) / cells.size - 0.5
    at = np.array([row, column])
    known = np.isfinite(height)
    weight = map_coordinates(known.astype(np.float64), at, order=1, mode="constant")
    value = map_coordinates(np.where(known, height, 0.0), at, order=1, mode="constant")
    there = weight > 0.5
    return np.where(there, value / np.maximum(weight, 1e-9), 0.0), there


def place_of(found: Found, one: Imperfection) -> Floats:
    """Return where the deepest place of an imperfection is, (2,) mm laid out."""
    return np.asarray(found.prepared.surface.chart.laid(np.array([one.deepest]))[0, :2])


def cut(found: Found, one: Imperfection, *, across: bool, count: int = 240) -> tuple[Floats, Floats]:
    """Return way (n,) and deviations (n,), both mm, of a cut through the deepest place, NaN where there is none.

    It goes along the length of the imperfection, or across it, and a good deal beyond.
    """
    chart = found.prepared.surface.chart
    way = np.array(one.direction)
    reach = 1.3 * (one.width if across else one.length)
    if across:
        way = np.cross(np.array(one.normal), way)
    off = np.linspace(-reach, reach, count)
    laid = chart.laid(np.array(one.deepest) + off[:, None] * way)
    if chart.period > 0:
        middle = laid[count // 2, 0]
        laid[:, 0] -= chart.period * np.round((laid[:, 0] - middle) / chart.period)
        laid[:, 0] = np.mod(laid[:, 0], chart.period)
    value, there = _read(found, laid[:, 0], laid[:, 1])
    return off, np.where(there, value, np.nan)
