"""The deviation at spot checks."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.characteristics.kind import Kind, Limits, Numbers, Told
from truegauge.core.characteristics.readings import ReadingKind, reading_named
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.spots import SpotAt
from truegauge.core.plan.readings import SpotCheck

if TYPE_CHECKING:
    from truegauge.core.arrays import Vector
    from truegauge.core.nodes.context import Context
    from truegauge.core.plan.requirements import Characteristic


@dataclass(frozen=True, kw_only=True)
class SpotKind(ReadingKind):
    """The deviation at a place, or the extreme of its area."""

    def node(self, context: Context, c: Characteristic) -> SpotAt:
        return SpotAt(reading_named(context, c, SpotCheck))

    def tell(self, context: Context, c: Characteristic, limits: Limits) -> Told:
        """Return the deviation."""
        return Told(context.need(self.node(context, c)).value)

    def uncertainty(self, context: Context, c: Characteristic) -> float | None:
        """Return the scatter of the points with the stated error of probing."""
        return float(np.hypot(context.need(self.node(context, c)).random, context.plan.device.of_probing))

    def anchor(self, context: Context, c: Characteristic) -> Vector | None:
        """Return the place; of an extreme where it was found."""
        spot = self.node(context, c).spot
        found = context.get(SpotAt(spot)) if spot.reads != "at" else None
        return np.array(spot.place) if found is None or isinstance(found, NotComputed) else found.place

    def why(self, context: Context, c: Characteristic, numbers: Numbers) -> list[tuple[str, str]]:
        """Say where it was read, and from what."""
        found = context.get(self.node(context, c))
        if isinstance(found, NotComputed):
            return []
        place = "  ".join(numbers.value(float(v)) for v in found.place)
        return [("place", place), ("points", f"{found.points:,}"), ("their scatter", numbers.value(found.scatter))]


def kinds() -> tuple[Kind, ...]:
    """Return the deviation at a place."""
    return (SpotKind(name="spot", label="deviation at a place", symbol="spot"),)
