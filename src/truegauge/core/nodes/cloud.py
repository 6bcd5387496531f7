"""The points of a sample on their way to the part: prepared, cleaned, aligned with their deviations."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.arrays import frozen
from truegauge.core.clouds.cleaning import Cleaned, clean
from truegauge.core.clouds.prepared import PreparedCloud, prepare
from truegauge.core.clouds.recipe import works_before
from truegauge.core.deviations.statistics import DeviationStatistics, statistics
from truegauge.core.deviations.strays import stray_points
from truegauge.core.errors import EvaluationError
from truegauge.core.frames import apply
from truegauge.core.nodes.keys import growth_of, points_key, steps_before
from truegauge.core.nodes.node import Node

if TYPE_CHECKING:
    from collections.abc import Hashable

    from truegauge.core.arrays import Ints, Mask, Normals, Points
    from truegauge.core.cad.projection import Deviations
    from truegauge.core.nodes.context import Context
    from truegauge.core.registration.alignment import Alignment

# Points farther than this share of the diagonal from the part have no deviation: they are not the part.
REACH_SHARE = 0.02


@dataclass(frozen=True, slots=True, eq=False)
class Cloud:
    """The aligned cloud: points in part coordinates, their deviations, and which of them count as the part."""

    points: Points
    found: Deviations
    usable: Mask
    statistics: DeviationStatistics
    removed: Mask  # by the recipe
    left_out: tuple[int, ...] = ()  # how many each step of the recipe took away
    normals: Normals | None = None  # those of the scan, turned with it
    touched: dict[str, Ints] | None = None  # of a sample of touches: the rows of each feature, by its id
    stray: Mask | None = None  # points that statistics leave out
    taken: Ints | None = None  # the ring or line in which each touch was taken, -1 where nobody said


@dataclass(frozen=True, slots=True)
class PreparedPoints(Node[PreparedCloud]):
    """The points of the scans in order, with their spacing and which stand alone."""

    of_features = False

    def key(self, context: Context) -> Hashable:
        return points_key(context)

    def compute(self, context: Context) -> PreparedCloud:
        sample = context.measured_sample
        if not sample.scans:
            raise EvaluationError("the sample has no scan, only touches")
        shelf, growth = context.part.shelf, growth_of(context)
        return prepare(sample.points, growth=growth, shelf=shelf, progress=context.progress)


@dataclass(frozen=True, slots=True)
class CleanedPoints(Node[Cleaned]):
    """What the recipe leaves of the points before they are aligned."""

    of_features = False

    def key(self, context: Context) -> Hashable:
        return (points_key(context), steps_before(context.plan))

    def compute(self, context: Context) -> Cleaned:
        cloud, first = context.need(PreparedPoints()), steps_before(context.plan)
        if not first:
            return Cleaned(np.ones(len(cloud.raw), dtype=bool), ())
        return clean(cloud.points, first, spacing=cloud.spacing, progress=context.share(0.1, 0.15).progress)


def aligned_scan(context: Context, alignment: Alignment) -> Cloud:
    """Return the points of the scans in part coordinates.

    Raises
    ------
    EvaluationError
        No point lies near the part.
    """
    sample, limits = context.measured_sample, context.plan.limits
    prepared, cleaned = context.need(PreparedPoints()), context.need(CleanedPoints())
    scan = prepared.points
    if alignment.growth != 1.0:
        scan *= alignment.growth
    points = frozen(np.ascontiguousarray(apply(alignment.part_from_scan, scan)))
    normals = None
    if sample.normals is not None:
        normals = np.ascontiguousarray(sample.normals[prepared.order] @ alignment.part_from_scan[:3, :3].T)
    found = context.projector.deviations(
        points, max_distance=limits.max_distance or REACH_SHARE * context.model.diagonal,
        normals=normals, max_angle=limits.max_angle or np.pi, progress=context.share(0, 0.8).progress,
    )  # fmt: skip
    freeze(found)
    later = tuple(step for step in context.plan.recipe if not works_before(step))
    cropped = clean(
        points, later, normals=normals, spacing=prepared.spacing, found=found, among=cleaned.kept,
        progress=context.share(0.8, 1).progress,
    )  # fmt: skip
    kept = cropped.kept
    earlier, afterwards = iter(cleaned.left_out), iter(cropped.left_out)
    left_out = tuple(next(earlier if works_before(step) else afterwards) for step in context.plan.recipe)
    usable = (found.face >= 0) & ~prepared.isolated & ~alignment.table & kept
    counted = usable & ~found.on_edge
    if not counted.any():
        raise EvaluationError("no point lies near the part")
    rows = np.flatnonzero(counted)
    stray = np.zeros(len(points), dtype=bool)
    stray[rows] = stray_points(found.face[rows], found.distance[rows])
    return Cloud(
        points, found, frozen(usable), statistics(found.distance[rows], stray[rows]), frozen(~kept), left_out,
        normals, stray=frozen(stray),
    )  # fmt: skip


def freeze(found: Deviations) -> None:
    """Make deviations unchangeable: they are shared."""
    for array in (found.distance, found.face, found.on_edge, found.normals):
        frozen(array)
