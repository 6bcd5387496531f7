"""Rings over the measured surface of a turned feature: places at even angles and heights, wherever there are points.

What is read off cross sections (centres, opposite places, contours) must not depend on how the points of a cloud happen
to be spread: the centre of a circle through unevenly spread points of a lobed bore is off by some lobes, and places
three degrees from opposite differ by the slope between them.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Ints, Points
from truegauge.core.association.features import Cone, Cylinder
from truegauge.core.features.surface_estimate import Cells, SurfaceEstimate
from truegauge.core.features.waves import FeatureWaves

_AROUND, _RINGS = 96, 16
HALF = _AROUND // 2
_EVERY, _FEW_RINGS = 4, 8  # of those the ones that are enough where nothing but small motions counts
_END = 0.01  # of the length: the outermost rings
_SURROUNDED = 5  # of eight cells around one without points: there the surface goes on


@dataclass(frozen=True, slots=True, eq=False)
class SurfaceRings:
    """Places (m, 3) on the surface, the waves (m, p) there, and a choice of few of them that is even as well.

    `at` (m, 2) are ring and step around of each place: the one opposite is `HALF` steps on.
    """

    points: Points
    waves: NDArray[np.float64]
    at: Ints
    few: Ints


def surface_rings(feature: Cylinder | Cone, waves: FeatureWaves, found: SurfaceEstimate) -> SurfaceRings:
    """Return rings of places; every second ring is turned by half a step, so that narrow lobes are met."""
    k, j = (x.ravel() for x in np.meshgrid(np.arange(_RINGS), np.arange(_AROUND), indexing="ij"))
    u = (j + 0.5 * (k % 2) + 0.25) / _AROUND
    v = _END + (1 - 2 * _END) * k / (_RINGS - 1)
    there, standing = _standing(waves.cells, found.places, u, v)
    k, j, u, v = k[there], j[there], u[there], v[there]
    basis = waves.over(u, v)
    low, wide, lowest, high = waves.span
    points = _on(feature, low + wide * u, lowest + high * v)
    heights = basis @ found.coefficients + standing[there]
    rings = np.round(np.linspace(0, _RINGS - 1, _FEW_RINGS)).astype(int)
    few = np.flatnonzero((j % _EVERY == 0) & np.isin(k, rings))
    lifted = np.asarray(points + heights[:, None] * feature.outward(points))
    return SurfaceRings(lifted, basis, np.column_stack([k, j]), few)


def _standing(cells: Cells, places: Floats, u: Floats, v: Floats) -> tuple[NDArray[np.bool_], Floats]:
    """Tell where there are points, and what stands out of the waves there (in a cell without points: around it)."""
    flat = np.full(cells.columns * cells.rows, np.nan)
    flat[cells.places] = places
    grid: NDArray[np.float64] = flat.reshape(cells.rows, cells.columns)
    wide = np.pad(np.pad(grid, ((0, 0), (1, 1)), mode="wrap"), ((1, 1), (0, 0)), constant_values=np.nan)
    rows, columns = cells.rows, cells.columns
    around = np.stack([
        wide[a : a + rows, b : b + columns] for a in range(3) for b in range(3) if (a, b) != (1, 1)
    ])  # fmt: skip
    count = np.isfinite(around).sum(axis=0)
    filled = np.where(count > 0, np.nansum(around, axis=0) / np.maximum(count, 1), 0.0)
    known = np.isfinite(grid)
    there = known | (count >= _SURROUNDED)
    i = np.clip((v * rows).astype(np.int64), 0, rows - 1)
    j = np.clip((u * columns).astype(np.int64), 0, columns - 1)
    return there[i, j], np.where(known, grid, filled)[i, j]


def rings_at(at: Ints) -> list[Ints]:
    """Return the places of each ring."""
    return [np.flatnonzero(at[:, 0] == k) for k in np.unique(at[:, 0])]


def opposite_at(steps: Ints, radius: Floats) -> Floats:
    """Return the sums of radii of places of a ring that lie opposite to each other."""
    table = np.full(2 * HALF, np.nan)
    table[steps] = radius
    sums = table[:HALF] + table[HALF:]
    return np.asarray(sums[np.isfinite(sums)])


def _on(feature: Cylinder | Cone, angle: Floats, along: Floats) -> Points:
    """Return points on a feature at angles (rad) and places along its surface (mm, as `coordinates_on`)."""
    if isinstance(feature, Cone):
        radius, height = along * np.sin(feature.half_angle_rad), along * np.cos(feature.half_angle_rad)
    else:
        radius, height = np.full(len(angle), feature.radius), along
    local = np.column_stack([radius * np.cos(angle), radius * np.sin(angle), height])
    return np.asarray(local @ feature.pose.axes + feature.pose.origin)
