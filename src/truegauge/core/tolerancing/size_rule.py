"""How a size is specified (ISO 14405-1:2016): its modifiers, and what a drawing without words means."""

import re
from collections.abc import Sequence
from dataclasses import dataclass

from truegauge.core.tolerancing.zone import Standard

# The definitions of size, and what each means.
DEFINITIONS = {
    "LP": "two-point size", "LS": "size defined by a sphere", "GG": "least-squares size",
    "GN": "minimum circumscribed size", "GX": "maximum inscribed size", "CC": "circumference diameter",
    "CA": "area diameter", "CV": "volume diameter",
}  # fmt: skip
RANKS = ("SX", "SN", "SA", "SM", "SD", "SR", "SQ")
SECTIONS = {"ACS": "any cross section", "SCS": "a specific cross section"}
INDEPENDENT = "I"
LETTERS = (*DEFINITIONS, *RANKS, *SECTIONS, "E", INDEPENDENT)
_KIND = re.compile(r"^(diameter|width)(?:_(gg|gn|gx|lp)(?:_(s[xnamdrq]))?)?$")


@dataclass(frozen=True, slots=True)
class SizeRule:
    """`how` is one of `DEFINITIONS` or E (envelope), `rank` a statistic of several sizes, `section` ACS or SCS.

    `at` is the height of a specific cross section over the middle of the feature, mm. `stated` is false for the
    default of the plan.
    """

    how: str
    rank: str = ""
    section: str = ""
    at: float = 0.0
    stated: bool = True

    @property
    def letters(self) -> str:
        """The modifiers as a drawing has them."""
        at = f"{self.at:+g}" if self.section == "SCS" and self.at else ""
        return " ".join(x for x in (self.how, self.rank, f"{self.section}{at}") if x)

    @property
    def words(self) -> str:
        """The modifiers in words."""
        if self.how == "E":
            return "envelope requirement"
        found = DEFINITIONS[self.how]
        return f"{found} in {SECTIONS[self.section]}" if self.section else found

    @property
    def is_spread(self) -> bool:
        """A range or a standard deviation of sizes is no size."""
        return self.rank in ("SR", "SQ")


def usual_rule(standard: Standard) -> str:
    """Return what a size without modifiers means: two-point (ISO 14405-1, 6) or the envelope (ASME Y14.5, rule 1)."""
    return "E" if standard == "ASME" else "LP"


def is_size(kind: str) -> bool:
    """Tell whether a kind is a size with modifiers."""
    return _KIND.match(kind) is not None


def size_rule(kind: str, modifiers: Sequence[str], usual: str, at: float = 0.0) -> SizeRule:
    """Return the rule of a size: by its kind, its modifiers, or the default of the plan (`usual`).

    Independency (I) takes the envelope of a default away and leaves the two-point size (ASME Y14.5-2018, 5.8.2).
    """
    found = _KIND.match(kind)
    suffix, rank = (found.group(2) or "", found.group(3) or "") if found else ("", "")
    how = suffix.upper() or next((m for m in modifiers if m in DEFINITIONS), "")
    rank = rank.upper() or next((m for m in modifiers if m in RANKS), "")
    section = next((m for m in modifiers if m in SECTIONS), "")
    if "E" in modifiers and how in ("", "LP"):
        return SizeRule("E", section=section, at=at)
    if not how and INDEPENDENT in modifiers:
        return SizeRule("LP", rank, section, at)
    if how:
        return SizeRule(how, rank, section, at)
    stated = bool(rank or section)
    return SizeRule("LP" if usual == "E" and stated else usual, rank, section, at, stated=stated)
