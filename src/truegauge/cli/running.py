"""The command that runs a plan on a machine."""

import re
import sys
from concurrent.futures import ThreadPoolExecutor
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from truegauge.cli.base import Formats, outputs, say, say_results
from truegauge.core.errors import DeviceError, TrueGaugeError
from truegauge.drawing.units import NumberFormat

if TYPE_CHECKING:
    from truegauge.api.machines import Machine
    from truegauge.api.plans import Plan
    from truegauge.core.evaluation.choice import Choice
    from truegauge.core.routes.pieces import Pieces
    from truegauge.core.samples.sample import Sample
    from truegauge.jobs.plan_run import PlanRun
    from truegauge.runs.events import RunEvent

_LOCAL = "127.0.0.1"


def run(
    plan: Annotated[Path, typer.Argument(help="The plan (.tgplan).")],
    server: Annotated[str, typer.Option(help="The I++ DME server of the machine: HOST:PORT.")],
    out: Annotated[Path, typer.Option(help="Folder for the sample, its report and results.")],
    subset: Annotated[str, typer.Option(help="Run a saved choice of the plan only.")] = "",
    only: Annotated[str, typer.Option(help="Run what these characteristics need only: numbers, with commas.")] = "",
    serial: Annotated[str, typer.Option(help="Serial number of the part; names the files.")] = "",
    operator: Annotated[str, typer.Option(help="Who measures.")] = "",
    before: Annotated[
        Path | None, typer.Option(help="The sample before (.tgsample): where the part lies is taken over from it.")
    ] = None,
    qualify: Annotated[bool, typer.Option(help="Qualify styli first that are not, or are due.")] = False,
    find: Annotated[bool, typer.Option(help="Have the part located by hand, also where its place is known.")] = False,
    pieces: Annotated[str, typer.Option(help="Pieces on the table: ROWSxCOLUMNS; else as the plan says.")] = "",
    pitch: Annotated[str, typer.Option(help="How far apart: along X,Y of the machine, mm.")] = "",
    first: Annotated[int, typer.Option(help="Begin with this piece.", min=1)] = 1,
    original: Annotated[bool, typer.Option(help="In the order that the route had before it was made shorter.")] = False,
    uncertainty: Annotated[bool, typer.Option(help="Work out uncertainties; without them the outputs say so.")] = True,
    formats: Formats = "pdf,csv,json,sample",
) -> None:
    """Run a plan on a machine, or go on with a run that stopped: the same command again.

    Exit code 0: all within, 1: something outside or not measured, 2: it stopped; what was touched is kept.
    """
    from truegauge.api import inspecting, machines, plans
    from truegauge.api.running import begin, choice_of
    from truegauge.core.commands.routes import SetRoute
    from truegauge.core.samples.serials import serials
    from truegauge.formats.machine_file import read_machine, record_file, record_folder, write_machine
    from truegauge.formats.sample_file import read_sample
    from truegauge.runs.journal import ENDING

    wanted = outputs(formats)
    own = plans.open_plan(plan)
    if pieces:
        own.run(SetRoute(own.document.route.replace(pieces=_pieces(pieces, pitch)), "pieces"))
    choice = choice_of(own.document, _numbers(only), (), subset, again=before is None)
    if original and not own.document.route.original:
        raise typer.BadParameter("the route was not made shorter: it has one order only", param_hint="--original")
    host, port = _address(server)
    layout = own.document.route.pieces
    count = 1 if layout is None else layout.count
    if count > 1 and before is not None:
        raise typer.BadParameter("of several pieces each is located by itself", param_hint="--before")
    if first > count:
        raise typer.BadParameter(f"there are {count} pieces", param_hint="--first")
    names = serials(serial, count) if serial else ("",) * count
    now = datetime.now()
    journal = out / f"run{ENDING}"
    samples = [_sample(own.document.name, names[k], operator, now, k if count > 1 else None) for k in range(count)]
    begin_with = first - 1
    if journal.exists():
        begin_with = _see_that_it_is(journal, choice, serial, names)
    else:
        there = [f for s in samples[begin_with:] if (f := out / f"{_file_name(s.name)}.tgsample").exists()]
        if there:
            more = f", or --first {begin_with + 1 + len(there)}" if count > begin_with + len(there) else ""
            raise TrueGaugeError(f"{there[0]} is there already: give another --serial, or another --out{more}")
    code = 0
    with machines.connect(host, port) as machine:
        kept = record_file(record_folder(), machine.identity)
        machine.record = read_machine(kept, machine.identity)
        machine.cmm.names = machine.record.tools
        if qualify:
            _qualify(machine, own)
            write_machine(kept, machine.record, machine.identity)
        if journal.exists():
            say("going on with the run that stopped")
        earlier = None if before is None else read_sample(before)[0]
        for k in range(begin_with, count):
            if count > 1:
                say(f"piece {k + 1} of {count}")
            told = _Told()
            running = begin(machine.cmm, machine.record, own, choice, samples[k], before=earlier, journal=journal,
                            find=find, ask=_ask, confirm=_confirm, tell=told,
                            piece=k, original=original)  # fmt: skip
            told.begin(running)
            try:
                done = running.go()
            except DeviceError as error:
                raise TrueGaugeError(f"{error} (the same command goes on from there)") from error
            finally:
                told.close()
                machine.record = running.record
                write_machine(kept, machine.record, machine.identity)
                running.journal.close()
            find = False  # the others are found beside this one
            found = inspecting.inspect(own, sample=done, uncertainty=uncertainty)
            found.write(out, wanted, name=_file_name(done.name))
            running.journal.end()
            found.close()
            code = max(code, say_results(found.evaluation))
    raise typer.Exit(code)


def _sample(plan: str, serial: str, operator: str, now: datetime, piece: int | None) -> "Sample":
    from truegauge.core.samples.document import SampleData
    from truegauge.core.samples.sample import Sample

    beside = "" if piece is None else f" piece {piece + 1}"
    name = serial or f"{plan} {now:%Y-%m-%d %H.%M}{beside}"
    return Sample.of(SampleData(name=name, serial=serial, operator=operator,
                                measured_at=now.isoformat(timespec="seconds")))  # fmt: skip


def _pieces(text: str, pitch: str) -> "Pieces":
    from pydantic import ValidationError

    from truegauge.core.routes.pieces import Pieces
    from truegauge.formats.plan_file import plain

    found = re.fullmatch(r"(\d+)x(\d+)", text)
    apart = re.fullmatch(r"(\d+(?:\.\d*)?),(\d+(?:\.\d*)?)", pitch)
    if found is None or apart is None:
        raise typer.BadParameter("give ROWSxCOLUMNS, and --pitch X,Y in mm", param_hint="--pieces")
    try:
        return Pieces(
            rows=int(found[1]), columns=int(found[2]), column_pitch=float(apart[1]), row_pitch=float(apart[2])
        )
    except ValueError as error:
        words = plain(error) if isinstance(error, ValidationError) else str(error)
        raise typer.BadParameter(words, param_hint="--pieces") from None


def _file_name(name: str) -> str:
    return re.sub(r"[^\w.() -]+", "-", name) or "run"


def _see_that_it_is(journal: Path, choice: "Choice", serial: str, names: tuple[str, ...]) -> int:
    """Return which piece a journal is of; refuse to go on with the run of another part, or of another choice."""
    from truegauge.runs.journal import Journal

    about = Journal.read(journal)[0]
    whose = about.sample.serial or about.sample.name
    if about.piece >= len(names) or (serial and names[about.piece] != about.sample.serial):
        raise TrueGaugeError(f"{journal}: the run of {whose} stopped there: finish it first, or take the file away")
    if (choice.characteristics, choice.features) != (about.characteristics, about.features):
        raise TrueGaugeError(f"{journal}: something else of {whose} was run there: finish that, or take the file away")
    return about.piece


def _numbers(text: str) -> tuple[int, ...]:
    try:
        return tuple(int(word) for word in text.replace(",", " ").split())
    except ValueError:
        raise typer.BadParameter(f"{text!r} is not a list of numbers", param_hint="--only") from None


def _address(text: str) -> tuple[str, int]:
    host, _, port = text.rpartition(":")
    if not port.isdecimal() or not 0 < int(port) < 65536:
        raise typer.BadParameter(f"{text!r} is no HOST:PORT", param_hint="--server")
    return host or _LOCAL, int(port)


def _ask(words: str) -> None:
    """Have somebody touch something; the machine tells when it is done."""
    say(f"* {words}")
    sys.stdout.flush()


def _confirm(words: str) -> None:
    """Have somebody do something, and wait for a line that says that it is done."""
    say(f"* {words}; then press Enter")
    sys.stdout.flush()
    if not sys.stdin.readline():
        raise DeviceError(f"nobody can say that this is done: {words}")


def _qualify(machine: "Machine", plan: "Plan") -> None:
    """Qualify the styli of the plan that may not measure, or are due."""
    from truegauge.core.probing.records import StylusState
    from truegauge.runs.stylus import Stylus

    probing, now = plan.document.probing, datetime.now()
    states = {u: Stylus(probing, machine.record, u, machine.cmm.temperature(), now).said.state for u in probing.uses()}
    wanted = [u for u, state in states.items() if state != StylusState.QUALIFIED]
    if wanted:
        say(f"qualifying {len(wanted)} styli")
        for made in machine.qualify(plan, wanted, ask=_ask):
            say(f"  {made.name}: {made.verdict}")


class _Told:
    """Says what happens; results as soon as all that they need is measured."""

    def __init__(self) -> None:
        self._running: PlanRun | None = None
        self._said: set[str] = set()
        self._worker = ThreadPoolExecutor(1, "results")
        self._names: dict[str, str] = {}

    def begin(self, running: "PlanRun") -> None:
        """Say what will be done."""
        self._running = running
        program = running.program
        self._names = {f.id: f.name for f in program.work.features.values()}
        for left in program.left:
            sys.stderr.write(f"not reached: {left.feature.name}: {left.why}\n")
        say(f"{len(program.pending)} steps, about {program.seconds():.0f} s")

    def __call__(self, event: "RunEvent") -> None:
        """Say it."""
        from truegauge.runs.events import PartLocated, StepEnded, TemperatureRead

        match event:
            case PartLocated():
                say(f"  the part is located, {event.moved:.3f} mm from where it was taken to lie")
            case TemperatureRead():
                say(f"  {event.temperature_c:.1f} °C")
            case StepEnded() if self._running is not None and event.state == "done":
                self._worker.submit(self._results)
        sys.stdout.flush()

    def close(self) -> None:
        """Wait for what is still to be said."""
        self._worker.shutdown(wait=True)

    def _results(self) -> None:
        running = self._running
        assert running is not None
        new = [c for c in running.complete() if c not in self._said]
        if not new:
            return
        self._said |= set(new)
        setting = running.setting
        evaluation = setting.evaluator.evaluate(setting.plan, running.sample())
        numbers = NumberFormat(setting.plan.unit, setting.plan.decimals)
        for r in evaluation.results:
            if r.characteristic.id in new and r.measured is not None:
                value = numbers.value(r.measured)
                say(f"  {r.characteristic.number:4d}  {r.characteristic.name:32s} {value}  {r.state!s}")
        sys.stdout.flush()
