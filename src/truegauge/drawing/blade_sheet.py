"""What stands on the sheet of a section of a blade: its drawings, and in words what came of it."""

from __future__ import annotations

from math import isfinite
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.evaluation.blade_heights import section_results, whole_blade
from truegauge.core.nodes.blades import MeasuredBlade, NominalBlade, bands_of
from truegauge.core.nodes.graph import NotComputed
from truegauge.drawing.blade_drawing import draw_blade, draw_edge
from truegauge.drawing.blade_figure import BladeSheet
from truegauge.drawing.section_drawing import axis_name
from truegauge.drawing.units import DEGREES, NumberFormat

if TYPE_CHECKING:
    from truegauge.core.blades.result import SectionResult
    from truegauge.core.deviations.map_scale import DeviationScale
    from truegauge.core.nodes.context import Context
    from truegauge.core.plan.blades import BladeCheck, BladeSection


def blade_sheet(
    context: Context, blade: BladeCheck, section: BladeSection, scale: DeviationScale
) -> BladeSheet | NotComputed:
    """Return the sheet of a section; of its nominal alone where nothing is measured; or why there is none."""
    known = context.get(NominalBlade(blade, section))
    if isinstance(known, NotComputed):
        return known
    nominal, numbers = known, NumberFormat(context.plan.unit, context.plan.decimals)
    found = context.get(MeasuredBlade(blade, section))
    measured = None if isinstance(found, NotComputed) or found.problem else found
    problem = found.reason if isinstance(found, NotComputed) else found.problem
    bands, when, machine = bands_of(blade), blade.judged, np.array(blade.machine)
    on_cone = "" if blade.machine_below is None else ", on a cone, unrolled"
    return BladeSheet(
        draw_blade(nominal, measured, scale, bands, when, blade.magnification),
        draw_edge(nominal, measured, scale, bands, when, trailing=False),
        draw_edge(nominal, measured, scale, bands, when, trailing=True),
        f"{blade.name}, section at {numbers.value(section.height)} {numbers.unit}{on_cone}",
        rows_of(measured, blade, numbers), () if measured is None else measured.notes,
        f"not measured: {problem}" if problem else "", axis_name(machine / np.linalg.norm(machine)) or "axis",
    )  # fmt: skip


def whole_words(context: Context, blade: BladeCheck, numbers: NumberFormat) -> str:
    """Say what the sections tell of the whole blade: lean and bow, of what is worked out."""
    whole = whole_blade(section_results(context, blade))
    if not np.isfinite(whole.lean).all():
        return "lean and bow are told from three sections on"
    long = float(np.ptp(whole.heights))
    lean = ", ".join(numbers.signed(float(v) * long) for v in whole.lean)
    bow = numbers.value(float(np.nanmax(np.linalg.norm(whole.bow, axis=1))))
    return f"leans {lean} over {numbers.rough(long)} {numbers.unit}; bow {bow}"


def rows_of(found: SectionResult | None, blade: BladeCheck, numbers: NumberFormat) -> tuple[tuple[str, str], ...]:
    """Return what the curve is off by and where the fit puts it, in words."""
    if found is None or found.fit is None:
        return ()
    after = blade.judged == "after"
    own, other = (found.after, found.before) if after else (found.before, found.after)
    one, two, fit, degrees = own["all"], other["all"], found.fit, NumberFormat(DEGREES, 3)
    told = numbers.signed
    words = ("after the fit", "as measured") if after else ("as measured", "after the fit")
    both = (("lowest", one.lowest, two.lowest), ("highest", one.highest, two.highest), ("mean", one.mean, two.mean))
    return (
        (f"{words[0]} ({words[1]})", ""), *((name, f"{told(a)} ({told(b)})") for name, a, b in both),
        ("rms", f"{numbers.value(one.rms)} ({numbers.value(two.rms)})"),
        ("shifted by", f"{told(float(fit.shift[0]))}, {told(float(fit.shift[1]))}"),
        ("turned by", degrees.signed(fit.turn)),
        ("noise of a point", numbers.value(found.noise) if isfinite(found.noise) else "–"),
    )  # fmt: skip
