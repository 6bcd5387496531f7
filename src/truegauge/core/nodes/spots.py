"""What the cloud says at places: spot checks as nodes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.deviations.spots import SpotReading, read_extreme, read_spot
from truegauge.core.errors import EvaluationError
from truegauge.core.nodes.aligned import AlignedCloud, NearPoints
from truegauge.core.nodes.keys import features_key
from truegauge.core.nodes.node import Node
from truegauge.core.plan.readings import SpotCheck

if TYPE_CHECKING:
    from collections.abc import Hashable

    from truegauge.core.nodes.context import Context

_FACING = 0.7  # cosine: a spot check without faces reads surfaces that face its way


@dataclass(frozen=True, slots=True)
class SpotAt(Node[SpotReading]):
    """The deviation at a spot check, or the extreme of its area; of one that is not in the plan too."""

    spot: SpotCheck
    of_features = False

    def key(self, context: Context) -> Hashable:
        there = context.plan.reading(self.spot.id) is self.spot
        return (features_key(context), context.contents.reading(self.spot.id) if there else self.spot)

    def compute(self, context: Context) -> SpotReading:
        spot, cloud = self.spot, context.need(AlignedCloud())
        place = np.array(spot.place)
        normal = np.array(spot.normal) / np.linalg.norm(spot.normal)
        found = cloud.found
        reach = spot.radius if spot.reads == "at" else spot.area
        if reach > 0:
            # Points lie off the surface by their deviation: a little more than the radius is looked through.
            rows = context.need(NearPoints()).within(place, reach + 0.02 * context.model.diagonal)
        else:
            rows = np.flatnonzero(np.isin(found.face, spot.faces))
        rows = rows[cloud.usable[rows] & ~found.on_edge[rows]]
        feet = found.feet_at(rows)
        belongs = np.isin(found.face[rows], spot.faces) if spot.faces else found.normals[rows] @ normal > _FACING
        if reach > 0:
            belongs &= ((feet - place) ** 2).sum(axis=1) <= reach**2
        rows, feet = rows[belongs], feet[belongs]
        if spot.reads == "at":
            direction = None if spot.direction is None else np.array(spot.direction) / np.linalg.norm(spot.direction)
            try:
                return read_spot(feet, found.distance[rows], place, normal, direction)
            except EvaluationError as error:
                raise EvaluationError(f"{spot.name}: {error} within {spot.radius:g} mm") from None
        return read_extreme(
            feet, np.asarray(found.normals[rows], dtype=np.float64), found.distance[rows],
            context.plan.extraction.averaging, highest=spot.reads == "highest",
        )  # fmt: skip
