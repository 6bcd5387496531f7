"""The report of a silhouette: the picture with its sizes, and what is said of how it was taken."""

from __future__ import annotations

from math import degrees
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.errors import EvaluationError
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.shadow import lens_for
from truegauge.drawing.shadow_figure import figure_of
from truegauge.reporting.report import Report, ReportShadow, make_report

if TYPE_CHECKING:
    from truegauge.core.evaluation.results import Evaluation
    from truegauge.core.samples.sample import Sample


def shadow_report(evaluation: Evaluation, sample: Sample | None, made_at: str) -> Report:
    """Return the report of a plan for silhouettes."""
    return make_report(
        evaluation, sample, (), made_at, shadow=_shadow(evaluation, sample), said=shadow_words(evaluation, sample)
    )


def _shadow(evaluation: Evaluation, sample: Sample | None) -> ReportShadow | None:
    own, found = evaluation.plan.silhouette, evaluation.shadow
    if own is None or sample is None or not sample.pictures:
        return None
    picture = sample.pictures[-1]
    if found is None or isinstance(found, NotComputed):
        return ReportShadow(picture.pixels, None)
    lens = lens_for(own, picture).calibration.lens
    return ReportShadow(picture.pixels, figure_of(own, found, lens, evaluation.results))


def shadow_words(evaluation: Evaluation, sample: Sample | None) -> tuple[str, ...]:
    """Say how the part lay, and by what the camera was calibrated."""
    own, found = evaluation.plan.silhouette, evaluation.shadow
    if own is None or found is None:
        return ()
    if isinstance(found, NotComputed):
        return (f"Not measured: {found.reason}",)
    if sample is None or not sample.pictures:
        return ()
    x, y = found.place.origin
    turn = (degrees(found.place.turn) + 180.0) % 360.0 - 180.0
    how = "found by its datums" if own.datums is not None else "as the picture lies"
    lines = [f"Measured in its shadow: {how}, at {x:+.3f}, {y:+.3f} mm, turned {turn:+.2f}°"
             + (", upside down" if found.place.mirrored else "")]  # fmt: skip
    picture = sample.pictures[-1].file
    try:
        lens = lens_for(own, sample.pictures[-1])
    except EvaluationError:
        return tuple(lines)
    by = {"plate": "by a plate with dots", "pins": "by pins", "given": "as stated"}[lens.by]
    pixel = 1000 * float(np.sqrt(abs(np.linalg.det(lens.calibration.lens.matrix))))
    made = f" on {lens.made_at[:10]}" if lens.made_at else ""
    due = f", due {lens.due_at}" if lens.due_at else ""
    name = picture.camera or "pictures from files"
    lines.append(f"Camera: {name}; calibrated {by}{made}{due}; a pixel is {pixel:.3f} µm, scale within "
                 f"{2e6 * lens.scale_u:.0f} µm/m (k = 2)")  # fmt: skip
    return (*lines, *(f"Not told: {note}" for note in lens.notes))
