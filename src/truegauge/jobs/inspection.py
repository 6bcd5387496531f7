"""One scan inspected by a plan, from file to files."""

import datetime
import hashlib
import json
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from truegauge.core.clouds.extent import scan_diagonal, unit_doubt
from truegauge.core.errors import FormatError
from truegauge.core.evaluation.results import Evaluation
from truegauge.core.plan.document import Plan
from truegauge.core.progress import Progress, part_of, silent
from truegauge.core.samples.sample import Sample
from truegauge.core.shelf import OF_PARTS
from truegauge.formats.disk_shelf import DiskShelf
from truegauge.formats.files import Content, write_whole
from truegauge.formats.plan_file import model_of_plan, read_plan
from truegauge.formats.results import results_csv, results_document, results_json
from truegauge.formats.sample_file import open_sample, write_sample
from truegauge.jobs.imperfections import given_of
from truegauge.jobs.surface_report import briefly, documents_of, sheets_of, states_of
from truegauge.reporting.surface_sheet import SurfaceSheet

if TYPE_CHECKING:
    from truegauge.core.evaluation.evaluator import Evaluator
    from truegauge.rendering.report_views import ViewRenderer
    from truegauge.reporting.report import Report

FORMATS = ("pdf", "html", "xlsx", "csv", "json", "sample")
SAMPLE_ENDING = ".tgsample"


@dataclass(frozen=True, slots=True, eq=False)
class Inspected:
    """A sample with its results; `contents` are the bytes of its scans."""

    sample: Sample
    contents: tuple[Content, ...]
    evaluation: Evaluation
    sheets: tuple[SurfaceSheet, ...] = ()
    blades: tuple[dict[str, Any], ...] = ()  # as results.json has them


class Inspector:
    """A plan that is ready for one scan after the other; what belongs to the part alone is kept.

    Use it from one thread. With `threads` above 1 some work is done beside the rest.
    """

    def __init__(
        self, plan: Plan, evaluator: "Evaluator", *, uncertainty: bool = True, threads: int = 2,
        earlier: Sample | None = None,
    ) -> None:  # fmt: skip
        """`earlier` is the other scan that surface checks measure from."""
        self.plan, self.evaluator, self._earlier = plan, evaluator, earlier
        self._uncertainty = uncertainty
        # Surfaces are prepared, drawing is loaded and the map made beside what leaves a core idle.
        self._beside = ThreadPoolExecutor(1, "beside") if threads > 1 else None
        self._renderer: ViewRenderer | None = None
        if self._beside is not None and plan.silhouette is None:
            self._beside.submit(lambda: self.evaluator.projector)
            self._beside.submit(_load_drawing)

    @classmethod
    def of_file(
        cls, path: Path, *, uncertainty: bool = True, threads: int = 2, earlier: Sample | None = None
    ) -> "Inspector":
        """Open a plan file with its part.

        Raises
        ------
        FormatError
            Not a plan, damaged, of a newer version, or without a part.
        """
        from truegauge.core.evaluation.evaluator import Evaluator

        file = read_plan(path)
        return cls(
            file.plan,
            Evaluator(model_of_plan(path, file), shelf=DiskShelf(only=OF_PARTS)),
            uncertainty=uncertainty,
            threads=threads,
            earlier=earlier,
        )

    def close(self) -> None:
        """Free the graphics resources."""
        self.end_beside()
        if self._renderer is not None:
            self._renderer.close()

    def end_beside(self) -> None:
        """End what works beside the rest; the next sample is inspected without."""
        if self._beside is not None:
            self._beside.shutdown()
            self._beside = None

    def inspect(self, scan: Path, unit: str = "", *, progress: Progress = silent) -> Inspected:
        """Open a scan or sample and evaluate the plan on it.

        Raises
        ------
        FormatError
            The file cannot be read, or its unit does not suit the part.
        """
        progress(0.0, "reading")
        sample, contents = open_sample(scan, unit, progress=part_of(progress, 0.0, 0.1))
        check_unit(scan, sample, self.evaluator.model.diagonal)
        return self.evaluate(sample, contents, progress=part_of(progress, 0.1, 1.0))

    def evaluate(self, sample: Sample, contents: tuple[Content, ...] = (), *, progress: Progress = silent) -> Inspected:
        """Evaluate the plan on a sample; `contents` are the files of its scans."""
        self.evaluator.forget_other_samples(sample.origin)
        shadow = self.plan.silhouette is not None
        if not shadow:
            self.evaluator.aligned(self.plan, sample, progress=part_of(progress, 0.0, 0.4))
        drawn: Future[object] | None = None
        if self._beside is not None and not shadow:
            drawn = self._beside.submit(self.evaluator.deviation_map, self.plan, sample)
        evaluation = self.evaluator.evaluate(self.plan, sample, progress=part_of(progress, 0.4, 0.66))
        if self._uncertainty:
            count = len(self.plan.characteristics)
            for k, characteristic in enumerate(self.plan.characteristics):
                progress(0.66 + 0.12 * k / count, f"uncertainty of {characteristic.name}")
                self.evaluator.uncertainty(self.plan, sample, characteristic)
            evaluation = self.evaluator.evaluate(self.plan, sample)
        if drawn is not None:
            drawn.result()
        sheets = sheets_of(
            self.plan, sample, progress=part_of(progress, 0.78, 0.8),
            part=lambda: given_of(self.evaluator, self.plan, sample, evaluation), earlier=self._earlier,
            evaluation=evaluation,
        )  # fmt: skip
        progress(0.8, "evaluated")
        blades: tuple[dict[str, Any], ...] = ()
        if self.plan.blades:
            from truegauge.jobs.blade_report import blade_documents  # it takes a moment to load

            blades = blade_documents(self.evaluator, self.plan, sample)
        return Inspected(sample, contents, evaluation, sheets, blades)

    @staticmethod
    def refused(done: Inspected) -> str:
        """Say why the results are those of nothing; empty where they are not."""
        return done.evaluation.foreign()

    @staticmethod
    def counts(done: Inspected) -> dict[str, int]:
        """Return how many characteristics, and limits of surface checks, are in each state."""
        counts = {str(s): n for s, n in done.evaluation.counts().items()}
        for state, n in states_of(done.sheets).items():
            counts[state] = counts.get(state, 0) + n
        return counts

    @staticmethod
    def document(done: Inspected) -> dict[str, Any]:
        """Return what a record of a batch keeps."""
        document = results_document(done.evaluation, done.sample)
        return {**document, "surfaces": briefly(done.sheets)} if done.sheets else document

    def write(
        self, done: Inspected, formats: tuple[str, ...], path_of: Callable[[str], Path], *, progress: Progress = silent
    ) -> list[Path]:
        """Write the outputs; `path_of` gives the path for a format (a file name ending). Returns what was written."""
        written = []
        report = self.report(done) if {"pdf", "html"} & set(formats) else None
        for k, form in enumerate(f for f in FORMATS if f in formats):
            progress(0.8 + 0.2 * k / len(formats), f"writing {form}")
            path = path_of(SAMPLE_ENDING.removeprefix(".") if form == "sample" else form)
            if form == "sample":
                write_sample(path, done.sample, done.contents)
            else:
                write_whole(path, self._bytes(form, done, report))
            written.append(path)
        return written

    def report(self, done: Inspected) -> "Report":
        """Return the report with its pictures."""
        made = datetime.datetime.now().strftime("%Y-%m-%d %H:%M")
        if self.plan.silhouette is not None:
            from truegauge.reporting.shadow_report import shadow_report

            return shadow_report(done.evaluation, done.sample, made)
        from truegauge.rendering.report_views import ViewRenderer, report_with_views

        if self._renderer is None:
            self._renderer = ViewRenderer(self.evaluator)
        return report_with_views(self.evaluator, done.evaluation, done.sample, made, renderer=self._renderer,
                                 sheets=done.sheets)  # fmt: skip

    @staticmethod
    def _bytes(form: str, done: Inspected, report: "Report | None") -> bytes:
        if form == "csv":
            return results_csv(done.evaluation, done.sample)
        if form == "json":
            return results_json(done.evaluation, done.sample, documents_of(done.sheets), done.blades)
        if form == "xlsx":
            from truegauge.formats.results_xlsx import results_xlsx

            return results_xlsx(done.evaluation, done.sample)
        assert report is not None
        if form == "html":
            from truegauge.reporting.html import write_html

            return write_html(report)
        from truegauge.reporting.pdf import write_pdf

        return write_pdf(report)


def _load_drawing() -> None:
    import truegauge.rendering.report_views
    import truegauge.reporting.pdf  # noqa: F401


def plan_key(path: Path) -> str:
    """Return what identifies the content of a plan: results by another one are not its results."""
    file = read_plan(path)
    content = json.dumps(file.plan.model_dump(mode="json"), sort_keys=True).encode()
    return hashlib.sha256(content + (file.part or b"")).hexdigest()


def check_unit(path: Path, sample: Sample, diagonal: float) -> None:
    """Refuse a scan whose unit does not suit the part, with the way out.

    Raises
    ------
    FormatError
        It would suit in another unit.
    """
    doubt = unit_doubt(scan_diagonal(sample.points), diagonal, sample.unit) if len(sample.points) else None
    if doubt is not None:
        raise FormatError(path, f"{doubt.text}; add --units {doubt.unit}")
