"""The measured surface of a feature or of any faces, free of noise: places on it, and how uncertain they are."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Ints, Points, frozen
from truegauge.core.association.features import Feature, Plane
from truegauge.core.feature_waves import FeatureWaves, feature_waves, grid_cells
from truegauge.core.surface_estimate import SurfaceEstimate, estimate_surface

_MOST_POINTS = 2000  # of a curved feature
_CORNERS = np.arange(16) * np.pi / 8
_PATCH_ORDER = 12
_MOST_CELLS = 64  # along each side of a face
_IN_CELL = 4


@dataclass(frozen=True, slots=True, eq=False)
class MeasuredSurface:
    """Places on a measured surface.

    `points` (m, 3) are dense enough for extremes, `means` (k, 3) one for each cell; `heights` (n,) mm are those of all
    points over the feature. `modes` (m, q) and `mean_modes` (k, q) mm say how the places move along their normals, q
    errors of standard deviation 1 for both. `noise` mm of a single point; `wavelength` in words; `kept` waves stood
    out, `strays` were left out.
    """

    points: Points
    means: Points
    mean_heights: Floats
    heights: Floats
    modes: NDArray[np.float64]
    mean_modes: NDArray[np.float64]
    noise: float
    wavelength: str
    kept: int
    strays: int

    @property
    def words(self) -> str:
        """Say how the surface was estimated."""
        kept = {0: "no form", 1: "one wave"}.get(self.kept, f"{self.kept} waves")
        strays = f", {self.strays} strays left out" if self.strays else ""
        return f"surface down to {self.wavelength}, {kept} above the noise of {1000 * self.noise:.1f} µm{strays}"


def feature_surface(feature: Feature, points: Points, residuals: Floats, least: float) -> MeasuredSurface | None:
    """Estimate the surface of a feature; None for shapes without waves and for few points.

    Parameters
    ----------
    feature : Feature
        Associated by least squares with the points (n, 3), which leaves `residuals` (n,) mm.
    least : float
        The side of the smallest cells, mm.
    """
    waves = feature_waves(feature, points, least)
    if waves is None:
        return None
    found = estimate_surface(residuals, waves.cells, waves.at_means, waves.own)
    everything = np.arange(len(points))
    heights = found.heights(waves.at(everything), waves.cells.fine)
    middles = _nearest_middle(np.column_stack([waves.u, waves.v]), waves.cells.fine)
    rows = middles = np.union1d(middles, _outermost(waves)) if isinstance(feature, Plane) else middles
    if not isinstance(feature, Plane):
        rows = everything
        if len(rows) > _MOST_POINTS:
            rows = rows[np.linspace(0, len(rows) - 1, _MOST_POINTS).astype(np.int64)]

    def at(chosen: Ints) -> Points:
        return np.asarray(
            points[chosen] + (heights[chosen] - residuals[chosen])[:, None] * feature.outward(points[chosen])
        )

    return MeasuredSurface(
        frozen(at(rows)), frozen(at(middles)), frozen(heights[middles]), frozen(heights),
        _modes(found, waves, rows), _modes(found, waves, middles), found.noise, waves.wavelength, found.kept,
        len(found.strays),
    )  # fmt: skip


def _modes(found: SurfaceEstimate, waves: FeatureWaves, rows: Ints) -> NDArray[np.float64]:
    return np.asarray(frozen(found.noise * (waves.at(rows) @ found.uncertain)))


def _nearest_middle(flat: NDArray[np.float64], fine: Ints) -> Ints:
    """Return the point nearest to the middle of each cell."""
    count = int(fine.max()) + 1
    sizes = np.bincount(fine, minlength=count)
    middle = np.column_stack([np.bincount(fine, weights=x, minlength=count) / sizes for x in flat.T])
    off = ((flat - middle[fine]) ** 2).sum(axis=1)
    order = np.lexsort((off, fine))
    return np.asarray(order[np.searchsorted(fine[order], np.arange(count))])


def _outermost(waves: FeatureWaves) -> Ints:
    """Return the outermost points of a plane: its tilt counts to its ends."""
    flat = np.column_stack([waves.u, waves.v])
    return np.unique(np.argmax(flat @ np.stack([np.cos(_CORNERS), np.sin(_CORNERS)]), axis=0))


@dataclass(frozen=True, slots=True, eq=False)
class PatchSurface:
    """Places (m, 3) on the measured surface of any face, outward normals (m, 3), `modes` (m, q) mm of their errors."""

    points: Points
    normals: Points
    modes: NDArray[np.float64]
    rows: Ints
    noise: float
    strays: int


def patch_surface(feet: Points, normals: Points, deviations: Floats, least: float) -> PatchSurface:
    """Estimate the surface of a face that is no ideal feature.

    Parameters
    ----------
    feet, normals : (n, 3) float64
        The points' feet on the part and the outward normals there.
    deviations : (n,) mm
        Positive out of the material.
    least : float
        The side of the smallest cells, mm.
    """
    normals = np.asarray(normals, dtype=np.float64)
    flat, sides = _flattened(feet)
    count = max(3.0, np.sqrt(len(feet) / _IN_CELL))
    columns, rows = (int(np.clip(2 * s / least, 3, min(max(3.0, count), _MOST_CELLS))) for s in sides)
    # Faces that fold over themselves are cut by their normals' sides as well.
    side = (normals @ _main_normal(normals) < 0).astype(np.int64)
    cells = grid_cells((flat[:, 0] + side) / 2, flat[:, 1], 2 * columns, rows)
    order = min(_PATCH_ORDER, int(np.sqrt(cells.count / 3)))
    orders = [(i, j) for i in range(order + 1) for j in range(order + 1) if i * i + j * j <= order * order]
    orders.sort(key=lambda o: o[0] ** 2 + o[1] ** 2)

    def waves(u: Floats, v: Floats) -> NDArray[np.float64]:
        return np.column_stack([np.cos(np.pi * i * u) * np.cos(np.pi * j * v) for i, j in orders])

    def at_means(counts: Floats, fine: Ints, used: Ints) -> NDArray[np.float64]:
        counts = np.maximum(counts, 1.0)
        u, v = (np.bincount(fine, weights=flat[used, k], minlength=len(counts)) / counts for k in (0, 1))
        return waves(u, v)

    found = estimate_surface(deviations, cells, at_means, 1)
    chosen = _nearest_middle(flat, cells.fine)
    basis = waves(flat[chosen, 0], flat[chosen, 1])
    heights = found.heights(basis, cells.fine[chosen])
    points = feet[chosen] + heights[:, None] * normals[chosen]
    modes = found.noise * (basis @ found.uncertain)
    return PatchSurface(points, normals[chosen], modes, chosen, found.noise, len(found.strays))


def _flattened(points: Points) -> tuple[NDArray[np.float64], Floats]:
    """Return coordinates (n, 2) from 0 to 1 along the two longest extents, and these extents, mm."""
    off = points - points.mean(axis=0)
    axes = np.linalg.eigh(off.T @ off)[1][:, ::-1]
    flat = off @ axes[:, :2]
    sides = np.maximum(np.ptp(flat, axis=0), 1e-9)
    return (flat - flat.min(axis=0)) / sides, sides


def _main_normal(normals: Points) -> Floats:
    return np.asarray(np.linalg.eigh(normals.T @ normals)[1][:, -1])
