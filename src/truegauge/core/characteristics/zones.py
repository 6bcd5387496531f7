"""Geometrical tolerances: the smallest zone in a datum system."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from truegauge.core.characteristics.kind import BOTH, NONE, Kind, Limits, Nominals, Told
from truegauge.core.nodes.datum_systems import system_content
from truegauge.core.nodes.graph import NotComputed, needed
from truegauge.core.nodes.outcomes import OutcomeOf, OutcomesTogether, OutcomeToFeature, stated_points
from truegauge.core.nodes.stated import stated_by
from truegauge.core.tolerancing.general import GeneralTolerances
from truegauge.core.tolerancing.outcome import Outcome

if TYPE_CHECKING:
    from truegauge.core.nodes.context import Context
    from truegauge.core.plan.document import Plan
    from truegauge.core.plan.requirements import Characteristic


@dataclass(frozen=True, kw_only=True)
class ZoneKind(Kind):
    """A tolerance whose value is the width of the smallest zone. `table` gives its general tolerance (ISO 2768-2)."""

    one_sided: bool = True
    framed: bool = True
    geometric: bool = True
    needs: tuple[str, ...] = BOTH
    table: Callable[[float, str], float] | None = None

    def tell(self, context: Context, c: Characteristic, limits: Limits) -> Told:
        """Return the width of the zone with how it came about."""
        found = needed(self.outcome(context, c))
        return Told(found.value, found, tuple(found.notes))

    def outcome(self, context: Context, c: Characteristic) -> Outcome | NotComputed:
        """Return the outcome: in its datum system, to its second feature as datum, or with what is simultaneous."""
        to_second = self._to_the_second(context, c)
        if to_second is not None:
            return context.get(to_second)
        if not c.simultaneous:
            return context.get(OutcomeOf(stated_by(context, c)))
        group = [
            o for o in context.plan.characteristics
            if o.simultaneous == c.simultaneous and o.alignment == c.alignment and context.kind(o.kind).geometric
        ]  # fmt: skip
        every = tuple(stated_by(context, o) for o in group)
        if context.sample is not None and any(a.datums != every[0].datums for a in every):
            return NotComputed("a simultaneous requirement needs the same datum system everywhere")
        found = context.get(OutcomesTogether(every))
        return found if isinstance(found, NotComputed) else found[group.index(c)]

    def _to_the_second(self, context: Context, c: Characteristic) -> OutcomeToFeature | None:
        if c.datums or not self.to_the_second or len(c.features) != 2:
            return None
        first, second = (context.plan.named(f) for f in c.features)
        return OutcomeToFeature(self.name, (first.group, second.group), (first.name, second.name), self.needs)

    def points_key(self, context: Context, c: Characteristic) -> Hashable:
        """Return what features and datum system depend on."""
        stated = stated_by(context, c)
        system = system_content(context, stated.datums) if c.datums else ()
        return (stated_points(context, stated), context.contents.groups(stated.groups), system, stated.content)

    def content(self, plan: Plan, c: Characteristic) -> Hashable:
        """Return with which others it is one requirement; what it states goes with its points."""
        return (self.name, c.simultaneous)

    def missing(self, context: Context, c: Characteristic) -> int:
        """Return one for a zone that is not worked out; simultaneous ones and those to a feature are quick."""
        if c.simultaneous or self._to_the_second(context, c) is not None:
            return 0
        return 0 if context.knows(OutcomeOf(stated_by(context, c))) else 1

    def general(self, stated: GeneralTolerances, nominal: float, features: Nominals) -> Limits:
        """Return what the table gives for the shortest of the features."""
        if self.table is None or stated.geometry is None:
            return NONE
        return None, self.table(min((f.length for f in features), default=0.0), stated.geometry)
