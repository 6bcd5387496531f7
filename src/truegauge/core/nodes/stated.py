"""A geometrical tolerance as it is stated: of a characteristic of the plan, or on trial for a proposal."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from truegauge.core.plan.requirements import ORIENTS, DatumReference
from truegauge.core.tolerancing.zone import MATERIAL, PLAIN, Zone

if TYPE_CHECKING:
    from truegauge.core.nodes.context import Context
    from truegauge.core.plan.features import Group
    from truegauge.core.plan.requirements import Characteristic

Sizes = tuple[float | None, float | None]
NO_SIZES: Sizes = (None, None)


@dataclass(frozen=True, slots=True)
class StatedTolerance:
    """Kind, features (groups with names and limits of size), datum system, modifiers, zone, tolerance (mm)."""

    kind: str
    groups: tuple[Group, ...]
    names: tuple[str, ...]
    datums: tuple[DatumReference, ...] = ()
    modifiers: tuple[str, ...] = ()
    zone: Zone = PLAIN
    tolerance: float | None = None
    sizes: tuple[Sizes, ...] = field(default=())
    needs: tuple[str, ...] = ()  # what touches of its features must hold

    @property
    def content(self) -> Hashable:
        """What the value depends on besides the measured features: the tolerance only where it shapes the zone."""
        shaped = self.zone.end is not None or self.zone.shape == "rectangle"
        shaping = [m for m in self.modifiers if m in (*MATERIAL, "T", "OZ")]
        material = any(m in MATERIAL for m in shaping)
        zone = tuple(self.zone.model_dump().items()) if self.zone != PLAIN else ()
        return (self.kind, zone, tuple(shaping), self.sizes if material else (), self.tolerance if shaped else None)


def stated_by(context: Context, c: Characteristic) -> StatedTolerance:
    """Return what a characteristic of the plan states."""
    plan = context.plan
    features = [plan.named(f) for f in c.features]
    datums, zone = c.datums, c.zone
    if c.tier_of and c.tier == "composite":
        datums = tuple(_only_orients(d) for d in datums)
    if c.tier_of and zone.together is None:
        zone = zone.replace(together=True)
    material = any(m in MATERIAL for m in c.modifiers)
    sizes = _sizes(context, c) if material else tuple(NO_SIZES for _ in features)
    return StatedTolerance(
        c.kind, tuple(f.group for f in features), tuple(f.name for f in features), datums, c.modifiers, zone, c.upper,
        sizes, context.kind(c.kind).needs,
    )  # fmt: skip


def _only_orients(d: DatumReference) -> DatumReference:
    return d if ORIENTS in d.modifiers else d.replace(modifiers=(*d.modifiers, ORIENTS))


def _sizes(context: Context, c: Characteristic) -> tuple[Sizes, ...]:
    """Return the limits of size of each feature; members of a pattern without their own have those of the others."""
    found = [limits_of_size(context, (f,)) for f in c.features]
    if all(s == NO_SIZES for s in found) and len(c.features) % 2 == 0:
        pairs = [limits_of_size(context, c.features[k : k + 2]) for k in range(0, len(c.features), 2)]
        if any(s != NO_SIZES for s in pairs):
            return tuple(s for pair in pairs for s in (pair, pair))
    stated = next((s for s in found if s != NO_SIZES), NO_SIZES)
    return tuple(s if s != NO_SIZES else stated for s in found)


def limits_of_size(context: Context, features: tuple[str, ...]) -> Sizes:
    """Return the limits of size (mm) that the plan states for a feature, or for the two planes of a width."""
    for c in context.plan.by_feature.get(features[0], ()):
        if set(c.features) != set(features) or c.basic or not context.kind(c.kind).is_limit_of_size(c):
            continue
        if c.lower is not None or c.upper is not None:
            return c.lower_limit, c.upper_limit
    return NO_SIZES


def boundary_of(
    context: Context, reference: DatumReference, features: tuple[str, ...], before: set[str], *, hole: bool
) -> float | None:
    """Return the size (diameter or width, mm) of the boundary of a datum feature with a material modifier.

    The material limit of its size, widened by its own geometrical tolerance towards the datums before it: in ISO where
    that has the modifier too (ISO 2692:2021, 5.2; ISO 5459), in ASME always (ASME Y14.5-2018, 7.11.6).
    """
    plan, sizes = context.plan, limits_of_size(context, features)
    material = reference.material
    limit = sizes[0] if hole == (material == "M") else sizes[1]
    if limit is None:
        return None
    applying = [
        c.upper
        for c in plan.by_feature.get(features[0], ())
        if context.kind(c.kind).widens_boundary
        and c.upper is not None
        and {x for d in c.datums for x in d.letters} <= before
        and (material in c.modifiers or plan.standard == "ASME")
    ]
    widening = min(applying, default=0.0)
    return limit - widening if hole == (material == "M") else limit + widening
