"""What values of the sections of a blade do over its height, with the limits that their characteristics have."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.blades.names import taken_apart
from truegauge.core.blades.over_height import over_height
from truegauge.core.blades.result import SectionResult
from truegauge.core.nodes.blades import MeasuredBlade

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats
    from truegauge.core.blades.over_height import OverHeight
    from truegauge.core.evaluation.results import Evaluation, Result
    from truegauge.core.nodes.context import Context
    from truegauge.core.plan.blades import BladeCheck
    from truegauge.core.tolerancing.judgement import State

ALWAYS = ("chord_angle", "centroid_x", "centroid_y", "chord_mean_line", "max_thickness")
_WORDS = {"chord_angle": "twist (chord angle)", "centroid_x": "lean along the machine axis",
          "centroid_y": "lean across the machine axis"}  # fmt: skip


@dataclass(frozen=True, slots=True, eq=False)
class HeightCurve:
    """Deviations (n,) from the nominal at heights (n,), NaN where there is none; limits (n,) as deviations, NaN: none.

    mm or rad, mm2 of areas; `states` of the characteristics, None where there is none.
    """

    what: str
    words: str
    heights: Floats
    deviations: Floats
    lower: Floats
    upper: Floats
    states: tuple[State | None, ...]


def section_results(context: Context, blade: BladeCheck) -> list[SectionResult | None]:
    """Return what is measured of each section of a blade; None where nothing is, or it is not worked out yet."""
    found = (context.peek(MeasuredBlade(blade, section)) for section in blade.sections)
    return [one if isinstance(one, SectionResult) and not one.problem else None for one in found]


def whole_blade(results: list[SectionResult | None]) -> OverHeight:
    """Return twist, lean and bow of the sections that are measured."""
    return over_height([one for one in results if one is not None])


def height_curves(context: Context, evaluation: Evaluation, blade: BladeCheck) -> tuple[HeightCurve, ...]:
    """Return the curves over the height of what tells the blade as a whole, and of what its sections tell."""
    results = section_results(context, blade)
    by_value: dict[str, Result] = {r.characteristic.features[0]: r for r in evaluation.results}
    told = dict.fromkeys(v.what for s in blade.sections for v in s.values)
    whats = [*ALWAYS, *(w for w in told if w not in ALWAYS)]
    heights = np.array([s.height for s in blade.sections], dtype=np.float64)
    made = []
    for what in whats:
        own = {v.id: k for k, s in enumerate(blade.sections) for v in s.values if v.what == what}
        lower, upper, off = (np.full(len(heights), np.nan) for _ in range(3))
        states: list[State | None] = [None] * len(heights)
        for k, one in enumerate(results):
            if one is not None:
                off[k] = one.told.get(what, np.nan) - one.nominal_values.get(what, np.nan)
        for value, k in own.items():
            result = by_value.get(value)
            if result is None:
                continue
            lower[k] = np.nan if result.lower is None else result.lower
            upper[k] = np.nan if result.upper is None else result.upper
            states[k] = result.state
            if result.deviation is not None:
                off[k] = result.deviation
        if what == "chord_angle":
            off = np.mod(off + np.pi, 2 * np.pi) - np.pi
        words = _WORDS.get(what) or taken_apart(what).words
        made.append(HeightCurve(what, words, heights, off, lower, upper, tuple(states)))
    return tuple(made)
