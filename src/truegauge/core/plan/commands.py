"""Every change of a plan: a label and a pure function of the plan."""

from dataclasses import dataclass
from typing import Any, Protocol

from truegauge.core.clouds.recipe import Recipe
from truegauge.core.plan.alignments import AnyAlignment, BestFitAlignment
from truegauge.core.plan.document import (
    Characteristic,
    ConstructedFeature,
    Datum,
    DatumTarget,
    DeviationScale,
    NominalFeature,
    PartMaterial,
    PartReference,
    Plan,
    PointLimits,
    TitleBlock,
)
from truegauge.core.plan.references import with_faces_as_now, without_characteristics, without_features


class Command(Protocol):
    """A change that can be undone. Commands with the same non-empty `merge_key` in a row become one entry."""

    @property
    def label(self) -> str:
        """What was done, for the undo menu."""

    @property
    def merge_key(self) -> str:
        """Key for drags; empty for none."""

    def apply(self, plan: Plan) -> Plan:
        """Return the changed plan."""


@dataclass(frozen=True, slots=True)
class SetPart:
    """Give the plan its part. Features and characteristics of another part do not survive.

    For a revision of the part, `new_of` pairs the numbers of old faces with those of the new ones; features keep what
    is found again. A feature of which nothing is left keeps its place with faces below zero: it cannot be measured
    until its faces are picked again.
    """

    part: PartReference
    name: str
    new_of: tuple[tuple[int, int], ...] | None = None
    label: str = "open part"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        """Replace the part."""
        if plan.part is not None and plan.part.sha256 == self.part.sha256:
            return plan.replace(part=self.part)
        if self.new_of is not None:
            return with_faces_as_now(plan, dict(self.new_of)).replace(part=self.part)
        plan = without_features(plan, frozenset(f.id for f in (*plan.all_features, *plan.readings)))
        return plan.replace(
            part=self.part,
            alignments=(BestFitAlignment(),),
            in_force=BestFitAlignment().id,
            features=(),
            constructed=(),
            spots=(),
            sections=(),
            compared=(),
            views=(),
            scale=plan.scale.replace(own=()),
            datums=(),
            characteristics=(),
            name=self.name,
            title_block=TitleBlock(title=self.name),
        )


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
        """Replace the letter."""
        rest = tuple(d for d in plan.datums if d.letter != self.letter)
        named = rest
        if self.feature:
            named = (*rest, Datum(letter=self.letter, feature=self.feature, others=self.others, targets=self.targets))
        return plan.replace(
            features=plan.features + self.new_features, datums=tuple(sorted(named, key=lambda d: d.letter))
        )


@dataclass(frozen=True, slots=True)
class Several:
    """Some commands as one step of undo."""

    commands: tuple[Command, ...]
    label: str
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        """Apply one after the other."""
        for command in self.commands:
            plan = command.apply(plan)
        return plan


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
        """Append."""
        return plan.replace(
            features=plan.features + self.new_features, characteristics=(*plan.characteristics, self.characteristic)
        )


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
        """Append."""
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
        """Append."""
        return plan.replace(features=plan.features + self.new_features, constructed=(*plan.constructed, self.feature))


@dataclass(frozen=True, slots=True)
class EditFeature:
    """Change the name, the criterion, the filter or the values of a feature; only what is given."""

    feature_id: str
    changes: tuple[tuple[str, Any], ...]
    label: str = "edit feature"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        """Replace the fields."""
        plan.feature(self.feature_id)
        changes = dict(self.changes)
        return plan.replace(
            features=tuple(f.replace(**changes) if f.id == self.feature_id else f for f in plan.features),
            constructed=tuple(f.replace(**changes) if f.id == self.feature_id else f for f in plan.constructed),
        )


@dataclass(frozen=True, slots=True)
class EditCharacteristic:
    """Change the name, nominal or limits of a characteristic; only what is given."""

    characteristic_id: str
    changes: tuple[tuple[str, Any], ...]
    label: str = "edit characteristic"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        """Replace the fields."""
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
        """Filter."""
        return without_characteristics(plan, frozenset((self.characteristic_id,)))


@dataclass(frozen=True, slots=True)
class RemoveFeature:
    """Remove a feature, what is built from it, and the characteristics that need any of them."""

    feature_id: str
    label: str = "remove feature"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        """Filter."""
        return without_features(plan, frozenset((self.feature_id,)))


@dataclass(frozen=True, slots=True)
class SetScale:
    """Change the limits of the deviation map."""

    scale: DeviationScale
    label: str = "change deviation scale"
    merge_key: str = "scale"

    def apply(self, plan: Plan) -> Plan:
        """Replace the scale."""
        return plan.replace(scale=self.scale)


@dataclass(frozen=True, slots=True)
class SetAlignment:
    """Put an alignment into the plan: in the place of the one with its id, or at the end; `in_force` makes it so."""

    alignment: AnyAlignment
    in_force: bool = False
    new_features: tuple[NominalFeature, ...] = ()
    label: str = "change alignment"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        """Replace or append."""
        own = self.alignment
        if plan.has_alignment(own.id):
            every = tuple(own if a.id == own.id else a for a in plan.alignments)
        else:
            every = (*plan.alignments, own)
        return plan.replace(
            features=plan.features + self.new_features, alignments=every,
            in_force=own.id if self.in_force else plan.in_force,
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class RemoveAlignment:
    """Remove an alignment; those that start from it start from its base, and its base comes into force."""

    alignment_id: str
    label: str = "remove alignment"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        """Filter; the last alignment stays."""
        gone = plan.alignment(self.alignment_id)
        if len(plan.alignments) == 1:
            raise ValueError("a plan keeps at least one alignment")
        kept = tuple(a.replace(base=gone.base) if a.base == gone.id else a for a in plan.alignments if a.id != gone.id)
        in_force = plan.in_force if plan.in_force != gone.id else (gone.base or kept[0].id)
        reported = tuple(c.replace(alignment="") if c.alignment == gone.id else c for c in plan.characteristics)
        return plan.replace(alignments=kept, in_force=in_force, characteristics=reported)


@dataclass(frozen=True, slots=True)
class SetInForce:
    """Report by another alignment of the plan."""

    alignment_id: str
    label: str = "put alignment in force"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        """Replace the id."""
        return plan.replace(in_force=self.alignment_id)


@dataclass(frozen=True, slots=True)
class SetRules:
    """Change by what all is judged: standard, association of datums, decision rule, stated errors, general tolerances.

    `changes` are fields of the plan.
    """

    changes: tuple[tuple[str, Any], ...]
    label: str = "change the rules"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        """Replace the fields."""
        return plan.replace(**dict(self.changes))


@dataclass(frozen=True, slots=True)
class SetMaterial:
    """Say what the part is made of."""

    material: PartMaterial | None
    label: str = "set material"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        """Replace the material."""
        return plan.replace(material=self.material)


@dataclass(frozen=True, slots=True)
class SetRecipe:
    """Change what is done to the points before anything else."""

    recipe: Recipe
    label: str = "change the points"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        """Replace the recipe."""
        return plan.replace(recipe=self.recipe)


@dataclass(frozen=True, slots=True)
class SetLimits:
    """Change which points have a deviation."""

    limits: PointLimits
    label: str = "change the limits of points"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        """Replace the limits."""
        return plan.replace(limits=self.limits)


@dataclass(frozen=True, slots=True)
class SetDisplay:
    """Change the unit or the decimals shown."""

    changes: tuple[tuple[str, Any], ...]
    label: str = "change units shown"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        """Replace the fields."""
        return plan.replace(**dict(self.changes))


@dataclass(frozen=True, slots=True)
class SetTitleBlock:
    """Change the title block of the report."""

    title_block: TitleBlock
    label: str = "edit title block"
    merge_key: str = ""

    def apply(self, plan: Plan) -> Plan:
        """Replace the title block."""
        return plan.replace(title_block=self.title_block)
