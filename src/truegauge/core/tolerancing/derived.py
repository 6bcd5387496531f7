"""Derived features (ISO 22432:2011, ISO 17450-3:2016): median lines and planes, mating envelopes."""

from collections.abc import Callable

import numpy as np

from truegauge.core.around import widest_gap
from truegauge.core.arrays import Ints, Points, Vector
from truegauge.core.association.by_criterion import associate
from truegauge.core.association.constraints import NONE
from truegauge.core.association.features import Cone, Cylinder, Feature, ParallelPlanes, Plane
from truegauge.core.association.fit import Criterion
from truegauge.core.errors import EvaluationError
from truegauge.core.features.extraction import Measured, cells_of
from truegauge.core.features.opposite import opposite_on_faces
from truegauge.core.features.surface_rings import rings_at
from truegauge.core.tolerancing.once import least_squares_feature, once
from truegauge.core.tolerancing.rings import center_of_ring, rings_of

_MOST_SECTIONS, _LEAST_POINTS = 24, 8
_LEAST_IN_CELL, _MOST_POINTS = 4, 1500
_WIDEST_GAP = np.radians(130)


def surface_points(measured: Measured) -> Points:
    """Return points (m, 3) on the measured surface, free of the noise of single points but dense all around.

    Of a plane the means. Of curved features every point (of many an even choice) stands where its cell's mean deviation
    puts it: means alone would leave gaps of tens of degrees on a small hole, and the extremes between them unseen.
    """
    if measured.surface is not None:
        return measured.surface.points
    if isinstance(measured.feature, Plane) or measured.averaging <= 0:
        return measured.means if isinstance(measured.feature, Plane) else measured.points
    return once(measured, "surface", lambda: _smoothed(measured))


def _smoothed(measured: Measured) -> Points:
    fit, points = measured.fit, measured.points
    if fit.criterion != Criterion.LEAST_SQUARES:
        fit = associate(measured.nominal.shape, points, start=measured.feature)
    off = fit.feature.distances(points)
    cells = cells_of(points, measured.averaging)
    _, inverse, counts = np.unique(cells, return_inverse=True, return_counts=True)
    inverse = inverse.ravel()
    mean = np.bincount(inverse, weights=off) / counts
    enough = counts >= max(_LEAST_IN_CELL, 0.4 * float(np.median(counts)))
    if enough.sum() < _LEAST_IN_CELL:
        return measured.means
    rows = np.flatnonzero(enough[inverse])
    if len(rows) > _MOST_POINTS:
        rows = rows[np.linspace(0, len(rows) - 1, _MOST_POINTS).astype(int)]
    lifted = (off[rows] - mean[inverse[rows]])[:, None] * fit.feature.outward(points[rows])
    return np.asarray(points[rows] - lifted)


def mating_feature(measured: Measured, *, least_material: bool = False) -> Feature:
    """Return the unrelated actual mating envelope (ASME Y14.5.1M 2.3.2; ISO 14405-1 GX in a hole, GN around a shaft).

    With `least_material` the envelope on the other side, within the material.
    """
    outward = -measured.nominal.outward if least_material else measured.nominal.outward

    def compute() -> Feature:
        fit = associate(
            measured.nominal.shape,
            surface_points(measured),
            Criterion.ONE_SIDED,
            start=measured.feature,
            material=outward,
            constraints=measured.fit.constraints or NONE,
            settled=measured.settled,
        )
        return fit.turned_like(measured.nominal.feature).feature

    return once(measured, f"mating {outward}", compute)


def mating_pair(a: Measured, b: Measured, compute: Callable[[], Feature]) -> Feature:
    """Return the envelope of two opposite planes, kept with the first for the very second."""
    kept_second, feature = once(a, f"pair {id(b)}", lambda: (b, compute()))
    assert kept_second is b
    return feature


def median_line(measured: Measured) -> Points:
    """Return the extracted median line (k, 3): centres of the least-squares circles of cross sections.

    Sections are square to the least-squares axis (ISO 17450-3); of touches they are the rows in which they were taken.
    Without sections that are complete enough the ends of the associated axis.
    """
    return once(measured, "median line", lambda: _median_line(measured))[0]


def median_line_words(measured: Measured) -> str:
    """Return where the sections of the median line come from."""
    return once(measured, "median line", lambda: _median_line(measured))[1]


def _median_line(measured: Measured) -> tuple[Points, str]:
    feature = least_squares_feature(measured)
    if not isinstance(feature, Cylinder | Cone):
        raise EvaluationError(f"a {feature.shape} has no median line")
    pose = feature.pose
    ends = axis_ends(feature, measured.nominal.center, measured.nominal.length)
    if measured.single:
        rings = rings_of(measured)
        centers, said = _centers(feature, rings.local, rings.each, 3, np.inf), rings.rows.told
    else:
        local = (surface_points(measured) - pose.origin) @ pose.axes.T
        centers, said = _centers(feature, local, _slices(measured, local), _LEAST_POINTS, _WIDEST_GAP), "slices"
    if len(centers) < 2:
        return ends, "the associated axis: there are no two cross sections"
    # A section stands for its middle: to the ends of the feature, and where sections are cut (a bore that opens into
    # another), the line goes on from the last centre along the associated axis.
    line = np.array(centers)
    heights = (line - pose.origin) @ pose.axes[2]
    low, high = sorted(float((e - pose.origin) @ pose.axes[2]) for e in ends)
    first, last = int(np.argmin(heights)), int(np.argmax(heights))
    before = line[first] + min(0.0, low - float(heights[first])) * pose.axes[2]
    after = line[last] + max(0.0, high - float(heights[last])) * pose.axes[2]
    return np.array([before, *line, after]), said


def _slices(measured: Measured, local: Points) -> list[Ints]:
    """Return rings over the estimated surface, else slices of a cloud as thick as it is averaged."""
    if measured.surface is not None and measured.surface.rings is not None:
        return rings_at(measured.surface.rings)
    height = local[:, 2]
    span = float(np.ptp(height))
    count = int(np.clip(span / max(measured.averaging, 0.5), 1, _MOST_SECTIONS))
    count = min(count, max(1, len(local) // 24))
    level = np.clip(((height - height.min()) / (span or 1.0) * count).astype(int), 0, count - 1)
    return [np.flatnonzero(level == k) for k in range(count)]


def _centers(feature: Cylinder | Cone, local: Points, sections: list[Ints], least: int, gap: float) -> list[Vector]:
    """Return the centres of sections; circles of a cone are seen along its surface, at one radius."""
    pose, height, flat, middle = feature.pose, local[:, 2], local[:, :2], 1.0
    if isinstance(feature, Cone):
        middle = float(height.mean())
        flat = flat * (middle / np.maximum(height, 1e-6))[:, None]
    centers = []
    for own in sections:
        if len(own) < least or widest_gap(flat[own]) > gap:
            continue
        center = center_of_ring(flat[own])
        if center is None:
            continue
        at = float(height[own].mean())
        factor = at / middle if isinstance(feature, Cone) else 1.0
        centers.append(pose.origin + np.array([center[0] * factor, center[1] * factor, at]) @ pose.axes)
    return centers


def axis_ends(feature: Feature, middle: Vector, length: float) -> Points:
    """Return the two ends of an axis beside the ends of the nominal feature."""
    values = feature.parameters
    direction = values["direction"]
    point = values["point"] if "point" in values else values["apex"]
    foot = point + float((middle - point) @ direction) * direction
    return np.array([foot - 0.5 * length * direction, foot + 0.5 * length * direction])


def mid_points(pair: tuple[Measured, Measured], planes: ParallelPlanes) -> Points:
    """Return the extracted median surface (m, 3) of two opposite planes: middles of opposite points.

    Touches are taken as they are, of clouds means over cells.

    Raises
    ------
    EvaluationError
        Nowhere two opposite points.
    """
    above, below = opposite_sides(pair, planes)
    return np.asarray((above + below) / 2 @ planes.pose.axes + planes.pose.origin)


def opposite_sides(pair: tuple[Measured, Measured], planes: ParallelPlanes) -> tuple[Points, Points]:
    """Return opposite points (m, 3) of two planes, in the frame of their middle plane.

    Raises
    ------
    EvaluationError
        Nowhere two opposite points.
    """
    pose = planes.pose
    single = all(m.single for m in pair)
    sides = [((m.points if single else m.means) - pose.origin) @ pose.axes.T for m in pair]
    if float(sides[0][:, 2].mean()) < float(sides[1][:, 2].mean()):
        sides.reverse()
    found = opposite_on_faces(sides[0], sides[1]) if single else _cells(np.vstack(sides))
    if not len(found[0]):
        raise EvaluationError("nowhere do points of the two sides lie opposite to each other")
    return found


def _cells(local: Points) -> tuple[Points, Points]:
    """Return means of both sides over the cells of a grid."""
    x, y, z = local.T
    cells = max(2, int(np.sqrt(len(local) / 8)))
    span = max(float(np.ptp(x)), float(np.ptp(y))) or 1.0
    i, j = (((v - v.min()) / span * (cells - 1e-9)).astype(int) for v in (x, y))
    key = i * cells + j
    found = []
    for k in np.unique(key):
        above, below = (key == k) & (z > 0), (key == k) & (z <= 0)
        if above.any() and below.any():
            found.append((local[above].mean(axis=0), local[below].mean(axis=0)))
    pairs = np.array(found).reshape(-1, 2, 3)
    return pairs[:, 0], pairs[:, 1]
