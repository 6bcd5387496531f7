"""Modifiers in the words of a CAD file as the letters and zones of the plan."""

import re
from collections.abc import Sequence

from truegauge.core.tolerancing.zone import MODIFIERS, Zone

_OF_WORD = {words: letter for letter, words in MODIFIERS.items()}
_OF_WORD |= {
    "free state": "F", "freestate": "F", "tangent plane": "T", "statistical tolerance": "ST", "envelope": "E",
    "envelope requirement": "E", "reciprocity requirement": "R", "maximum material requirement": "M",
    "least material requirement": "L",
}  # fmt: skip
_SHAPES = {"cylindrical zone": "cylinder", "spherical zone": "sphere"}
_PROJECTED = re.compile(r"^projected zone ([\d.]+)$")
_TOGETHER = ("common zone", "united feature", "common tolerance zone")
_APART = ("separate requirement", "separate requirements", "separate zones")


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
