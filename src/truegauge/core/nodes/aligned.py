"""The aligned points of a sample, scanned or touched, and what finds them by place."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.clouds.near import NearIndex
from truegauge.core.clouds.prepared import PreparedCloud
from truegauge.core.nodes.alignment import AlignmentOf
from truegauge.core.nodes.cloud import Cloud, PreparedPoints, aligned_scan
from truegauge.core.nodes.keys import cloud_key, scan_key
from truegauge.core.nodes.node import Node
from truegauge.core.nodes.touched import beside_scan, touched_cloud
from truegauge.core.samples.sample import GREY

if TYPE_CHECKING:
    from collections.abc import Hashable

    from truegauge.core.clouds.raw import Colors
    from truegauge.core.nodes.context import Context


@dataclass(frozen=True, slots=True)
class ScannedCloud(Node[Cloud]):
    """The points of the scans in part coordinates, with their deviations."""

    of_features = False

    def key(self, context: Context) -> Hashable:
        return scan_key(context)

    def compute(self, context: Context) -> Cloud:
        context.share(0, 0.15).need(PreparedPoints())
        alignment = context.share(0.15, 0.75).need(AlignmentOf(), "not aligned")
        return aligned_scan(context.share(0.75, 1), alignment)


@dataclass(frozen=True, slots=True)
class AlignedCloud(Node[Cloud]):
    """All points in part coordinates, with their deviations; those of touches after those of scans."""

    of_features = False

    def key(self, context: Context) -> Hashable:
        return cloud_key(context)

    def compute(self, context: Context) -> Cloud:
        sample = context.measured_sample
        if sample.is_touched:
            context.need(AlignmentOf(), "not aligned")
            return touched_cloud(context)
        scanned = context.need(ScannedCloud())
        return beside_scan(scanned, touched_cloud(context)) if sample.touched else scanned


def chosen_from(context: Context) -> Cloud:
    """Return the points that are chosen from where a feature was not touched by itself: the scan's, where there is one.

    Raises
    ------
    EvaluationError
        There are none, and why.
    """
    is_touched = context.measured_sample.is_touched
    return context.need(AlignedCloud()) if is_touched else context.need(ScannedCloud())


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
    own = sample.colors[prepared.order]
    touches = np.full((len(sample.probed), 3), GREY, dtype=own.dtype)
    return np.asarray(np.vstack([own, touches]) if len(touches) else own)
