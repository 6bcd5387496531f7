"""The tolerance zone of a characteristic, and the letters of its modifiers (ISO 1101:2017, ASME Y14.5-2018)."""

from typing import Literal

from pydantic import Field

from truegauge.core.frozen_model import Frozen, Three

Standard = Literal["ISO", "ASME"]

# Modifier letters, and what they mean in words. ISO 1101, 2692, 5459, 14405-1, 10579; ASME Y14.5.
MODIFIERS = {
    "M": "maximum material requirement",
    "L": "least material requirement",
    "R": "reciprocity requirement",
    "E": "envelope requirement",
    "F": "free state",
    "T": "tangent plane",
    "ST": "statistical tolerance",
    "I": "independency",
    "OZ": "offset of the profile zone not stated",
}
MATERIAL = ("M", "L")


class Zone(Frozen):
    """What the zone is like, beyond its width (the upper limit of the characteristic).

    `shape` empty is the usual one of the kind and feature. `direction` (part coordinates) is the normal of a zone
    between two planes, or the way along which a zone varies or is cut into lines. `second` is the width of a
    rectangular zone across `direction`; `end` the width at the far end of a zone that varies along it. `offset` moves
    the middle of a profile zone out of the material (UZ), mm. `projected` is the height of a projected zone, mm.
    `together` None follows the standard: features of one characteristic share their zone frame in ASME, in ISO only
    where it is stated. `per` (and `per_second`) are the unit length (area), mm, of a form that holds over each of them.
    `cut` says how the planes that cut a surface into lines stand to the datum `cut_datum` (intersection plane). `at` is
    the height of a specific cross section (SCS) over the middle of the feature, mm.
    """

    shape: Literal["", "cylinder", "sphere", "planes", "rectangle"] = ""
    direction: Three | None = None
    second: float | None = Field(default=None, gt=0)
    end: float | None = Field(default=None, gt=0)
    offset: float = 0.0
    projected: float | None = Field(default=None, gt=0)
    together: bool | None = None
    per: float | None = Field(default=None, gt=0)
    per_second: float | None = Field(default=None, gt=0)
    cut: Literal["", "parallel", "perpendicular"] = ""
    cut_datum: str = ""
    at: float | None = None


PLAIN = Zone()
