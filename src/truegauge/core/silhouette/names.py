"""What can be told of a silhouette: names, words, and what each is told of."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Of = Literal["straight", "round", "any", "side", "contour"]


@dataclass(frozen=True, slots=True)
class Asked:
    """A size: its words, its symbol, what it is told of (one word a thing)."""

    words: str
    symbol: str
    of: tuple[Of, ...]
    angular: bool = False
    one_sided: bool = False
    dense: bool = False  # told place by place along an edge: it is looked at along many rays


_TWO: tuple[Of, ...] = ("straight", "straight")
_SIDES: tuple[Of, ...] = ("side", "side")

SIZES: dict[str, Asked] = {
    "size": Asked("size across", "distance", _TWO),
    "size_mean": Asked("mean size across", "distance", _TWO, dense=True),
    "size_least": Asked("smallest size across", "distance", _TWO, dense=True),
    "size_most": Asked("largest size across", "distance", _TWO, dense=True),
    "spacing": Asked("spacing", "distance", ("any", "any")),
    "spacing_x": Asked("spacing along x", "distance", ("any", "any")),
    "spacing_y": Asked("spacing along y", "distance", ("any", "any")),
    "height": Asked("height above the rest", "distance", ("any", "straight")),
    "angle": Asked("angle", "angle", _TWO, angular=True),
    "radius": Asked("radius", "radius", ("round",)),
    "diameter": Asked("diameter", "diameter", ("round",)),
    "coaxiality": Asked("coaxiality", "concentricity", ("round", "round"), one_sided=True),
    "symmetry": Asked("symmetry", "symmetry", _TWO, one_sided=True),
    "straightness": Asked("straightness", "straightness", ("straight",), one_sided=True, dense=True),
    "roundness": Asked("roundness", "roundness", ("round",), one_sided=True, dense=True),
    "profile": Asked("profile of the outline", "profile_line", ("contour",), one_sided=True),
    "profile_fitted": Asked("profile, put onto it", "profile_line", ("contour",), one_sided=True),
    "thread_outer": Asked("outer diameter", "diameter", _SIDES),
    "thread_core": Asked("core diameter", "diameter", _SIDES),
    "thread_pitch_diameter": Asked("pitch diameter", "diameter", _SIDES),
    "thread_pitch": Asked("pitch", "distance", _SIDES),
    "thread_flank_angle": Asked("flank angle", "angle", _SIDES, angular=True),
}
