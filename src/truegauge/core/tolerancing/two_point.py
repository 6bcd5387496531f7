"""Two-point sizes (ISO 14405-1, LP): local diameters of a cylinder and local widths, with their statistics."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from truegauge.core.arrays import Floats, Ints, Points
from truegauge.core.association.by_criterion import associate
from truegauge.core.association.constraints import Constraints
from truegauge.core.association.features import Circle, Cylinder, ParallelPlanes, Shape, Sphere
from truegauge.core.errors import AssociationError, EvaluationError
from truegauge.core.features.extraction import Measured
from truegauge.core.features.opposite import opposite_on_ball, opposite_on_ring
from truegauge.core.features.surface_rings import opposite_at, rings_at
from truegauge.core.tolerancing.derived import opposite_sides, surface_points
from truegauge.core.tolerancing.once import least_squares_feature
from truegauge.core.tolerancing.rings import center_of_ring, need_rings

_SECTIONS, _AROUND = 24, 72  # cross sections, and cells around each
_MOST_TOUCHES = 2000  # each of which is held against all others


@dataclass(frozen=True, slots=True, eq=False)
class LocalSizes:
    """Two-point sizes (m,) mm, and the rank-order and mean sizes of ISO 14405-1 made of them."""

    sizes: Floats

    def statistic(self, name: str) -> float:
        """Return one of `STATISTICS`, mm."""
        return float(STATISTICS[name][1](self.sizes))


STATISTICS: dict[str, tuple[str, Callable[[Floats], Any]]] = {
    "SX": ("largest", np.max),
    "SN": ("smallest", np.min),
    "SA": ("mean", np.mean),
    "SM": ("median", np.median),
    "SD": ("mid-range", lambda s: (np.max(s) + np.min(s)) / 2),
    "SR": ("range", np.ptp),
    "SQ": ("standard deviation", lambda s: np.std(s, ddof=1)),
}


def diameters_of(measured: Measured) -> LocalSizes:
    """Return the two-point diameters of a cylinder or ball: of touches as they lie opposite in their rows.

    Raises
    ------
    EvaluationError
        Nowhere two opposite points.
    """
    feature = measured.feature
    assert isinstance(feature, Cylinder | Sphere)
    surface = measured.surface
    if surface is not None and surface.rings is not None:
        return _in_rings(measured, surface.points, surface.rings)
    if not measured.single:
        return local_diameters(feature, surface_points(measured))
    if isinstance(feature, Sphere) and len(measured.points) > _MOST_TOUCHES:
        return local_diameters(feature, measured.points)
    if isinstance(feature, Sphere):
        off = measured.points - least_squares_feature(measured).pose.origin
        length = np.linalg.norm(off, axis=1)
        return _some(opposite_on_ball(off / length[:, None], length))
    rings = need_rings(measured, "a two-point size")
    found = [np.zeros(0)]
    for own in rings.each:
        center = center_of_ring(rings.local[own, :2])
        if center is not None:
            x, y = (rings.local[own, :2] - center).T
            found.append(opposite_on_ring(np.arctan2(y, x), np.hypot(x, y))[:, 1:].sum(axis=1))
    return _some(np.concatenate(found))


def _in_rings(measured: Measured, points: Points, at: Ints) -> LocalSizes:
    """Return the sizes through the centres of rings over an estimated surface."""
    pose, found = least_squares_feature(measured).pose, [np.zeros(0)]
    local = (points - pose.origin) @ pose.axes.T
    for own in rings_at(at):
        center = center_of_ring(local[own, :2])
        if center is not None:
            x, y = (local[own, :2] - center).T
            found.append(opposite_at(at[own, 1], np.hypot(x, y)))
    return _some(np.concatenate(found))


def widths_of(pair: tuple[Measured, Measured], planes: ParallelPlanes) -> LocalSizes:
    """Return the two-point widths of two opposite planes, square to their middle plane.

    Raises
    ------
    EvaluationError
        Nowhere two opposite points.
    """
    if not all(m.single for m in pair):
        return local_widths(planes, np.vstack([surface_points(m) for m in pair]))
    above, below = opposite_sides(pair, planes)
    return LocalSizes(above[:, 2] - below[:, 2])


def local_diameters(feature: Cylinder | Sphere | Circle, points: Points) -> LocalSizes:
    """Return distances between opposite points of cross sections, through the centre of each section.

    Clouds are averaged over cells (angle by height); the centre is that of the section's least-squares circle.

    Raises
    ------
    EvaluationError
        Nowhere two opposite points.
    """
    if isinstance(feature, Sphere):
        return _some(_through_center(points - associate(Shape.SPHERE, points).feature.pose.origin))
    pose = feature.pose
    local = (points - pose.origin) @ pose.axes.T
    height = local[:, 2]
    around = _AROUND if len(points) >= 3 * _AROUND else max(2 * (len(points) // 8), 4)
    sections = _SECTIONS if isinstance(feature, Cylinder) and len(points) >= _SECTIONS * 24 else 1
    if isinstance(feature, Cylinder) and sections == 1:
        sections = max(1, len(np.unique(np.round(height, 3)))) if len(points) < 200 else 6
        sections = min(sections, _SECTIONS)
    span = float(np.ptp(height)) or 1.0
    level = np.clip(((height - height.min()) / span * sections).astype(int), 0, sections - 1)
    found: list[Floats] = []
    up = Constraints(direction=np.array([0, 0, 1.0]))
    for k in range(sections):
        ring = local[level == k].copy()
        if len(ring) < 4:
            continue
        try:
            circle = associate(Shape.CYLINDER, ring, constraints=up).feature
        except AssociationError:
            continue
        center = circle.pose.origin
        x, y = ring[:, 0] - center[0], ring[:, 1] - center[1]
        found.append(_opposite(np.arctan2(y, x), np.hypot(x, y), around))
    return _some(np.concatenate(found) if found else np.zeros(0))


def _some(sizes: Floats) -> LocalSizes:
    if len(sizes) == 0:
        raise EvaluationError(
            "no two points lie opposite to each other; two-point sizes need touches in opposite pairs, all around"
        )
    return LocalSizes(sizes)


def _opposite(angle: Floats, radius: Floats, around: int) -> Floats:
    """Add the mean radii of opposite cells."""
    cell = np.clip(((angle + np.pi) / (2 * np.pi) * around).astype(int), 0, around - 1)
    counts = np.bincount(cell, minlength=around)
    with np.errstate(invalid="ignore"):
        mean = np.bincount(cell, weights=radius, minlength=around) / counts
    half = around // 2
    sums = mean[:half] + mean[half : 2 * half]
    return np.asarray(sums[np.isfinite(sums)])


def _through_center(local: Points) -> Floats:
    """Diameters of a sphere between means of opposite cones of directions."""
    from truegauge.core.association.starts import even_directions

    length = np.linalg.norm(local, axis=1)
    toward = local / length[:, None]
    found = []
    for direction in even_directions(200):
        along = toward @ direction
        one, other = length[along > 0.99], length[along < -0.99]
        if len(one) and len(other):
            found.append(float(one.mean() + other.mean()))
    return np.array(found)


def local_widths(feature: ParallelPlanes, points: Points) -> LocalSizes:
    """Return distances between opposite places of two parallel planes, averaged over cells of a grid.

    Raises
    ------
    EvaluationError
        Nowhere two opposite points.
    """
    pose = feature.pose
    x, y, z = ((points - pose.origin) @ pose.axes.T).T
    cells = max(2, int(np.sqrt(len(points) / 8)))
    span = max(float(np.ptp(x)), float(np.ptp(y))) or 1.0
    i = ((x - x.min()) / span * (cells - 1e-9)).astype(int)
    j = ((y - y.min()) / span * (cells - 1e-9)).astype(int)
    cell = i * cells + j
    means = []
    for side in (z > 0, z <= 0):
        counts = np.bincount(cell[side], minlength=cells * cells)
        with np.errstate(invalid="ignore"):
            means.append(np.bincount(cell[side], weights=z[side], minlength=cells * cells) / counts)
    sizes = means[0] - means[1]
    return _some(sizes[np.isfinite(sizes)])
