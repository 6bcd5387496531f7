"""Changes of features."""

from dataclasses import dataclass
from typing import Any

from truegauge.core.plan.document import Plan
from truegauge.core.plan.features import ConstructedFeature, NominalFeature
from truegauge.core.plan.references import without_features


@dataclass(frozen=True, slots=True)
class AddFeature:
    """Add a feature."""

    feature: NominalFeature
    merge_key: str = ""

    @property
    def label(self) -> str:
        """What was done."""
        return f"add {self.feature.name}"

    def apply(self, plan: Plan) -> Plan:
        return plan.replace(features=(*plan.features, self.feature))


@dataclass(frozen=True, slots=True)
class AddConstructed:
    """Add a constructed feature and those of its members that the plan does not have yet."""

    feature: ConstructedFeature
    new_features: tuple[NominalFeature, ...] = ()
    merge_key: str = ""

    @property
    def label(self) -> str:
        """What was done."""
        return f"construct {self.feature.name}"

    def apply(self, plan: Plan) -> Plan:
        return plan.replace(features=plan.features + self.new_features, constructed=(*plan.constructed, self.feature))


@dataclass(frozen=True, slots=True)
class EditFeature:
    """Change the name, the criterion, the filter or the values of a feature; only what is given."""

    feature_id: str
    changes: tuple[tuple[str, Any], ...]
    label: str = "edit feature"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        plan.feature(self.feature_id)
        changes = dict(self.changes)
        return plan.replace(
            features=tuple(f.replace(**changes) if f.id == self.feature_id else f for f in plan.features),
            constructed=tuple(f.replace(**changes) if f.id == self.feature_id else f for f in plan.constructed),
        )


@dataclass(frozen=True, slots=True)
class RemoveFeature:
    """Remove a feature, what is built from it, and the characteristics that need any of them."""

    feature_id: str
    label: str = "remove feature"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        return without_features(plan, frozenset((self.feature_id,)))
