"""Samples of touches: their points on the surfaces, in part coordinates, feature by feature."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.arrays import frozen
from truegauge.core.cad.recognition import Nominal
from truegauge.core.deviations.statistics import statistics
from truegauge.core.errors import EvaluationError
from truegauge.core.features.extraction import ExtractionSettings
from truegauge.core.frames import apply, rotate
from truegauge.core.plan.graph import NotComputed
from truegauge.core.plan.results import Cloud
from truegauge.core.probing.compensation import (
    compensated_by_approach,
    compensated_by_feature,
    compensated_by_normals,
)

if TYPE_CHECKING:
    from truegauge.core.arrays import Points
    from truegauge.core.plan.document import Plan
    from truegauge.core.plan.evaluation import Evaluator
    from truegauge.core.registration.alignment import Alignment
    from truegauge.core.samples.sample import Sample

# Touches are few and each is there on purpose: none is left out, averaged, or too near to an edge.
TOUCH_EXTRACTION = ExtractionSettings(reach=np.inf, edge_margin=0.0, averaging=0.0, reject=0.0, max_angle=None)


def touched_cloud(evaluator: Evaluator, plan: Plan, sample: Sample, alignment: Alignment, growth: float) -> Cloud:
    """Return the compensated touches (n, 3) of a sample, aligned, with their deviations.

    Raises
    ------
    EvaluationError
        The sample has no touches of features.
    """
    probed = sample.data.probed
    if not probed:
        raise EvaluationError("no feature is touched yet")
    scale = growth * alignment.growth
    centers = apply(alignment.part_from_scan, scale * np.array([t.place for t in probed]))
    approach = rotate(alignment.part_from_scan, np.array([t.approach for t in probed]))
    radii = np.array([t.radius for t in probed])
    points = compensated_by_approach(centers, approach, radii)
    rows_of: dict[str, list[int]] = {}
    for k, touch in enumerate(probed):
        rows_of.setdefault(touch.feature, []).append(k)
    rows = {name: np.array(own, dtype=np.int64) for name, own in rows_of.items()}
    for name, own in rows.items():
        if name and plan.has_feature(name):
            nominal = evaluator.nominal(plan.feature(name).group, plan)
            if not isinstance(nominal, NotComputed):
                points[own] = _compensated(nominal, centers[own], approach[own], radii[own])
                continue
        points[own] = _by_surface(evaluator, centers[own], radii[own], points[own])
    found = evaluator.projector.deviations(frozen(points))
    for array in (found.distance, found.face, found.on_edge, found.normals):
        frozen(array)
    usable = np.asarray(found.face >= 0)
    counted = usable & ~found.on_edge
    if not counted.any():
        counted = usable
    return Cloud(points, found, frozen(usable), statistics(found.distance[counted]),
                 frozen(np.zeros(len(points), dtype=bool)), touched=rows,
                 taken=frozen(np.array([t.row for t in probed], dtype=np.int64)))  # fmt: skip


def _compensated(nominal: Nominal, centers: Points, approach: Points, radii: np.ndarray) -> Points:
    """Compensate by the feature's own normals; with too few touches for that, by those of the nominal feature."""
    points = compensated_by_feature(nominal, centers, approach, radii)
    if points is None:
        normals = nominal.outward * nominal.feature.outward(centers)
        return compensated_by_normals(centers, normals, radii)
    return points


def _by_surface(evaluator: Evaluator, centers: Points, radii: np.ndarray, by_approach: Points) -> Points:
    """Compensate touches of no feature by the normals of the surface that they lie on."""
    found = evaluator.projector.deviations(centers)
    there = (found.face >= 0) & ~found.on_edge
    points = by_approach.copy()
    normals = np.asarray(found.normals, dtype=np.float64)
    points[there] = compensated_by_normals(centers[there], normals[there], radii[there])
    return points
