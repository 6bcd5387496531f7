"""Where a section has no points, and what cannot be told of it therefore."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from collections.abc import Sequence

    from truegauge.core.arrays import Floats, Mask
    from truegauge.core.blades.parameters import Blade
    from truegauge.core.blades.profile import Profile

_GAP = 0.02  # of the way around, by length and turning, that may be without points
_LONG = 0.006  # of its length
_TIMES = 8.0  # as wide as between others
_SHARE = 0.34  # of an edge
_OF_EDGE = ("radius", "tip_radius", "ellipse_along", "ellipse_across", "x", "y")
_OF_BOTH = ("chord_mean_line", "chord_tangent", "axial_chord", "chord_angle", "max_thickness_at")


def gaps_of(nominal: Profile, s: Floats) -> list[tuple[float, float]]:
    """Return parameters between which a profile has no points (at parameters (n,)), first and last."""
    at = np.sort(np.mod(s, nominal.length))
    share = nominal.share(at)
    wide = np.append(np.diff(share), share[0] + 1.0 - share[-1])
    after = np.roll(at, -1)
    # Beside an edge that came out thicker a little of the nominal is nearest to nothing: that is no gap.
    long = np.mod(after - at, nominal.length) > _LONG * nominal.length
    large = long & (wide > max(_GAP, _TIMES * float(np.median(wide))))
    return [(float(at[k]), float(after[k])) for k in np.flatnonzero(large)]


def beside_gaps(length: float, s: Floats, gaps: Sequence[tuple[float, float]]) -> Mask:
    """Tell which parameters (n,) of a closed profile of a length are not in a gap (first and last parameter)."""
    there = np.ones(len(s), dtype=bool)
    for low, high in gaps:
        there &= np.mod(s - low, length) > np.mod(high - low, length)
    return there


def missing_of(blade: Blade, gaps: list[tuple[float, float]]) -> dict[str, str]:
    """Return what cannot be told for gaps: names of values, with blanks between, and in words why."""
    made: dict[str, str] = {}
    for edge, word in ((blade.leading, "leading"), (blade.trailing, "trailing")):
        names = tuple(f"{word}_{name}" for name in _OF_EDGE)
        without = sum(_overlap(blade.profile.length, gap, (edge.begin, edge.end)) for gap in gaps)
        long = edge.end - edge.begin
        at_tip = any(_overlap(blade.profile.length, gap, (edge.s - 1e-9, edge.s + 1e-9)) > 0 for gap in gaps)
        if (long > 0 and without > _SHARE * long) or at_tip:
            made[f"{' '.join((*names, *_OF_BOTH))} {word}_thickness"] = f"there are no points at the {word} edge"
    for low, high in gaps:
        x, y = blade.profile.at(np.array([low + np.mod(high - low, blade.profile.length) / 2]))[0]
        long = float(np.mod(high - low, blade.profile.length))
        made[f"gap {low:.6f}"] = f"there are no points along {long:.2f} mm about ({x:.2f}, {y:.2f})"
    return made


def _overlap(length: float, gap: tuple[float, float], part: tuple[float, float]) -> float:
    """Return how much of a part of a closed profile a gap takes, both told by first and last parameter."""
    begin, wide = np.mod(part[0] - gap[0], length), np.mod(gap[1] - gap[0], length)
    end = begin + (part[1] - part[0])
    return float(max(0.0, min(end, wide) - begin) + max(0.0, min(end, length + wide) - max(begin, length)))
