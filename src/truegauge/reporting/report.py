"""What a report says, ready for any writer."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from truegauge.core.characteristics.size import usual_size
from truegauge.core.deviations.map_scale import DeviationScale
from truegauge.core.evaluation.blade_heights import HeightCurve
from truegauge.core.evaluation.results import Evaluation, Result
from truegauge.core.features.extraction import Measured
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.plan.alignments import KIND_NAMES
from truegauge.core.plan.title import TitleBlock
from truegauge.core.samples.sample import Sample
from truegauge.core.samples.words import touch_notes
from truegauge.core.tolerancing.judgement import State
from truegauge.core.tolerancing.size_rule import size_rule
from truegauge.drawing.blade_figure import BladeSheet
from truegauge.drawing.section_drawing import SectionDrawing
from truegauge.drawing.shadow_figure import Figure
from truegauge.drawing.tag_layout import Layout
from truegauge.drawing.tag_text import TagText
from truegauge.drawing.units import NumberFormat
from truegauge.reporting.surface_sheet import SurfaceSheet


@dataclass(frozen=True, slots=True, eq=False)
class ReportTag:
    """A tag over a picture: its foot, and its middle where it is pinned, as shares of the picture, y down."""

    result: Result
    text: TagText
    anchor: tuple[float, float]
    pinned: tuple[float, float] | None = None
    is_seen: bool = True


@dataclass(frozen=True, slots=True, eq=False)
class ReportView:
    """A picture (height, width, 3) with its scale, tags, and the magnification of its needles (0: none)."""

    name: str
    picture: NDArray[np.uint8]
    scale: DeviationScale | None
    tags: tuple[ReportTag, ...] = ()
    layout: Layout = "sides"
    needles: float = 0.0
    outline: NDArray[np.float64] | None = None  # of the part: places (n, 2) in shares of the picture, y down


@dataclass(frozen=True, slots=True, eq=False)
class ReportSection:
    """The drawing of a section, with the scale of its colours."""

    drawing: SectionDrawing
    scale: DeviationScale


@dataclass(frozen=True, slots=True, eq=False)
class ReportBladeSection:
    """The sheet of a section of a blade, with the scale of its colours, and the results of its values."""

    sheet: BladeSheet
    scale: DeviationScale
    results: tuple[Result, ...]


@dataclass(frozen=True, slots=True, eq=False)
class ReportBlade:
    """A blade: what it does over its height, in words and curves, and a page a section."""

    name: str
    words: str
    curves: tuple[HeightCurve, ...]
    sections: tuple[ReportBladeSection, ...]


@dataclass(frozen=True, slots=True, eq=False)
class ReportShadow:
    """The picture of a shadow, grey values (rows, columns), with what was measured in it; None: nothing was."""

    picture: NDArray[np.uint8]
    figure: Figure | None


@dataclass(frozen=True, slots=True, eq=False)
class Report:
    """Title block, counts, results, pictures and sections. Blades and surface checks come at the end."""

    title: TitleBlock
    plan_name: str
    plan_revision: int
    sample_name: str
    made_at: str
    numbers: NumberFormat
    alignment: tuple[str, ...]
    statistics: str
    counts: dict[State, int]
    results: tuple[Result, ...]
    views: tuple[ReportView, ...]
    sections: tuple[ReportSection, ...] = ()
    sheets: tuple[SurfaceSheet, ...] = ()
    blades: tuple[ReportBlade, ...] = ()
    shadow: ReportShadow | None = None


def make_report(
    evaluation: Evaluation, sample: Sample | None, views: tuple[ReportView, ...], made_at: str,
    sections: tuple[ReportSection, ...] = (), sheets: tuple[SurfaceSheet, ...] = (),
    blades: tuple[ReportBlade, ...] = (), shadow: ReportShadow | None = None, said: tuple[str, ...] = (),
) -> Report:  # fmt: skip
    """Collect what the report says; of a silhouette is `said` how it was measured."""
    plan = evaluation.plan
    numbers = NumberFormat(plan.unit, plan.decimals)
    return Report(
        plan.title_block, plan.name, plan.revision, sample.name if sample else "", made_at, numbers,
        (*_partial(evaluation), *(said or _alignment(evaluation, numbers)), *_sizes(evaluation), *_surfaces(evaluation),
         *_decision(evaluation),
         *_machine(sample), *touch_notes(sample), *(f"Scan: {note}" for note in (sample.notes if sample else ()))),
        _statistics(evaluation, numbers), evaluation.counts(), evaluation.results,
        views, sections, sheets, blades, shadow,
    )  # fmt: skip


def _machine(sample: Sample | None) -> tuple[str, ...]:
    """Say when the machine that touched the sample was checked last, and what came of it."""
    text = "" if sample is None else sample.about.machine_check
    return (text[:1].upper() + text[1:],) if text else ()


def _partial(evaluation: Evaluation) -> tuple[str, ...]:
    """Say of a partial run that it is one: what is not in the report was not asked for."""
    text = evaluation.partial
    return (text[:1].upper() + text[1:],) if text else ()


def _alignment(evaluation: Evaluation, numbers: NumberFormat) -> tuple[str, ...]:
    a = evaluation.alignment
    if isinstance(a, NotComputed):
        return (f"Not aligned: {a.reason}",)
    own = evaluation.plan.alignment()
    kind = KIND_NAMES[own.kind]
    name = own.name if own.name.lower() == kind else f"{own.name} ({kind})"
    text = f"Aligned by {name}: rms {numbers.value(a.rms)}, largest {numbers.value(a.largest)} {numbers.unit}"
    if own.kind == "best_fit":
        text += f", {a.points_used:,} of {a.points_total:,} points used"
    if own.base:
        text += f"; starts from {evaluation.plan.alignment(own.base).name}"
    free = a.freedoms.say_free()
    lines = [text]
    if free:
        lines.append(f"Not held: {free}")
    if evaluation.temperature:
        lines.append(f"Lengths {evaluation.temperature}")
    return (*lines, *(f"Not trusted: {d}" for d in a.doubts))


def _sizes(evaluation: Evaluation) -> tuple[str, ...]:
    """Say what sizes without modifiers mean, where there are any."""
    if not any(r.definition for r in evaluation.results):
        return ()
    plan = evaluation.plan
    source = "ISO 14405" if plan.standard == "ISO" else "ASME Y14.5"
    rule = size_rule("diameter", (), usual_size(plan))
    return (f"Sizes without modifiers ({source}): {rule.words}{'' if rule.how == 'E' else f' ({rule.how})'}",)


def _decision(evaluation: Evaluation) -> tuple[str, ...]:
    """Say the decision rule, and where uncertainties are missing."""
    rule = evaluation.plan.decision
    words = "simple acceptance" if rule.rule == "simple" else f"guard band of {rule.k:g} u"
    return (f"Decided by {words} (ISO 14253-1); uncertainties {evaluation.uncertainties()}",)


def _surfaces(evaluation: Evaluation) -> tuple[str, ...]:
    """Say how the surfaces of scanned features were estimated: from which noise, down to which wavelength."""
    found = [m.surface for m in evaluation.features.values() if isinstance(m, Measured) and m.surface is not None]
    if not found:
        return ()
    noise, strays = max(s.noise for s in found), sum(s.strays for s in found)
    left = f"; {strays:,} strays left out" if strays else ""
    every = list(dict.fromkeys(s.wavelength for s in found))
    more = f" and {len(every) - 2} more" if len(every) > 2 else ""
    return (
        f"Surfaces: waves above a noise of up to {1000 * noise:.1f} µm, down to {'; '.join(every[:2])}{more}{left}",
    )


def _statistics(evaluation: Evaluation, numbers: NumberFormat) -> str:
    if isinstance(evaluation.cloud, NotComputed):
        return ""
    s = evaluation.cloud.statistics
    return (
        f"Deviation of {s.count:,} points: mean {numbers.signed(s.mean)}, standard deviation {numbers.value(s.std)}, "
        f"5 % {numbers.signed(s.p05)}, 95 % {numbers.signed(s.p95)} {numbers.unit}"
        + (f"; {s.strays:,} strays left out" if s.strays else "")
    )
