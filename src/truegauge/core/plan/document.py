"""The plan: frozen models that know no result. Lengths in mm, angles in rad; limits as deviations from the nominal."""

from functools import cached_property
from typing import Literal, Self

from pydantic import Field, model_validator

from truegauge.core.clouds.recipe import Recipe
from truegauge.core.deviations.map_scale import DeviationScale
from truegauge.core.errors import EvaluationError
from truegauge.core.frozen_model import Frozen
from truegauge.core.plan.alignments import FIRST_ALIGNMENT, AnyAlignment, BestFitAlignment, features_of
from truegauge.core.plan.blades import MOST_BLADES, BladeCheck, BladeSection, BladeValue
from truegauge.core.plan.features import ConstructedFeature, FormFilterSetting, Group, NominalFeature
from truegauge.core.plan.kept import KeptStatement
from truegauge.core.plan.migrations.steps import PRESENT
from truegauge.core.plan.part import PartMaterial, PartReference
from truegauge.core.plan.points import Extraction, PointLimits, ShapeExtraction
from truegauge.core.plan.readings import ComparedPoint, Reading, Section, SectionDimension, SpotCheck
from truegauge.core.plan.readouts import MOST, Readout
from truegauge.core.plan.requirements import Characteristic, Datum
from truegauge.core.plan.silhouette import Silhouette
from truegauge.core.plan.subsets import Subset
from truegauge.core.plan.surface_checks import MOST_CHECKS, SurfaceCheck
from truegauge.core.plan.title import TitleBlock
from truegauge.core.plan.views import SavedView, TagSettings
from truegauge.core.probing.probing import Probing
from truegauge.core.routes.document import AlignStep, MeasureStep, Route
from truegauge.core.tolerancing.general import GeneralTolerances
from truegauge.core.tolerancing.judgement import DecisionRule
from truegauge.core.tolerancing.zone import Standard
from truegauge.core.uncertainty.stated_errors import StatedErrors

SCHEMA_VERSION = PRESENT

# What a size without modifiers means; empty: by the standard, two-point (ISO) or the envelope (ASME).
UsualSize = Literal["", "LP", "E", "GG", "GN", "GX"]

# How datum features are associated (`core.datums.common.DatumAssociation`).
DatumAssociationName = Literal["outside", "least_squares", "high_points"]


class Plan(Frozen):
    """The saved definition of an inspection."""

    schema_version: Literal[14] = 14
    name: str = "New plan"
    revision: int = Field(default=1, ge=1)
    part: PartReference | None = None
    recipe: Recipe = ()
    alignments: tuple[AnyAlignment, ...] = Field(default=(BestFitAlignment(),), min_length=1)
    in_force: str = FIRST_ALIGNMENT
    material: PartMaterial | None = None
    limits: PointLimits = PointLimits()
    extraction: Extraction = Extraction()
    extraction_of_shapes: tuple[ShapeExtraction, ...] = ()
    features: tuple[NominalFeature, ...] = ()
    constructed: tuple[ConstructedFeature, ...] = ()
    spots: tuple[SpotCheck, ...] = ()
    sections: tuple[Section, ...] = ()
    compared: tuple[ComparedPoint, ...] = ()
    datums: tuple[Datum, ...] = ()
    characteristics: tuple[Characteristic, ...] = ()
    standard: Standard = "ISO"
    usual_size: UsualSize = ""
    datum_association: DatumAssociationName = "outside"
    general: GeneralTolerances = GeneralTolerances()
    decision: DecisionRule = DecisionRule()
    device: StatedErrors = StatedErrors()
    scale: DeviationScale = DeviationScale()
    tags: TagSettings = TagSettings()
    views: tuple[SavedView, ...] = ()
    unit: Literal["mm", "inch"] = "mm"
    decimals: int = Field(default=3, ge=0, le=6)
    title_block: TitleBlock = TitleBlock()
    probing: Probing = Probing()
    route: Route = Route()
    subsets: tuple[Subset, ...] = ()
    kept: tuple[KeptStatement, ...] = ()
    readouts: tuple[Readout, ...] = Field(default=(), max_length=MOST)
    surface_checks: tuple[SurfaceCheck, ...] = Field(default=(), max_length=MOST_CHECKS)
    blades: tuple[BladeCheck, ...] = Field(default=(), max_length=MOST_BLADES)
    silhouette: Silhouette | None = None

    @model_validator(mode="after")
    def _consistent(self) -> Self:
        ids: list[str] = [f.id for f in self.features]
        for made in self.constructed:
            if set(made.members) - set(ids):
                raise ValueError(f"{made.name} is built from a feature that comes after it or is not there")
            ids.append(made.id)
        if len(set(ids)) != len(ids):
            raise ValueError("two features have the same id")
        letters = [d.letter for d in self.datums]
        if len(set(letters)) != len(letters):
            raise ValueError("two datums have the same letter")
        if {f for d in self.datums for f in d.features} - set(ids):
            raise ValueError("a datum refers to a feature that the plan does not have")
        ids += [r.id for r in self.readings]
        if len(set(ids)) != len(ids):
            raise ValueError("two features, spot checks or dimensions have the same id")
        named = ((self.sections, "sections"), (self.views, "saved views"), (self.readouts, "readouts"),
                 (self.surface_checks, "surface checks"), (self.blades, "blades"))  # fmt: skip
        for kept, word in named:
            if len({k.id for k in kept}) != len(kept):
                raise ValueError(f"two {word} have the same id")
        known = set(ids)
        numbers = [c.number for c in self.characteristics]
        if len(set(numbers)) != len(numbers) or len({c.id for c in self.characteristics}) != len(numbers):
            raise ValueError("two characteristics have the same number or id")
        for c in self.characteristics:
            missing = set(c.features) - known
            if missing:
                raise ValueError(f"characteristic {c.number} refers to a feature that the plan does not have")
        if self.silhouette is not None and self.part is not None:
            raise ValueError("a plan for silhouettes has no part: its sizes are typed, or those of a drawing")
        if len({s.name for s in self.subsets}) != len(self.subsets):
            raise ValueError("two subsets have the same name")
        self._check_alignments(set(ids))
        unknown = {s.feature for s in self.route.steps if isinstance(s, MeasureStep)} - {f.id for f in self.features}
        if unknown:
            raise ValueError("the route measures a feature that the plan does not have")
        return self

    def _check_alignments(self, feature_ids: set[str]) -> None:
        known: set[str] = set()
        for a in self.alignments:
            if a.id in known:
                raise ValueError("two alignments have the same id")
            if a.base and a.base not in known:
                raise ValueError(f"alignment {a.name or a.id} starts from one that comes after it or is not there")
            if set(features_of(a)) - feature_ids:
                raise ValueError(f"alignment {a.name or a.id} refers to a feature that the plan does not have")
            known.add(a.id)
        if self.in_force not in known:
            raise ValueError("the alignment in force is not in the plan")
        for s in self.route.steps:
            if isinstance(s, AlignStep) and s.alignment not in known:
                raise ValueError("the route aligns by an alignment that the plan does not have")
        for c in self.characteristics:
            if c.alignment and c.alignment not in known:
                raise ValueError(f"characteristic {c.number} is reported in an alignment that the plan does not have")

    def alignment(self, alignment_id: str = "") -> AnyAlignment:
        """Return an alignment by its id, the one in force without one."""
        wanted = alignment_id or self.in_force
        for a in self.alignments:
            if a.id == wanted:
                return a
        raise EvaluationError(f"the plan has no alignment {wanted}")

    def chain(self, alignment_id: str = "") -> tuple[AnyAlignment, ...]:
        """Return an alignment (the one in force without an id) and all that it starts from, one after the other."""
        found, wanted = list[AnyAlignment](), alignment_id or self.in_force
        while wanted:
            found.append(self.alignment(wanted))
            wanted = found[-1].base
        return tuple(found)

    def has_alignment(self, alignment_id: str) -> bool:
        """Tell whether there is an alignment with this id."""
        return any(a.id == alignment_id for a in self.alignments)

    @property
    def all_features(self) -> tuple[NominalFeature | ConstructedFeature, ...]:
        """The features of the part, then those built from them."""
        return self.features + self.constructed

    @cached_property
    def readings(self) -> tuple[Reading, ...]:
        """Spot checks, dimensions of sections, compared points, values of sections of blades, sizes of silhouettes."""
        dimensions: tuple[SectionDimension, ...] = tuple(d for s in self.sections for d in s.dimensions)
        values: tuple[BladeValue, ...] = tuple(v for b in self.blades for s in b.sections for v in s.values)
        shadow = () if self.silhouette is None else self.silhouette.sizes
        return (*self.spots, *dimensions, *self.compared, *values, *shadow)

    @cached_property
    def _blades_by_value(self) -> dict[str, tuple[BladeCheck, BladeSection]]:
        return {v.id: (b, s) for b in self.blades for s in b.sections for v in s.values}

    def blade_with(self, value_id: str) -> tuple[BladeCheck, BladeSection] | None:
        """Return the blade and its section that a value belongs to."""
        return self._blades_by_value.get(value_id)

    @cached_property
    def _readings_by_id(self) -> dict[str, Reading]:
        return {r.id: r for r in self.readings}

    def reading(self, reading_id: str) -> Reading | None:
        """Return a spot check, a dimension of a section or a compared point by its id."""
        return self._readings_by_id.get(reading_id)

    def section(self, section_id: str) -> Section:
        """Return a section by its id."""
        for s in self.sections:
            if s.id == section_id:
                return s
        raise EvaluationError(f"the plan has no section {section_id}")

    def section_with(self, dimension_id: str) -> Section | None:
        """Return the section that a dimension belongs to."""
        return next((s for s in self.sections if any(d.id == dimension_id for d in s.dimensions)), None)

    # A plan never changes: what is looked up for every characteristic is looked up once.
    @cached_property
    def _features_by_faces(self) -> dict[frozenset[int], NominalFeature]:
        return {frozenset(f.faces): f for f in reversed(self.features)}

    @cached_property
    def _features_by_id(self) -> dict[str, NominalFeature | ConstructedFeature]:
        return {f.id: f for f in self.all_features}

    def named(self, feature_id: str) -> NominalFeature | ConstructedFeature | Reading:
        """Return what a characteristic refers to by an id: a feature, or something read off the cloud."""
        return self._readings_by_id.get(feature_id) or self.feature(feature_id)

    def feature(self, feature_id: str) -> NominalFeature | ConstructedFeature:
        """Return a feature by its id."""
        found = self._features_by_id.get(feature_id)
        if found is None:
            raise EvaluationError(f"the plan has no feature {feature_id}")
        return found

    def has_feature(self, feature_id: str) -> bool:
        """Tell whether there is a feature with this id."""
        return feature_id in self._features_by_id

    @cached_property
    def _datums_by_letter(self) -> dict[str, Datum]:
        return {d.letter: d for d in self.datums}

    def has_datum(self, letter: str) -> bool:
        """Tell whether a letter is on a feature."""
        return letter in self._datums_by_letter

    def datum(self, letter: str) -> Datum:
        """Return a datum by its letter."""
        found = self._datums_by_letter.get(letter)
        if found is None:
            raise EvaluationError(f"datum {letter} is on no feature of the plan: give a feature the letter {letter}")
        return found

    @cached_property
    def by_feature(self) -> dict[str, tuple[Characteristic, ...]]:
        """The characteristics of each feature, by its id."""
        found: dict[str, list[Characteristic]] = {}
        for c in self.characteristics:
            for f in c.features:
                found.setdefault(f, []).append(c)
        return {f: tuple(cs) for f, cs in found.items()}

    @cached_property
    def given_back(self) -> dict[str, tuple[Characteristic, ...]]:
        """The tolerances with reciprocity of each feature: the size of the feature may take what they leave unused."""
        found = {f: tuple(c for c in cs if "R" in c.modifiers) for f, cs in self.by_feature.items()}
        return {f: cs for f, cs in found.items() if cs}

    @property
    def next_number(self) -> int:
        """The number after the last characteristic."""
        return max((c.number for c in self.characteristics), default=0) + 1

    def characteristic(self, characteristic_id: str) -> Characteristic:
        """Return a characteristic by its id."""
        for c in self.characteristics:
            if c.id == characteristic_id:
                return c
        raise EvaluationError(f"the plan has no characteristic {characteristic_id}")

    def association_of(self, faces: tuple[int, ...]) -> tuple[str, FormFilterSetting]:
        """Return criterion and form filter of the feature with these faces; the usual ones for faces that are none."""
        feature = self.feature_with_faces(faces)
        return (feature.criterion, feature.form_filter) if feature else ("by_use", FormFilterSetting())

    def feature_with_faces(self, faces: tuple[int, ...]) -> NominalFeature | None:
        """Return the feature that consists of exactly these faces, if there is one."""
        return self._features_by_faces.get(frozenset(faces))

    def feature_of(self, group: Group) -> NominalFeature | ConstructedFeature | None:
        """Return the feature that a group selects, if the plan has it."""
        if isinstance(group, str):
            made = self._features_by_id.get(group)
            return made if isinstance(made, ConstructedFeature) else None
        return self.feature_with_faces(group)

    def faces_of(self, group: Group) -> tuple[int, ...]:
        """Return the faces that a group rests on."""
        if not isinstance(group, str):
            return group
        reading = self.reading(group)
        if reading is not None:
            whole = isinstance(reading, SpotCheck) and reading.reads != "at" and not reading.area
            return reading.faces if whole and isinstance(reading, SpotCheck) else ()
        made = self.feature_of(group)
        if not isinstance(made, ConstructedFeature):
            return ()
        return tuple(f for m in made.members for f in self.faces_of(self.feature(m).group))
