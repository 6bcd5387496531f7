"""Choosing the part of a scan that is looked at: outlines, brush strokes, what is smooth from a place on, wider or not.

Every step works on the raw points, so that the same steps choose the same surface of the next scan.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numba import njit

from truegauge.core.clouds.outlines import inside_corners
from truegauge.core.errors import EvaluationError
from truegauge.core.imperfections.area_steps import AreaBrush, AreaGrown, AreaOutline, AreaPatch, AreaSmooth, AreaStep
from truegauge.core.imperfections.cells import cell_of, put_into_cells, usual_spacing
from truegauge.core.imperfections.cubes import smooth_from
from truegauge.core.imperfections.reference import Kind, lay_out

if TYPE_CHECKING:
    from collections.abc import Sequence

    from truegauge.core.arrays import Floats, Mask, Normals, Points

_LEAST = 50  # points of an area
_CELL = 2.0  # spacings of the points


def choose_area(points: Points, normals: Normals | None, steps: Sequence[AreaStep], kind: Kind = Kind.SMOOTH) -> Mask:
    """Return which points (n, 3) the steps choose, beginning with all.

    Parameters
    ----------
    points : (n, 3) float64
        mm.
    normals : (n, 3), optional
        Out of the material; without them outlines take what faces away, too.
    kind : Kind
        How the surface is laid out, for steps that go along it.

    Raises
    ------
    EvaluationError
        Nothing, or nearly nothing, is left, or a step cannot be done; it says which one.
    """
    chosen = np.ones(len(points), dtype=bool)
    if len(points) < _LEAST:
        raise EvaluationError(f"{len(points)} points are too few to choose an area of")
    for k, step in enumerate(steps, 1):
        try:
            if isinstance(step, AreaGrown):
                chosen = grown(points, normals, chosen, step.by, kind)
            else:
                own = _enclosed(points, normals, chosen, step, kind)
                chosen = {"only": chosen & own, "also": chosen | own, "not": chosen & ~own}[step.way]
        except EvaluationError as error:
            raise EvaluationError(f"step {k} of the area: {error}") from error
        if np.count_nonzero(chosen) < _LEAST:
            raise EvaluationError(f"after step {k} of the area {np.count_nonzero(chosen)} points are left: too few")
    return chosen


def grown(points: Points, normals: Normals | None, chosen: Mask, by: float, kind: Kind) -> Mask:
    """Return which points lie in an area that is wider by `by` mm all around; negative: narrower.

    What is wider stays on the same sheet: it is laid out as the area is.
    """
    from scipy.ndimage import distance_transform_edt

    if by == 0:
        return chosen
    laid_out = lay_out(points[chosen], None if normals is None else normals[chosen], kind)
    # Only what is near to the area in space is laid out beside it: the back of a thin part is no part of it.
    near = np.flatnonzero(_near(points, chosen, abs(by)))
    laid = laid_out.chart.laid(points[near])
    if normals is not None:
        faces = np.einsum("ij,ij->i", normals[near], laid_out.chart.out(laid)) > 0
        kept = faces | chosen[near] | (np.abs(normals[near]).sum(axis=1) == 0)
        near, laid = near[kept], laid[kept]
    own = chosen[near]
    size = _CELL * usual_spacing(laid[own])
    size = max(size, abs(by) / 200.0)
    cells = put_into_cells(laid, size, laid_out.chart.period)
    column, row = cell_of(laid, cells)
    inside, other = np.zeros(cells.shape, dtype=bool), np.zeros(cells.shape, dtype=bool)
    inside[row[own], column[own]] = True
    other[row[~own], column[~own]] = True
    # A cell at the rim holds some of both; cells between points belong to neither.
    if by < 0:  # beyond the end of the points nothing is, too
        filled = _closed_up(np.pad(_wrapped(inside & ~other, cells.is_closed), 1))
        far = distance_transform_edt(filled)[1:-1, 1:-1]
        kept = _middle(far, cells.shape[1], cells.is_closed) * size > -by
        made = np.zeros(len(points), dtype=bool)
        made[near[own]] = kept[row[own], column[own]]
        return made
    far = _middle(distance_transform_edt(~_wrapped(inside, cells.is_closed)), cells.shape[1], cells.is_closed) * size
    made = chosen.copy()
    made[near] |= far[row, column] <= by
    return made


def _wrapped(mask: Mask, closed: bool) -> Mask:
    return np.hstack([mask, mask, mask]) if closed else mask


def _middle(image: Floats, width: int, closed: bool) -> Floats:
    return image[:, width : 2 * width] if closed else image


def _closed_up(mask: Mask) -> Mask:
    from scipy.ndimage import binary_closing

    return np.asarray(binary_closing(mask, np.ones((3, 3))) | mask)


def _near(points: Points, chosen: Mask, far: float) -> Mask:
    """Return which points are chosen, or not much farther than `far` from a chosen one."""
    size = max(far, 1e-6)
    low = points[chosen].min(axis=0) - 2 * size
    cube = np.floor((points - low) / size).astype(np.int64)
    extent = cube[chosen].max(axis=0) + 3
    within = ((cube >= 0) & (cube < extent)).all(axis=1)
    key = np.where(within, (cube[:, 0] * extent[1] + cube[:, 1]) * extent[2] + cube[:, 2], -1)
    own = np.unique(key[chosen])
    around = np.array([(a * extent[1] + b) * extent[2] + c for a in (-1, 0, 1) for b in (-1, 0, 1) for c in (-1, 0, 1)])
    made = np.isin(key, np.unique(own[:, None] + around)) & within
    return np.asarray(made | chosen)


def _enclosed(points: Points, normals: Normals | None, chosen: Mask, step: AreaStep, kind: Kind) -> Mask:
    match step:
        case AreaOutline():
            right, up = np.array(step.right), np.array(step.up)
            made = inside_corners(np.column_stack([points @ right, points @ up]), np.array(step.outline))
            if normals is not None and not step.deep:
                made &= (normals @ np.cross(right, up) > 0) | (np.abs(normals).sum(axis=1) == 0)
            return made
        case AreaPatch():
            return _in_patch(points, normals, chosen, np.array(step.corners), kind)
        case AreaBrush():
            return _brushed(points, normals, np.array(step.places), step.radius)
        case AreaSmooth():
            return smooth_from(points, np.array(step.place), step.turn)
        case _:
            raise AssertionError(step)


def _in_patch(points: Points, normals: Normals | None, chosen: Mask, corners: Points, kind: Kind) -> Mask:
    laid_out = lay_out(points[chosen], None if normals is None else normals[chosen], kind)
    chart = laid_out.chart
    rim, whole = chart.laid(corners)[:, :2], chart.laid(points)
    laid = whole[:, :2]
    if chart.period > 0:  # the line is followed over the seam, and points are looked for a turn farther, too
        rim[:, 0] = np.unwrap(rim[:, 0], period=chart.period)
        turns = chart.period * np.arange(np.floor(rim[:, 0].min() / chart.period),
                                         np.floor(rim[:, 0].max() / chart.period) + 1)  # fmt: skip
        made = np.zeros(len(points), dtype=bool)
        for turn in turns:
            made |= inside_corners(laid + np.array([turn, 0.0]), rim)
    else:
        made = inside_corners(laid, rim)
    if normals is not None:  # a thin part has another side
        made &= (np.einsum("ij,ij->i", normals, chart.out(whole)) > 0) | (np.abs(normals).sum(axis=1) == 0)
    return made


def _brushed(points: Points, normals: Normals | None, places: Points, radius: float) -> Mask:
    from scipy.spatial import cKDTree

    made = np.zeros(len(points), dtype=bool)
    _brush(np.ascontiguousarray(points), places, radius * radius, made)
    if normals is not None and made.any():  # not through a thin part to its other side
        own = np.flatnonzero(made)
        painted = normals[own[cKDTree(points[own]).query(places)[1]]]
        nearest = cKDTree(places).query(points[own])[1]
        made[own] = np.einsum("ij,ij->i", normals[own], painted[nearest]) >= 0
    return made


@njit(cache=True, nogil=True)
def _brush(points, places, square, made):  # type: ignore[no-untyped-def]
    """Mark points whose distance to a line through places is small enough."""
    low, high = np.full(3, np.inf), np.full(3, -np.inf)
    reach = np.sqrt(square)
    for p in places:
        for c in range(3):
            low[c], high[c] = min(low[c], p[c] - reach), max(high[c], p[c] + reach)
    for k in range(len(points)):
        x, y, z = points[k]
        if not (low[0] <= x <= high[0] and low[1] <= y <= high[1] and low[2] <= z <= high[2]):
            continue
        for j in range(len(places)):
            a = places[j]
            b = places[j + 1] if j + 1 < len(places) else a
            ux, uy, uz = b[0] - a[0], b[1] - a[1], b[2] - a[2]
            long = ux * ux + uy * uy + uz * uz
            t = 0.0
            if long > 0:
                t = min(1.0, max(0.0, ((x - a[0]) * ux + (y - a[1]) * uy + (z - a[2]) * uz) / long))
            dx, dy, dz = x - a[0] - t * ux, y - a[1] - t * uy, z - a[2] - t * uz
            if dx * dx + dy * dy + dz * dz <= square:
                made[k] = True
                break
