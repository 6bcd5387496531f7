"""Measured points beside nominal ones of the same name."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.characteristics.kind import Kind, Limits, Numbers, Told
from truegauge.core.characteristics.readings import ReadingKind, reading_named
from truegauge.core.errors import EvaluationError
from truegauge.core.nodes.compared import PointCompared
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.plan.readings import ComparedPoint

if TYPE_CHECKING:
    from truegauge.core.arrays import Vector
    from truegauge.core.nodes.context import Context
    from truegauge.core.plan.requirements import Characteristic


@dataclass(frozen=True, kw_only=True)
class ComparedKind(ReadingKind):
    """A part of the difference of two points: `part` is x, y, z, normal or total."""

    part: str

    def node(self, context: Context, c: Characteristic) -> PointCompared:
        return PointCompared(reading_named(context, c, ComparedPoint))

    def tell(self, context: Context, c: Characteristic, limits: Limits) -> Told:
        """Return the part of the difference."""
        found = context.need(self.node(context, c))
        if self.part == "total":
            return Told(found.total)
        if self.part == "normal":
            if found.along_normal is None:
                raise EvaluationError("the nominal point has no normal")
            return Told(found.along_normal)
        return Told(float(found.delta["xyz".index(self.part)]))

    def uncertainty(self, context: Context, c: Characteristic) -> float | None:
        """Return the stated errors at the place."""
        found, device = context.need(self.node(context, c)), context.plan.device
        away = float(np.linalg.norm(found.place))
        return float(np.sqrt(device.of_probing**2 + (away * device.of_scale) ** 2))

    def anchor(self, context: Context, c: Characteristic) -> Vector | None:
        """Return the nominal place."""
        return np.array(reading_named(context, c, ComparedPoint).place)

    def why(self, context: Context, c: Characteristic, numbers: Numbers) -> list[tuple[str, str]]:
        """Say the whole difference, and what was measured."""
        found = context.get(self.node(context, c))
        if isinstance(found, NotComputed):
            return []
        rows = [(f"d{axis}", numbers.signed(float(v))) for axis, v in zip("xyz", found.delta, strict=True)]
        return [*rows, ("measured by", found.source)]

    def difference(self, context: Context, c: Characteristic) -> tuple[float, float, float] | None:
        """Return the differences along x, y and z, mm."""
        found = context.get(self.node(context, c))
        if isinstance(found, NotComputed):
            return None
        x, y, z = (float(v) for v in found.delta)
        return x, y, z


def kinds() -> tuple[Kind, ...]:
    """Return the differences."""
    rows = (
        ("x", "difference along X"), ("y", "difference along Y"), ("z", "difference along Z"),
        ("normal", "difference along the normal"), ("total", "distance from the nominal point"),
    )  # fmt: skip
    return tuple(
        ComparedKind(name=f"compare_{part}", label=label, symbol="coordinate", part=part, one_sided=part == "total",
                     framed=part == "total")
        for part, label in rows
    )  # fmt: skip
