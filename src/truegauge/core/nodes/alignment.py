"""The alignment of a sample to the part as a node: what it needs is gathered here, and computed in `aligning`."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from truegauge.core.arrays import frozen
from truegauge.core.cad.recognition import Nominal
from truegauge.core.datums.common import DatumAssociation
from truegauge.core.errors import EvaluationError
from truegauge.core.features.extraction import Built, Measured
from truegauge.core.features.held_by_points import DIRECTION, PLACE, need_held
from truegauge.core.nodes.aligning import Aligning, compute_alignment
from truegauge.core.nodes.cloud import CleanedPoints, PreparedPoints
from truegauge.core.nodes.graph import NotComputed, needed
from truegauge.core.nodes.keys import alignment_key, growth_of
from truegauge.core.nodes.node import Node
from truegauge.core.nodes.nominal import ReportFrame, nominal_feature
from truegauge.core.plan.alignments import DatumAlignment
from truegauge.core.registration.alignment import Alignment

if TYPE_CHECKING:
    from collections.abc import Hashable

    from truegauge.core.clouds.prepared import PreparedCloud
    from truegauge.core.nodes.context import Context
    from truegauge.core.plan.alignments import AnyAlignment


@dataclass(frozen=True, slots=True)
class AlignmentOf(Node[Alignment]):
    """One alignment of the plan, by its id; without one that of the context. Those that it starts from come first.

    Where the scan lies does not depend on a trial of the uncertainty.
    """

    alignment: str = ""
    of_features = False

    def key(self, context: Context) -> Hashable:
        return alignment_key(context, self.alignment)

    def compute(self, context: Context) -> Alignment:
        own = context.plan.alignment(self.alignment or context.alignment)
        before, name = None, ""
        if own.base:
            base = context.plan.alignment(own.base)
            # Its own reason comes later than what is wrong with the points.
            before, name = context.share(0, 0.5).get(AlignmentOf(own.base)), base.name
        cloud = _usable_points(context)
        growth = growth_of(context)
        touches = tuple(
            t.replace(place=(t.place[0] * growth, t.place[1] * growth, t.place[2] * growth))
            for t in context.measured_sample.touches
        )
        started = None if before is None else needed(before, name or "its base")

        def measured(feature_id: str) -> tuple[str, Nominal, Measured | Built]:
            return _measured(context, own, feature_id)

        found = compute_alignment(
            own,
            Aligning(context.model, lambda: context.projector, cloud, started, name, measured, touches,
                     context.share(0.2, 1.0).progress, DatumAssociation(context.plan.datum_association)),
        )  # fmt: skip
        return replace(found, frame_from_part=frozen(context.seen_in(own.id).need(ReportFrame())))


def _usable_points(context: Context) -> PreparedCloud | None:
    if not context.measured_sample.scans:
        return None
    cloud = context.share(0.0, 0.15).need(PreparedPoints())
    kept = context.need(CleanedPoints()).kept
    return cloud if kept.all() else replace(cloud, isolated=cloud.isolated | ~kept)


def _measured(context: Context, own: AnyAlignment, feature_id: str) -> tuple[str, Nominal, Measured | Built]:
    """Return name, nominal and measured feature, in the coordinates of the alignment that `own` starts from."""
    plan = context.plan
    feature = plan.feature(feature_id)
    letter = next((d.letter for d in plan.datums if d.feature == feature_id), feature.name)
    ideal = needed(nominal_feature(context, feature.group), feature.name)
    found = context.seen_in(own.base).measured(feature.group)
    if isinstance(found, NotComputed):
        raise EvaluationError(f"{feature.name}: {found.reason}")
    first = isinstance(own, DatumAlignment) and own.datums[0].feature == feature_id
    need_held((DIRECTION, PLACE) if first else (PLACE,), (found,), (feature.name,))
    return letter, ideal, found
