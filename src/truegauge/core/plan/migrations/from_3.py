"""Version 3 to 4: orientation tolerances named their datum twice, as a second feature too; modifiers were words."""

import re
from typing import Any

_LETTERS = ("E", "F", "I", "L", "M", "OZ", "R", "ST", "T")
_OF_WORD = {
    "any cross section": "ACS", "area diameter": "CA", "average size": "SA", "circumference diameter": "CC",
    "envelope": "E", "envelope requirement": "E", "free state": "F", "freestate": "F", "independency": "I",
    "least material requirement": "L", "least squares association criterion": "GG",
    "local size defined by sphere": "LS", "maximum inscribed association": "GX", "maximum material requirement": "M",
    "maximum size": "SX", "median size": "SM", "mid range size": "SD", "minimum circumscribed association": "GN",
    "minimum size": "SN", "offset of the profile zone not stated": "OZ", "offset zone": "OZ", "range of sizes": "SR",
    "reciprocity requirement": "R", "specific fixed cross section": "SCS", "statistical tolerance": "ST",
    "tangent plane": "T", "two point size": "LP", "unspecified offset": "OZ", "volume diameter": "CV",
}  # fmt: skip
_SHAPES = {"cylindrical zone": "cylinder", "spherical zone": "sphere"}
_PROJECTED = re.compile(r"^projected zone ([\d.]+)$")
_TOGETHER = ("common zone", "united feature", "common tolerance zone")
_APART = ("separate requirement", "separate requirements", "separate zones")


def step(document: dict[str, Any]) -> dict[str, Any]:
    """Return the document as version 4 has it."""
    characteristics = document.get("characteristics")
    if not isinstance(characteristics, list):
        return {**document, "schema_version": 4}
    datums = {d.get("letter"): d.get("feature") for d in document.get("datums") or () if isinstance(d, dict)}
    changed = [_changed(c, datums) if isinstance(c, dict) else c for c in characteristics]
    return {**document, "characteristics": changed, "schema_version": 4}


def _changed(c: dict[str, Any], datums: dict[Any, Any]) -> dict[str, Any]:
    features, references, modifiers = c.get("features"), c.get("datums"), c.get("modifiers")
    if isinstance(features, list) and references:
        first = references[0].get("letter") if isinstance(references[0], dict) else None
        if len(features) == 2 and features[1] == datums.get(first):
            c = {**c, "features": features[:1]}
    if isinstance(modifiers, list) and modifiers:
        letters, zone = _meant([str(m) for m in modifiers])
        c = {**c, "modifiers": letters, "zone": zone}
    return c


def _meant(words: list[str]) -> tuple[list[str], dict[str, Any]]:
    """Return letters and zone; words that mean nothing are kept as they are."""
    letters: list[str] = []
    zone: dict[str, Any] = {}
    for word in words:
        low = word.strip().lower()
        projected = _PROJECTED.match(low)
        if word in _LETTERS:
            letters.append(word)
        elif low in _SHAPES:
            zone["shape"] = _SHAPES[low]
        elif projected:
            zone["projected"] = float(projected.group(1)) or None
        elif low in _TOGETHER:
            zone["together"] = True
        elif low in _APART:
            zone["together"] = False
        else:
            letters.append(_OF_WORD.get(low, word))
    return list(dict.fromkeys(letters)), zone
