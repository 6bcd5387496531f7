"""Modifiers in the words of a CAD file as the letters and zones of the plan."""

import re
from collections.abc import Sequence

from truegauge.core.characteristics.registry import kind_named
from truegauge.core.tolerancing.form import PARAMETERS, REFERENCE_WORDS, REFERENCES
from truegauge.core.tolerancing.size_rule import DEFINITIONS, LETTERS, RANKS, SECTIONS
from truegauge.core.tolerancing.two_point import STATISTICS
from truegauge.core.tolerancing.zone import MODIFIERS, Zone

_OF_WORD = {words: letter for letter, words in MODIFIERS.items()}
_OF_WORD |= {
    "free state": "F", "freestate": "F", "tangent plane": "T", "statistical tolerance": "ST", "envelope": "E",
    "envelope requirement": "E", "reciprocity requirement": "R", "maximum material requirement": "M",
    "least material requirement": "L",
}  # fmt: skip


def meaning_of(kind: str, letter: str) -> str:
    """Return what a modifier means on a kind of characteristic, in words; empty for one that is not known."""
    if kind_named(kind).takes_form:
        if letter in REFERENCES:
            return f"reference: {REFERENCE_WORDS[letter]}"
        if letter in PARAMETERS:
            return f"parameter: {PARAMETERS[letter]}"
    sizes = {**DEFINITIONS, **SECTIONS, **{rank: STATISTICS[rank][0] for rank in RANKS}}
    return MODIFIERS.get(letter, sizes.get(letter, ""))


# Words of a CAD file (AP242) for sizes and situation elements.
_OF_WORD |= {
    "two point size": "LP", "local size defined by sphere": "LS", "least squares association criterion": "GG",
    "maximum inscribed association": "GX", "minimum circumscribed association": "GN", "circumference diameter": "CC",
    "area diameter": "CA", "volume diameter": "CV", "maximum size": "SX", "minimum size": "SN", "average size": "SA",
    "median size": "SM", "mid range size": "SD", "range of sizes": "SR", "any cross section": "ACS",
    "specific fixed cross section": "SCS", "independency": "I", "offset zone": "OZ", "unspecified offset": "OZ",
}  # fmt: skip
_SHAPES = {"cylindrical zone": "cylinder", "spherical zone": "sphere"}
_PROJECTED = re.compile(r"^projected zone ([\d.]+)$")
_TOGETHER = ("common zone", "united feature", "common tolerance zone")
_APART = ("separate requirement", "separate requirements", "separate zones")


def not_known(letters: Sequence[str]) -> list[str]:
    """Return what of modifiers means nothing here: a drawing that carries it is told so."""
    return [x for x in letters if x not in MODIFIERS and x not in LETTERS]


def from_words(words: Sequence[str]) -> tuple[tuple[str, ...], Zone]:
    """Return modifier letters and the zone; words that mean nothing here are kept as they are."""
    letters: list[str] = []
    zone = Zone()
    for word in words:
        low = word.strip().lower()
        projected = _PROJECTED.match(low)
        if word in MODIFIERS:
            letters.append(word)
        elif low in _SHAPES:
            zone = zone.replace(shape=_SHAPES[low])
        elif projected:
            zone = zone.replace(projected=float(projected.group(1)) or None)
        elif low in _TOGETHER:
            zone = zone.replace(together=True)
        elif low in _APART:
            zone = zone.replace(together=False)
        else:
            letters.append(_OF_WORD.get(low, word))
    return tuple(dict.fromkeys(letters)), zone
