"""The aligned points of a sample, scanned or touched, and what finds them by place."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.clouds.near import NearIndex
from truegauge.core.clouds.prepared import PreparedCloud
from truegauge.core.nodes.alignment import AlignmentOf
from truegauge.core.nodes.cloud import Cloud, PreparedPoints, aligned_scan
from truegauge.core.nodes.keys import cloud_key
from truegauge.core.nodes.node import Node
from truegauge.core.nodes.touched import touched_cloud

if TYPE_CHECKING:
    from collections.abc import Hashable

    from truegauge.core.clouds.raw import Colors
    from truegauge.core.nodes.context import Context


@dataclass(frozen=True, slots=True)
class AlignedCloud(Node[Cloud]):
    """All points in part coordinates, with their deviations."""

    of_features = False

    def key(self, context: Context) -> Hashable:
        return cloud_key(context)

    def compute(self, context: Context) -> Cloud:
        if context.measured_sample.is_touched:
            context.need(AlignmentOf(), "not aligned")
            return touched_cloud(context)
        context.share(0, 0.15).need(PreparedPoints())
        alignment = context.share(0.15, 0.75).need(AlignmentOf(), "not aligned")
        return aligned_scan(context.share(0.75, 1), alignment)


@dataclass(frozen=True, slots=True)
class NearPoints(Node[NearIndex]):
    """What finds points of the aligned cloud by place."""

    of_features = False

    def key(self, context: Context) -> Hashable:
        return cloud_key(context)

    def compute(self, context: Context) -> NearIndex:
        return NearIndex(context.need(AlignedCloud()).points)


def colors_of(context: Context) -> Colors | None:
    """Return the colours of the points in the order of the aligned cloud; None where they have none."""
    prepared, sample = context.peek(PreparedPoints()), context.sample
    if sample is None or sample.colors is None or not isinstance(prepared, PreparedCloud):
        return None
    return np.asarray(sample.colors[prepared.order])
