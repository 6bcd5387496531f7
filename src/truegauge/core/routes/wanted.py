"""The places that a strategy asks for, wherever they come to lie."""

import numpy as np

from truegauge.core.arrays import Floats, Points, any_perpendicular, unit
from truegauge.core.association.features import Cone, Cylinder, Plane, Sphere, Torus
from truegauge.core.constructions.parts import axis_of
from truegauge.core.features.coverage import AreaSamples
from truegauge.core.features.extraction import border_samples
from truegauge.core.routes.lines import Lie, helix, line_over, rows_on_torus, sides, turns_of
from truegauge.core.routes.places import SPREAD, Places, Surface, asked_at, well_spread
from truegauge.core.routes.sheet_edges import on_sheet_edge
from truegauge.core.routes.strategies import (
    Border,
    Cap,
    Clicked,
    Grid,
    Helix,
    Placing,
    Rings,
    SheetEdge,
    Sides,
    Spread,
    StraightLine,
)

_INSET = 0.1  # of the height of a turned feature: how far rows stay off its ends


def wanted_places(surface: Surface, strategy: Placing, candidates: Places, margin: float) -> Places:
    """Return the places (part coordinates) that a strategy asks for; some may lie off the faces, or near a border."""
    f = None if surface.feature.nominal is None else surface.feature.nominal.feature
    match strategy:
        case Clicked():
            points = np.array([p for p, _ in strategy.places])
            normals = np.array([unit(n) for _, n in strategy.places])
            return Places(points, normals, np.full(len(points), -1, dtype=np.int64))
        case Rings() if isinstance(f, Cylinder | Cone):
            return _rows_around(surface, strategy, f, margin)
        case Rings() if isinstance(f, Plane):
            return _rings_on_plane(surface, strategy, f, candidates)
        case Rings() if isinstance(f, Torus):
            return rows_on_torus(surface, strategy, f)
        case StraightLine():
            return line_over(surface, strategy, candidates)
        case Helix() if isinstance(f, Cylinder | Cone):
            return helix(surface, strategy, f, margin)
        case Sides():
            return sides(surface, strategy, margin)
        case Cap() if isinstance(f, Sphere):
            return _cap(strategy, f, candidates)
        case Border():
            return _along_border(surface, strategy)
        case Grid():
            return _grid(strategy, candidates, surface.corners())
        case SheetEdge():
            return on_sheet_edge(surface, strategy)[0]
        case Spread() | Cap() | Rings() | Helix():
            count = strategy.touches if not isinstance(strategy, Rings) else strategy.touches * strategy.rows
            return candidates.at(well_spread(candidates.points, count))


def _rows_around(surface: Surface, strategy: Rings, f: Cylinder | Cone, margin: float) -> Places:
    axis = axis_of(f)
    assert axis is not None
    low, high = surface.heights(f)
    outer_high = surface.outer_is_high(f)
    size = high - low
    keep = min(max(_INSET * size, min(margin, 0.4 * size)), 0.5 * size)
    first = keep if strategy.first is None else min(strategy.first, size)
    last = size - keep if strategy.last is None else min(strategy.last, size)
    depths = _between(first, last, strategy)
    from_outer = strategy.end == "outer"
    levels = high - depths if outer_high == from_outer else low + depths
    begin, span = surface.arc(axis)
    points, rows = [], []
    for k, level in enumerate(levels):
        turns = turns_of(strategy, begin, span, k, span * _radius_at(f, float(level)))
        points.append(surface.around(f, np.array([level]), turns))
        rows.append(np.full(len(turns), k))
    return asked_at(np.vstack(points), np.concatenate(rows))


def _between(first: float, last: float, strategy: Rings) -> Floats:
    """Return where the rows lie (n,); one alone at its number, if it has one, else in the middle."""
    if strategy.rows == 1:
        return np.array([first if strategy.first is not None else (first + last) / 2])
    return np.linspace(first, max(first, last), strategy.rows)


def _radius_at(f: Cylinder | Cone, height: float) -> float:
    return f.radius if isinstance(f, Cylinder) else abs(height) * float(np.tan(f.half_angle_rad))


def _rings_on_plane(surface: Surface, strategy: Rings, f: Plane, candidates: Places) -> Places:
    about = surface.feature.about
    middle = candidates.points.mean(axis=0) if about is None else about.point
    direction = f.normal if about is None else about.direction
    x = any_perpendicular(direction)
    y = np.cross(direction, x)
    off = candidates.points - middle
    radii = np.hypot(off @ x, off @ y)
    low, high = float(radii.min()), float(radii.max())
    size = high - low
    first = _INSET * size if strategy.first is None else min(strategy.first, size)
    last = (1 - _INSET) * size if strategy.last is None else min(strategy.last, size)
    points, rows = [], []
    for k, d in enumerate(_between(first, last, strategy)):
        radius = high - d if strategy.end == "outer" else low + d
        turns = turns_of(strategy, 0.0, 2 * np.pi, k, 2 * np.pi * radius)
        ring = middle + radius * (np.cos(turns)[:, None] * x + np.sin(turns)[:, None] * y)
        points.append(ring - np.outer((ring - f.point) @ f.normal, f.normal))
        rows.append(np.full(len(turns), k))
    return asked_at(np.vstack(points), np.concatenate(rows))


def _cap(strategy: Cap, f: Sphere, candidates: Places) -> Places:
    """Rows about the middle direction of what there is of the sphere."""
    out = (candidates.points - f.center) / f.radius
    mean = out.mean(axis=0)
    pole = unit(mean) if np.linalg.norm(mean) > 0.05 else np.array([0.0, 0.0, 1.0])
    reach = float(np.arccos(np.clip(out @ pole, -1, 1)).max()) * strategy.coverage / 100
    x = any_perpendicular(pole)
    y = np.cross(pole, x)
    angles = reach * (1 + np.arange(strategy.rows)) / strategy.rows
    share = np.sin(angles) / max(float(np.sin(angles).sum()), 1e-9)
    rest = max(strategy.touches - 1, 0)
    counts = np.floor(share * rest).astype(int)
    counts[-1] += rest - counts.sum()
    points, rows = [f.center + f.radius * pole[None]], [np.array([-1])]
    for k, (angle, count) in enumerate(zip(angles, counts, strict=True)):
        turns = np.radians(strategy.start_deg) + 2 * np.pi * (np.arange(count) + 0.5 * (k % 2)) / max(count, 1)
        ring = np.cos(angle) * pole + np.sin(angle) * (np.cos(turns)[:, None] * x + np.sin(turns)[:, None] * y)
        points.append(f.center + f.radius * ring)
        rows.append(np.full(count, k))
    return asked_at(np.vstack(points), np.concatenate(rows))


def _along_border(surface: Surface, strategy: Border) -> Places:
    """Places along the border, evenly by its length, moved inwards over the face."""
    step = 0.5
    border = border_samples(surface.model, surface.feature.faces, step)
    every, there = surface.on_it(AreaSamples(surface.model, surface.feature.faces).cells(SPREAD * 3))
    inner = every.at(there)
    inner = inner.at(surface.inside(inner.points, strategy.inset))
    if not len(inner) or not len(border):
        return inner.at(np.arange(min(len(inner), strategy.touches)))
    from scipy.spatial import cKDTree

    # Of what lies far enough inside, that which is nearest to the border.
    near = cKDTree(border).query(inner.points)[0]
    band = inner.at(near <= strategy.inset + max(2.0, 0.5 * strategy.inset))
    band = band if len(band) >= strategy.touches else inner.at(np.argsort(near)[: max(strategy.touches, 1)])
    return band.at(well_spread(band.points, strategy.touches))


def _grid(strategy: Grid, candidates: Places, corners: Points) -> Places:
    """A grid in the two directions in which the face extends most, projected onto it later."""
    lie = Lie.of(candidates, corners, np.radians(strategy.turned_deg))
    off = corners - lie.middle
    at = []
    for axis, count, shift in (
        (lie.u, strategy.along, strategy.shift_along), (lie.v, strategy.across, strategy.shift_across),
    ):  # fmt: skip
        low, high = float((off @ axis).min()), float((off @ axis).max())
        inset = strategy.drawn_in * (high - low)
        ends = (low + inset, high - inset)
        at.append((np.linspace(*ends, count) if count > 1 else np.array([sum(ends) / 2])) + shift)
    points = []
    for k, b in enumerate(at[1]):
        points.extend([lie.middle + a * lie.u + b * lie.v for a in (at[0] if k % 2 == 0 else at[0][::-1])])
    return asked_at(lie.onto(candidates, np.array(points)))
