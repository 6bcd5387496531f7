"""The deviation map as a node."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, ClassVar

from truegauge.core.deviations.deviation_map import DeviationMap, coarse_values, map_values
from truegauge.core.nodes.aligned import AlignedCloud
from truegauge.core.nodes.keys import cloud_key
from truegauge.core.nodes.node import Node

if TYPE_CHECKING:
    from collections.abc import Hashable

    from truegauge.core.nodes.context import Context


@dataclass(frozen=True, slots=True)
class MapOf(Node[DeviationMap]):
    """The deviations on the surface of the part, for a view at rest and one that moves."""

    of_features: ClassVar[bool] = False

    def key(self, context: Context) -> Hashable:
        return cloud_key(context)

    def compute(self, context: Context) -> DeviationMap:
        cloud = context.need(AlignedCloud())
        fine, coarse = context.part.map_meshes
        values = map_values(fine, cloud.found, cloud.usable)
        return DeviationMap(fine, values, coarse, coarse_values(coarse, fine, values))
