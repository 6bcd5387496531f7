"""A requirement while it is typed: the text of each of its cells, and what it would be changed to."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Protocol

from truegauge.core.authoring.frame_text import frame_problems, modifiers_text, parse_datum, parse_modifiers
from truegauge.core.cad.recognition import Nominal
from truegauge.core.characteristics.registry import kind_named
from truegauge.core.errors import EvaluationError
from truegauge.core.plan.document import Plan
from truegauge.core.plan.requirements import Characteristic, DatumReference
from truegauge.core.tolerancing.fits import fit_limits
from truegauge.core.tolerancing.zone import Zone

DATUM_CELLS = 3
LIMITS = ("lower", "upper", "warn_lower", "warn_upper")
WORDS = ("sheet_zone", "simultaneous")
_FIT = re.compile(r"^[A-Za-z]{1,2}\s*\d")
X, Y, Z = (1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0)


class Numbers(Protocol):
    """How numbers are shown and typed."""

    def value(self, length_mm: float) -> str:
        """Return the text of a value."""

    def signed(self, length_mm: float) -> str:
        """Return the text of a deviation, with its sign."""

    def parse(self, text: str) -> float:
        """Return what is typed (ValueError: no number)."""


@dataclass(frozen=True, slots=True)
class ZoneChoice:
    """A zone as it is offered: its mark, in words, and what it is."""

    mark: str
    words: str
    shape: str = ""
    direction: tuple[float, float, float] | None = None


ZONES = (
    ZoneChoice("–", "the usual zone of this tolerance"),
    ZoneChoice("⌀", "a cylinder", "cylinder"),
    ZoneChoice("S⌀", "a sphere", "sphere"),
    ZoneChoice("↔X", "between two planes, measured along X", "planes", X),
    ZoneChoice("↔Y", "between two planes, measured along Y", "planes", Y),
    ZoneChoice("↔Z", "between two planes, measured along Z", "planes", Z),
    ZoneChoice("⌀Z", "a cylinder along Z", "cylinder", Z),
    ZoneChoice("▭X", "a rectangle, its first width along X", "rectangle", X),
    ZoneChoice("▭Y", "a rectangle, its first width along Y", "rectangle", Y),
    ZoneChoice("∥X", "the usual zone, lines or change along X", "", X),
    ZoneChoice("∥Y", "the usual zone, lines or change along Y", "", Y),
    ZoneChoice("∥Z", "the usual zone, lines or change along Z", "", Z),
)


@dataclass(frozen=True, slots=True)
class Draft:
    """What stands in the cells of a requirement now. Texts by name: name, nominal, `LIMITS`, modifiers, `WORDS`."""

    of: Characteristic
    numbers: Numbers
    kind: str
    zone: Zone
    texts: Mapping[str, str]
    datums: tuple[str, ...]

    @property
    def framed(self) -> bool:
        """Whether a drawing states it in a frame."""
        return kind_named(self.of.kind).framed

    @property
    def takes_datums(self) -> bool:
        """Whether it has cells for datums: coordinates can be told in a datum system too."""
        return self.framed or kind_named(self.of.kind).placed

    @property
    def zone_choice(self) -> ZoneChoice | None:
        """Which of the zones that are offered it has; None for another one."""
        return next((z for z in ZONES if (z.shape, z.direction) == (self.zone.shape, self.zone.direction)), None)

    def typed(self, texts: Mapping[str, str], datums: Sequence[str]) -> Draft:
        """Return it with other texts."""
        return replace(self, texts=dict(texts), datums=tuple(datums))

    def with_kind(self, kind: str) -> Draft:
        """Return it with another kind of tolerance."""
        return replace(self, kind=kind)

    def with_zone(self, choice: ZoneChoice) -> Draft:
        """Return it with another zone."""
        return replace(self, zone=self.zone.replace(shape=choice.shape, direction=choice.direction))

    def changes(self, plan: Plan, nominals: Sequence[Nominal]) -> tuple[tuple[str, Any], ...]:
        """Return the fields that are other than before.

        Raises
        ------
        ValueError
            What cannot be, in words.
        """
        c, before = self.of, _texts(self.of, self.numbers)
        found: dict[str, Any] = {}
        zone = self.zone
        for field, text in ((f, t.strip()) for f, t in self.texts.items()):
            if text != before[field]:
                new = _changed(field, text, c, zone, self.numbers)
                zone = new.get("zone", zone)
                found |= new
        if self.framed:
            shaped = zone.replace(shape=self.zone.shape, direction=self.zone.direction)
            found |= {"kind": self.kind, "datums": self._references(), "zone": shaped}
        elif self.takes_datums:
            found["datums"] = self._references()
        if found.get("nominal") is not None and c.fit and "upper" not in found:
            found["lower"], found["upper"] = fit_limits(found["nominal"], c.fit)
        candidate = c.replace(**found)
        if set(found) & {"kind", "datums", "modifiers", "zone", "upper"}:
            problems = frame_problems(plan, candidate, nominals)
            if problems:
                raise ValueError(problems[0].rstrip("."))
        return tuple((name, value) for name, value in found.items() if getattr(c, name) != value)

    def problem(self, plan: Plan, nominals: Sequence[Nominal]) -> str:
        """Say what cannot be; empty when all can."""
        try:
            self.changes(plan, nominals)
        except ValueError as error:
            return str(error).removeprefix("Value error, ").split("\n")[0]
        return ""

    def _references(self) -> tuple[DatumReference, ...]:
        datums = [parse_datum(text) for text in self.datums]
        while datums and datums[-1] is None:
            datums.pop()
        if any(d is None for d in datums):
            raise ValueError("a datum cell before the last one is empty")
        return tuple(d for d in datums if d is not None) + self.of.datums[DATUM_CELLS:]


def draft_of(c: Characteristic, numbers: Numbers) -> Draft:
    """Return a requirement as it stands, ready to be typed into."""
    said = [d.say() for d in c.datums[:DATUM_CELLS]]
    datums = (*said, *[""] * (DATUM_CELLS - len(said)))
    return Draft(c, numbers, c.kind, c.zone, _texts(c, numbers), datums)


def change_of_several(plan: Plan, c: Characteristic, numbers: Numbers, texts: Mapping[str, str]) -> dict[str, Any]:
    """Return what one of several requirements is changed to: empty texts change nothing, a hyphen clears.

    `texts` by name: `LIMITS`, modifiers, datums ("A | B(M)"), `WORDS`.

    Raises
    ------
    ValueError
        What cannot be, in words with its number.
    """
    found: dict[str, Any] = {}
    for name, text in ((n, t.strip()) for n, t in texts.items()):
        if not text or (name == "datums" and not kind_named(c.kind).framed):
            continue
        own = "" if text == "-" else text
        if name == "datums":
            found[name] = tuple(d for part in own.split("|") if (d := parse_datum(part)) is not None)
        elif name in LIMITS:
            found[name] = _number(name, own, numbers) if own else None
        else:
            found |= _changed(name, own, c, c.zone, numbers)
    if not found:
        return found
    try:
        candidate = c.replace(**found)
    except ValueError as error:
        raise ValueError(f"characteristic {c.number}: {error}".split("\n")[0]) from None
    problems = frame_problems(plan, candidate, [])
    if problems:
        raise ValueError(f"characteristic {c.number}: {problems[0]}")
    return found


def _texts(c: Characteristic, numbers: Numbers) -> dict[str, str]:
    def deviation(value: float | None) -> str:
        return "" if value is None else numbers.signed(value)

    return {
        "name": c.name, "nominal": numbers.value(c.nominal), "lower": deviation(c.lower),
        "upper": _upper_text(c, numbers), "modifiers": modifiers_text(c), "warn_lower": deviation(c.warn_lower),
        "warn_upper": deviation(c.warn_upper), "sheet_zone": c.sheet_zone, "simultaneous": c.simultaneous,
    }  # fmt: skip


def _upper_text(c: Characteristic, numbers: Numbers) -> str:
    if c.fit:
        return c.fit
    if c.upper is None:
        return ""
    if not kind_named(c.kind).framed:
        return numbers.signed(c.upper)
    second = f"x{numbers.value(c.zone.second)}" if c.zone.second is not None else ""
    if c.zone.per is not None:
        second = f"/{c.zone.per:g}" + (f"x{c.zone.per_second:g}" if c.zone.per_second is not None else "")
    return f"{numbers.value(c.upper)}{second}"


def _changed(field: str, text: str, c: Characteristic, zone: Zone, numbers: Numbers) -> dict[str, Any]:
    if field == "name":
        return {"name": text} if text else {}
    if field in WORDS:
        return {field: text}
    if field == "modifiers":
        letters, shaped = parse_modifiers(text, zone)
        return {"modifiers": letters, "zone": shaped}
    if field == "upper":
        return _upper(text, c, zone, numbers)
    value = None if not text and field != "nominal" else _number(field, text, numbers)
    return {field: value, "fit": ""} if field == "lower" else {field: value}


def _upper(text: str, c: Characteristic, zone: Zone, numbers: Numbers) -> dict[str, Any]:
    """Read the upper deviation, a fit class, or the value of a tolerance with its second width or its unit length."""
    if _FIT.match(text):
        try:
            lower, upper = fit_limits(c.nominal, text)
        except EvaluationError as error:
            raise ValueError(str(error)) from None
        return {"fit": text, "lower": lower, "upper": upper}
    framed = kind_named(c.kind).framed
    if framed and "/" in text:  # over a unit length or area: 0.02/100, 0.05/50x50
        value_text, per = text.lower().split("/", 1)
        sides = [_number("upper", part, numbers) for part in per.split("x")]
        if not 1 <= len(sides) <= 2 or min(sides) <= 0:
            raise ValueError(f"{per!r} is no unit length or area: type 0.02/100 or 0.05/50x50")
        own = zone.replace(per=sides[0], per_second=sides[1] if len(sides) > 1 else None)
        return {"upper": _number("upper", value_text, numbers), "zone": own}
    if zone.per is not None:
        own = zone.replace(per=None, per_second=None)
        return {"upper": _number("upper", text, numbers) if text else None, "zone": own}
    if framed and "x" in text.lower():
        first, second = (_number("upper", part, numbers) for part in text.lower().split("x", 1))
        return {"upper": first, "zone": zone.replace(second=second)}
    return {"upper": _number("upper", text, numbers) if text else None, "fit": ""}


def _number(field: str, text: str, numbers: Numbers) -> float:
    try:
        return numbers.parse(text)
    except ValueError:
        words = field.replace("_", " ").replace("warn", "warning")
        raise ValueError(f"the {words} {text!r} is not a number") from None
