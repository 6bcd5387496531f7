"""Plans made and changed without a window. Lengths in mm, angles in rad.

What is refused is refused with a `TrueGaugeError` (or a `ValueError` of a value out of its range) that says what and
why; the plan is then as it was.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from truegauge.api.plan_routes import PlanRoutes
from truegauge.api.words import some
from truegauge.core.authoring.annotations import import_annotations
from truegauge.core.authoring.new_features import new_id
from truegauge.core.characteristics.registry import KINDS
from truegauge.core.commands.alignments import SetAlignment, SetInForce
from truegauge.core.commands.part import SetPart
from truegauge.core.commands.requirements import SetRules
from truegauge.core.errors import TrueGaugeError
from truegauge.core.plan.alignments import AlignmentDatum, BestFitAlignment, DatumAlignment
from truegauge.core.plan.document import Plan as PlanDocument
from truegauge.core.plan.part import PartReference
from truegauge.core.tolerancing.general import GeneralTolerances, read_classes
from truegauge.formats.files import content_key
from truegauge.formats.part import read_part
from truegauge.formats.plan_file import model_of_plan, read_plan

if TYPE_CHECKING:
    from truegauge.core.plan.alignments import AnyAlignment


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


class Plan(PlanRoutes):
    """A plan with its part. Every change can be undone; `document` is the plan as it is now."""

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
        """Align by a best fit, from any pose (`trim`, `faces`, `criterion` ...: docs/api.md).

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
                f"the plan has no alignment {name!r}: {some(a.name for a in self.document.alignments)}"
            )
        return found
