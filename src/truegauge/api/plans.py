"""Plans made and changed without a window. Lengths in mm, angles in rad.

What is refused is refused with a `TrueGaugeError` (or a `ValueError` of a value out of its range) that says what and
why; the plan is then as it was.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from truegauge.core.authoring.annotations import import_annotations
from truegauge.core.authoring.frame_text import frame_problems, parse_datum, parse_modifiers
from truegauge.core.authoring.new_features import feature_for, free_name, new_id
from truegauge.core.authoring.offers import usual_zone
from truegauge.core.authoring.readings import SpotWish, add_spots
from truegauge.core.authoring.whole_elements import element_as_feature
from truegauge.core.cad.recognition import whole_surface
from truegauge.core.characteristics.registry import KINDS, kind_named
from truegauge.core.commands.alignments import SetAlignment, SetInForce
from truegauge.core.commands.features import AddConstructed, AddFeature
from truegauge.core.commands.history import History
from truegauge.core.commands.part import SetPart
from truegauge.core.commands.requirements import (
    AddCharacteristic,
    EditCharacteristic,
    RemoveCharacteristic,
    SetDatum,
    SetRules,
)
from truegauge.core.errors import EvaluationError, GeometryError, TrueGaugeError
from truegauge.core.evaluation.evaluator import Evaluator
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.nominal import in_report_frame, known_nominals
from truegauge.core.plan.alignments import AlignmentDatum, BestFitAlignment, DatumAlignment
from truegauge.core.plan.document import Plan as PlanDocument
from truegauge.core.plan.features import ConstructedFeature, NominalFeature
from truegauge.core.plan.part import PartReference
from truegauge.core.plan.requirements import Characteristic, DatumReference
from truegauge.core.progress import silent
from truegauge.core.tolerancing.fits import fit_limits
from truegauge.core.tolerancing.general import GeneralTolerances, read_classes
from truegauge.core.tolerancing.zone import PLAIN, Zone
from truegauge.formats.files import content_key
from truegauge.formats.part import read_part
from truegauge.formats.plan_file import model_of_plan, read_plan, write_plan

if TYPE_CHECKING:
    from truegauge.core.cad.element import Element
    from truegauge.core.cad.model import CadModel
    from truegauge.core.cad.recognition import Nominal
    from truegauge.core.commands.command import Command
    from truegauge.core.nodes.context import Context
    from truegauge.core.plan.alignments import AnyAlignment
    from truegauge.core.plan.features import Group

Place = Sequence[float]
_FAR = 0.1  # of the part's size: a place farther off the part is a mistake
_SYSTEM_MARK = "|"


@dataclass(frozen=True, slots=True)
class Feature:
    """A feature of a plan: its id and name."""

    plan: Plan
    id: str

    @property
    def name(self) -> str:
        """The name."""
        return self.plan.document.feature(self.id).name

    @property
    def faces(self) -> tuple[int, ...]:
        """The numbers of its faces in the part; those of its members, where it is constructed."""
        return self.plan.document.faces_of(self.plan.document.feature(self.id).group)

    @property
    def shape(self) -> str:
        """What it is by design: plane, cylinder, slot ...; "free_form" where it is no ideal feature."""
        found = self.plan.nominal_of(self)
        return "free_form" if found is None else str(found.shape)

    def __repr__(self) -> str:
        return f"<{self.name}: {self.shape}>"


@dataclass(frozen=True, slots=True)
class Taken:
    """What taking over the drawing of the part brought, and what could not be taken over."""

    datums: int
    characteristics: int
    left_out: tuple[str, ...]


def kinds() -> dict[str, str]:
    """Return the kinds of requirements that can be made, by name, each in words."""
    return {kind.name: kind.label for kind in KINDS.values() if not kind.reading}


def new_plan(part: str | Path, name: str = "") -> Plan:
    """Return a plan for a part (STEP, IGES, or a table of nominal features), without requirements yet.

    Raises
    ------
    FormatError
        The part cannot be read.
    """
    path = Path(part)
    model = read_part(path)
    content = path.read_bytes()
    reference = PartReference(file_name=path.name, sha256=content_key(content))
    document = SetPart(reference, name or path.stem).apply(PlanDocument())
    return Plan(document, model, content)


def open_plan(path: str | Path) -> Plan:
    """Open a plan file.

    Raises
    ------
    FormatError
        Not a plan, damaged, of a newer version, or without a part.
    """
    file = read_plan(Path(path))
    return Plan(file.plan, model_of_plan(Path(path), file), file.part, Path(path))


class Plan:
    """A plan with its part. Every change can be undone; `document` is the plan as it is now."""

    def __init__(
        self, document: PlanDocument, model: CadModel, part: bytes | None = None, path: Path | None = None,
        evaluator: Evaluator | None = None,
    ) -> None:  # fmt: skip
        self._history = History(document)
        self._part = part
        self.model, self.path = model, path
        self.evaluator = evaluator or Evaluator(model)

    def __repr__(self) -> str:
        d = self.document
        return f"<plan {d.name}: {len(d.characteristics)} characteristics, {len(d.all_features)} features>"

    @property
    def document(self) -> PlanDocument:
        """The plan as it is now; it never changes itself."""
        return self._history.plan

    @property
    def name(self) -> str:
        """The name."""
        return self.document.name

    @property
    def context(self) -> Context:
        """What nominal features and what follows from them are asked in."""
        return self.evaluator.context(self.document, None)

    # Changes ----------------------------------------------------------------------------------------------------

    def run(self, command: Command) -> None:
        """Change the plan by any command of `truegauge.core.commands`.

        Raises
        ------
        ValueError
            The command makes no valid plan.
        """
        self._history.run(command)

    def undo(self) -> bool:
        """Take the last change back; False when there is none."""
        return self._history.undo()

    def redo(self) -> bool:
        """Do the last change that was taken back again; False when there is none."""
        return self._history.redo()

    def save(self, path: str | Path | None = None) -> Path:
        """Save the plan with its part; where it was opened or saved last, if no path is given.

        Raises
        ------
        FormatError
            It cannot be written.
        TrueGaugeError
            The plan was never saved, and no path is given.
        """
        wanted = self.path if path is None else Path(path)
        if wanted is None:
            raise TrueGaugeError("the plan was never saved: give a path")
        write_plan(wanted, self.document, self._part)
        self._history.mark_saved()
        self.path = wanted
        return wanted

    # Features ---------------------------------------------------------------------------------------------------

    @property
    def features(self) -> tuple[Feature, ...]:
        """The features, constructed ones at the end."""
        return tuple(Feature(self, f.id) for f in self.document.all_features)

    def feature(self, name: str = "", *, near: Place | None = None, faces: Iterable[int] = ()) -> Feature:
        """Return a feature: by its name, or of the face nearest to a place, or of faces by their numbers.

        What the plan does not have yet is added to it; a `name` with `near` or `faces` names it.

        Raises
        ------
        GeometryError
            The place lies far off the part, or there is no such face.
        TrueGaugeError
            The plan has no feature of this name.
        """
        if near is None and not faces:
            found = next((f for f in self.document.all_features if name in (f.name, f.id)), None)
            if found is None:
                raise TrueGaugeError(f"the plan has no feature {name!r}: {_some(f.name for f in self.features)}")
            return Feature(self, found.id)
        chosen = tuple(faces) if near is None else self._surface_near(near)
        if not all(0 <= f < len(self.model.faces) for f in chosen):
            raise GeometryError(f"the part has the faces 0 to {len(self.model.faces) - 1}, not {chosen}")
        return self._feature_of(chosen, name)

    def _surface_near(self, place: Place) -> tuple[int, ...]:
        at = np.asarray(place, dtype=np.float64).reshape(-1)
        if at.shape != (3,) or not np.isfinite(at).all():
            raise GeometryError(f"a place is three numbers, x, y and z in mm, not {tuple(place)}")
        found = self.evaluator.projector.deviations(at[None])
        if found.face[0] < 0 or abs(float(found.distance[0])) > _FAR * self.model.diagonal:
            raise GeometryError(f"{tuple(float(v) for v in at)} lies far off the part")
        return whole_surface(self.model, int(found.face[0]))

    def _feature_of(self, group: Group, name: str = "") -> Feature:
        there = self.document.feature_of(group)
        if there is None:
            new: list[NominalFeature] = []
            known = known_nominals(self.context, (group,))
            made = feature_for(self.document, group, known[0] if known else None, new)
            assert isinstance(made, NominalFeature)
            self.run(AddFeature(made.replace(name=name) if name else made))
            there = made
        return Feature(self, there.id)

    @property
    def elements(self) -> tuple[Element, ...]:
        """Holes, slots, fillets and what else the faces of the part make up."""
        self.evaluator.part.find_patterns(silent)
        return tuple(self.evaluator.elements.all)

    def element(self, text: str, index: int = 0, name: str = "") -> Feature:
        """Return the feature of an element by what it is, "hole 5.5" or "slot 12 x 40"; the first is number 0.

        Elements are counted as the Part stage lists them. Of a hole with a counterbore it is the hole; a slot or a
        countersink is one constructed feature.

        Raises
        ------
        TrueGaugeError
            The part has no such element, or fewer of them.
        """
        found = self._elements_like(text)
        if not found:
            known = dict.fromkeys(_plain(e.describe(short=True)) for e in self.elements)
            raise TrueGaugeError(f"the part has no {text!r}: {_some(known)}")
        if not -len(found) <= index < len(found):
            raise TrueGaugeError(f"the part has {len(found)} x {text!r}, counted from 0; there is no number {index}")
        return self._feature_of_element(found[index], name)

    def pattern(self, text: str) -> tuple[Feature, ...]:
        """Return the features of all elements that are the same: "hole 5.5".

        Raises
        ------
        TrueGaugeError
            The part has no such element.
        """
        count = len(self._elements_like(text))
        return tuple(self.element(text, k) for k in range(max(count, 1)))

    def _elements_like(self, text: str) -> list[Element]:
        wanted = _plain(text)
        every = self.elements
        same = [e for e in every if _plain(e.describe(short=True)) == wanted]
        return same or [e for e in every if str(e.kind) == wanted]

    def _feature_of_element(self, element: Element, name: str) -> Feature:
        made = element_as_feature(self.context, element)
        if made is None:
            return self._feature_of(element.groups[0], name)
        command, feature_id = made
        if command is not None:
            self.run(command)
        return Feature(self, feature_id)

    def construct(
        self, construction: str, *members: Feature | str, values: Sequence[float] = (), name: str = ""
    ) -> Feature:
        """Return a feature built from others: "plane_plane", "line_plane", "midpoint" ... (docs/user-guide.md).

        Raises
        ------
        EvaluationError
            It cannot be built from these.
        """
        used = [self._found(m) for m in members]
        made = ConstructedFeature(
            id=new_id(), name=name or free_name(self.document, construction.replace("_", " ")),
            construction=construction, members=tuple(f.id for f in used), values=tuple(float(v) for v in values),
        )  # fmt: skip
        before = self.document
        self.run(AddConstructed(made))
        found = self.evaluator.nominal(made.id, self.document)
        if isinstance(found, NotComputed):
            self.undo()
            assert self.document is before
            raise EvaluationError(found.reason)
        return Feature(self, made.id)

    def nominal_of(self, feature: Feature | str) -> Nominal | None:
        """Return what a feature is by design; None for free-form faces."""
        own = self.document.feature(self._found(feature).id)
        known = known_nominals(self.context, (own.group,))
        return known[0] if known else None

    def _found(self, feature: Feature | str) -> Feature:
        return feature if isinstance(feature, Feature) else self.feature(feature)

    # Requirements -----------------------------------------------------------------------------------------------

    def datum(self, letter: str, feature: Feature | str, *others: Feature | str) -> str:
        """Put a datum letter on a feature, or on several at once (a pattern, two opposite planes).

        Raises
        ------
        ValueError
            No letter.
        """
        first, *rest = (self._found(f) for f in (feature, *others))
        self.run(SetDatum(letter, first.id, others=tuple(f.id for f in rest)))
        return letter

    def tolerance(
        self, kind: str, features: Feature | str | Sequence[Feature | str], value: float, *, modifiers: str = "",
        datums: str = "", zone: Zone | None = None, name: str = "", simultaneous: str = "",
    ) -> Characteristic:  # fmt: skip
        """Require a form, orientation, location, profile or run-out, as a drawing states it in a frame.

        Parameters
        ----------
        kind : str
            flatness, position, profile_surface, circular_runout ... (docs/tolerancing.md).
        features : Feature, or several
            One feature, or a pattern that is one requirement.
        value : float
            The tolerance, mm.
        modifiers : str
            As they are typed into a frame: "M", "M R P30", "UZ+0.05".
        datums : str
            The datum system: "A|B(M)|C".
        zone : Zone, optional
            Its shape; else as usual: a cylinder for an axis.

        Raises
        ------
        TrueGaugeError
            What makes no sense, in words.
        """
        used = self._several(features)
        known = kind_named(kind)
        if kind not in KINDS or not known.framed or known.reading:
            raise TrueGaugeError(f"{kind!r} is no tolerance: {_some(k.name for k in KINDS.values() if k.framed)}")
        references = self._system(datums)
        nominals = self._nominals(used)
        own = zone or (usual_zone(self.context, kind, nominals, references) if known.geometric else PLAIN)
        try:
            letters, shaped = parse_modifiers(modifiers, own)
        except ValueError as error:
            raise TrueGaugeError(str(error)) from error
        if not known.is_profile and not known.fits(nominals) and not known.takes_datums:
            raise TrueGaugeError(f"{known.label} does not suit {_names(used)}")
        return self._add(Characteristic(
            id=new_id(), number=self.document.next_number, name=name or f"{_names(used)} {known.label}", kind=kind,
            features=tuple(f.id for f in used), nominal=0.0, upper=float(value), datums=references, modifiers=letters,
            zone=shaped, simultaneous=simultaneous,
        ), nominals)  # fmt: skip

    def dimension(
        self, kind: str, *features: Feature | str, nominal: float | None = None, lower: float | None = None,
        upper: float | None = None, plus_minus: float | None = None, fit: str = "", basic: bool = False,
        modifiers: str = "", datums: str = "", name: str = "",
    ) -> Characteristic:  # fmt: skip
        """Require a size, distance, angle or coordinate.

        Parameters
        ----------
        kind : str
            diameter, width, distance, angle, coordinate_x ... (docs/tolerancing.md).
        nominal : float, optional
            That of the drawing, mm or rad; else that of the part.
        lower, upper : float, optional
            Deviations from the nominal; or `plus_minus`, or a `fit` such as H7. Without any the general tolerances
            of the plan hold.
        basic : bool
            Theoretically exact: shown and not judged.

        Raises
        ------
        TrueGaugeError
            What makes no sense, in words.
        """
        used = tuple(self._found(f) for f in features)
        known = kind_named(kind)
        if kind not in KINDS or known.framed or known.reading:
            dimensions = (k.name for k in KINDS.values() if not k.framed and not k.reading)
            raise TrueGaugeError(f"{kind!r} is no dimension: {_some(dimensions)}")
        nominals = self._nominals(used)
        seen = in_report_frame(self.context, nominals) if known.placed else nominals
        if len(nominals) < len(used) or not known.fits(seen):
            raise TrueGaugeError(f"{known.label} does not suit {_names(used)}")
        stated = known.nominal(seen) if nominal is None else float(nominal)
        if plus_minus is not None:
            lower, upper = -abs(plus_minus), abs(plus_minus)
        if fit:
            lower, upper = fit_limits(stated, fit)
        try:
            letters, zone = parse_modifiers(modifiers, PLAIN)
        except ValueError as error:
            raise TrueGaugeError(str(error)) from error
        return self._add(Characteristic(
            id=new_id(), number=self.document.next_number, name=name or f"{_names(used)} {known.label}", kind=kind,
            features=tuple(f.id for f in used), nominal=stated, lower=lower, upper=upper, fit=fit, basic=basic,
            modifiers=letters, zone=zone, datums=self._system(datums),
        ), nominals)  # fmt: skip

    def spot(
        self, place: Place, lower: float | None = -0.1, upper: float | None = 0.1, *, radius: float = 1.0,
        name: str = "",
    ) -> Characteristic:  # fmt: skip
        """Require the deviation at a place of the surface, read from the points within `radius` mm.

        Raises
        ------
        GeometryError
            The place lies far off the part.
        """
        x, y, z = (float(v) for v in place)
        wish = SpotWish((x, y, z), name, lower=lower, upper=upper, radius=radius)
        command = add_spots(self.document, self.model, self.evaluator.projector, [wish])
        self.run(command)
        return command.characteristics[0]

    @property
    def characteristics(self) -> tuple[Characteristic, ...]:
        """The requirements, in their order."""
        return self.document.characteristics

    def characteristic(self, key: str | int) -> Characteristic:
        """Return a requirement by its number, its name or its id.

        Raises
        ------
        TrueGaugeError
            The plan has none.
        """
        for c in self.document.characteristics:
            if str(key) in (str(c.number), c.name, c.id):
                return c
        raise TrueGaugeError(f"the plan has no characteristic {key!r}")

    def edit(self, key: str | int, **changes: Any) -> Characteristic:
        """Change fields of a requirement (`truegauge.core.plan.requirements.Characteristic`).

        Raises
        ------
        ValueError
            What cannot be.
        """
        c = self.characteristic(key)
        self.run(EditCharacteristic(c.id, tuple(changes.items())))
        return self.characteristic(c.id)

    def remove(self, key: str | int) -> None:
        """Take a requirement away."""
        self.run(RemoveCharacteristic(self.characteristic(key).id))

    def _add(self, c: Characteristic, nominals: tuple[Nominal, ...]) -> Characteristic:
        problems = frame_problems(self.document, c, nominals)
        if problems:
            raise TrueGaugeError(problems[0])
        self.run(AddCharacteristic(c))
        return c

    def _several(self, features: Feature | str | Sequence[Feature | str]) -> tuple[Feature, ...]:
        if isinstance(features, Feature | str):
            return (self._found(features),)
        found = tuple(self._found(f) for f in features)
        if not found:
            raise TrueGaugeError("a tolerance needs a feature")
        return found

    def _nominals(self, features: Sequence[Feature]) -> tuple[Nominal, ...]:
        return known_nominals(self.context, tuple(self.document.feature(f.id).group for f in features))

    def _system(self, text: str) -> tuple[DatumReference, ...]:
        try:
            cells = [parse_datum(cell) for cell in text.split(_SYSTEM_MARK)] if text.strip() else []
        except ValueError as error:
            raise TrueGaugeError(str(error)) from error
        found = tuple(c for c in cells if c is not None)
        for letter in (x for d in found for x in d.letters):
            if not self.document.has_datum(letter):
                raise TrueGaugeError(f"datum {letter} is on no feature of the plan: plan.datum({letter!r}, feature)")
        return found

    # Rules, drawing, alignments ---------------------------------------------------------------------------------

    def general(self, classes: str = "", *, size: float | None = None, surface: float | None = None) -> None:
        """State general tolerances: the classes of ISO 2768 ("f-H", "m", "K"), or the values (mm) of ISO 22081.

        Raises
        ------
        ValueError
            Classes that are none.
        """
        stated = read_classes(classes) if classes else GeneralTolerances(size=size, surface=surface)
        self.run(SetRules((("general", stated),)))

    def rules(self, **changes: Any) -> None:
        """Change how the drawing is read: `standard`, `usual_size`, `datum_association`, `decision`, `device` ...

        Raises
        ------
        ValueError
            What cannot be.
        """
        self.run(SetRules(tuple(changes.items())))

    def take_drawing(self) -> Taken:
        """Take the datums, dimensions and tolerances over that the file of the part carries (PMI)."""
        found = import_annotations(self.model, self.document)
        if found.command.commands:
            self.run(found.command)
        return Taken(found.datums, found.characteristics, found.left_out)

    def align_by_datums(self, *letters: str, name: str = "", start: str = "") -> AnyAlignment:
        """Align by datums in their order, from another alignment (`start`, its name; else the one in force).

        Raises
        ------
        TrueGaugeError
            A letter is on no feature, or there is no such alignment.
        """
        uses = tuple(AlignmentDatum(feature=self.document.datum(x).feature) for x in letters)
        if not uses:
            raise TrueGaugeError("an alignment by datums needs at least one letter")
        made = DatumAlignment(
            id=new_id(), name=name or f"Datums {' '.join(letters)}", datums=uses, base=self._alignment_id(start)
        )
        return self.align(made)

    def align_best_fit(self, *, name: str = "Best fit", **settings: Any) -> AnyAlignment:
        """Align by a best fit, from any pose (`trim`, `faces`, `criterion` ...: docs/user-guide.md).

        Raises
        ------
        ValueError
            Settings that cannot be.
        """
        return self.align(BestFitAlignment(id=new_id(), name=name, **settings))

    def align(self, alignment: AnyAlignment) -> AnyAlignment:
        """Add any alignment (`truegauge.core.plan.alignments`) and put it in force."""
        self.run(SetAlignment(alignment, in_force=True))
        return alignment

    def put_in_force(self, name: str) -> None:
        """Put an alignment in force by its name.

        Raises
        ------
        TrueGaugeError
            The plan has none of this name.
        """
        self.run(SetInForce(self._alignment_id(name)))

    def _alignment_id(self, name: str) -> str:
        if not name:
            return self.document.in_force
        found = next((a.id for a in self.document.alignments if name in (a.name, a.id)), "")
        if not found:
            raise TrueGaugeError(
                f"the plan has no alignment {name!r}: {_some(a.name for a in self.document.alignments)}"
            )
        return found


def _names(features: Sequence[Feature]) -> str:
    first = features[0].name if features else "nothing"
    if len(features) == 2:
        return f"{first} to {features[1].name}"
    return first if len(features) < 2 else f"{first} and {len(features) - 1} more"


def _plain(text: str) -> str:
    return " ".join(text.replace("⌀", " ").replace("Ø", " ").lower().split())


def _some(names: Iterable[str], most: int = 12) -> str:
    known = list(names)
    more = f" and {len(known) - most} more" if len(known) > most else ""
    return f"it has {', '.join(known[:most])}{more}" if known else "it has none"
