"""Extraction: which points of the cloud belong to a feature, and what the cloud says about its form."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.arrays import Floats, Ints, Mask, Normals, Points, Vector, frozen
from truegauge.core.association.by_criterion import associate, criteria_for
from truegauge.core.association.constraints import NONE, Constraints
from truegauge.core.association.features import Cone, Cylinder, Feature, Plane, Shape
from truegauge.core.association.fit import Criterion, Fit, Rejection
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.recognition import Nominal
from truegauge.core.clouds.normals import estimated_normals
from truegauge.core.errors import AssociationError, IndeterminateError
from truegauge.core.features.held_by_points import ALL_HELD, Held, held_by
from truegauge.core.features.measured_surface import MeasuredSurface, feature_surface
from truegauge.core.filters.form_map import UNFILTERED, FilterKind, FormFilter, FormMap, form_map

if TYPE_CHECKING:
    from truegauge.core.cad.projection import Deviations

_CELL_POINTS = 4


@dataclass(frozen=True, slots=True)
class ExtractionSettings:
    """How points are chosen; lengths in mm.

    Points within `reach` of the faces, no nearer than `edge_margin` to their borders (at most a tenth of the
    face's size). The surface behind a cloud is estimated in cells no smaller than `averaging`, because the extremes of
    thousands of single scanned points tell the scanner's noise and not the part; 0 takes the single points. Points
    farther than `reject` robust scales from the least-squares feature are strays; 0 keeps all. Points whose own normal
    is turned from the surface's by more than `max_angle` (rad) do not belong; None: all do.
    """

    reach: float = 0.6
    edge_margin: float = 0.4
    averaging: float = 2.5
    reject: float = 5.0
    max_angle: float | None = None


@dataclass(frozen=True, slots=True, eq=False)
class Extracted:
    """The points of a feature, and those of its faces that were left out, by reason; rows of the sample."""

    rows: Ints
    too_far: Ints
    near_edge: Ints
    turned_away: Ints


@dataclass(frozen=True, slots=True, eq=False, weakref_slot=True)
class Measured:
    """A measured feature: the association, which points it used, and the means that form is read from.

    `rows` index the points of the sample that were used, `strays` those that were left out by the rule in
    `rejection`. `means` (m, 3) lie on the surface, `mean_residuals` (m,) mm off the least-squares feature; `form` mm by
    `form_criterion`, of the filtered points where a filter is chosen. `points` (n, 3) are those used.
    `single` points are read as they are (touches, traces): their sections are the rows in which they were taken,
    `taken` (n,), -1 where nobody said; `held` says what they do not hold. Of a cloud `surface` is what was estimated
    of its surface, on which `means` lie. A `settled` feature differs a little from one whose optima were searched.
    """

    fit: Fit
    nominal: Nominal
    points: Points
    rows: Ints
    strays: Ints
    rejection: Rejection | None
    means: Points
    mean_residuals: Floats
    form: float
    form_criterion: Criterion
    form_filter: FormFilter
    averaging: float
    by_use: bool
    single: bool = False
    taken: Ints | None = None
    held: Held = ALL_HELD
    surface: MeasuredSurface | None = None
    settled: bool = False

    @property
    def rejected(self) -> int:
        """How many of the extracted points were strays."""
        return len(self.strays)

    @property
    def feature(self) -> Feature:
        """The associated feature, turned the same way as the nominal one."""
        return self.fit.feature

    @property
    def middle(self) -> Vector:
        """The middle of what was measured, (3,) mm: of a plane the centre of its points."""
        return self.feature.point if isinstance(self.feature, Plane) else self.nominal.center

    @property
    def datum_criterion(self) -> Criterion:
        """The criterion by which the feature serves as a datum: outside the material, unless another was chosen."""
        touching = self.by_use and self.nominal.shape in (Shape.PLANE, Shape.CYLINDER, Shape.SPHERE)
        return Criterion.ONE_SIDED if touching else self.fit.criterion

    def as_datum(self) -> Feature:
        """Return the feature as a datum (ISO 5459): associated with the averaged points, outside the material."""
        if self.datum_criterion == self.fit.criterion:
            return self.feature
        touching = associate(
            self.nominal.shape, self.means, self.datum_criterion, start=self.feature, material=self.nominal.outward,
            constraints=self.fit.constraints or NONE, settled=self.settled,
        )  # fmt: skip
        return touching.turned_like(self.nominal.feature).feature

    def form_map(self, settings: FormFilter | None = None) -> FormMap:
        """Return the heights of the points over the least-squares feature, filtered as the feature says."""
        fit = self.fit
        if fit.criterion != Criterion.LEAST_SQUARES:
            held = fit.constraints or NONE
            fit = associate(self.nominal.shape, self.points, start=fit.feature, constraints=held)
            fit = fit.turned_like(self.nominal.feature)
        chosen = self.form_filter if settings is None else settings
        if self.surface is not None and chosen.kind == FilterKind.NONE:
            return form_map(fit.feature, self.surface.everywhere, self.surface.heights, chosen)
        return form_map(
            fit.feature, self.points, fit.residuals, chosen, cell=self.averaging, single=self.single, taken=self.taken
        )


@dataclass(frozen=True, slots=True, eq=False)
class Built:
    """A constructed feature; the points behind it are those of its members."""

    feature: Feature
    nominal: Nominal
    rows: Ints
    strays: Ints
    held: Held = ALL_HELD

    @property
    def middle(self) -> Vector:
        """The middle of the nominal feature, (3,) mm."""
        return self.nominal.center


def extract(
    model: CadModel,
    faces: tuple[int, ...],
    points: Points,
    found: Deviations,
    usable: Mask,
    settings: ExtractionSettings,
    point_normals: Normals | None = None,
) -> Extracted:
    """Choose the points that belong to the faces.

    Parameters
    ----------
    points : (n, 3) float64
        Aligned points, part coordinates, mm.
    found : Deviations
        Their deviations.
    usable : (n,) bool
        Points that are neither isolated nor of the table.
    point_normals : (n, 3), optional
        Their own normals; zeros for none. Without them the angle is judged by the planes of their neighbours.
    """
    own = np.flatnonzero(np.isin(found.face, faces) & usable & ~found.on_edge)
    near = np.abs(found.distance[own]) <= settings.reach
    rows, too_far = own[near], own[~near]
    turned = _turned(rows, points, found, point_normals, settings.max_angle)
    rows, turned_away = rows[~turned], rows[turned]
    at_edge = _at_edge(model, faces, found, rows, min(settings.edge_margin, 0.1 * _face_size(model, faces)))
    return Extracted(rows[~at_edge], too_far, rows[at_edge], turned_away)


def _at_edge(model: CadModel, faces: tuple[int, ...], found: Deviations, rows: Ints, margin: float) -> Mask:
    border = border_samples(model, faces, 0.5 * margin) if margin > 0 and len(rows) else np.zeros((0, 3))
    if len(border) == 0:
        return np.zeros(len(rows), dtype=bool)
    from scipy.spatial import cKDTree

    distance, _ = cKDTree(border).query(found.feet_at(rows), distance_upper_bound=margin)
    return np.asarray(distance < margin)


def _turned(
    rows: Ints, points: Points, found: Deviations, point_normals: Normals | None, max_angle: float | None
) -> Mask:
    """Tell which points face another way than the surface that they belong to."""
    if max_angle is None or len(rows) == 0:
        return np.zeros(len(rows), dtype=bool)
    if point_normals is not None:
        own = np.asarray(point_normals[rows], dtype=np.float64)
        cosine = np.einsum("ij,ij->i", own, found.normals[rows])
        cosine[~own.any(axis=1)] = 1.0  # a normal of zeros is none
    else:
        # Planes through neighbours have no side: only the slope can be judged.
        cosine = np.abs(np.einsum("ij,ij->i", estimated_normals(points[rows]), found.normals[rows]))
    return np.asarray(cosine < np.cos(max_angle))


def measure(
    nominal: Nominal,
    points: Points,
    rows: Ints,
    settings: ExtractionSettings,
    chosen_criterion: Criterion | None = None,
    form_filter: FormFilter = UNFILTERED,
    *,
    taken: Ints | None = None,
    single: bool | None = None,
) -> Measured:
    """Associate the nominal's shape with the extracted points, leaving strays out once.

    Strays are judged by the least-squares feature, whatever the criterion. Form is that of the minimum zone of the
    means, put back on the feature. Without a chosen criterion the feature is associated by its use.

    Parameters
    ----------
    taken : (n,) int, optional
        The row in which each of the points `rows` was taken, -1 where it is not known.
    single : bool, optional
        Whether these are touches or traces; else it follows from the averaging. Touches of a cylinder that do not hold
        its direction leave it as it is nominally, and say so.

    Raises
    ------
    AssociationError
        Too few points, or points that do not determine the feature.
    """
    single = settings.averaging <= 0 if single is None else single
    held = held_by(nominal, points[rows]) if single else ALL_HELD
    constraints = NONE
    if held.direction and isinstance(nominal.feature, Cylinder):
        constraints = Constraints(direction=nominal.feature.direction)
    elif held.direction and isinstance(nominal.feature, Cone):
        raise IndeterminateError(held.direction)
    fit = associate(
        nominal.shape, points[rows], start=nominal.feature, material=nominal.outward, reject=settings.reject or None,
        constraints=constraints,
    )  # fmt: skip
    kept = fit.rejection.kept if fit.rejection else np.ones(len(rows), dtype=bool)
    if taken is not None:
        taken = frozen(taken[kept])
    all_points = points[rows]
    strays, rows = rows[~kept], rows[kept]
    chosen = points[rows]
    rejection = fit.rejection
    fit = fit.turned_like(nominal.feature)
    surface = None
    if not single:
        off = fit.feature.distances(all_points)
        surface = feature_surface(fit.feature, all_points, off, kept, settings.averaging)
    if surface is not None:
        means, residuals = surface.means, surface.mean_heights
    else:
        means, residuals = _cell_means(chosen, fit.residuals, settings.averaging)
        means = _on_surface(fit, means, residuals)
    if form_filter.kind == FilterKind.NONE:
        form, how = form_of(fit, means, residuals, constraints)
    else:
        mapped = form_map(fit.feature, chosen, fit.residuals, form_filter, single=single, taken=taken)
        form, how = mapped.judged_form()
    if chosen_criterion not in (None, Criterion.LEAST_SQUARES):
        fit = associate(
            nominal.shape,
            chosen,
            chosen_criterion or Criterion.LEAST_SQUARES,
            start=fit.feature,
            material=nominal.outward,
            constraints=constraints,
        )
        fit = fit.turned_like(nominal.feature)
    return Measured(
        fit, nominal, frozen(chosen), frozen(rows), frozen(strays), rejection, frozen(means), frozen(residuals),
        form, how, form_filter, settings.averaging, chosen_criterion is None, single, taken, held, surface,
    )  # fmt: skip


def form_of(
    fit: Fit, means: Points, residuals: Floats, constraints: Constraints = NONE, *, settled: bool = False
) -> tuple[float, Criterion]:
    """Return the form of the means and the criterion behind it: minimum zone where the shape has one."""
    shape = fit.feature.shape
    if Criterion.MINIMUM_ZONE in criteria_for(shape):
        with suppress(AssociationError):
            zone = associate(shape, means, Criterion.MINIMUM_ZONE, start=fit.feature, constraints=constraints,
                             settled=settled)  # fmt: skip
            return zone.form, Criterion.MINIMUM_ZONE
    return float(residuals.max() - residuals.min()), Criterion.LEAST_SQUARES


def _on_surface(fit: Fit, means: Points, residuals: Floats) -> Points:
    """Put means on their height over the feature: a mean of points on a curved surface lies a little inside it."""
    return np.asarray(means - (fit.feature.distances(means) - residuals)[:, None] * fit.feature.outward(means))


def _cell_means(points: Points, residuals: Floats, size: float) -> tuple[Points, Floats]:
    """Return means of points and residuals over cubes of side `size` that hold enough points."""
    if size <= 0:
        return points, residuals
    cells = cells_of(points, size)
    _, inverse, counts = np.unique(cells, return_inverse=True, return_counts=True)
    # Cubes that hold few points (touched at a corner) would bring the noise back.
    enough = counts >= max(_CELL_POINTS, 0.4 * float(np.median(counts)))
    if enough.sum() < 4:
        return points, residuals
    inverse = inverse.ravel()
    means = np.stack([np.bincount(inverse, weights=points[:, c]) for c in range(3)], axis=1) / counts[:, None]
    return means[enough], (np.bincount(inverse, weights=residuals) / counts)[enough]


def cells_of(points: Points, size: float) -> Ints:
    """Return the number (n,) of the cube that each point is in."""
    index = np.floor((points - points.min(axis=0)) / size).astype(np.int64)
    width = index.max(axis=0) + 1
    return np.asarray((index[:, 0] * width[1] + index[:, 1]) * width[2] + index[:, 2])


def _face_size(model: CadModel, faces: tuple[int, ...]) -> float:
    """Return the smaller of the two larger sides of the box of the faces, mm: a width, not a thickness."""
    boxes = np.array([model.faces[f].box for f in faces])
    sides = np.sort(boxes[:, 1].max(axis=0) - boxes[:, 0].min(axis=0))
    return float(sides[1])


def border_samples(model: CadModel, faces: tuple[int, ...], spacing: float) -> Points:
    """Return points along the borders towards other faces, at most `spacing` mm apart."""
    chosen = set(faces)
    pieces = []
    for edge in model.edges:
        on, off = chosen & set(edge.faces), set(edge.faces) - chosen
        if not on or not off:
            continue
        a, b = edge.polyline[:-1], edge.polyline[1:]
        counts = np.maximum(1, np.ceil(np.linalg.norm(b - a, axis=1) / spacing)).astype(int)
        for start, end, count in zip(a, b, counts, strict=True):
            t = np.arange(count + 1)[:, None] / count
            pieces.append(start + t * (end - start))
    return np.vstack(pieces) if pieces else np.zeros((0, 3))
