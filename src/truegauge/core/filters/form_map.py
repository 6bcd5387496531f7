"""The form of a measured feature on a grid: heights over the associated feature, raw and filtered.

A circle is a closed profile over its angle, a line an open one; a cylinder or cone is unrolled (angle by length), a
plane is a height map. Form (ISO 1101) is the width of the minimum zone of the points of the grid.
"""

from dataclasses import dataclass, replace
from enum import StrEnum
from typing import cast

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Ints, Points, Vector
from truegauge.core.association.by_criterion import associate
from truegauge.core.association.features import (
    Circle,
    Cone,
    Cylinder,
    Ellipse,
    Feature,
    Line,
    LineInPlane,
    Plane,
    Pose,
    Shape,
    Slot,
    Sphere,
    SquareSlot,
    Torus,
)
from truegauge.core.association.fit import Criterion
from truegauge.core.errors import AssociationError, EvaluationError
from truegauge.core.filters.gaussian import Axis, Grid, gaussian, robust_gaussian
from truegauge.core.taken_rows import rows_at

_PER_UNDULATION = 7  # points that an undulation needs (ISO 12181-2)
_MOST = 1500
_MOST_ROWS = 200
_ENOUGH = 4  # points in a cell that is averaged
_FEATURES = (Circle, Cylinder, Cone, Plane, Line, LineInPlane, Sphere, Torus, Ellipse, Slot, SquareSlot)


class FilterKind(StrEnum):
    """The filters offered."""

    NONE = "none"
    GAUSSIAN = "gaussian"
    ROBUST = "robust_gaussian"


@dataclass(frozen=True, slots=True)
class FormFilter:
    """A low-pass filter: cut-off around in undulations per revolution (UPR), along in mm; None is not filtered."""

    kind: FilterKind = FilterKind.NONE
    upr: float | None = 50.0
    cutoff: float | None = 2.5

    @property
    def text(self) -> str:
        """The filter in words, for reports."""
        if self.kind == FilterKind.NONE:
            return "unfiltered"
        parts = [f"{self.upr:g} UPR"] if self.upr else []
        parts += [f"{self.cutoff:g} mm"] if self.cutoff else []
        return f"{self.kind.replace('_', ' ')} {', '.join(parts)}"


UNFILTERED = FormFilter()


@dataclass(frozen=True, slots=True, eq=False)
class FormMap:
    """Heights over a feature on a grid.

    `u` (m,) and `v` (k,) are the places of the columns and rows: angles (rad) where `closed_u`, else mm; profiles have
    one row. `raw` and `heights` (k, m) mm, NaN where there is no point; `heights` are filtered.
    """

    feature: Feature
    u: Floats
    v: Floats
    closed_u: bool
    raw: Grid
    heights: Grid
    filter: FormFilter
    points: Points  # of the filtered grid, where there are heights
    directions: Points | None = None  # (2, 3): of u and v in part coordinates, of a plane

    @property
    def is_profile(self) -> bool:
        """One row only."""
        return len(self.v) == 1

    def as_seen(self, right: Vector, up: Vector) -> "FormMap":
        """Return the map of a plane turned so that it lies as it is seen from outside: u to the right, v upwards.

        `right` and `up` are unit vectors of the eye; the nearest of the four turns of the grid is taken, never its
        mirror image.
        """
        if self.directions is None:
            return self
        made = self if float(np.cross(*self.directions) @ np.cross(right, up)) > 0 else self._flipped()
        turns = [made]
        for _ in range(3):
            turns.append(turns[-1]._turned())
        return max(turns, key=lambda m: float(np.sum(cast(Points, m.directions) * np.array([right, up]))))

    def _flipped(self) -> "FormMap":
        """Return the map with u the other way."""
        u, v = cast(Points, self.directions)
        return replace(self, u=-self.u[::-1], raw=self.raw[:, ::-1], heights=self.heights[:, ::-1],
                       directions=np.array([-u, v]))  # fmt: skip

    def _turned(self) -> "FormMap":
        """Return the map turned by a quarter: v becomes u, and u runs down."""
        u, v = cast(Points, self.directions)
        return replace(self, u=self.v, v=-self.u[::-1], raw=self.raw.T[::-1], heights=self.heights.T[::-1],
                       directions=np.array([v, -u]))  # fmt: skip

    def peak_to_valley(self) -> float:
        """Return the range of the filtered heights over the associated feature, mm."""
        return float(np.nanmax(self.heights) - np.nanmin(self.heights))

    def form(self) -> float:
        """Return the width of the narrowest zone found for the filtered points, mm."""
        return self.judged_form()[0]

    def judged_form(self) -> tuple[float, Criterion]:
        """Return the form, mm, and the criterion behind it: the minimum zone, unless none could be found."""
        shape = self.feature.shape
        normal = self.feature.pose.axes[2] if shape in (Shape.CIRCLE, Shape.ELLIPSE) else None
        if isinstance(self.feature, LineInPlane):
            normal = self.feature.normal
        try:
            fit = associate(shape, self.points, Criterion.MINIMUM_ZONE, plane_normal=normal, start=self.feature)
        except AssociationError:
            return self.peak_to_valley(), Criterion.LEAST_SQUARES
        return min(fit.form, self.peak_to_valley()), Criterion.MINIMUM_ZONE

    def rows_of_sections(self, least_share: float = 0.6) -> list[int]:
        """Return the rows that are full enough to be read as cross sections."""
        filled = np.isfinite(self.raw).mean(axis=1)
        return [int(k) for k in np.flatnonzero(filled >= least_share)]

    def ring(self, row: int) -> Points:
        """Return a cross section (n, 3) as flat points: heights on a radius that is large against them."""
        if not self.closed_u:
            raise EvaluationError("roundness needs points around an axis")
        there = np.isfinite(self.heights[row])
        radius = float(self.feature.pose.sizes[0]) or 1.0
        angle, r = self.u[there], 1000.0 * max(1.0, radius / 1000) + self.heights[row][there]
        return np.column_stack([r * np.cos(angle), r * np.sin(angle), np.zeros(len(r))])

    def roundness(self) -> tuple[float, int]:
        """Return the largest roundness of all cross sections (minimum zone circle of each), mm, and its row.

        Raises
        ------
        EvaluationError
            No section is complete enough.
        """
        best, where = -1.0, -1
        for row in self.rows_of_sections():
            ring = self.ring(row)
            zone = associate(Shape.CIRCLE, ring, Criterion.MINIMUM_ZONE, plane_normal=np.array([0, 0, 1.0])).form
            if zone > best:
                best, where = zone, row
        if where < 0:
            raise EvaluationError("no cross section is complete enough for roundness; 60 % of a turn are needed")
        return best, where

    def lines(self, least_share: float = 0.6) -> list[Points]:
        """Return the lines along the feature (n, 3) that are full enough, as flat points: along, height."""
        grid, along = (self.heights, self.v) if not self.is_profile else (self.heights.T, self.u)
        found = []
        for column in range(grid.shape[1]):
            there = np.isfinite(grid[:, column])
            if there.sum() >= max(3, least_share * len(along)):
                found.append(np.column_stack([along[there], grid[there, column], np.zeros(int(there.sum()))]))
        return found

    def straightness(self) -> tuple[float, int]:
        """Return the largest straightness of all lines along the feature (minimum zone of each), mm, and which it is.

        Raises
        ------
        EvaluationError
            No line is complete enough.
        """
        normal = np.array([0, 0, 1.0])
        zones = [associate(Shape.LINE, x, Criterion.MINIMUM_ZONE, plane_normal=normal).form for x in self.lines()]
        if not zones:
            raise EvaluationError("no line along the feature is complete enough for straightness")
        return max(zones), int(np.argmax(zones))


def form_map(
    feature: Feature, points: Points, residuals: Floats, settings: FormFilter = UNFILTERED, *, cell: float = 0.0,
    single: bool = False, taken: Ints | None = None,
) -> FormMap:  # fmt: skip
    """Lay the residuals (n,) mm of points (n, 3) on a grid over the feature, and filter them.

    Without a filter the cells of the grid have sides of `cell` mm (0: as fine as the points allow). `single` points
    (touches, with the rows (n,) in which they were `taken`) get a cell each: nothing is averaged.

    Raises
    ------
    EvaluationError
        A feature without a map, or too few points for the cut-off.
    """
    if not isinstance(feature, _FEATURES):
        raise EvaluationError(f"a {feature.shape} has no form plot")
    u, v, closed = coordinates_on(feature, points)
    profile = isinstance(feature, Circle | Line | LineInPlane | Ellipse | Slot | SquareSlot)
    if profile:
        v = np.zeros(len(u))
    across = 2 * np.pi if closed else float(np.ptp(u)) or 1.0
    low = -np.pi if closed else float(u.min())
    height = float(np.ptp(v))
    density = len(u)
    on = settings.kind != FilterKind.NONE
    cut_u = settings.upr if closed else (across / settings.cutoff if settings.cutoff else None)
    cut_v = None if profile else (height / settings.cutoff if settings.cutoff else None)
    closed_v = isinstance(feature, Torus)
    if on and (closed_v or isinstance(feature, Sphere | Ellipse | Slot | SquareSlot)):
        raise EvaluationError(f"a {feature.shape} cannot be filtered; its form is read unfiltered")
    if on and cut_u is not None and profile and density < _PER_UNDULATION * cut_u:
        raise EvaluationError(
            f"{density} points are too few for this cut-off: {_PER_UNDULATION} for each of its {cut_u:.0f} "
            "undulations are needed"
        )
    columns, rows = _steps(cut_u if on else None, cut_v if on else None, density, profile, across, height, feature)
    averaged = False
    if not on and cell > 0 and not profile:
        round_it = across * _mean_radius(feature) if closed else across
        columns = int(np.clip(round_it / cell, 12 if closed else 4, columns))
        rows = int(np.clip(height / cell, 3, rows))
        averaged = True
    at_v = v.min() + (np.arange(rows) + 0.5) / rows * height
    j = np.clip(((v - v.min()) / (height or 1.0) * rows).astype(np.int64), 0, rows - 1)
    single = single and len(u) <= _MOST  # more are a cloud, whose cells hold several
    if single and not profile:
        j, at_v, cut_v = _rows_of(v, taken, feature, settings, cut_v if on else None)
        rows = len(at_v)
    i = np.clip(((u - low) / across * columns).astype(np.int64), 0, columns - 1)
    while single and columns < _MOST and len(np.unique(j * columns + i)) < len(u):
        columns = min(2 * columns, _MOST)
        i = np.clip(((u - low) / across * columns).astype(np.int64), 0, columns - 1)
    if on and single and closed and cut_u is not None and np.bincount(j).max() < _PER_UNDULATION * cut_u:
        raise EvaluationError(
            f"{np.bincount(j).max()} touches in a row are too few for this cut-off: {_PER_UNDULATION} for each of its "
            f"{cut_u:.0f} undulations are needed"
        )
    index = j * columns + i
    counts = np.bincount(index, minlength=rows * columns)
    with np.errstate(invalid="ignore"):
        raw = (np.bincount(index, weights=residuals, minlength=rows * columns) / counts).reshape(rows, columns)
    if averaged:  # cells that hold few points, touched at a corner, would bring the noise back
        enough = counts >= max(_ENOUGH, 0.4 * float(np.median(counts[counts > 0])))
        if enough.sum() >= _ENOUGH:
            raw = np.where(enough.reshape(rows, columns), raw, np.nan)
    heights = raw
    if on:
        axes = (
            Axis(rows, rows / cut_v if cut_v else np.inf, closed_v),
            Axis(columns, columns / cut_u if cut_u else np.inf, closed),
        )
        heights = (robust_gaussian if settings.kind == FilterKind.ROBUST else gaussian)(raw, axes)
        heights = np.where(np.isfinite(raw), heights, np.nan)
    at_u = low + (np.arange(columns) + 0.5) / columns * across
    there = np.isfinite(heights).ravel()
    # Each cell stands where its points are on average, lifted to its height.
    sums = np.stack([np.bincount(index, weights=points[:, c], minlength=rows * columns) for c in range(3)], axis=1)
    means: Points = sums[there] / counts[there, None].astype(np.float64)
    lift = heights.ravel()[there] - feature.distances(means)
    placed = means + lift[:, None] * feature.outward(means)
    directions = _along_sides(feature, points) if isinstance(feature, Plane) else None
    return FormMap(feature, at_u, at_v, closed, raw, heights, settings, placed, directions)


def _rows_of(
    v: Floats, taken: Ints | None, feature: Feature, settings: FormFilter, cut_v: float | None
) -> tuple[Ints, Floats, float | None]:
    """Return the row of each touch, the places of the rows, and the cut-off across them where they are enough for it.

    Touches in no rows get rows as fine as they need.
    """
    found = rows_at(v, taken, flat=max(0.1, 0.02 * float(np.ptp(v))))
    if found.count and (found.of >= 0).all():
        at = np.array([float(v[own].mean()) for own in found.each])
        enough = cut_v is not None and len(at) >= _PER_UNDULATION * cut_v
        return found.of, at, cut_v if enough else None
    rows = min(len(np.unique(np.round(v, 6))), _MOST_ROWS)
    height = float(np.ptp(v)) or 1.0
    j = np.clip(((v - v.min()) / height * rows).astype(np.int64), 0, rows - 1)
    return j, v.min() + (np.arange(rows) + 0.5) / rows * height, cut_v


def _steps(
    cut_u: float | None, cut_v: float | None, density: int, profile: bool, across: float, height: float,
    feature: Feature,
) -> tuple[int, int]:  # fmt: skip
    """Choose the grid: fine enough for the cut-off, coarse enough that most cells hold points."""
    if profile:
        wanted = _PER_UNDULATION * 2 * cut_u if cut_u else 720
        return int(np.clip(min(wanted, max(density, 8)), 8, _MOST)), 1
    cells = max(density / 4, 16)
    round_it = across if not isinstance(feature, Cylinder | Cone | Torus | Sphere) else across * _mean_radius(feature)
    side = np.sqrt(max(round_it, 1e-9) * max(height, 1e-9) / cells)
    columns, rows = round_it / side, max(height, 1e-9) / side
    if cut_u:
        columns = min(columns, max(2 * _PER_UNDULATION * cut_u, 24))
    if cut_v:
        rows = min(rows, max(2 * _PER_UNDULATION * cut_v, 12))
    return int(np.clip(columns, 8, 720)), int(np.clip(rows, 3, 400))


def _mean_radius(feature: Feature) -> float:
    values = feature.parameters
    return float(values.get("radius", values.get("major_radius", 10.0)))


def _along_sides(plane: Plane, points: Points) -> Points:
    """Return directions (2, 3) in a plane, along the longer and the shorter side of its points, not of chance."""
    axes = plane.pose.axes[:2]
    flat = (points - plane.pose.origin) @ axes.T
    turned = np.linalg.svd(flat - flat.mean(axis=0), full_matrices=False)[2]
    return np.asarray(turned @ axes)


def coordinates_on(feature: Feature, points: Points) -> tuple[Floats, Floats, bool]:
    """Return places around (rad) or along (mm), places across (mm), and whether the first closes."""
    pose: Pose = feature.pose
    if isinstance(feature, Plane):
        u, v = ((points - pose.origin) @ _along_sides(feature, points).T).T
        return u, v, False
    local: NDArray[np.float64] = (points - pose.origin) @ pose.axes.T
    x, y, z = local.T
    if isinstance(feature, Line):
        return z, np.zeros(len(z)), False
    if isinstance(feature, LineInPlane):
        return x, np.zeros(len(x)), False
    angle = np.arctan2(y, x)
    if isinstance(feature, Cone):
        half = feature.half_angle_rad
        return angle, np.hypot(x, y) * np.sin(half) + z * np.cos(half), True
    if isinstance(feature, Sphere):
        return angle, np.arcsin(np.clip(z / np.linalg.norm(local, axis=1), -1, 1)) * feature.radius, True
    if isinstance(feature, Torus):
        return angle, np.arctan2(z, np.hypot(x, y) - feature.major_radius) * feature.minor_radius, True
    return angle, z, True
