"""From a surface with its reference to its imperfections: found, told from heads, measured, put in order."""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.imperfections.finding import SEEN, Finding, Smoothed, grown, regions, smoothed
from truegauge.core.imperfections.measuring import Imperfection, Measured, measure, neighbours
from truegauge.core.imperfections.preparing import Prepared, prepare
from truegauge.core.imperfections.reference import Given, Reference
from truegauge.core.progress import Progress, silent

if TYPE_CHECKING:
    from collections.abc import Sequence

    from truegauge.core.arrays import Ints, Mask, Normals, Points
    from truegauge.core.imperfections.area_steps import AreaStep

_LEAST_POINTS = 5  # of an imperfection: of fewer, noise cannot be told from depth


@dataclass(frozen=True, slots=True)
class Quality:
    """How well the reference stands: noise of a point, rms outside of imperfections, area judged (mm2), and advice."""

    noise: float
    rms: float
    area: float
    parts: int
    advice: str = ""


@dataclass(frozen=True, slots=True, eq=False)
class Found:
    """Imperfections, the deepest or highest first; `left_out` are heads and edges, which are none.

    `labels` (r, c) tell which of them a cell belongs to, from 1; those left out come after.
    """

    prepared: Prepared
    imperfections: tuple[Imperfection, ...]
    left_out: tuple[Imperfection, ...]
    labels: Ints
    smoothed: Smoothed
    quality: Quality


def _by_region(labels: Ints) -> list[tuple[Ints, Ints]]:
    """Return rows and columns of the cells of each region, from number 1."""
    rows, columns = np.nonzero(labels)
    own = labels[rows, columns]
    order = np.argsort(own, kind="stable")
    starts = np.searchsorted(own[order], np.arange(1, int(labels.max()) + 2))
    return [(rows[order[a:b]], columns[order[a:b]]) for a, b in pairwise(starts)]


def find(prepared: Prepared, wanted: Finding) -> Found:
    """Find and measure what is deeper or higher than a threshold."""
    surface, cells = prepared.surface, prepared.surface.cells
    found = smoothed(surface.deviation, cells, wanted.depth, prepared.part > 0, prepared.known)
    labels = regions(found.height, cells, wanted)
    count = int(labels.max())
    level = max(SEEN * found.noise, 1.5 * found.scatter)
    wide = np.zeros_like(labels)
    for sign in wanted.signs:
        up = sign * found.height
        own = labels * (np.nan_to_num(up) > 0)
        wide = np.maximum(wide, grown(up, own, np.full(count + 1, level), closed=cells.is_closed))
    made: list[tuple[int, Measured]] = []
    wholes = _by_region(wide)
    for k, (rows, columns) in enumerate(_by_region(labels), 1):
        # Smaller than it has to be in any case: not worth measuring.
        if len(rows) * cells.size**2 < 0.5 * wanted.min_area:
            continue
        # Found outside of the area where the reference may look: that is not asked for.
        top = int(np.argmax(np.abs(found.height[rows, columns])))
        if prepared.inside is not None and not prepared.inside[rows[top], columns[top]]:
            continue
        whole = wholes[k - 1]
        one = measure(surface, found, rows, columns, wanted.depth, prepared.border, whole)
        deep = abs(one.imperfection.depth) >= wanted.depth and one.imperfection.points >= _LEAST_POINTS
        if deep and one.imperfection.area >= wanted.min_area and one.imperfection.width >= wanted.min_width:
            made.append((k, one))
    made.sort(key=lambda m: -abs(m[1].imperfection.depth))
    heads = [m for m in made if m[1].is_head]
    kept = [m for m in made if not m[1].is_head]
    numbers = np.zeros(count + 1, dtype=np.int64)
    for number, (k, _) in enumerate((*kept, *heads), 1):
        numbers[k] = number
    plain = _with_reference(prepared, found, neighbours([m for _, m in kept]))
    quality = _quality(prepared, found, wide > 0, plain)
    return Found(prepared, tuple(plain), tuple(m.imperfection for _, m in heads), numbers[labels], found, quality)


def _with_reference(prepared: Prepared, found: Smoothed, every: list[Imperfection]) -> list[Imperfection]:
    """Add to the uncertainty of each depth how far the reference may be off there."""
    if not prepared.smooth or not every:
        return every
    surface = prepared.surface
    # The noise of a height that stands for 1 mm2.
    there = np.isfinite(surface.deviation)
    per_area = found.point_noise * surface.cells.size / np.sqrt(float(np.mean(surface.cells.count[there])))
    laid = surface.chart.laid(np.array([e.deepest for e in every]))
    index = ((laid[:, :2] - surface.cells.low) / surface.cells.size).astype(np.int64)
    rows = np.clip(index[:, 1], 0, surface.cells.shape[0] - 1)
    columns = np.clip(index[:, 0], 0, surface.cells.shape[1] - 1)
    part = prepared.part[rows, columns]
    made = list(every)
    for k, fit in enumerate(prepared.smooth, 1):
        own = np.flatnonzero(part == k)
        if not len(own):
            continue
        spread = per_area * fit.spread(laid[own, :2])
        for i, u in zip(own, spread, strict=True):
            made[i] = replace(made[i], depth_u=float(np.hypot(made[i].depth_u, u)))
    return made


def _quality(prepared: Prepared, found: Smoothed, taken: Mask, every: list[Imperfection]) -> Quality:
    surface = prepared.surface
    judged = prepared.judged
    outside = np.isfinite(surface.deviation) & ~taken & judged
    points = int(surface.cells.count[outside].sum())
    rms = float(np.sqrt(surface.squares[outside].sum() / points)) if points else float("nan")
    area = float(surface.area[judged].sum())
    wavelength, advice = prepared.reference.wavelength, ""
    widths = [e.width for e in every if e.depth_u > 0]
    if wavelength > 0 and widths and max(widths) > wavelength / 2:
        advice = f"an imperfection is {max(widths):.0f} mm wide: a wavelength below {2 * max(widths):.0f} mm follows it"
    # Waves that are left show in what is smoothed, where noise is small.
    elif found.scatter > 4.0 * found.noise and found.scatter > 0.3 * found.point_noise and found.scatter > 1e-4:
        advice = f"waves of {found.scatter:.3f} mm are left: a shorter wavelength follows them"
    return Quality(found.point_noise, rms, area, int(prepared.part.max()), advice)


def find_imperfections(
    points: Points, normals: Normals | None = None, reference: Reference | None = None, wanted: Finding | None = None,
    progress: Progress = silent, *, area: Sequence[AreaStep] = (), beyond: float = 0.0, given: Given | None = None,
) -> Found:  # fmt: skip
    """Find where a surface leaves its own smooth course; see `prepare` and `find`."""
    reference, wanted = reference or Reference(), wanted or Finding()
    prepared = prepare(points, normals, reference, depth=wanted.depth, area=area, beyond=beyond, given=given,
                       progress=progress)  # fmt: skip
    progress(0.9, "finding imperfections")
    return find(prepared, wanted)
