"""Changes of how results are shown and told."""

from dataclasses import dataclass
from typing import Any

from truegauge.core.deviations.map_scale import DeviationScale
from truegauge.core.plan.document import Plan
from truegauge.core.plan.title import TitleBlock


@dataclass(frozen=True, slots=True)
class SetScale:
    """Change the limits of the deviation map."""

    scale: DeviationScale
    label: str = "change deviation scale"
    merge_key: str = "scale"

    def apply(self, plan: Plan) -> Plan:
        return plan.replace(scale=self.scale)


@dataclass(frozen=True, slots=True)
class SetDisplay:
    """Change the unit or the decimals shown."""

    changes: tuple[tuple[str, Any], ...]
    label: str = "change units shown"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        return plan.replace(**dict(self.changes))


@dataclass(frozen=True, slots=True)
class SetTitleBlock:
    """Change the title block of the report."""

    title_block: TitleBlock
    label: str = "edit title block"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        return plan.replace(title_block=self.title_block)
