"""Derived features (ISO 22432:2011, ISO 17450-3:2016): median lines and planes, mating envelopes."""

import threading
from collections.abc import Callable
from typing import Any, TypeVar
from weakref import WeakKeyDictionary

import numpy as np

from truegauge.core.arrays import Points, Vector
from truegauge.core.association import Criterion, Shape, associate
from truegauge.core.association.features import Cone, Cylinder, Feature, ParallelPlanes, Plane
from truegauge.core.errors import AssociationError, EvaluationError
from truegauge.core.extraction import Measured, cells_of

T = TypeVar("T")
_MOST_SECTIONS, _LEAST_POINTS = 24, 8
_LEAST_IN_CELL, _MOST_POINTS = 4, 1500
_WIDEST_GAP = np.radians(130)
_lock = threading.Lock()
_kept: WeakKeyDictionary[Measured, dict[str, Any]] = WeakKeyDictionary()


def _once(measured: Measured, name: str, compute: Callable[[], T]) -> T:
    """Return what was computed of a measured feature before; many characteristics ask for the same."""
    with _lock:  # the window's evaluation and that of uncertainties run side by side
        store = _kept.setdefault(measured, {})
    if name not in store:
        store[name] = compute()
    found: T = store[name]
    return found


def surface_points(measured: Measured) -> Points:
    """Return points (m, 3) on the measured surface, free of the noise of single points but dense all around.

    Of a plane the means. Of curved features every point (of many an even choice) stands where its cell's mean deviation
    puts it: means alone would leave gaps of tens of degrees on a small hole, and the extremes between them unseen.
    """
    if isinstance(measured.feature, Plane) or measured.averaging <= 0:
        return measured.means if isinstance(measured.feature, Plane) else measured.points
    return _once(measured, "surface", lambda: _smoothed(measured))


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
        )
        return fit.turned_like(measured.nominal.feature).feature

    return _once(measured, f"mating {outward}", compute)


def mating_pair(a: Measured, b: Measured, compute: Callable[[], Feature]) -> Feature:
    """Return the envelope of two opposite planes, kept with the first for the very second."""
    kept_second, feature = _once(a, f"pair {id(b)}", lambda: (b, compute()))
    assert kept_second is b
    return feature


def median_line(measured: Measured) -> Points:
    """Return the extracted median line (k, 3): centres of the least-squares circles of cross sections.

    Sections are square to the least-squares axis (ISO 17450-3). Without sections that are complete enough, as with
    few touches, the ends of the associated axis.
    """
    return _once(measured, "median line", lambda: _median_line(measured))


def _median_line(measured: Measured) -> Points:
    feature = measured.feature
    if not isinstance(feature, Cylinder | Cone):
        raise EvaluationError(f"a {feature.shape} has no median line")
    pose = feature.pose
    points = measured.points
    local = (points - pose.origin) @ pose.axes.T
    if isinstance(feature, Cone):  # circles of a cone: seen along the surface, at one radius
        local = local.copy()
        middle = float(local[:, 2].mean())
        scale = middle / np.maximum(local[:, 2], 1e-6)
        flat = local[:, :2] * scale[:, None]
    else:
        flat = local[:, :2]
    height = local[:, 2]
    span = float(np.ptp(height))
    count = int(np.clip(span / max(measured.averaging, 0.5), 1, _MOST_SECTIONS))
    count = min(count, max(1, len(points) // 24))
    level = np.clip(((height - height.min()) / (span or 1.0) * count).astype(int), 0, count - 1)
    centers = []
    for k in range(count):
        own = level == k
        if own.sum() < _LEAST_POINTS or widest_gap(flat[own]) > _WIDEST_GAP:
            continue
        at = float(height[own].mean())
        ring = np.column_stack([flat[own], np.full(int(own.sum()), 0.0)])
        try:
            center = associate(Shape.CIRCLE, ring, plane_normal=np.array([0.0, 0.0, 1.0])).feature.pose.origin
        except AssociationError:
            continue
        factor = at / middle if isinstance(feature, Cone) else 1.0
        centers.append(pose.origin + np.array([center[0] * factor, center[1] * factor, at]) @ pose.axes)
    ends = axis_ends(feature, measured.nominal.center, measured.nominal.length)
    if len(centers) < 2:
        return ends
    # A section stands for its middle: to the ends of the feature, and where sections are cut (a bore that opens into
    # another), the line goes on from the last centre along the associated axis.
    line = np.array(centers)
    heights = (line - pose.origin) @ pose.axes[2]
    low, high = sorted(float((e - pose.origin) @ pose.axes[2]) for e in ends)
    first, last = int(np.argmin(heights)), int(np.argmax(heights))
    before = line[first] + min(0.0, low - float(heights[first])) * pose.axes[2]
    after = line[last] + max(0.0, high - float(heights[last])) * pose.axes[2]
    return np.array([before, *line, after])


def widest_gap(flat: Points) -> float:
    """Return the widest angle (rad) without points, seen from the origin."""
    angles = np.sort(np.arctan2(flat[:, 1], flat[:, 0]))
    return float(np.diff(np.append(angles, angles[0] + 2 * np.pi)).max())


def axis_ends(feature: Feature, middle: Vector, length: float) -> Points:
    """Return the two ends of an axis beside the ends of the nominal feature."""
    values = feature.parameters
    direction = values["direction"]
    point = values["point"] if "point" in values else values["apex"]
    foot = point + float((middle - point) @ direction) * direction
    return np.array([foot - 0.5 * length * direction, foot + 0.5 * length * direction])


def mid_points(pair: tuple[Measured, Measured], planes: ParallelPlanes) -> Points:
    """Return the extracted median surface (m, 3) of two opposite planes: middles of opposite means."""
    points = np.vstack([pair[0].means, pair[1].means])
    pose = planes.pose
    local = (points - pose.origin) @ pose.axes.T
    x, y, z = local.T
    cells = max(2, int(np.sqrt(len(points) / 8)))
    span = max(float(np.ptp(x)), float(np.ptp(y))) or 1.0
    key = ((x - x.min()) / span * (cells - 1e-9)).astype(int) * cells + ((y - y.min()) / span * (cells - 1e-9)).astype(
        int
    )
    found = []
    for k in np.unique(key):
        above, below = (key == k) & (z > 0), (key == k) & (z <= 0)
        if above.any() and below.any():
            found.append((local[above].mean(axis=0) + local[below].mean(axis=0)) / 2)
    if not found:
        raise EvaluationError("nowhere do points of the two sides lie opposite to each other")
    return np.array(found) @ pose.axes + pose.origin
