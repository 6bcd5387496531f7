"""What commands share: what their options mean."""

import sys
from typing import TYPE_CHECKING, Annotated

import typer

from truegauge.core.errors import TrueGaugeError, one_of
from truegauge.core.typed_number import within_reach as reached

if TYPE_CHECKING:
    from collections.abc import Sequence

    from truegauge.core.evaluation.results import Evaluation
    from truegauge.reporting.surface_sheet import SurfaceSheet

Units = Annotated[str, typer.Option(help="Unit of the lengths in the scan: mm or inch.")]
Formats = Annotated[str, typer.Option(help="What is written, with commas: pdf, html, xlsx, csv, json, sample.")]


def say(text: str) -> None:
    """Print a line."""
    sys.stdout.write(text + "\n")


def within_reach(value: float | None) -> float | None:
    """Refuse options that are no numbers of a part: NaN is within any limits."""
    if value is None:
        return None
    try:
        return reached(value)
    except ValueError as error:
        raise typer.BadParameter(str(error)) from error


def say_results(evaluation: "Evaluation") -> int:
    """Say how many characteristics are in which state, and what was not measured; returns the exit code."""
    from truegauge.core.tolerancing.judgement import State

    if evaluation.partial:
        say(evaluation.partial)
    counts = evaluation.counts()
    say(", ".join(f"{n} {str(s).replace('_', ' ')}" for s, n in counts.items()))
    for r in evaluation.results:
        if r.state == State.NOT_MEASURED:
            sys.stderr.write(f"{r.characteristic.number} {r.characteristic.name}: not measured: {r.reason}\n")
    if evaluation.temperature:
        say(f"lengths {evaluation.temperature}")
    for doubt in getattr(evaluation.alignment, "doubts", ()):
        sys.stderr.write(f"the alignment is not trusted: {doubt}\n")
    return 1 if any(counts[s] for s in (State.OUTSIDE, State.UNDECIDED, State.NOT_MEASURED)) else 0


def say_surfaces(sheets: "Sequence[SurfaceSheet]") -> int:
    """Say what was found on surfaces and which limits are broken; returns the exit code."""
    from truegauge.core.evaluation.surface_judgement import WORDS
    from truegauge.core.tolerancing.judgement import State

    code = 0
    for sheet in sheets:
        if sheet.found is None:
            sys.stderr.write(f"{sheet.check.name}: not looked at: {sheet.problem}\n")
            code = 1
            continue
        count = len(sheet.found.imperfections)
        beyond = " and ".join(dict.fromkeys(f"{abs(level):g}" for level in sheet.check.levels))
        say(f"{sheet.check.name}: {count} imperfection{'s' * (count != 1)} beyond {beyond} mm")
        for one in sheet.judged:
            state = str(one.decision.state).replace("_", " ")
            of = f" (number {one.worst + 1})" if one.worst >= 0 else ""
            value = "none" if one.value != one.value else f"{one.value:.4g}"
            say(f"  {WORDS[one.limit.quantity]}: {value}{of}, limit {one.limit.limit:g}: {state}")
            code = max(code, int(one.decision.state in (State.OUTSIDE, State.UNDECIDED)))
    return code


def outputs(text: str) -> tuple[str, ...]:
    """Return the outputs that are wanted."""
    from truegauge.jobs.inspection import FORMATS

    wanted = tuple(word for word in text.replace(",", " ").lower().split())
    for word in wanted:
        one_of(word, FORMATS, "output")
    if not wanted:
        raise TrueGaugeError(f"no output is wanted; use some of {', '.join(FORMATS)}")
    return wanted
