"""What of a program was read so far: its elements by their labels, its units, and what is kept or to be told."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, TypeVar

from truegauge.core.cad.recognition import Nominal
from truegauge.core.frozen_model import Frozen, Three
from truegauge.core.plan.features import ConstructedFeature, NominalFeature
from truegauge.core.plan.kept import KeptStatement
from truegauge.core.probing.probing import Probing, StylusUse
from truegauge.core.routes.document import AnyStep
from truegauge.formats.dmis.own_lines import Own
from truegauge.formats.dmis.requirements import Required
from truegauge.formats.dmis.statements import NotUnderstood, Statement

if TYPE_CHECKING:
    from truegauge.core.cad.model import CadModel
    from truegauge.core.plan.alignments import AnyAlignment
    from truegauge.core.plan.document import Plan
    from truegauge.core.plan.requirements import Characteristic, Datum
    from truegauge.core.probing.probing import Moves

M = TypeVar("M", bound=Frozen)
MOST_TEXT, _MOST_KEY = 10_000, 200
_REFERENCE = re.compile(r"([A-Za-z]{1,3})\(([^()]{1,120})\)")
_DEFINED_AS = {"FA": "F", "TA": "T", "SA": "S", "DA": "D"}


@dataclass(frozen=True, slots=True)
class Noted:
    """Something that is to be known of a line: a statement that is kept but not understood, or one that was changed."""

    line: int
    text: str
    why: str

    def __str__(self) -> str:
        """Say it in a line."""
        return f"line {self.line}: {self.text[:60]}: {self.why}"


@dataclass(slots=True)
class Definition:
    """A statement that defines what others refer to, where it stood, and whether the plan has it now."""

    statement: Statement
    after: str
    before: int  # how many statements were kept before it
    units: str
    used: bool = False


@dataclass
class Block:
    """The touches of a feature, between MEAS and ENDMES; without a label of one that is not read."""

    began: Statement
    label: str
    before: int  # how many statements were kept before it
    raw: list[str] = field(default_factory=list)  # all of it that was read
    touches: list[str] = field(default_factory=list)
    places: list[tuple[Three, Three]] = field(default_factory=list)
    uses: set[StylusUse | None] = field(default_factory=set)


@dataclass
class Program:
    """Of one file. `own` are the remarks of this program on what comes, by what they are on; each is used once."""

    plan: Plan
    model: CadModel
    nominal: Callable[[NominalFeature], Nominal | None]
    probing: Probing
    name: str = ""
    head: dict[str, Any] | None = None  # what this program said of the whole plan
    features: dict[str, NominalFeature | ConstructedFeature] = field(default_factory=dict)
    patterns: dict[str, tuple[str, ...]] = field(default_factory=dict)
    sensors: dict[str, StylusUse] = field(default_factory=dict)
    datums: dict[str, Datum] = field(default_factory=dict)
    alignments: dict[str, AnyAlignment] = field(default_factory=dict)
    tolerances: dict[str, Required] = field(default_factory=dict)
    definitions: dict[str, Definition] = field(default_factory=dict)  # of sensors, tolerances, patterns: by "T(label)"
    characteristics: list[Characteristic] = field(default_factory=list)
    steps: list[AnyStep] = field(default_factory=list)
    own: dict[str, Own] = field(default_factory=dict)
    notes: list[Noted] = field(default_factory=list)
    kept: list[KeptStatement] = field(default_factory=list)
    after: str = ""  # the element that was read last
    units: str = ""  # as they are stated; empty for mm and degrees
    scale: float = 1.0  # mm
    degrees: float = 1.0
    use: StylusUse | None = None  # the sensor that is selected
    block: Block | None = None  # of touches that did not end yet

    def note(self, line: int, text: str, why: str) -> None:
        """Tell something."""
        self.notes.append(Noted(line, text, why))

    def keep(self, text: str) -> None:
        """Keep a statement where it stands."""
        if text:
            self.kept.append(self.kept_as(text, self.after))

    def kept_as(self, text: str, after: str) -> KeptStatement:
        """Return a statement as it is kept, with the units that its numbers have."""
        return KeptStatement(after=after[:_MOST_KEY], text=text[:MOST_TEXT], units=self.units)

    def define(self, s: Statement) -> None:
        """Know a statement that others may refer to."""
        self.definitions[s.key] = Definition(s, self.after, len(self.kept), self.units)

    def keep_definitions(self) -> None:
        """Keep what only kept statements refer to, and what nothing used, where it stood."""
        wanted = set[str]()
        for k in self.kept:
            wanted |= references_in(k.text)
        for key, d in reversed(sorted(self.definitions.items(), key=lambda x: x[1].before)):
            if not d.used or key in wanted:
                self.kept.insert(d.before, self.kept_as(d.statement.text, d.after).replace(units=d.units))
                if key not in wanted:
                    self.note(d.statement.line, d.statement.text, "nothing that is read uses it")

    def feature(self, label: str) -> str:
        """Return the id of the feature of a label (NotUnderstood: there is none)."""
        found = self.features.get(label)
        if found is None:
            raise NotUnderstood(f"the feature {label} is not there, or was not read")
        return found.id

    def with_id(self, feature: str) -> NominalFeature | None:
        """Return a feature of the part by its id."""
        return next((f for f in self.features.values() if f.id == feature and isinstance(f, NominalFeature)), None)

    def said(self, key: str, name: str, kind: type[M]) -> M | None:
        """Return what a remark of this program said of something, if one did; it is used once."""
        said = self.own.get(key, {})
        if name not in said:
            return None
        del self.own[key]
        return model_of(kind, said[name])

    def moves(self, **changes: float) -> None:
        """Change how the machine moves."""
        now: Moves = self.probing.moves
        if any(abs(getattr(now, k) - v) > 1e-9 for k, v in changes.items()):
            self.probing = self.probing.replace(moves=now.replace(**changes))


def references_in(text: str) -> set[str]:
    """Return the labels that a statement defines or refers to, as definitions have them: "F(base)", "T(1)"."""
    found = {(kind.upper(), label) for kind, label in _REFERENCE.findall(text)}
    return {f"{_DEFINED_AS.get(kind, kind)}({label})" for kind, label in found}


def model_of(kind: type[M], said: Mapping[str, Any]) -> M:
    """Return an element of a plan of what a remark says (ValidationError: it is none)."""
    return kind.model_validate_json(json.dumps(said))
