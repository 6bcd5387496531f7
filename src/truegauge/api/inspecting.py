"""Samples inspected by a plan: values, states and reasons, reports and files; one or many."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from truegauge.api.plans import Plan, open_plan
from truegauge.core.errors import TrueGaugeError
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.progress import Progress, silent
from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.units import NumberFormat
from truegauge.formats.files import make_folder
from truegauge.jobs.batch import BatchSettings, run_batch, scans_in
from truegauge.jobs.imperfections import scan_of
from truegauge.jobs.inspection import FORMATS, Inspected, Inspector
from truegauge.jobs.records import Earlier
from truegauge.jobs.workers import MEMORY_MB
from truegauge.reporting.why import why

if TYPE_CHECKING:
    from truegauge.core.evaluation.results import Evaluation, Result
    from truegauge.core.plan.requirements import Characteristic
    from truegauge.core.registration.alignment import Alignment
    from truegauge.core.samples.sample import Sample
    from truegauge.jobs.records import Record
    from truegauge.jobs.workers import Event
    from truegauge.reporting.surface_sheet import SurfaceSheet

_GOOD = (State.WITHIN, State.NEAR)


@dataclass(frozen=True, slots=True)
class CharacteristicResult:
    """The result of one requirement. Values in mm, or rad where `is_angle`."""

    inspection: Inspection
    result: Result

    @property
    def characteristic(self) -> Characteristic:
        """The requirement."""
        return self.result.characteristic

    @property
    def value(self) -> float | None:
        """What was measured; None where it was not."""
        return self.result.measured

    @property
    def deviation(self) -> float | None:
        """Measured less nominal."""
        return self.result.deviation

    @property
    def limits(self) -> tuple[float | None, float | None]:
        """The smallest and the largest value allowed in the end: with general tolerances, bonus, reciprocity."""
        return self.result.lower_limit, self.result.upper_limit

    @property
    def state(self) -> str:
        """within, near, outside, undecided or not_measured."""
        return str(self.result.state)

    @property
    def is_good(self) -> bool:
        """Whether it is accepted by the decision rule of the plan."""
        return self.result.state in _GOOD

    @property
    def uncertainty(self) -> float | None:
        """The standard uncertainty; None where it was not asked for, or there is none."""
        return self.result.uncertainty

    @property
    def reason(self) -> str:
        """Why it was not measured; empty where it was."""
        return self.result.reason

    def why(self) -> str:
        """Say where the number comes from: limits, features and points, datum system, worst place, decision."""
        one = self.inspection
        document = one.evaluation.plan
        numbers = NumberFormat(document.unit, document.decimals).of(self.characteristic.kind)
        sections = why(one.plan.evaluator.context(document, one.sample), self.result, numbers)
        return "\n".join(
            line for s in sections for line in (s.title, *(f"  {label}: {text}" for label, text in s.rows))
        )

    def __repr__(self) -> str:
        c = self.characteristic
        value = "not measured" if self.value is None else f"{self.value:.4f}"
        return f"<{c.number} {c.name}: {value}, {self.state}>"


class Inspection:
    """A sample inspected by a plan as it was then."""

    def __init__(self, plan: Plan, inspector: Inspector, done: Inspected) -> None:
        self.plan, self._inspector, self._done = plan, inspector, done

    @property
    def sample(self) -> Sample:
        """The sample."""
        return self._done.sample

    @property
    def evaluation(self) -> Evaluation:
        """All that was computed (`truegauge.core.evaluation.results`)."""
        return self._done.evaluation

    @property
    def surfaces(self) -> tuple[SurfaceSheet, ...]:
        """What the surface checks of the plan found, with their limits."""
        return self._done.sheets

    @property
    def results(self) -> tuple[CharacteristicResult, ...]:
        """The results, in the order of the requirements."""
        return tuple(CharacteristicResult(self, r) for r in self.evaluation.results)

    def __getitem__(self, key: str | int) -> CharacteristicResult:
        """Return the result of a requirement by its number, its name or its id."""
        for r in self.evaluation.results:
            c = r.characteristic
            if str(key) in (str(c.number), c.name, c.id):
                return CharacteristicResult(self, r)
        raise KeyError(f"the plan has no characteristic {key!r}")

    def __iter__(self) -> Iterator[CharacteristicResult]:
        """Go through the results."""
        return iter(self.results)

    def __len__(self) -> int:
        """Return how many requirements there are."""
        return len(self.evaluation.results)

    @property
    def counts(self) -> dict[str, int]:
        """How many results are in each state."""
        return {str(state): n for state, n in self.evaluation.counts().items()}

    @property
    def is_good(self) -> bool:
        """Whether every requirement was measured and is accepted, limits of surfaces too; with none nothing is."""
        limits = [state for sheet in self.surfaces for state in sheet.states]
        good = all(r.is_good for r in self.results) and all(state in _GOOD for state in limits)
        return good and bool(self.evaluation.results or limits)

    @property
    def alignment(self) -> Alignment:
        """The alignment in force.

        Raises
        ------
        TrueGaugeError
            The sample could not be aligned.
        """
        found = self.evaluation.alignment
        if isinstance(found, NotComputed):
            raise TrueGaugeError(found.reason)
        return found

    @property
    def doubts(self) -> tuple[str, ...]:
        """Why the alignment is not to be trusted; empty where it is."""
        found = self.evaluation.alignment
        return () if isinstance(found, NotComputed) else tuple(found.doubts)

    def report(self, path: str | Path) -> Path:
        """Write the results: as .pdf, .html, .xlsx, .csv or .json; the sample itself as .tgsample.

        Raises
        ------
        FormatError
            It cannot be written.
        TrueGaugeError
            An ending that is none of these.
        """
        wanted = Path(path)
        form = {".tgsample": "sample"}.get(wanted.suffix.lower(), wanted.suffix.lower().removeprefix("."))
        if form not in FORMATS:
            raise TrueGaugeError(
                f"{wanted.name}: what is written ends with .pdf, .html, .xlsx, .csv, .json or .tgsample"
            )
        (written,) = self._inspector.write(self._done, (form,), lambda _: wanted)
        return written

    def write(
        self, folder: str | Path, formats: Sequence[str] = ("pdf", "csv", "json"), *, name: str = ""
    ) -> list[Path]:  # fmt: skip
        """Write several outputs into a folder: report.pdf, report.html, results.csv ...; or NAME.pdf and so on.

        Raises
        ------
        FormatError
            The folder or a file cannot be written.
        """
        out = Path(folder)
        make_folder(out)
        usual = {"pdf": "report", "html": "report"}
        path_of = lambda form: out / f"{name or usual.get(form, 'results')}.{form}"  # noqa: E731
        return self._inspector.write(self._done, tuple(formats), path_of)

    def close(self) -> None:
        """Free what its pictures were drawn with."""
        self._inspector.close()

    def __repr__(self) -> str:
        said = ", ".join(f"{n} {state.replace('_', ' ')}" for state, n in self.counts.items() if n)
        return f"<{self.sample.name}: {said}>"


def inspect(
    plan: Plan | str | Path, scan: str | Path | None = None, *, sample: Sample | None = None, unit: str = "",
    uncertainty: bool = True, progress: Progress = silent, before: str | Path | None = None,
) -> Inspection:  # fmt: skip
    """Inspect a scan (or a sample file), or a sample that was touched, by a plan.

    Parameters
    ----------
    unit : str
        Of the lengths in the scan: mm or inch ...; else what the file says, or mm.
    uncertainty : bool
        Work out uncertainties, which takes some seconds.
    before : path, optional
        The other scan that surface checks measure from.

    Raises
    ------
    FormatError
        A file cannot be read, or its unit does not suit the part.
    TrueGaugeError
        Neither a scan nor a sample is given, or both.
    """
    own = plan if isinstance(plan, Plan) else open_plan(plan)
    if (scan is None) == (sample is None):
        raise TrueGaugeError("give either a scan or a sample")
    earlier = None if before is None else scan_of(Path(before), unit)
    inspector = Inspector(own.document, own.evaluator, uncertainty=uncertainty, earlier=earlier)
    try:
        if sample is not None:
            done = inspector.evaluate(sample, progress=progress)
        else:
            assert scan is not None
            done = inspector.inspect(Path(scan), unit, progress=progress)
    finally:
        inspector.end_beside()
    return Inspection(own, inspector, done)


def batch(
    plan: str | Path, files: Iterable[str | Path], out: str | Path, *, unit: str = "",
    formats: Sequence[str] = ("pdf", "csv", "json"), naming: str = "{scan}", jobs: int = 0, threads: int = 0,
    memory_mb: float = MEMORY_MB, uncertainty: bool = True, again: bool = False,
    told: Callable[[Event], None] = lambda event: None, earlier: str | Path | None = None,
) -> dict[str, Record]:  # fmt: skip
    """Inspect many scans by a saved plan in worker processes; a run that was interrupted goes on where it stopped.

    Parameters
    ----------
    files : paths
        Scans, samples, or folders of them.
    naming : str
        Of the outputs: of {scan}, {plan}, {number}.
    jobs, threads : int
        Worker processes, and threads of each; 0: one a core, the cores shared.
    memory_mb : float
        A worker that needs more is stopped, and its scan fails with that reason.
    again : bool
        Inspect what an earlier run has done, too.
    told : callable
        Hears how far each scan is.
    earlier : path, optional
        The scan that surface checks measure from, in the unit of the others.

    Returns
    -------
    dict
        What became of each scan, by its name; the outputs and `summary.xlsx` are in the folder `out`.

    Raises
    ------
    FormatError
        There is no scan, or the folder cannot be made.
    """
    settings = BatchSettings(
        Path(plan), scans_in([Path(f) for f in files]), Path(out), unit, tuple(formats), naming,
        jobs or os.cpu_count() or 1, threads, uncertainty, again, memory_mb,
        None if earlier is None else Earlier(Path(earlier), unit),
    )  # fmt: skip
    return dict(run_batch(settings, told).records)
