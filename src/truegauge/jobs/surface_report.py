"""The surface checks of a plan on a sample, for its report: with a part, or of a scan alone."""

from __future__ import annotations

import datetime
import json
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from truegauge.core.errors import TrueGaugeError
from truegauge.core.progress import Progress, part_of, silent
from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.units import NumberFormat
from truegauge.formats.files import make_folder, write_whole
from truegauge.formats.imperfections_json import check_document, imperfections_csv
from truegauge.jobs.imperfections import given_for, scan_of, surface_of
from truegauge.reporting.report import Report
from truegauge.reporting.surface_sheet import SurfaceSheet

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping, Sequence
    from pathlib import Path

    from truegauge.core.imperfections.reference import Given
    from truegauge.core.imperfections.search import Found
    from truegauge.core.plan.document import Plan
    from truegauge.core.samples.sample import Sample


def sheets_of(
    plan: Plan, sample: Sample, known: Mapping[str, Found] | None = None, progress: Progress = silent,
    part: Callable[[], Given | None] = lambda: None, earlier: Sample | None = None,
) -> tuple[SurfaceSheet, ...]:  # fmt: skip
    """Return the surface checks of a plan with what is found; what is `known` (by id) is not looked for again.

    `part` is asked where the part is the reference, `earlier` is the other scan that some measure from. A check that
    cannot be done says why, and the others are done.
    """
    made, checks = [], plan.surface_checks
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
        made.append(SurfaceSheet.of(check, found, plan.decision))
    return tuple(made)


def documents_of(sheets: tuple[SurfaceSheet, ...]) -> list[dict[str, Any]]:
    """Return what results.json says of surface checks."""
    return [
        {"name": s.check.name, "id": s.check.id, "reason": s.problem, "state": "not_measured"} if s.found is None
        else check_document(s.check, s.found, s.judged)
        for s in sheets
    ]  # fmt: skip


@dataclass(frozen=True, slots=True, eq=False)
class BareInspected:
    """A scan inspected by the surface checks of a plan without a part."""

    plan: Plan
    sample: Sample
    sheets: tuple[SurfaceSheet, ...]

    def write(self, out: Path, formats: Sequence[str]) -> list[Path]:
        """Write outputs into a folder: report.pdf, results.json and so on; all are made before any is written.

        Raises
        ------
        FormatError
            The folder or a file cannot be written.
        """
        made = {form: self.bytes_of(form) for form in formats}
        make_folder(out)
        written = []
        for form, content in made.items():
            path = out / f"{'report' if form in ('pdf', 'html') else 'results'}.{form}"
            write_whole(path, content)
            written.append(path)
        return written

    def bytes_of(self, form: str) -> bytes:
        """Return pdf, html, csv or json.

        Raises
        ------
        TrueGaugeError
            There is no such output of a scan without a part.
        """
        match form:
            case "json":
                document = {
                    "plan": self.plan.name, "revision": self.plan.revision, "sample": self.sample.name, "unit": "mm",
                    "surfaces": documents_of(self.sheets),
                }  # fmt: skip
                return (json.dumps(document, indent=1) + "\n").encode()
            case "csv":
                return table_bytes(self.sheets)
            case "html" | "pdf":
                made = datetime.datetime.now().strftime("%Y-%m-%d %H:%M")
                report = bare_report(self.plan, self.sample, self.sheets, made)
                return report_bytes(report, html=form == "html")
            case _:
                raise TrueGaugeError(f"a plan without a part writes pdf, html, csv and json, not {form}")


def inspect_bare(
    plan: Plan, scan: Path, unit: str = "", progress: Progress = silent, earlier: Path | None = None
) -> BareInspected:
    """Inspect a scan by the surface checks of a plan without a part; `earlier` is the scan that some measure from.

    Raises
    ------
    TrueGaugeError
        The file is no scan, the plan looks for nothing, or a check cannot be done.
    """
    if not plan.surface_checks:
        raise TrueGaugeError("the plan has neither a part nor a surface check: there is nothing to inspect")
    sample = scan_of(scan, unit, part_of(progress, 0.0, 0.2))
    other = None if earlier is None else scan_of(earlier, unit)
    return BareInspected(plan, sample, sheets_of(plan, sample, progress=part_of(progress, 0.2, 1.0), earlier=other))


def table_bytes(sheets: tuple[SurfaceSheet, ...]) -> bytes:
    """Return results.csv of surface checks: one row an imperfection."""
    return imperfections_csv([(s.check, s.found, s.judged) for s in sheets if s.found is not None])


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
