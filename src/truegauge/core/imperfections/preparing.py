"""A surface with its reference: laid out, parted at creases, compared; nothing here depends on what is looked for."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.errors import EvaluationError
from truegauge.core.imperfections.areas import choose_area
from truegauge.core.imperfections.areas import grown as wider
from truegauge.core.imperfections.cells import (
    ByCell,
    Cells,
    cell_of,
    in_one_place,
    put_into_cells,
    usual_spacing,
    without_strays,
)
from truegauge.core.imperfections.earlier_scan import EarlierScan, off_scan
from truegauge.core.imperfections.finding import SEEN, Finding, Smoothed, grown, regions, smoothed
from truegauge.core.imperfections.gaussian_surface import GaussianTask
from truegauge.core.imperfections.reference import Given, Kind, Reference, lay_out
from truegauge.core.imperfections.revolution import Profile, profile_of
from truegauge.core.imperfections.smooth_parts import smooth_parts
from truegauge.core.imperfections.smooth_surface import SmoothSurface, SmoothTask
from truegauge.core.imperfections.surface_map import Map, border_distances
from truegauge.core.imperfections.waves import Blocks
from truegauge.core.progress import Progress, silent

if TYPE_CHECKING:
    from collections.abc import Sequence

    from truegauge.core.arrays import Floats, Ints, Mask, Normals, Points
    from truegauge.core.imperfections.area_steps import AreaStep
    from truegauge.core.imperfections.charts import Chart

    Fit = SmoothSurface | Profile

_FINE, _COARSE = 1.5, 3.0  # cells, times the spacing of the points
_OF_WAVELENGTH = 50.0  # the coarse cells are no smaller than this part of it
_STRAYS = 0.15  # of the points: more are other surfaces
_ONE_SHEET = 0.35  # of a coarse cell that heights within it scatter at most
_LINE = 1e-4  # of its length that a surface is wide at least
_REFITS = 2
_MOST_TAKEN = 0.7
_FOOT = 0.02  # of its depth, to which a dent is left out of the reference where the noise lets it be seen so far
_LEAST_PLACES = 10
_CREST = 9.0  # robust scales of waves that are left, which their crests hardly reach
_SURELY = 3.0  # thresholds that something at a border is deep, to be no fault of the reference
_SMALLEST_PART = 0.25  # of a wavelength, squared: what is smaller has no smooth course of its own
_CREASE = 0.3  # of a wavelength
_SLOPES = 2.0  # cells that slopes are read over


@dataclass(frozen=True, eq=False)
class Prepared:
    """A surface with its reference: everything that does not depend on what is looked for.

    `part` (r, c) tells which smooth part a cell belongs to, 0 none; `border` how far (mm) it is from the end of that.
    `inside` (r, c) are the cells of the area that is looked at, None: all.
    """

    surface: Map
    part: Ints
    border: Floats
    smooth: tuple[Fit, ...]
    notes: tuple[str, ...]
    reference: Reference
    inside: Mask | None = None
    per_area: float = 0.0  # noise of another scan that is the reference, of a height of it that stands for 1 mm2, mm
    known: dict[float, Smoothed] = field(default_factory=dict)  # deviations smoothed, by how far

    @cached_property
    def judged(self) -> Mask:
        """The cells (r, c) that are looked at."""
        return np.asarray(self.part > 0 if self.inside is None else self.inside & (self.part > 0))

    @cached_property
    def blocks(self) -> Blocks | None:
        """What shows waves that the reference follows in part only; None where it is to follow none."""
        if not self.smooth or self.reference.kind == Kind.REVOLUTION:
            return None
        cells = self.surface.cells
        own = np.where(self.part > 0, self.surface.deviation, np.nan)
        return Blocks.of(own, cells.count, cells.size, self.reference.wavelength)

    @cached_property
    def totals(self) -> tuple[int, float, float]:
        """Of what is looked at: how many points, the sum of the squares of their deviations (mm2), area (mm2)."""
        there = self.judged & np.isfinite(self.surface.deviation)
        points, squares = self.surface.cells.count[there].sum(), self.surface.squares[there].sum()
        return int(points), float(squares), float(self.surface.area[self.judged].sum())


def reference_depth(depth: float) -> float:
    """Return the depth (mm) that a reference goes by for a threshold: the power of two below it.

    So a reference serves near thresholds, and what is found by one does not depend on those that were tried before.
    """
    return float(2.0 ** np.floor(np.log2(depth)))


def prepare(
    points: Points, normals: Normals | None, reference: Reference, *, depth: float = 0.1,
    area: Sequence[AreaStep] = (), beyond: float = 0.0, given: Given | EarlierScan | None = None,
    progress: Progress = silent,
) -> Prepared:  # fmt: skip
    """Find the reference of a surface.

    Parameters
    ----------
    points : (n, 3) float64
        mm.
    normals : (n, 3), optional
        Out of the material. Without them it is assumed which side that is, and said.
    depth : float
        mm that imperfections are deep at least, so that they do not pull the reference. It counts in steps
        (`reference_depth`).
    area : sequence of AreaStep
        Where it is looked; without, everywhere.
    beyond : float
        mm that the reference may look farther than the area.
    given : Given or EarlierScan, optional
        Deviations from the part as designed, or another scan, where that is the reference.

    Raises
    ------
    EvaluationError
        What is wrong with the surface, in words.
    """
    from scipy.ndimage import binary_closing, distance_transform_edt

    finite, off = np.isfinite(points).all(axis=1), None
    if reference.kind == Kind.PART:
        if not isinstance(given, Given):
            raise EvaluationError("there is no aligned part to measure from")
        finite &= np.isfinite(given.deviations)
        normals, off = given.normals, given.deviations[finite]
    if reference.kind == Kind.SCAN and not isinstance(given, EarlierScan):
        raise EvaluationError("there is no other scan to measure from: open the earlier one, too")
    if not finite.all():
        points, normals = points[finite], None if normals is None else normals[finite]
    depth = reference_depth(depth)
    chosen: Mask | None = None
    if area:
        progress(0.02, "choosing the area")
        chosen = choose_area(points, normals, area, reference.kind)
        used = wider(points, normals, chosen, beyond, reference.kind)
        points, normals, chosen = points[used], None if normals is None else normals[used], chosen[used]
        off = None if off is None else off[used]
    progress(0.05, "laying the surface out")
    laid_out = lay_out(points, normals, reference.kind)
    chart, notes = laid_out.chart, laid_out.notes
    laid = chart.laid(points[laid_out.usable])
    together = in_one_place(laid)
    laid, away = laid[together], int(np.count_nonzero(~together))
    there = np.flatnonzero(laid_out.usable)[together]
    extent = np.sort(np.ptp(laid[:, :2], axis=0))
    if extent[0] <= _LINE * extent[1] or extent[1] == 0:
        raise EvaluationError("the points lie in one place or on a line: they are no surface")
    if reference.wavelength > 0 and extent[1] < reference.wavelength / 2:
        notes += (f"the surface is only {extent[1]:.3g} mm long, waves longer than {reference.wavelength:g} mm are "
                  "followed: is the unit right?",)  # fmt: skip
    spacing = usual_spacing(laid)
    fine, coarse = _FINE * spacing, max(_COARSE * spacing, reference.wavelength / _OF_WAVELENGTH)
    progress(0.15, "putting points into cells")
    kept, scatter = without_strays(laid, coarse, chart.period)
    gone = 1.0 - kept.mean()
    if scatter > _ONE_SHEET * coarse or gone > _STRAYS:
        raise EvaluationError(
            f"within {coarse:.1f} mm the points scatter by {scatter:.2f} mm, {100 * gone:.0f} % lie off the others: "
            "there are several sheets, one above the other, or it is not smooth. Choose a smaller area"
        )
    if gone > 0 or away:
        notes += (f"{np.count_nonzero(~kept) + away:,} points off the surface were left out",)
    laid, there = laid[kept], there[kept]
    chosen, off = None if chosen is None else chosen[there], None if off is None else off[there]
    per_area = 0.0
    if isinstance(given, EarlierScan) and reference.kind == Kind.SCAN:
        progress(0.2, "reading the other scan")
        off, per_area = off_scan(given, chart, laid)
        if given.name:  # a number that is told from it is worth nothing without
            notes += (f"measured from the scan {given.name}",)
        covered = np.isfinite(off)
        if not covered.all():
            notes += (f"{np.count_nonzero(~covered):,} points where the other scan has nothing were left out",)
        laid, off, chosen = laid[covered], off[covered], None if chosen is None else chosen[covered]
    fitted = laid if off is None else np.column_stack([laid[:, :2], off])
    cells, large = put_into_cells(laid, fine, chart.period), put_into_cells(fitted, coarse, chart.period)
    progress(0.3, "parting the surface at creases")
    turned = reference.kind == Kind.REVOLUTION
    parts, _ = smooth_parts(large, max(40.0, _CREASE * reference.wavelength)) if (
        reference.wavelength > 0 and not turned) else (large.known.astype(np.int64), None)  # fmt: skip
    if reference.kind == Kind.SMOOTH:
        smallest = _SMALLEST_PART * reference.wavelength**2
        sizes = np.bincount(parts.ravel()) * large.size**2
        small = [k for k in range(2, len(sizes)) if sizes[k] < smallest]
        if small:
            many = "1 part" if len(small) == 1 else f"{len(small)} parts"
            notes += (f"{many} smaller than {smallest:,.0f} mm² left out",)
            parts = np.where(np.isin(parts, small), 0, parts)
    if not parts.any():
        raise EvaluationError("nothing of the surface is smooth at this wavelength: choose a longer or a shorter one")
    progress(0.4, "fitting the reference")
    rows, columns = np.nonzero(cells.known)
    at = cells.at[rows, columns]
    part = np.zeros(cells.shape, dtype=np.int64)
    part[rows, columns] = _part_at(large, parts, at)
    whole = binary_closing(np.pad(part > 0, 3), np.ones((3, 3)), iterations=2)[3:-3, 3:-3]
    # Cells between points belong to the surface, as those with points do.
    nearest = distance_transform_edt(part == 0, return_distances=False, return_indices=True)
    part = np.where(whole & ~cells.known, part[tuple(nearest)], part)
    fits: tuple[Fit, ...] = ()
    if turned:
        fits = (profile_of(large, reference.wavelength),)
    elif reference.wavelength > 0:
        fits = _smooth_surfaces(large, parts, chart.period, reference, depth, progress)
    progress(0.8, "comparing")
    surface = (
        _compared(chart, cells, laid, part, fits) if off is None else _from_given(chart, cells, laid, part, fits, off)
    )
    inside = None if chosen is None else _inside(laid[chosen], cells)
    return Prepared(surface, part, border_distances(whole, cells), fits, notes, reference, inside, per_area)


def _inside(chosen: Points, cells: Cells) -> Mask:
    """Return the cells (r, c) of the area, those without points between others, too."""
    from scipy.ndimage import binary_closing

    column, row = cell_of(chosen, cells)
    made = np.zeros(cells.shape, dtype=bool)
    made[row, column] = True
    closed = binary_closing(np.pad(made, 3), np.ones((3, 3)), iterations=2)[3:-3, 3:-3]
    return np.asarray(made | (closed & ~cells.known))


def _part_at(large: Cells, parts: Ints, at: Floats) -> Ints:
    index = ((at - large.low) / large.size).astype(np.int64)
    rows, columns = large.shape
    return np.asarray(parts[np.clip(index[:, 1], 0, rows - 1), np.clip(index[:, 0], 0, columns - 1)])


def _smooth_surfaces(
    large: Cells, parts: Ints, period: float, reference: Reference, depth: float, progress: Progress
) -> tuple[SmoothSurface, ...]:  # fmt: skip
    """Fit a smooth surface to each part, without what is found to be an imperfection."""
    made: list[SmoothSurface] = []
    for k in range(1, int(parts.max()) + 1):
        rows, columns = np.nonzero((parts == k) & large.known)
        if len(rows) < _LEAST_PLACES:
            break  # the parts after it are smaller still
        progress(0.4 + 0.4 * k / int(parts.max()), "fitting the reference")
        at, height, area = large.at[rows, columns], large.height[rows, columns], np.full(len(rows), large.size**2)
        try:
            task = GaussianTask.of(large, rows, columns, reference.wavelength) if reference.by == "gaussian" else (
                SmoothTask.of(at, height, area, reference.wavelength, period))  # fmt: skip
            fit = task.fitted(least=depth)
            for _ in range(_REFITS):
                z, s = fit.heights(at)
                deviation = np.full(large.shape, np.nan)
                deviation[rows, columns] = (height - z) / np.sqrt(1.0 + np.square(s).sum(axis=1))
                out = _taken_in(deviation, large, depth)[rows, columns]
                # Where nearly nothing would be left the robust fit is better than none.
                if out.mean() > _MOST_TAKEN:
                    break
                fit = task.fitted(out=out)
        except ValueError as error:
            raise EvaluationError(str(error)) from error
        made.append(fit)
    return tuple(made)


def _compared(chart: Chart, cells: Cells, laid: Points, part: Ints, fits: tuple[Fit, ...]) -> Map:
    """Compare every point with the reference; a cell has the mean of its points."""
    reference, slope = np.zeros(cells.shape), np.zeros((*cells.shape, 2))
    for k, fit in enumerate(fits, 1):
        rows, columns = np.nonzero(part == k)
        reference[rows, columns], slope[rows, columns] = fit.heights(cells.at[rows, columns])
    column, row = cell_of(laid, cells)
    of = part[row, column]
    deviation = np.where(of > 0, laid[:, 2], np.nan)
    for k, fit in enumerate(fits, 1):
        own = np.flatnonzero(of == k)
        z, s = fit.heights(laid[own, :2])
        # Along the normal: the height over a slope is as much longer.
        deviation[own] = (laid[own, 2] - z) / np.sqrt(1.0 + np.square(s).sum(axis=1))
    by_cell = ByCell.of(laid, deviation, cells)
    mean, count = by_cell.means(cells.shape)
    return Map(chart, replace(cells, count=count), mean, reference, slope, by_cell)


def _from_given(chart: Chart, cells: Cells, laid: Points, part: Ints, fits: tuple[Fit, ...], off: Floats) -> Map:
    """Take given deviations, less the waves that are followed; the reference lies below the points by them."""
    from scipy.ndimage import distance_transform_edt, gaussian_filter

    column, row = cell_of(laid, cells)
    of = part[row, column]
    deviation = np.where(of > 0, off, np.nan)
    for k, fit in enumerate(fits, 1):
        own = np.flatnonzero(of == k)
        deviation[own] = off[own] - fit.heights(laid[own, :2])[0]
    by_cell = ByCell.of(laid, deviation, cells)
    mean, count = by_cell.means(cells.shape)
    nearest = distance_transform_edt(~cells.known, return_distances=False, return_indices=True)
    height = cells.height[tuple(nearest)]
    down, across = np.gradient(gaussian_filter(height, _SLOPES), cells.size)
    slope = np.stack([across, down], axis=2)
    rows, columns = np.indices(cells.shape)
    aside = cells.at - cells.middles(rows.ravel(), columns.ravel()).reshape(*cells.shape, 2)
    below = np.nan_to_num(mean) * np.sqrt(1.0 + np.square(slope).sum(axis=2))
    reference = height - np.einsum("rck,rck->rc", aside, slope) - below
    return Map(chart, replace(cells, count=count), mean, reference, slope, by_cell)


def _taken_in(deviation: Floats, cells: Cells, depth: float) -> Mask:
    """Return the cells (r, c) that imperfections take in, down to where they are not seen any more."""
    from scipy.ndimage import binary_dilation

    found = smoothed(deviation, cells, 0.5 * depth)
    border = binary_dilation(~np.isfinite(np.pad(deviation, 1, constant_values=np.nan)), np.ones((3, 3)))[1:-1, 1:-1]
    # Waves that it does not follow are no imperfections: without their crests it would follow them still less.
    waves = float(np.sqrt(max(0.0, found.scatter**2 - found.noise**2)))
    seed = max(0.7 * depth, 5.0 * found.noise, 4.0 * found.scatter, _CREST * waves)
    labels = regions(found.height, cells, Finding(depth=seed))
    level = max(SEEN * found.noise, 1.5 * found.scatter)
    taken, inner = np.zeros(labels.shape, dtype=bool), np.zeros(labels.shape, dtype=bool)
    for sign in (-1, 1):
        up = sign * found.height
        own = np.where(up > 0, labels, 0)
        peaks = _peaks(up, own)
        # At a border nothing else holds the reference: what is shallow there is its own fault.
        at_border = np.unique(own[border & (own > 0)])
        own = np.where(np.isin(own, at_border[peaks[at_border] < _SURELY * depth]), 0, own)
        limits = np.maximum(level, _FOOT * peaks)
        inner |= own > 0
        taken |= (grown(up, own, limits, closed=cells.is_closed) > 0) & _around(own)
    # At a border a foot is left in: without it nothing would hold the reference beyond what stands near the border, and
    # what it is off by there would be found as an imperfection.
    rim = binary_dilation(border, np.ones((3, 3)))
    return np.asarray(binary_dilation(taken, np.ones((3, 3))) & (inner | ~rim))


def _around(labels: Ints) -> Mask:
    """Return what is no farther (r, c) from a region than its own radius: noise carries a foot no farther than that."""
    from scipy.ndimage import distance_transform_edt

    if not labels.any():
        return labels > 0
    radius = np.sqrt(np.bincount(labels.ravel()) / np.pi)
    far, nearest = distance_transform_edt(labels == 0, return_indices=True)
    return np.asarray(far <= radius[labels[tuple(nearest)]])


def _peaks(up: Floats, labels: Ints) -> Floats:
    """Return the highest of each region, by its number."""
    peaks = np.zeros(int(labels.max()) + 1)
    rows, columns = np.nonzero(labels)
    np.maximum.at(peaks, labels[rows, columns], up[rows, columns])
    return peaks
