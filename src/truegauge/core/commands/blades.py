"""Commands for sections of blades."""

from dataclasses import dataclass

from truegauge.core.commands.by_id import put, without
from truegauge.core.plan.blades import BladeCheck, BladeSection
from truegauge.core.plan.document import Plan
from truegauge.core.plan.references import without_characteristics
from truegauge.core.plan.requirements import Characteristic


@dataclass(frozen=True, slots=True)
class SetBlade:
    """Put a blade into the plan, in the place of the one with its id; characteristics of values that are gone go.

    `added` are characteristics of new values; `nominals` (by the id of a characteristic) are others than before.
    """

    blade: BladeCheck
    label: str = "sections of a blade"
    added: tuple[Characteristic, ...] = ()
    nominals: tuple[tuple[str, float], ...] = ()
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        """Return the changed plan."""
        before = next((b for b in plan.blades if b.id == self.blade.id), None)
        had = set() if before is None else _values_of(before.sections)
        gone = had - _values_of(self.blade.sections)
        own = frozenset(c.id for c in plan.characteristics if gone & set(c.features))
        changed = without_characteristics(plan, own) if own else plan
        new = dict(self.nominals)
        kept = tuple(c.replace(nominal=new[c.id]) if c.id in new else c for c in changed.characteristics)
        return changed.replace(blades=put(changed.blades, self.blade), characteristics=(*kept, *self.added))


@dataclass(frozen=True, slots=True)
class RemoveBlade:
    """Take a blade away, with its values and their characteristics."""

    blade_id: str
    label: str = "remove the blade"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        """Return the changed plan."""
        gone = {v for b in plan.blades if b.id == self.blade_id for v in _values_of(b.sections)}
        own = frozenset(c.id for c in plan.characteristics if gone & set(c.features))
        changed = without_characteristics(plan, own) if own else plan
        return changed.replace(blades=without(changed.blades, self.blade_id))


def _values_of(sections: tuple[BladeSection, ...]) -> set[str]:
    return {v.id for s in sections for v in s.values}
