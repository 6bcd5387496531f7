"""What a drawing requires: datums and characteristics. Lengths in mm, angles in rad; limits as deviations."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from truegauge.core.frozen_model import Frozen, Three
from truegauge.core.references import Refers
from truegauge.core.tolerancing.zone import PLAIN, Zone


class DatumTarget(Frozen):
    """A place (part coordinates) on the surface of a datum feature that alone stands for it (ISO 5459:2011, 7.4.2).

    An area has the radius `radius`; a line runs from `place` to `end`. A movable target slides along `slides`.
    """

    name: str = Field(min_length=1)
    kind: Literal["point", "line", "area"] = "point"
    place: Three
    end: Three | None = None
    radius: float = Field(default=1.5, gt=0)
    slides: Three | None = None


class Datum(Frozen):
    """A datum letter on a feature, on several at once (`others`: a pattern, or two opposite planes), or on targets."""

    letter: str = Field(pattern=r"^[A-Z]{1,2}$")
    feature: Annotated[str, Refers("feature", "goes")]
    others: Annotated[tuple[str, ...], Refers("feature", "goes")] = ()
    targets: tuple[DatumTarget, ...] = ()

    @property
    def features(self) -> tuple[str, ...]:
        """All features that the letter is on."""
        return (self.feature, *self.others)


ORIENTS = "><"
SITUATIONS = ("PL", "SL", "PT")  # only the plane, the straight line, or the point of the datum (ISO 5459:2011, 7.4.2.8)


class DatumReference(Frozen):
    """A datum in the datum system of a characteristic; a common datum joins its letters by hyphens.

    `modifiers`: "M", "L" (material boundary), "><" (it only orients), "PL", "SL", "PT" (only its plane, straight line
    or point). `holds` names the freedoms that it may take
    (`core.datums.freedoms.NAMES`); none: all that it can.
    """

    letter: str = Field(pattern=r"^[A-Z]{1,2}(-[A-Z]{1,2})*$")
    modifiers: tuple[str, ...] = ()
    holds: tuple[str, ...] = ()

    @property
    def letters(self) -> tuple[str, ...]:
        """The single letters."""
        return tuple(self.letter.split("-"))

    @property
    def material(self) -> str:
        """The material modifier: M, L or nothing."""
        return next((m for m in self.modifiers if m in ("M", "L")), "")

    def say(self) -> str:
        """Return it as the cell of a frame shows it in plain text."""
        marks = "".join(_mark(m) for m in self.modifiers)
        short = {"shift along ": "", "turn about ": "turn "}
        held = [next((h.replace(k, v) for k, v in short.items() if h.startswith(k)), h) for h in self.holds]
        return f"{self.letter}{marks}" + (f"[{', '.join(held)}]" if held else "")


def _mark(modifier: str) -> str:
    if modifier == ORIENTS:
        return ORIENTS
    return f"[{modifier}]" if modifier in SITUATIONS else f"({modifier})"


class Characteristic(Frozen):
    """One requirement. `lower` and `upper` are deviations from `nominal`, None where there is no limit.

    `warn_lower` and `warn_upper` are limits inside of these, in the same way. A `basic` dimension (theoretically exact)
    is shown and not judged. `fit` is a class such as H7 that the limits come from. Characteristics with the same
    `simultaneous` name are one requirement. A lower tier of a frame (`tier_of`, an id) is `composite`, so that its
    datums only orient, or a `single` segment of its own. `sheet_zone` is where the drawing has it.
    """

    id: str
    number: int = Field(ge=1)
    name: str
    kind: str
    features: Annotated[tuple[str, ...], Refers("feature", "goes")] = Field(min_length=1)
    nominal: float
    lower: float | None = None
    upper: float | None = None
    warn_lower: float | None = None
    warn_upper: float | None = None
    basic: bool = False
    fit: str = ""
    datums: tuple[DatumReference, ...] = ()
    modifiers: tuple[str, ...] = ()
    zone: Zone = PLAIN
    simultaneous: str = ""
    tier_of: str = ""
    tier: Literal["composite", "single"] = "composite"
    sheet_zone: str = ""
    alignment: str = ""  # the one that it is reported in; empty for the one in force

    @model_validator(mode="after")
    def _limits_in_order(self) -> Self:
        if self.lower is not None and self.upper is not None and self.lower > self.upper:
            raise ValueError(f"the lower limit {self.lower} is above the upper limit {self.upper}")
        for warn, limit, word in ((self.warn_lower, self.lower, "lower"), (self.warn_upper, self.upper, "upper")):
            if warn is None or limit is None:
                continue
            if (warn < limit) if word == "lower" else (warn > limit):
                raise ValueError(f"the {word} warning limit {warn:g} lies outside of the {word} limit {limit:g}")
        return self

    @property
    def lower_limit(self) -> float | None:
        """The smallest value allowed, mm."""
        return None if self.lower is None else self.nominal + self.lower

    @property
    def upper_limit(self) -> float | None:
        """The largest value allowed, mm."""
        return None if self.upper is None else self.nominal + self.upper

    @property
    def system_text(self) -> str:
        """The datum system in plain text, "A | B(M) | C"; empty without one."""
        return " | ".join(d.say() for d in self.datums)
