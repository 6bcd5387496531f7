"""Commands for many samples: batch, inbox."""

import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from truegauge.cli.base import Formats, Units, outputs, say, within_reach

if TYPE_CHECKING:
    from truegauge.jobs.records import Record

EarlierScan = Annotated[
    Path | None, typer.Option("--before", help="The earlier scan that surface checks measure from.")
]


def batch(
    plan: Annotated[Path, typer.Argument(help="The plan (.tgplan).")],
    files: Annotated[list[Path], typer.Argument(help="Scans, samples, or folders of them.")],
    out: Annotated[Path, typer.Option(help="Folder for the outputs and the summary.")],
    jobs: Annotated[int, typer.Option(min=1, help="Worker processes; usually one a core.")] = os.cpu_count() or 1,
    units: Units = "",
    formats: Formats = "pdf,csv,json",
    name: Annotated[str, typer.Option(help="Name of the outputs, of {scan}, {plan}, {number}.")] = "{scan}",
    threads: Annotated[int, typer.Option(min=0, help="Threads of a worker; 0 shares the cores.")] = 0,
    memory: Annotated[float, typer.Option(min=300, callback=within_reach, help="Most memory of a worker, MB.")] = 3000,
    again: Annotated[bool, typer.Option(help="Inspect what an earlier run has done, too.")] = False,
    before: EarlierScan = None,
    uncertainty: Annotated[bool, typer.Option(help="Work out uncertainties; without them the outputs say so.")] = True,
) -> None:
    """Inspect many scans by a plan. An interrupted run goes on where it stopped.

    Exit code 0: all within, 1: something outside, not measured or failed, 2: an error.
    """
    from truegauge.api import inspecting
    from truegauge.jobs.workers import Event

    ended = 0

    def told(event: Event) -> None:
        nonlocal ended
        if event.record is not None:
            ended += 1
            say(f"{ended:>4}  {event.task.scan.name}: {_record_text(event.record)}")

    done = inspecting.batch(
        plan, files, out, unit=units, formats=outputs(formats), naming=name, jobs=jobs, threads=threads,
        memory_mb=memory, uncertainty=uncertainty, again=again, told=told,
        earlier=before,
    )  # fmt: skip
    failed, total = [r for r in done.values() if r.failed], len(done)
    if ended < total:
        say(f"{total - ended} of {total} were done before (--again does them once more)")
    say(f"{total - len(failed)} of {total} inspected, {len(failed)} failed; {out / 'summary.xlsx'}")
    bad = any(r.counts.get("outside") or r.counts.get("not_measured") for r in done.values())
    raise typer.Exit(1 if failed or bad else 0)


def _record_text(record: "Record") -> str:
    if record.failed:
        return f"failed: {record.reason}"
    said = ", ".join(f"{n} {k.replace('_', ' ')}" for k, n in record.counts.items())
    return f"{said} ({record.seconds:.1f} s)"


def inbox(
    plan: Annotated[Path, typer.Argument(help="The plan (.tgplan).")],
    folder: Annotated[Path, typer.Argument(help="The folder to watch.")],
    out: Annotated[Path | None, typer.Option(help="Folder for the outputs; else FOLDER/results.")] = None,
    units: Units = "",
    formats: Formats = "pdf,csv,json",
    jobs: Annotated[int, typer.Option(min=1, help="Worker processes.")] = 1,
    settle: Annotated[
        float, typer.Option(min=0, callback=within_reach, help="Seconds without change until a file is complete.")
    ] = 3.0,
    before: EarlierScan = None,
    once: Annotated[bool, typer.Option(help="Inspect what is there, then end.")] = False,
) -> None:
    """Inspect every scan that arrives in a folder; it is moved to done, or to failed with the reason beside it."""
    import signal

    from truegauge.jobs.inbox import InboxSettings, run_inbox
    from truegauge.jobs.records import Earlier
    from truegauge.jobs.workers import Event

    stopped = False

    def stop(*_: object) -> None:
        nonlocal stopped
        stopped = True

    signal.signal(signal.SIGTERM, stop)
    signal.signal(signal.SIGINT, stop)

    def told(event: Event) -> None:
        if event.record is not None:
            say(f"{event.task.scan.name}: {_record_text(event.record)}")

    say(f"watching {folder}; stop with Ctrl+C")
    sys.stdout.flush()
    earlier = None if before is None else Earlier(before, units)
    settings = InboxSettings(plan, folder, out, units, outputs(formats), jobs, settle, earlier=earlier)
    run_inbox(settings, told, stop=lambda: stopped, once=once)
