"""The PMI of a part as datums and characteristics of the plan, in one step that can be undone."""

from dataclasses import dataclass

from truegauge.core.association.features import Cylinder, Sphere
from truegauge.core.authoring.modifier_words import from_words, not_known
from truegauge.core.authoring.new_features import feature_name, new_id
from truegauge.core.cad.annotations import AnnotatedDimension, AnnotatedTolerance
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.recognition import Nominal, nominal_of, whole_surface
from truegauge.core.characteristics.registry import kind_named
from truegauge.core.commands.command import Command, Several
from truegauge.core.commands.features import AddFeature
from truegauge.core.commands.requirements import AddCharacteristic, SetDatum
from truegauge.core.errors import GeometryError
from truegauge.core.plan.document import Plan
from truegauge.core.plan.features import NominalFeature
from truegauge.core.plan.requirements import ORIENTS, SITUATIONS, Characteristic, DatumReference
from truegauge.core.tolerancing.zone import PLAIN, Zone

_KINDS = {
    "circular run-out": "circular_runout", "total run-out": "total_runout",
    "profile of a line": "profile_line", "profile of a surface": "profile_surface",
}  # fmt: skip
_TIED = ("all around", "all over", "between")


@dataclass(frozen=True, slots=True)
class AnnotationImport:
    """What taking over the PMI does: one command, how much it brings, and what could not be taken over."""

    command: Several
    datums: int
    characteristics: int
    left_out: tuple[str, ...]


class _Importer:
    def __init__(self, model: CadModel, plan: Plan) -> None:
        self.model, self.plan, self.work = model, plan, plan
        self.commands: list[Command] = []
        self.left_out = list(model.annotations.not_understood)

    def understood(self, title: str, letters: tuple[str, ...]) -> tuple[str, ...]:
        """Return the modifiers that are evaluated; others are told and left out."""
        known: list[str] = []
        for letter in letters:
            if letter in (ORIENTS, *SITUATIONS) or not not_known((letter,)):
                known.append(letter)
            elif letter.lower() in _TIED:
                self.left_out.append(f"{title}: {letter}: the faces that the file ties to it are taken")
            else:
                self.left_out.append(f"{title}: {letter!r} is not evaluated")
        return tuple(known)

    def run(self, command: Command) -> None:
        self.work = command.apply(self.work)
        self.commands.append(command)

    def groups(self, faces: tuple[int, ...]) -> list[tuple[int, ...]]:
        """Return the surfaces that faces belong to, each once."""
        found: list[tuple[int, ...]] = []
        for face in faces:
            group = whole_surface(self.model, face)
            if group not in found:
                found.append(group)
        return found

    def feature(self, group: tuple[int, ...], name: str = "") -> NominalFeature:
        """Return the feature of the plan with these faces, made when it is not there yet, with a name if it is free."""
        known = self.work.feature_with_faces(group)
        if known is not None:
            return known
        taken = {f.name for f in self.work.all_features}
        free = name if name and name not in taken else feature_name(self.work, self.nominal(group))
        made = NominalFeature(id=new_id(), name=free, faces=group)
        self.run(AddFeature(made))
        return made

    def nominal(self, group: tuple[int, ...]) -> Nominal | None:
        try:
            return nominal_of(self.model, group)
        except GeometryError:
            return None

    def add(
        self, kind: str, name: str, features: tuple[NominalFeature, ...], nominal: float, lower: float | None,
        upper: float | None, datums: tuple[DatumReference, ...] = (), modifiers: tuple[str, ...] = (),
        zone: Zone = PLAIN,
    ) -> bool:  # fmt: skip
        """Add a characteristic unless the plan has the same one; tell whether it is new."""
        ids = tuple(f.id for f in features)
        for c in self.work.characteristics:
            if (c.kind, c.features, c.datums) == (kind, ids, datums) and (c.lower, c.upper) == (lower, upper):
                return False
        number = self.work.next_number
        said = " to ".join(f.name for f in features)
        if len(features) == 1 or kind_named(kind).takes_pattern:
            said = features[0].name + (f" and {len(features) - 1} more" if len(features) > 1 else "")
            said += f" {kind_named(kind).label}"
        self.run(
            AddCharacteristic(
                Characteristic(
                    id=new_id(), number=number, name=name or said, kind=kind,
                    features=ids, nominal=nominal, lower=lower, upper=upper, datums=datums, modifiers=modifiers,
                    zone=zone,
                )
            )
        )  # fmt: skip
        return True


def import_annotations(model: CadModel, plan: Plan) -> AnnotationImport:
    """Return the command that takes the part's PMI into the plan; what the plan has already is not doubled."""
    job = _Importer(model, plan)
    datums = 0
    for datum in model.annotations.datums:
        groups = job.groups(datum.faces)
        if len(groups) > 1:
            job.left_out.append(f"datum {datum.letter}: it stands on {len(groups)} separate faces; the first is taken")
        feature = job.feature(groups[0], f"datum {datum.letter}")
        if not any(d.letter == datum.letter and d.feature == feature.id for d in job.work.datums):
            job.run(SetDatum(datum.letter, feature.id))
            datums += 1
    before = len(job.work.characteristics)
    for dimension in model.annotations.dimensions:
        _dimension(job, dimension)
    for tolerance in model.annotations.tolerances:
        _tolerance(job, tolerance)
    count = len(job.work.characteristics) - before
    return AnnotationImport(Several(tuple(job.commands), "take over the drawing"), datums, count, tuple(job.left_out))


def _dimension(job: _Importer, d: AnnotatedDimension) -> None:
    title = d.name or f"{d.kind} {d.value:g}"
    first, second = job.groups(d.faces), job.groups(d.other_faces)
    if d.kind in ("diameter", "radius"):
        scale = 2.0 if d.kind == "radius" else 1.0
        for group in first:
            nominal = job.nominal(group)
            if nominal is None or not isinstance(nominal.feature, Cylinder | Sphere):
                job.left_out.append(f"dimension {title}: its face is neither cylinder nor sphere")
                continue
            if scale > 1:
                job.left_out.append(f"dimension {title}: the radius is taken over as a diameter, limits doubled")
            job.add("diameter", d.name, (job.feature(group),), d.value * scale,
                    None if d.lower is None else d.lower * scale, None if d.upper is None else d.upper * scale,
                    modifiers=job.understood(f"dimension {title}", from_words(d.modifiers)[0]))  # fmt: skip
        return
    pair = (first + second)[:2]
    if len(pair) < 2:
        job.left_out.append(f"dimension {title}: a {d.kind} needs two features")
        return
    nominals = tuple(n for g in pair if (n := job.nominal(g)) is not None)
    kind = kind_named(d.kind)
    if d.kind == "width" and len(nominals) == 2 and not kind.fits(nominals):  # a thickness of faces not opposite
        kind = kind_named("distance")
    if len(nominals) < 2 or not kind.fits(nominals):
        job.left_out.append(f"dimension {title}: no {d.kind} can be measured between its faces")
        return
    job.add(kind.name, d.name, (job.feature(pair[0]), job.feature(pair[1])), d.value, d.lower, d.upper,
            modifiers=job.understood(f"dimension {title}", from_words(d.modifiers)[0]))  # fmt: skip


def _tolerance(job: _Importer, t: AnnotatedTolerance) -> None:
    kind = kind_named(_KINDS.get(t.kind, t.kind))
    title = t.name or f"{t.kind} {t.value:g}"
    by_letter = {d.letter: d.feature for d in job.work.datums}
    missing = [u.letter for u in t.datums if any(x not in by_letter for x in u.letter.split("-"))]
    if missing:
        job.left_out.append(f"{title}: datum {missing[0]} is not in the file")
    datums = tuple(
        DatumReference(
            letter=u.letter, modifiers=job.understood(f"{title}, datum {u.letter}", _datum_modifiers(u.modifiers))
        )
        for u in t.datums
    )
    letters, zone = from_words(t.modifiers)
    modifiers = job.understood(title, letters)
    if kind.orients and not (t.datums and set(t.datums[0].letter.split("-")) <= set(by_letter)):
        job.left_out.append(f"{title}: it needs a datum")
        return
    groups = job.groups(t.faces)
    for chosen in [groups] if kind.takes_pattern else [[g] for g in groups]:
        features = tuple(job.feature(g) for g in chosen)
        job.add(kind.name, t.name, features, 0.0, None, t.value, datums, modifiers, zone)


def _datum_modifiers(words: tuple[str, ...]) -> tuple[str, ...]:
    """Return the modifiers of a datum as letters; the file calls them by words."""
    letters, _ = from_words(words)
    known = {"maximum material": "M", "least material": "L", "orientation": ORIENTS, "plane": "PL", "line": "SL",
             "point": "PT"}  # fmt: skip
    return tuple(known.get(w.lower(), w) for w in letters)
