"""Extraction: which points of the cloud belong to a feature, and what the cloud says about its form."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.arrays import Floats, Ints, Mask, Points, frozen
from truegauge.core.association import Cone, Criterion, Feature, Fit, Plane, Sphere, associate, criteria_for
from truegauge.core.association.features import DIRECTIONS
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.recognition import Nominal
from truegauge.core.errors import AssociationError

if TYPE_CHECKING:
    from truegauge.core.cad.projection import Deviations

_SCALES = 5.0  # points farther than this many robust scales from the feature are strays
_CELL_POINTS = 4


@dataclass(frozen=True, slots=True)
class ExtractionSettings:
    """How points are chosen; lengths in mm.

    Points within `reach` of the faces, no nearer than `edge_margin` to their borders (at most a tenth of the
    face's size). Form and orientation are read from means over cubes of side `averaging`, because the extremes of
    thousands of single scanned points tell the scanner's noise and not the part; 0 takes the single points.
    """

    reach: float = 0.6
    edge_margin: float = 0.4
    averaging: float = 2.5


@dataclass(frozen=True, slots=True, eq=False)
class Measured:
    """A measured feature: the association, which points it used, and the means that form is read from.

    `rows` index the sample's points; `rejected` of the extracted points were strays. `means` (m, 3) and
    `mean_residuals` (m,) mm, about the least-squares feature; `form` mm by `form_criterion`.
    """

    fit: Fit
    nominal: Nominal
    rows: Ints
    rejected: int
    means: Points
    mean_residuals: Floats
    form: float
    form_criterion: Criterion

    @property
    def feature(self) -> Feature:
        """The associated feature, turned the same way as the nominal one."""
        return self.fit.feature


def extract(
    model: CadModel,
    faces: tuple[int, ...],
    points: Points,
    found: Deviations,
    usable: Mask,
    settings: ExtractionSettings,
) -> Ints:
    """Return the indices of the points that belong to the faces.

    Parameters
    ----------
    points : (n, 3) float64
        Aligned points, part coordinates, mm.
    found : Deviations
        Their deviations.
    usable : (n,) bool
        Points that are neither isolated nor of the table.
    """
    member = np.isin(found.face, faces) & usable & ~found.on_edge & (np.abs(found.distance) <= settings.reach)
    rows = np.flatnonzero(member)
    margin = min(settings.edge_margin, 0.1 * _face_size(model, faces))
    if margin <= 0 or len(rows) == 0:
        return rows
    border = _border_samples(model, faces, 0.5 * margin)
    if len(border) == 0:
        return rows
    from scipy.spatial import cKDTree

    distance, _ = cKDTree(border).query(found.feet[rows], distance_upper_bound=margin)
    return np.asarray(rows[~(distance < margin)])


def measure(
    nominal: Nominal,
    points: Points,
    rows: Ints,
    settings: ExtractionSettings,
    criterion: Criterion = Criterion.LEAST_SQUARES,
) -> Measured:
    """Associate the nominal's shape with the extracted points, leaving strays out once.

    Strays are judged by the least-squares feature, whatever the criterion. Form is that of the minimum zone of the
    means, put back on the feature: a mean of points on a curved surface lies a little inside it.

    Raises
    ------
    AssociationError
        Too few points, or points that do not determine the feature.
    """
    chosen = points[rows]
    fit = associate(nominal.shape, chosen, start=nominal.feature)
    scale = 1.4826 * float(np.median(np.abs(fit.residuals - np.median(fit.residuals))))
    keep = np.abs(fit.residuals - np.median(fit.residuals)) <= max(_SCALES * scale, 1e-9)
    rejected = int(len(keep) - keep.sum())
    if rejected:
        rows, chosen = rows[keep], chosen[keep]
        fit = associate(nominal.shape, chosen, start=fit.feature)
    fit = _turned_like(fit, nominal)
    means, residuals = _cell_means(chosen, fit.residuals, settings.averaging)
    form, how = _form(fit, means, residuals)
    if criterion != Criterion.LEAST_SQUARES:
        fit = _turned_like(associate(nominal.shape, chosen, criterion), nominal)
    return Measured(fit, nominal, frozen(rows), rejected, frozen(means), frozen(residuals), form, how)


def _form(fit: Fit, means: Points, residuals: Floats) -> tuple[float, Criterion]:
    """Return the form of the means and the criterion behind it: minimum zone where the shape has one."""
    shape = fit.feature.shape
    if Criterion.MINIMUM_ZONE in criteria_for(shape):
        try:
            on = means - (fit.feature.distances(means) - residuals)[:, None] * _outward(fit.feature, means)
            return associate(shape, on, Criterion.MINIMUM_ZONE).form, Criterion.MINIMUM_ZONE
        except AssociationError:
            pass
    return float(residuals.max() - residuals.min()), Criterion.LEAST_SQUARES


def _outward(feature: Feature, points: Points) -> Points:
    """Return the unit directions (n, 3) in which the distances grow."""
    if isinstance(feature, Plane):
        return np.tile(feature.normal, (len(points), 1))
    if isinstance(feature, Sphere):
        out = points - feature.center
    else:
        values = feature.parameters
        axis = values["direction"]
        local = points - values[next(n for n in ("point", "apex", "center") if n in values)]
        out = local - np.outer(local @ axis, axis)
    out = out / np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-300)
    if isinstance(feature, Cone):
        out = out * np.cos(feature.half_angle_rad) - feature.direction * np.sin(feature.half_angle_rad)
    return np.asarray(out)


def _turned_like(fit: Fit, nominal: Nominal) -> Fit:
    """Give the associated feature the sense of the nominal one."""
    feature, values = fit.feature, fit.feature.parameters
    wanted = nominal.feature.parameters
    for name in DIRECTIONS:
        if name in values and name in wanted and not isinstance(feature, Cone):
            if float(values[name] @ wanted[name]) >= 0:
                return fit
            values[name] = -values[name]
            residuals = -fit.residuals if isinstance(feature, Plane) else fit.residuals
            return Fit(type(feature)(**values), fit.criterion, residuals, fit.iterations)
    return fit


def _cell_means(points: Points, residuals: Floats, size: float) -> tuple[Points, Floats]:
    """Return means of points and residuals over cubes of side `size` that hold enough points."""
    if size <= 0:
        return points, residuals
    low = points.min(axis=0)
    index = np.floor((points - low) / size).astype(np.int64)
    width = index.max(axis=0) + 1
    cells = (index[:, 0] * width[1] + index[:, 1]) * width[2] + index[:, 2]
    _, inverse, counts = np.unique(cells, return_inverse=True, return_counts=True)
    # Cubes that hold few points (touched at a corner) would bring the noise back.
    enough = counts >= max(_CELL_POINTS, 0.4 * float(np.median(counts)))
    if enough.sum() < 4:
        return points, residuals
    inverse = inverse.ravel()
    means = np.stack([np.bincount(inverse, weights=points[:, c]) for c in range(3)], axis=1) / counts[:, None]
    return means[enough], (np.bincount(inverse, weights=residuals) / counts)[enough]


def _face_size(model: CadModel, faces: tuple[int, ...]) -> float:
    """Return the smaller of the two larger sides of the box of the faces, mm: a width, not a thickness."""
    boxes = np.array([model.faces[f].box for f in faces])
    sides = np.sort(boxes[:, 1].max(axis=0) - boxes[:, 0].min(axis=0))
    return float(sides[1])


def _border_samples(model: CadModel, faces: tuple[int, ...], spacing: float) -> Points:
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
