"""Dimensions in sections: distances, radii, diameters, angles."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.characteristics.kind import Kind, Limits, Numbers, Told
from truegauge.core.characteristics.readings import ReadingKind, reading_named
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.sections import DimensionIn, plane_of_section
from truegauge.core.plan.readings import SectionDimension

if TYPE_CHECKING:
    from truegauge.core.arrays import Vector
    from truegauge.core.nodes.context import Context
    from truegauge.core.plan.requirements import Characteristic


@dataclass(frozen=True, kw_only=True)
class SectionKind(ReadingKind):
    """A dimension in a section."""

    def node(self, context: Context, c: Characteristic) -> DimensionIn:
        return DimensionIn(reading_named(context, c, SectionDimension))

    def tell(self, context: Context, c: Characteristic, limits: Limits) -> Told:
        """Return the dimension."""
        return Told(context.need(self.node(context, c)).value)

    def uncertainty(self, context: Context, c: Characteristic) -> float | None:
        """Carry the scatter of the points and the stated errors to what was fitted."""
        found, device = context.need(self.node(context, c)), context.plan.device
        random = np.array([f.scatter / np.sqrt(max(1, f.points)) for f in found.fitted])
        if self.angular:
            reaches = np.array([max(f.reach, 1e-9) for f in found.fitted])
            return float(np.linalg.norm(np.sqrt(3.0) * np.hypot(random, device.of_probing) / reaches))
        scale = found.value * device.of_scale
        return float(np.sqrt((random**2).sum() + len(random) * device.of_probing**2 + scale**2))

    def anchor(self, context: Context, c: Characteristic) -> Vector | None:
        """Return the place of the first span."""
        section = context.plan.section_with(c.features[0])
        if section is None:
            return None
        at = reading_named(context, c, SectionDimension).spans[0].at
        return np.asarray(plane_of_section(section).solid(np.array([at]))[0])

    def why(self, context: Context, c: Characteristic, numbers: Numbers) -> list[tuple[str, str]]:
        """Say what was fitted in which section."""
        found = context.get(self.node(context, c))
        if isinstance(found, NotComputed):
            return []
        section = context.plan.section_with(c.features[0])
        return [("section", section.name if section is not None else "")] + [
            (f"span {k}: {f.fits}", f"{f.points:,} points, scatter {numbers.value(f.scatter)}")
            for k, f in enumerate(found.fitted, 1)
        ]


def kinds() -> tuple[Kind, ...]:
    """Return the dimensions."""
    rows = (
        ("aligned", "distance", "distance"), ("horizontal", "horizontal distance", "distance"),
        ("vertical", "vertical distance", "distance"), ("radius", "radius", "radius"),
        ("diameter", "diameter", "diameter"), ("angle", "angle", "angle"),
    )  # fmt: skip
    return tuple(
        SectionKind(name=f"section_{name}", label=f"{label} in a section", symbol=symbol, angular=name == "angle")
        for name, label, symbol in rows
    )
