"""From a surface with its reference to its imperfections: found, told from heads, measured, put in order."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.imperfections.finding import SEEN, Finding, Smoothed, grown, regions, smoothed
from truegauge.core.imperfections.held import noise_per_area
from truegauge.core.imperfections.measuring import Imperfection, Measured, measured, neighbours
from truegauge.core.imperfections.members import Members
from truegauge.core.imperfections.preparing import Prepared, prepare
from truegauge.core.imperfections.reference import Given, Kind, Reference
from truegauge.core.imperfections.waves import off_by_waves
from truegauge.core.progress import Progress, silent

if TYPE_CHECKING:
    from collections.abc import Sequence

    from truegauge.core.arrays import Ints, Normals, Points
    from truegauge.core.imperfections.area_steps import AreaStep
    from truegauge.core.imperfections.earlier_scan import EarlierScan

_WAVY = 0.3  # of the noise of a point, from which waves that are left are worth a word
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

    `labels` (r, c) tell which of them a cell belongs to, from 1; those left out come after. `waves` (mm) are left that
    the reference follows in part only.
    """

    prepared: Prepared
    imperfections: tuple[Imperfection, ...]
    left_out: tuple[Imperfection, ...]
    labels: Ints
    smoothed: Smoothed
    quality: Quality
    waves: float = 0.0


def find(prepared: Prepared, wanted: Finding) -> Found:
    """Find and measure what is deeper or higher than a threshold."""
    surface, cells = prepared.surface, prepared.surface.cells
    found = smoothed(surface.deviation, cells, wanted.least, prepared.part > 0, prepared.known)
    labels = regions(found.height, cells, wanted)
    count = int(labels.max())
    level = max(SEEN * found.noise, 1.5 * found.scatter)
    wide = grown(found.height, labels, np.full(count + 1, level), closed=cells.is_closed)
    made: list[tuple[int, Measured]] = []
    every_cell = Members.of_labels(labels)
    kept = _worth_measuring(prepared, every_cell, found, wanted)
    seen = Members.of_labels(wide)
    every = measured(surface, found, labels, every_cell.only(kept), seen.only(kept), wanted, prepared.border)
    for k, one in zip((kept + 1).tolist(), every, strict=True):
        plain = one.imperfection
        deep = abs(plain.depth) >= wanted.threshold(1 if plain.depth > 0 else -1) and plain.points >= _LEAST_POINTS
        if deep and plain.area >= wanted.min_area and plain.width >= wanted.min_width:
            made.append((k, one))
    made.sort(key=lambda m: -abs(m[1].imperfection.depth))
    heads = [m for m in made if m[1].is_head]
    shown = [m for m in made if not m[1].is_head]
    numbers = np.zeros(count + 1, dtype=np.int64)
    for number, (k, _) in enumerate((*shown, *heads), 1):
        numbers[k] = number
    blocks = prepared.blocks
    waves = 0.0 if blocks is None else blocks.left(seen.rows, seen.columns, found.point_noise)
    listed = _with_reference(prepared, found, neighbours([m for _, m in shown]), waves)
    quality = _quality(prepared, found, seen, listed, waves)
    left_out = tuple(m.imperfection for _, m in heads)
    return Found(prepared, tuple(listed), left_out, numbers[labels], found, quality, waves)


def _worth_measuring(prepared: Prepared, own: Members, found: Smoothed, wanted: Finding) -> Ints:
    """Return the regions, from 0, that may be listed: large enough, their top in the area that is looked at."""
    large = own.sizes * prepared.surface.cells.size**2 >= 0.5 * wanted.min_area
    if prepared.inside is not None and own.count:
        # Found outside of the area where the reference may look: that is not asked for.
        top = own.firsts(-np.abs(found.height[own.rows, own.columns]))
        large &= prepared.inside[own.rows[top], own.columns[top]]
    return np.flatnonzero(large)


def _with_reference(prepared: Prepared, found: Smoothed, every: list[Imperfection], waves: float) -> list[Imperfection]:
    """Add to the uncertainty of each depth how far the reference may be off there."""
    if not every or not (prepared.smooth or prepared.per_area):
        return every
    surface = prepared.surface
    per_area = noise_per_area(prepared, found)
    laid = surface.chart.laid(np.array([e.deepest for e in every]))
    index = ((laid[:, :2] - surface.cells.low) / surface.cells.size).astype(np.int64)
    rows = np.clip(index[:, 1], 0, surface.cells.shape[0] - 1)
    columns = np.clip(index[:, 0], 0, surface.cells.shape[1] - 1)
    part = prepared.part[rows, columns]
    # A depth is read off as much of the other scan as of this one.
    more = float(np.hypot(1.0, prepared.per_area / max(per_area, 1e-12)))
    made = [replace(e, depth_u=more * e.depth_u) for e in every] if prepared.per_area else list(every)
    for k, fit in enumerate(prepared.smooth, 1):
        own = np.flatnonzero(part == k)
        if not len(own):
            continue
        spread = per_area * fit.spread(laid[own, :2])
        if waves:
            wide = np.sqrt(4.0 / np.pi * np.array([every[i].whole_area for i in own]))
            spread = np.hypot(spread, off_by_waves(waves, wide, prepared.reference.wavelength))
        for i, u in zip(own, spread, strict=True):
            made[i] = replace(made[i], depth_u=float(np.hypot(made[i].depth_u, u)))
    return made


def _quality(prepared: Prepared, found: Smoothed, taken: Members, every: list[Imperfection], waves: float) -> Quality:
    surface, (points, squares, area) = prepared.surface, prepared.totals
    out = prepared.judged[taken.rows, taken.columns] & np.isfinite(surface.deviation[taken.rows, taken.columns])
    rows, columns = taken.rows[out], taken.columns[out]
    points = points - int(surface.cells.count[rows, columns].sum())
    squares = max(0.0, squares - float(surface.squares[rows, columns].sum()))
    rms = float(np.sqrt(squares / points)) if points else float("nan")
    wavelength, advice = prepared.reference.wavelength, ""
    widths = [e.width for e in every if e.depth_u > 0]
    followed = wavelength if prepared.reference.kind != Kind.REVOLUTION else 0.0  # around, nothing is
    if followed > 0 and widths and max(widths) > wavelength / 2:
        advice = f"an imperfection is {max(widths):.0f} mm wide: a wavelength below {2 * max(widths):.0f} mm follows it"
    elif waves > max(_WAVY * found.point_noise, 1e-4):
        advice = f"waves of {waves:.3f} mm are left: a shorter wavelength follows them"
    # Waves that are left show in what is smoothed, where noise is small.
    elif not followed and found.scatter > max(4.0 * found.noise, _WAVY * found.point_noise, 1e-4):
        advice = f"waves of {found.scatter:.3f} mm are left: a shorter wavelength follows them"
    return Quality(found.point_noise, rms, area, int(prepared.part.max()), advice)


def find_imperfections(
    points: Points, normals: Normals | None = None, reference: Reference | None = None, wanted: Finding | None = None,
    progress: Progress = silent, *, area: Sequence[AreaStep] = (), beyond: float = 0.0,
    given: Given | EarlierScan | None = None,
) -> Found:  # fmt: skip
    """Find where a surface leaves its own smooth course; see `prepare` and `find`."""
    reference, wanted = reference or Reference(), wanted or Finding()
    prepared = prepare(points, normals, reference, depth=wanted.least, area=area, beyond=beyond, given=given,
                       progress=progress)  # fmt: skip
    progress(0.9, "finding imperfections")
    return find(prepared, wanted)
