"""Commands for what is read off the cloud, for extraction, saved views and tags."""

from dataclasses import dataclass

from truegauge.core.plan.document import Plan
from truegauge.core.plan.points import Extraction, ShapeExtraction
from truegauge.core.plan.readings import ComparedPoint, Section, SectionDimension, SpotCheck
from truegauge.core.plan.references import without_characteristics
from truegauge.core.plan.requirements import Characteristic
from truegauge.core.plan.views import SavedView, TagSettings


@dataclass(frozen=True, slots=True)
class AddReadings:
    """Add spot checks or compared points with their characteristics, as one step."""

    label: str
    spots: tuple[SpotCheck, ...] = ()
    compared: tuple[ComparedPoint, ...] = ()
    characteristics: tuple[Characteristic, ...] = ()
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        return plan.replace(
            spots=plan.spots + self.spots,
            compared=plan.compared + self.compared,
            characteristics=plan.characteristics + self.characteristics,
        )


@dataclass(frozen=True, slots=True)
class SetSections:
    """Put sections into the plan: each in the place of the one with its id, or at the end."""

    sections: tuple[Section, ...]
    label: str = "add section"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        new = {s.id: s for s in self.sections}
        kept = tuple(new.pop(s.id, s) for s in plan.sections)
        return plan.replace(sections=(*kept, *new.values()))


@dataclass(frozen=True, slots=True)
class RemoveSection:
    """Remove a section, its dimensions and their characteristics."""

    section_id: str
    label: str = "remove section"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        gone = {d.id for d in plan.section(self.section_id).dimensions}
        own = frozenset(c.id for c in plan.characteristics if gone & set(c.features))
        changed = without_characteristics(plan, own)
        return changed.replace(sections=tuple(s for s in changed.sections if s.id != self.section_id))


@dataclass(frozen=True, slots=True)
class AddDimension:
    """Add a dimension to a section, with its characteristic."""

    section_id: str
    dimension: SectionDimension
    characteristic: Characteristic
    merge_key: str = ""

    @property
    def label(self) -> str:
        """What was done."""
        return f"add {self.dimension.name}"

    def apply(self, plan: Plan) -> Plan:
        section = plan.section(self.section_id)
        changed = section.replace(dimensions=(*section.dimensions, self.dimension))
        return plan.replace(
            sections=tuple(changed if s.id == self.section_id else s for s in plan.sections),
            characteristics=(*plan.characteristics, self.characteristic),
        )


@dataclass(frozen=True, slots=True)
class EditDimension:
    """Put another dimension in the place of the one with its id; its characteristic keeps its limits."""

    section_id: str
    dimension: SectionDimension
    nominal: float | None = None  # of its characteristic, where it is another now
    label: str = "change the dimension"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        d, section = self.dimension, plan.section(self.section_id)
        changed = section.replace(dimensions=tuple(d if x.id == d.id else x for x in section.dimensions))
        own = plan.characteristics
        if self.nominal is not None:
            own = tuple(c.replace(nominal=self.nominal) if c.features == (d.id,) else c for c in own)
        return plan.replace(
            sections=tuple(changed if s.id == self.section_id else s for s in plan.sections), characteristics=own
        )


@dataclass(frozen=True, slots=True)
class RemoveCharacteristics:
    """Remove some characteristics, and what is read only for them."""

    ids: frozenset[str]
    label: str = "remove characteristics"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        return without_characteristics(plan, self.ids)


@dataclass(frozen=True, slots=True)
class SetExtraction:
    """Change how points are chosen: for a feature (by id), for a shape, or for the plan; None takes its own back."""

    extraction: Extraction | None
    feature: str = ""
    shape: str = ""
    label: str = "change the extraction"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        if self.feature:
            return plan.replace(
                features=tuple(
                    f.replace(extraction=self.extraction) if f.id == self.feature else f for f in plan.features
                )
            )
        if self.shape:
            kept = tuple(s for s in plan.extraction_of_shapes if s.shape != self.shape)
            own = () if self.extraction is None else (ShapeExtraction(shape=self.shape, extraction=self.extraction),)
            return plan.replace(extraction_of_shapes=kept + own)
        return plan.replace(extraction=self.extraction or Extraction())


@dataclass(frozen=True, slots=True)
class SetViews:
    """Change the saved views."""

    views: tuple[SavedView, ...]
    label: str = "save a view"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        return plan.replace(views=self.views)


@dataclass(frozen=True, slots=True)
class SetTags:
    """Change which tags are shown, what they say and where they stand."""

    tags: TagSettings
    label: str = "change the tags"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        return plan.replace(tags=self.tags)
