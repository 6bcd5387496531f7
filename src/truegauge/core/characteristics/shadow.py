"""Sizes of a part in its shadow."""

from __future__ import annotations

from dataclasses import dataclass
from math import degrees
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.characteristics.kind import Kind, Limits, Numbers, Told
from truegauge.core.characteristics.readings import ReadingKind, reading_named
from truegauge.core.errors import EvaluationError
from truegauge.core.nodes.keys import growth_of
from truegauge.core.nodes.shadow import SeenShadow
from truegauge.core.plan.silhouette import ShadowBox, ShadowSize
from truegauge.core.silhouette.measuring import Measured
from truegauge.core.silhouette.names import SIZES
from truegauge.core.silhouette.sizes import Reading

if TYPE_CHECKING:
    from collections.abc import Hashable

    from truegauge.core.nodes.context import Context
    from truegauge.core.plan.document import Plan
    from truegauge.core.plan.requirements import Characteristic


@dataclass(frozen=True, kw_only=True)
class ShadowKind(ReadingKind):
    """A size of a silhouette."""

    what: str

    def node(self, context: Context, c: Characteristic) -> SeenShadow:
        return SeenShadow()

    def points_key(self, context: Context, c: Characteristic) -> Hashable:
        return (SeenShadow().key(context), reading_named(context, c, ShadowSize).id, growth_of(context))

    def content(self, plan: Plan, c: Characteristic) -> Hashable:
        return (self.name,)

    def breaks_an_edge(self, context: Context, c: Characteristic) -> bool:
        """Tell whether it is the radius of a rounding of the part: part of a circle, with light outside of it."""
        own = context.plan.silhouette
        if self.what != "radius" or own is None:
            return False
        edge = own.edge(reading_named(context, c, ShadowSize).of[0])
        if edge is None or isinstance(edge.look, ShadowBox) or edge.turn == "either":
            return False
        light_outside = (edge.turn == "to light") is not edge.look.inwards
        return light_outside and edge.look.end - edge.look.begin <= np.pi

    def tell(self, context: Context, c: Characteristic, limits: Limits) -> Told:
        found, growth = self._found(context, c), growth_of(context)
        return Told(found.value if self.angular else found.value * growth)

    def _found(self, context: Context, c: Characteristic) -> Reading:
        wanted = reading_named(context, c, ShadowSize)
        if wanted.what != self.what:
            raise EvaluationError(f"it is said to be the {self.label}, but the plan asks for the {wanted.what}")
        own = context.need(SeenShadow()).sizes[wanted.id]
        if isinstance(own, str):
            raise EvaluationError(own)
        return own

    def uncertainty(self, context: Context, c: Characteristic) -> float | None:
        """Return what edges and scale are sure to, with the stated errors of the device."""
        own, device = self._found(context, c), context.plan.device
        if self.angular:
            return own.uncertainty
        return float(np.hypot(own.uncertainty, device.of_length(own.value) if device.stated else 0.0))

    def why(self, context: Context, c: Characteristic, numbers: Numbers) -> list[tuple[str, str]]:
        """Say from which edges it was read, by how many places, and how the part lay."""
        found = context.peek(self.node(context, c))
        plan = context.plan
        if not isinstance(found, Measured) or plan.silhouette is None:
            return []
        rows = []
        for key in reading_named(context, c, ShadowSize).of:
            edge, name = found.edges.get(key), plan.silhouette.named(key)
            if edge is None:
                rows.append(("made of edges", name))
            elif isinstance(edge, str):
                rows.append((name, edge))
            else:
                used = int(np.count_nonzero(edge.edge.used))
                left = int(np.count_nonzero(np.isfinite(edge.points[:, 0]))) - used
                more = f", {left} left out" if left else ""
                rows.append((name, f"{used:,} places, scatter {1000 * edge.edge.noise:.2f} µm{more}"))
        at = found.place
        side = ", upside down" if at.mirrored else ""
        x, y = (numbers.signed(float(v)) for v in at.origin)
        rows.append(("the part lies", f"at {x}, {y}, turned {(degrees(at.turn) + 180.0) % 360.0 - 180.0:+.2f}°{side}"))
        return rows


def kinds() -> tuple[Kind, ...]:
    """Return the sizes of silhouettes."""
    return tuple(
        ShadowKind(
            name=f"shadow_{what}", label=own.words, symbol=own.symbol, angular=own.angular, one_sided=own.one_sided,
            what=what,
        ) for what, own in SIZES.items()
    )  # fmt: skip
