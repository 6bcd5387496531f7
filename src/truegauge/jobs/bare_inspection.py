"""Scans inspected by the surface checks of a plan without a part: one, or many one after the other."""

from __future__ import annotations

import datetime
import json
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from truegauge.core.errors import TrueGaugeError
from truegauge.core.progress import Progress, part_of, silent
from truegauge.formats.files import make_folder, write_whole
from truegauge.formats.sample_file import open_sample, write_sample
from truegauge.jobs.surface_report import (
    bare_report,
    briefly,
    documents_of,
    report_bytes,
    sheets_of,
    states_of,
    table_bytes,
)

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence
    from pathlib import Path

    from truegauge.core.plan.document import Plan
    from truegauge.core.samples.sample import Sample
    from truegauge.formats.files import Content
    from truegauge.reporting.surface_sheet import SurfaceSheet


@dataclass(frozen=True, slots=True, eq=False)
class BareInspected:
    """A scan inspected by the surface checks of a plan without a part; `contents` are the bytes of its file."""

    plan: Plan
    sample: Sample
    sheets: tuple[SurfaceSheet, ...]
    contents: tuple[Content, ...] = ()

    def write(self, out: Path, formats: Sequence[str]) -> list[Path]:
        """Write outputs into a folder: report.pdf, results.json and so on; all are made before any is written.

        Raises
        ------
        FormatError
            The folder or a file cannot be written.
        """

        def path_of(form: str) -> Path:
            make_folder(out)
            return out / f"{'report' if form in ('pdf', 'html') else 'results'}.{form}"

        return self.write_to(tuple(formats), path_of)

    def write_to(
        self, formats: tuple[str, ...], path_of: Callable[[str], Path], progress: Progress = silent
    ) -> list[Path]:
        """Write outputs where they are to go, by their endings; all are made before any is written.

        Raises
        ------
        TrueGaugeError
            There is no such output of a scan without a part, or a file cannot be written.
        """
        made: dict[str, bytes] = {}
        for k, form in enumerate(f for f in formats if f != "sample"):
            progress(0.8 + 0.2 * k / len(formats), f"writing {form}")
            made[form] = self.bytes_of(form)
        written = []
        for form in formats:
            path = path_of("tgsample" if form == "sample" else form)
            if form == "sample":
                write_sample(path, self.sample, self.contents)
            else:
                write_whole(path, made[form])
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


class BareInspector:
    """A plan without a part, ready for one scan after the other; `earlier` is the scan that some measure from."""

    def __init__(self, plan: Plan, earlier: Sample | None = None) -> None:
        if not plan.surface_checks:
            raise TrueGaugeError("the plan has neither a part nor a surface check: there is nothing to inspect")
        self.plan, self._earlier = plan, earlier

    def inspect(self, scan: Path, unit: str = "", *, progress: Progress = silent) -> BareInspected:
        """Inspect a scan.

        Raises
        ------
        TrueGaugeError
            The file is no scan.
        """
        sample, contents = open_sample(scan, unit, progress=part_of(progress, 0.0, 0.2))
        if not len(sample.points):
            raise TrueGaugeError(f"{scan.name} has no scan, only touches; imperfections are found in a scan")
        sheets = sheets_of(self.plan, sample, progress=part_of(progress, 0.2, 0.8), earlier=self._earlier)
        return BareInspected(self.plan, sample, sheets, contents)

    @staticmethod
    def refused(done: BareInspected) -> str:
        """Say why there are no results; empty where there are."""
        return ""

    @staticmethod
    def counts(done: BareInspected) -> dict[str, int]:
        """Return how many limits are in each state."""
        return states_of(done.sheets)

    @staticmethod
    def document(done: BareInspected) -> dict[str, Any]:
        """Return what a record of a batch keeps."""
        return {
            "plan": done.plan.name, "plan_revision": done.plan.revision, "sample": done.sample.name, "unit": "mm",
            "characteristics": [], "surfaces": briefly(done.sheets),
        }  # fmt: skip

    @staticmethod
    def write(
        done: BareInspected, formats: tuple[str, ...], path_of: Callable[[str], Path], *, progress: Progress = silent
    ) -> list[Path]:
        """See `BareInspected.write_to`."""
        return done.write_to(formats, path_of, progress)
