"""The measured surface of a feature or of any faces, free of noise: places on it, and how uncertain they are."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Ints, Mask, Points, frozen
from truegauge.core.association.features import Cone, Cylinder, Feature, Plane
from truegauge.core.features.surface_estimate import Cells, SurfaceEstimate, estimate_surface
from truegauge.core.features.surface_rings import surface_rings
from truegauge.core.features.waves import FeatureWaves, along_a_side, feature_waves, grid_cells

_MOST_POINTS = 2000  # of a curved feature
_CORNERS = np.arange(16) * np.pi / 8
_PATCH_ORDER = 16
_MOST_CELLS = 64  # along each side of a face
_IN_CELL = 4
_PATCH_FINER = 26
_LEAST_OF_A_DENT = 4  # points in a cell


@dataclass(frozen=True, slots=True, eq=False)
class MeasuredSurface:
    """Places on a measured surface.

    `points` (m, 3) are dense enough for extremes (of turned features in `rings` (m, 2), see `surface_rings`; `few` of
    them are enough where they move a little), `means` (k, 3) one for each cell; `heights` (n,) mm are those of the
    points `everywhere` (n, 3) over the feature. `modes` (m, q) and `mean_modes` (k, q) mm say how the places move along
    their normals, q errors of standard deviation 1 for both. `noise` mm of a single point; `wavelength` in words;
    `kept` waves stood out, `strays` were left out.
    """

    points: Points
    means: Points
    mean_heights: Floats
    everywhere: Points
    heights: Floats
    modes: NDArray[np.float64]
    mean_modes: NDArray[np.float64]
    noise: float
    wavelength: str
    kept: int
    strays: int
    few: Ints
    rings: Ints | None = None

    @property
    def words(self) -> str:
        """Say how the surface was estimated."""
        kept = {0: "no form", 1: "one wave"}.get(self.kept, f"{self.kept} waves")
        strays = f", {self.strays} strays left out" if self.strays else ""
        return f"surface down to {self.wavelength}, {kept} above the noise of {1000 * self.noise:.1f} µm{strays}"


def feature_surface(
    feature: Feature, points: Points, residuals: Floats, kept: Mask, least: float
) -> MeasuredSurface | None:
    """Estimate the surface of a feature; None for shapes without waves and for few points.

    Parameters
    ----------
    feature : Feature
        Associated by least squares with the points (n, 3) that are `kept` (n,), which leaves `residuals` (n,) mm.
        Others were too far from it: single ones are strays, but where most points of a place lie far off, the surface
        does, and they count.
    least : float
        The side of the smallest cells, mm.
    """
    waves = feature_waves(feature, points, least)
    if waves is not None and not kept.all():
        used = kept | _agreeing(kept, waves.cells.fine)
        points, residuals = points[used], residuals[used]
        waves = feature_waves(feature, points, least)
    if waves is None:
        return None
    found = estimate_surface(residuals, waves.cells, waves.at_means, waves.own)
    everything = np.arange(len(points))
    heights = found.heights(waves.sums(found.coefficients), waves.cells.fine)
    middles = _nearest_middle(np.column_stack([waves.u, waves.v]), waves.cells.fine)
    if isinstance(feature, Plane):
        middles = np.union1d(middles, _outermost(waves))
    rings = surface_rings(feature, waves, found) if isinstance(feature, Cylinder | Cone) else None
    rows = middles
    if not isinstance(feature, Plane):
        rows = everything
        if len(rows) > _MOST_POINTS:
            rows = rows[np.linspace(0, len(rows) - 1, _MOST_POINTS).astype(np.int64)]

    def at(chosen: Ints) -> Points:
        return np.asarray(
            points[chosen] + (heights[chosen] - residuals[chosen])[:, None] * feature.outward(points[chosen])
        )

    whole, modes = (at(rows), _modes(found, waves.at(rows))) if rings is None else (
        rings.points, _modes(found, rings.waves)
    )  # fmt: skip
    return MeasuredSurface(
        frozen(whole), frozen(at(middles)), frozen(heights[middles]), points, frozen(heights),
        modes, _modes(found, waves.at(middles)), found.noise, waves.wavelength, found.kept, len(found.strays),
        evenly(len(whole)) if rings is None else rings.few, None if rings is None else rings.at,
    )  # fmt: skip


def _agreeing(kept: Mask, fine: Ints) -> Mask:
    """Return the points in cells of which most were not kept: a dent, not strays."""
    counts = np.bincount(fine)
    far = np.bincount(fine, weights=~kept)
    return np.asarray(((far > 0.5 * counts) & (far >= _LEAST_OF_A_DENT))[fine])


def _modes(found: SurfaceEstimate, waves: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.asarray(frozen(found.noise * (waves @ found.uncertain)))


def evenly(count: int, most: int = 240) -> Ints:
    """Return some of many places: what moves is smooth, so that few tell it as well."""
    rows = np.arange(count)
    return rows if count <= most else rows[np.linspace(0, count - 1, most).astype(np.int64)]


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
    found, orders = _in_waves(deviations, cells, flat, order)
    fine = np.abs(found.coefficients[len(orders) // 2 :]) > 0
    if fine.sum() > 1 and cells.count >= 3 * _PATCH_FINER**2:  # there is more that these waves are too long for
        found, orders = _in_waves(deviations, cells, flat, _PATCH_FINER)
    chosen = _nearest_middle(flat, cells.fine)
    basis = _polynomials(flat[chosen, 0], flat[chosen, 1], orders)
    heights = found.heights(basis @ found.coefficients, cells.fine[chosen])
    points = feet[chosen] + heights[:, None] * normals[chosen]
    modes = found.noise * (basis @ found.uncertain)
    return PatchSurface(points, normals[chosen], modes, chosen, found.noise, len(found.strays))


def _in_waves(
    deviations: Floats, cells: Cells, flat: NDArray[np.float64], order: int
) -> tuple[SurfaceEstimate, list[tuple[int, int]]]:
    orders = [(i, j) for i in range(order + 1) for j in range(order + 1) if i * i + j * j <= order * order]
    orders.sort(key=lambda o: o[0] ** 2 + o[1] ** 2)

    def at_means(counts: Floats, fine: Ints, used: Ints) -> NDArray[np.float64]:
        counts = np.maximum(counts, 1.0)
        u, v = (np.bincount(fine, weights=flat[used, k], minlength=len(counts)) / counts for k in (0, 1))
        return _polynomials(u, v, orders)

    return estimate_surface(deviations, cells, at_means, 1), orders


def _polynomials(u: Floats, v: Floats, orders: list[tuple[int, int]]) -> NDArray[np.float64]:
    first, second = (along_a_side(x, max(o[k] for o in orders)) for k, x in enumerate((u, v)))
    i, j = np.array(orders).T
    return np.asarray(first[:, i] * second[:, j])


def _flattened(points: Points) -> tuple[NDArray[np.float64], Floats]:
    """Return coordinates (n, 2) from 0 to 1 along the two longest extents, and these extents, mm."""
    off = points - points.mean(axis=0)
    axes = np.linalg.eigh(off.T @ off)[1][:, ::-1]
    flat = off @ axes[:, :2]
    sides = np.maximum(np.ptp(flat, axis=0), 1e-9)
    return (flat - flat.min(axis=0)) / sides, sides


def _main_normal(normals: Points) -> Floats:
    return np.asarray(np.linalg.eigh(normals.T @ normals)[1][:, -1])
