"""Changes of datums, characteristics and the rules that they are read by."""

from dataclasses import dataclass
from typing import Any

from truegauge.core.plan.document import Plan
from truegauge.core.plan.features import NominalFeature
from truegauge.core.plan.references import without_characteristics
from truegauge.core.plan.requirements import Characteristic, Datum, DatumTarget


@dataclass(frozen=True, slots=True)
class SetDatum:
    """Put a datum letter on a feature (the letter leaves the feature that had it), or with no feature remove it."""

    letter: str
    feature: str
    new_features: tuple[NominalFeature, ...] = ()
    others: tuple[str, ...] = ()
    targets: tuple[DatumTarget, ...] = ()
    merge_key: str = ""

    @property
    def label(self) -> str:
        """What was done."""
        return f"datum {self.letter}"

    def apply(self, plan: Plan) -> Plan:
        rest = tuple(d for d in plan.datums if d.letter != self.letter)
        named = rest
        if self.feature:
            named = (*rest, Datum(letter=self.letter, feature=self.feature, others=self.others, targets=self.targets))
        return plan.replace(
            features=plan.features + self.new_features, datums=tuple(sorted(named, key=lambda d: d.letter))
        )


@dataclass(frozen=True, slots=True)
class AddCharacteristic:
    """Add a characteristic and those of its features that the plan does not have yet."""

    characteristic: Characteristic
    new_features: tuple[NominalFeature, ...] = ()
    merge_key: str = ""

    @property
    def label(self) -> str:
        """What was done."""
        return f"add {self.characteristic.name}"

    def apply(self, plan: Plan) -> Plan:
        return plan.replace(
            features=plan.features + self.new_features, characteristics=(*plan.characteristics, self.characteristic)
        )


@dataclass(frozen=True, slots=True)
class EditCharacteristic:
    """Change the name, nominal or limits of a characteristic; only what is given."""

    characteristic_id: str
    changes: tuple[tuple[str, Any], ...]
    label: str = "edit characteristic"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        plan.characteristic(self.characteristic_id)
        return plan.replace(
            characteristics=tuple(
                c.replace(**dict(self.changes)) if c.id == self.characteristic_id else c for c in plan.characteristics
            )
        )


@dataclass(frozen=True, slots=True)
class RemoveCharacteristic:
    """Remove a characteristic; the numbers of the others stay."""

    characteristic_id: str
    label: str = "remove characteristic"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        return without_characteristics(plan, frozenset((self.characteristic_id,)))


@dataclass(frozen=True, slots=True)
class SetRules:
    """Change by what all is judged: standard, association of datums, decision rule, stated errors, general tolerances.

    `changes` are fields of the plan.
    """

    changes: tuple[tuple[str, Any], ...]
    label: str = "change the rules"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        return plan.replace(**dict(self.changes))
