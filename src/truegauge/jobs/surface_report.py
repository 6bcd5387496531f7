"""The surface checks of a plan on a sample, for its report: with a part, or of a scan alone."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from truegauge.core.errors import TrueGaugeError
from truegauge.core.evaluation.located import Lie
from truegauge.core.progress import Progress, part_of, silent
from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.units import NumberFormat
from truegauge.formats.imperfections_json import check_document, imperfections_csv
from truegauge.jobs.imperfections import given_for, surface_of
from truegauge.reporting.report import Report
from truegauge.reporting.surface_sheet import SurfaceSheet

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from truegauge.core.evaluation.results import Evaluation
    from truegauge.core.imperfections.reference import Given
    from truegauge.core.imperfections.search import Found
    from truegauge.core.plan.document import Plan
    from truegauge.core.samples.sample import Sample


def sheets_of(
    plan: Plan, sample: Sample, known: Mapping[str, Found] | None = None, progress: Progress = silent,
    part: Callable[[], Given | None] = lambda: None, earlier: Sample | None = None,
    evaluation: Evaluation | None = None,
) -> tuple[SurfaceSheet, ...]:  # fmt: skip
    """Return the surface checks of a plan with what is found; what is `known` (by id) is not looked for again.

    `part` is asked where the part is the reference, `earlier` is the other scan that some measure from;
    distances are told from features of an `evaluation`. A check that cannot be done says why, the others are done.
    """
    made, checks = [], plan.surface_checks
    lie = None if evaluation is None else Lie.best_known(plan, sample, evaluation.alignments)
    for k, check in enumerate(checks):
        if not len(sample.points):
            made.append(SurfaceSheet(check, None, problem="the sample has no scan, only touches"))
            continue
        found = (known or {}).get(check.id)
        if found is None:
            try:
                own = part_of(progress, k / len(checks), (k + 1) / len(checks))
                given = given_for(check, part, earlier)
                found = surface_of(check, sample.points, sample.normals, own, given)
            except TrueGaugeError as error:
                made.append(SurfaceSheet(check, None, problem=str(error)))
                continue
        made.append(SurfaceSheet.of(check, found, plan.decision, evaluation, lie))
    return tuple(made)


def documents_of(sheets: tuple[SurfaceSheet, ...]) -> list[dict[str, Any]]:
    """Return what results.json says of surface checks."""
    return [
        {"name": s.check.name, "id": s.check.id, "reason": s.problem, "state": "not_measured"} if s.found is None
        else check_document(s.check, s.found, s.judged, s.distances)
        for s in sheets
    ]  # fmt: skip


def briefly(sheets: tuple[SurfaceSheet, ...]) -> list[dict[str, Any]]:
    """Return the limits of surface checks with what came of them, without every imperfection."""
    return [
        {key: value for key, value in document.items() if key in ("name", "id", "reason", "state", "limits")}
        for document in documents_of(sheets)
    ]


def states_of(sheets: tuple[SurfaceSheet, ...]) -> dict[str, int]:
    """Return how many limits are in each state; a check that could not be done counts as one not measured."""
    return {str(s): n for s in State if (n := sum(sheet.states.count(s) for sheet in sheets))}


def table_bytes(sheets: tuple[SurfaceSheet, ...]) -> bytes:
    """Return results.csv of surface checks: one row an imperfection."""
    return imperfections_csv([(s.check, s.found, s.judged, s.distances) for s in sheets if s.found is not None])


def report_bytes(report: Report, *, html: bool) -> bytes:
    """Return a report as PDF or HTML; what writes them is loaded when the first is made."""
    from truegauge.reporting.html import write_html
    from truegauge.reporting.pdf import write_pdf

    return write_html(report) if html else write_pdf(report)


def bare_report(plan: Plan, sample: Sample, sheets: tuple[SurfaceSheet, ...], made_at: str) -> Report:
    """Return the report of a scan without a part: its surface checks."""
    rule = plan.decision
    words = "simple acceptance" if rule.rule == "simple" else f"guard band of {rule.k:g} u"
    decided = (f"Decided by {words} (ISO 14253-1)",) if any(s.judged for s in sheets) else ()
    counts = {s: sum(sheet.states.count(s) for sheet in sheets) for s in State}
    notes = tuple(f"Scan: {note}" for note in sample.notes)
    return Report(
        plan.title_block, plan.name, plan.revision, sample.name, made_at, NumberFormat(plan.unit, plan.decimals),
        (*decided, *notes), f"Scan of {len(sample.points):,} points", counts, (), (), sheets=sheets,
    )  # fmt: skip
