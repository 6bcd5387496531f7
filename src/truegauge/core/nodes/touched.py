"""Samples of touches: their points on the surfaces, in part coordinates, feature by feature."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from truegauge.core.arrays import frozen
from truegauge.core.cad.projection import Deviations
from truegauge.core.cad.recognition import Nominal
from truegauge.core.deviations.statistics import statistics
from truegauge.core.errors import EvaluationError
from truegauge.core.frames import apply, rotate
from truegauge.core.nodes.alignment import AlignmentOf
from truegauge.core.nodes.cloud import Cloud, freeze
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.keys import growth_of, scan_key
from truegauge.core.nodes.node import Node
from truegauge.core.nodes.nominal import nominal_feature
from truegauge.core.probing.compensation import (
    compensated_by_approach,
    compensated_by_feature,
    compensated_by_normals,
)

if TYPE_CHECKING:
    from collections.abc import Hashable

    from truegauge.core.arrays import Points
    from truegauge.core.nodes.context import Context


@dataclass(frozen=True, slots=True)
class TouchedPoints(Node["Points"]):
    """The compensated touches (n, 3) of one feature, aligned; empty for those that belong to none."""

    feature: str
    of_features = False

    def key(self, context: Context) -> Hashable:
        own = context.measured_sample.touched[self.feature]
        is_there = bool(self.feature) and context.plan.has_feature(self.feature)
        said = context.contents.feature(self.feature) if is_there else None
        return (scan_key(context), own.key, said)

    def compute(self, context: Context) -> Points:
        alignment = context.need(AlignmentOf(), "not aligned")
        touches = context.measured_sample.touched[self.feature].touches
        scale = growth_of(context) * alignment.growth
        centers = apply(alignment.part_from_scan, scale * np.array([t.place for t in touches]))
        approach = rotate(alignment.part_from_scan, np.array([t.approach for t in touches]))
        radii = np.array([t.radius for t in touches])
        if self.feature and context.plan.has_feature(self.feature):
            known = nominal_feature(context, context.plan.feature(self.feature).group)
            if not isinstance(known, NotComputed):
                return frozen(np.ascontiguousarray(_compensated(known, centers, approach, radii)))
        return frozen(np.ascontiguousarray(_by_surface(context, centers, approach, radii)))


def touched_cloud(context: Context) -> Cloud:
    """Return the compensated touches of a sample, aligned, with their deviations.

    Raises
    ------
    EvaluationError
        The sample has no touches of features.
    """
    sample = context.measured_sample
    if not sample.touched:
        raise EvaluationError("no feature is touched yet")
    rows = {name: np.array(own.rows, dtype=np.int64) for name, own in sample.touched.items()}
    points = np.zeros((len(sample.probed), 3))
    for name, own in rows.items():
        points[own] = context.need(TouchedPoints(name))
    found = context.projector.deviations(frozen(points))
    freeze(found)
    usable = np.asarray(found.face >= 0)
    counted = usable & ~found.on_edge
    if not counted.any():
        counted = usable
    return Cloud(points, found, frozen(usable), statistics(found.distance[counted]),
                 frozen(np.zeros(len(points), dtype=bool)), touched=rows,
                 taken=frozen(np.array([t.row for t in sample.probed], dtype=np.int64)))  # fmt: skip


def beside_scan(scanned: Cloud, touched: Cloud) -> Cloud:
    """Return the points of scans with those of touches after them, which count for their own features only."""
    before, now = len(scanned.points), len(touched.points)

    def both(of_scan: Any, of_touches: Any) -> Any:
        return frozen(np.concatenate([of_scan, of_touches]))

    a, b = scanned.found, touched.found
    points = both(scanned.points, touched.points)
    found = Deviations(points, both(a.distance, b.distance), both(a.face, b.face), both(a.on_edge, b.on_edge),
                       both(a.normals, b.normals.astype(a.normals.dtype)))  # fmt: skip
    nothing, said = np.zeros(now, dtype=bool), np.full(before, -1, dtype=np.int64)
    return replace(
        scanned, points=points, found=found, usable=both(scanned.usable, nothing),
        removed=both(scanned.removed, nothing), taken=both(said, touched.taken),
        normals=None if scanned.normals is None else both(scanned.normals, np.zeros((now, 3))),
        touched={name: frozen(rows + before) for name, rows in (touched.touched or {}).items()},
        stray=None if scanned.stray is None else both(scanned.stray, nothing),
    )  # fmt: skip


def _compensated(known: Nominal, centers: Points, approach: Points, radii: np.ndarray) -> Points:
    """Compensate by the feature's own normals; with too few touches for that, by those of the nominal feature."""
    points = compensated_by_feature(known, centers, approach, radii)
    if points is None:
        normals = known.outward * known.feature.outward(centers)
        return compensated_by_normals(centers, normals, radii)
    return points


def _by_surface(context: Context, centers: Points, approach: Points, radii: np.ndarray) -> Points:
    """Compensate touches of no feature by the normals of the surface that they lie on, else by their approach."""
    found = context.projector.deviations(centers)
    there = (found.face >= 0) & ~found.on_edge
    points = compensated_by_approach(centers, approach, radii).copy()
    normals = np.asarray(found.normals, dtype=np.float64)
    points[there] = compensated_by_normals(centers[there], normals[there], radii[there])
    return points
