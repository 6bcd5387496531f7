"""Every job without a window: ``truegauge --help``."""

import datetime
import io
import json
import os
import sys
from collections.abc import Iterable
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, NoReturn

import typer

from truegauge.core.arrays import Vector
from truegauge.core.errors import TrueGaugeError, shortened
from truegauge.core.typed_number import MOST, within_reach

if TYPE_CHECKING:
    from truegauge.core.association.constraints import DatumSystem
    from truegauge.core.association.fit import Criterion
    from truegauge.jobs.records import Record

app = typer.Typer(add_completion=False, no_args_is_help=True, pretty_exceptions_enable=False)

Units = Annotated[str, typer.Option(help="Unit of the lengths in the scan: mm or inch.")]
Formats = Annotated[str, typer.Option(help="What is written, with commas: pdf, html, xlsx, csv, json, sample.")]


def _say(text: str) -> None:
    sys.stdout.write(text + "\n")


def _within_reach(value: float | None) -> float | None:
    """Refuse options that are no numbers of a part: NaN is within any limits."""
    if value is None:
        return None
    try:
        return within_reach(value)
    except ValueError as error:
        raise typer.BadParameter(str(error)) from error


@app.command()
def window(files: Annotated[list[Path] | None, typer.Argument(help="Plans, parts and scans to open.")] = None) -> None:
    """Open the window."""
    from truegauge.app.start import run

    raise typer.Exit(run(files or []))


@app.command()
def inspect(
    plan: Annotated[Path, typer.Argument(help="The plan (.tgplan).")],
    scan: Annotated[Path, typer.Option(help="The scan (PLY, STL, OBJ, XYZ, CSV ...) or sample (.tgsample).")],
    out: Annotated[Path, typer.Option(help="Folder for report.pdf, results.csv and results.json.")],
    units: Units = "",
    uncertainty: Annotated[bool, typer.Option(help="Work out uncertainties; without them the outputs say so.")] = True,
    formats: Formats = "pdf,csv,json",
) -> None:
    """Inspect a scan by a plan. Exit code 0: all within, 1: something outside or not measured, 2: an error."""
    from truegauge.api import inspecting
    from truegauge.core.tolerancing.judgement import State

    wanted = _formats(formats)
    done = inspecting.inspect(plan, scan, unit=units, uncertainty=uncertainty)
    done.write(out, wanted)
    done.close()
    evaluation = done.evaluation
    for note in done.sample.notes:
        _say(f"note: {note}")
    counts = evaluation.counts()
    _say(", ".join(f"{n} {str(s).replace('_', ' ')}" for s, n in counts.items()))
    for r in evaluation.results:
        if r.state == State.NOT_MEASURED:
            sys.stderr.write(f"{r.characteristic.number} {r.characteristic.name}: not measured: {r.reason}\n")
    if evaluation.temperature:
        _say(f"lengths {evaluation.temperature}")
    for doubt in getattr(evaluation.alignment, "doubts", ()):
        sys.stderr.write(f"the alignment is not trusted: {doubt}\n")
    raise typer.Exit(1 if any(counts[s] for s in (State.OUTSIDE, State.UNDECIDED, State.NOT_MEASURED)) else 0)


def _formats(text: str) -> tuple[str, ...]:
    from truegauge.jobs.inspection import FORMATS

    wanted = tuple(word for word in text.replace(",", " ").lower().split())
    for word in wanted:
        _one_of(word, FORMATS, "output")
    if not wanted:
        raise TrueGaugeError(f"no output is wanted; use some of {', '.join(FORMATS)}")
    return wanted


@app.command("new-plan")
def new_plan(
    part: Annotated[Path, typer.Argument(help="The part (STEP, IGES, or a table of nominal features).")],
    take_drawing: Annotated[bool, typer.Option(help="Take datums and tolerances over that the file carries.")] = False,
    general: Annotated[str, typer.Option(help="General tolerances: classes of ISO 2768, as in f-H.")] = "",
    out: Annotated[Path | None, typer.Option(help="The plan to write; else PART with the ending .tgplan.")] = None,
) -> None:
    """Make a plan for a part: aligned by best fit, with the requirements of its drawing where the file carries them."""
    from truegauge.api import plans

    path = out or Path(f"{part.stem}.tgplan")
    if path.exists():
        raise TrueGaugeError(f"{path}: there is a plan already; give another --out")
    made = plans.new_plan(part)
    if general:
        try:
            made.general(general)
        except ValueError as error:
            raise typer.BadParameter(str(error), param_hint="--general") from error
    said = ""
    if take_drawing:
        taken = made.take_drawing()
        said = f": {taken.datums} datums and {taken.characteristics} requirements of its drawing"
        for text in taken.left_out:
            sys.stderr.write(f"left out: {text}\n")
    made.save(path)
    _say(f"{path}{said}")


@app.command()
def batch(
    plan: Annotated[Path, typer.Argument(help="The plan (.tgplan).")],
    files: Annotated[list[Path], typer.Argument(help="Scans, samples, or folders of them.")],
    out: Annotated[Path, typer.Option(help="Folder for the outputs and the summary.")],
    jobs: Annotated[int, typer.Option(min=1, help="Worker processes; usually one a core.")] = os.cpu_count() or 1,
    units: Units = "",
    formats: Formats = "pdf,csv,json",
    name: Annotated[str, typer.Option(help="Name of the outputs, of {scan}, {plan}, {number}.")] = "{scan}",
    threads: Annotated[int, typer.Option(min=0, help="Threads of a worker; 0 shares the cores.")] = 0,
    memory: Annotated[float, typer.Option(min=300, callback=_within_reach, help="Most memory of a worker, MB.")] = 3000,
    again: Annotated[bool, typer.Option(help="Inspect what an earlier run has done, too.")] = False,
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
            _say(f"{ended:>4}  {event.task.scan.name}: {_record_text(event.record)}")

    done = inspecting.batch(
        plan, files, out, unit=units, formats=_formats(formats), naming=name, jobs=jobs, threads=threads,
        memory_mb=memory, uncertainty=uncertainty, again=again, told=told,
    )  # fmt: skip
    failed, total = [r for r in done.values() if r.failed], len(done)
    if ended < total:
        _say(f"{total - ended} of {total} were done before (--again does them once more)")
    _say(f"{total - len(failed)} of {total} inspected, {len(failed)} failed; {out / 'summary.xlsx'}")
    bad = any(r.counts.get("outside") or r.counts.get("not_measured") for r in done.values())
    raise typer.Exit(1 if failed or bad else 0)


@app.command("cmm-sim")
def cmm_sim(
    port: Annotated[int, typer.Option(min=0, max=65535, help="Port of the I++ DME server; 0 takes a free one.")] = 9000,
    part: Annotated[Path | None, typer.Option(help="A plan: its probes, sphere and rack; its part lies there.")] = None,
    seed: Annotated[int, typer.Option(help="Which of many machines, probes and places of the part it is.")] = 1,
    fault: Annotated[
        list[str] | None, typer.Option(help="What goes wrong: NAME, NAME@NUMBER, NAME@NUMBERxSIZE.")
    ] = None,
    pace: Annotated[
        float, typer.Option(min=0, callback=_within_reach, help="Times as fast as a real machine; 0 as fast as it can.")
    ] = 1.0,
    temperature: Annotated[
        float, typer.Option(min=5, max=45, callback=_within_reach, help="Temperature of the part.")
    ] = 20.0,
    hands: Annotated[
        int, typer.Option(min=-1, max=65535, help="Port for what hands do, with the token it says; 0 a free one.")
    ] = -1,
    until_closed: Annotated[bool, typer.Option(help="End when the standard input ends.")] = False,
) -> None:
    """Stand in for a coordinate measuring machine until it is stopped (Ctrl+C)."""
    from truegauge.demo.cmm import run_stand_in
    from truegauge.devices.cmm_sim.settings import Fault, MachineSettings

    try:
        faults = tuple(Fault.read(f) for f in fault or ())
    except ValueError as error:
        raise typer.BadParameter(str(error), param_hint="--fault") from error
    settings = MachineSettings(pace=pace, temperature_c=temperature)
    run_stand_in(settings, part, seed, faults, port, hands, _say, until_closed=until_closed)


def _record_text(record: "Record") -> str:
    if record.failed:
        return f"failed: {record.reason}"
    said = ", ".join(f"{n} {k.replace('_', ' ')}" for k, n in record.counts.items())
    return f"{said} ({record.seconds:.1f} s)"


@app.command()
def inbox(
    plan: Annotated[Path, typer.Argument(help="The plan (.tgplan).")],
    folder: Annotated[Path, typer.Argument(help="The folder to watch.")],
    out: Annotated[Path | None, typer.Option(help="Folder for the outputs; else FOLDER/results.")] = None,
    units: Units = "",
    formats: Formats = "pdf,csv,json",
    jobs: Annotated[int, typer.Option(min=1, help="Worker processes.")] = 1,
    settle: Annotated[
        float, typer.Option(min=0, callback=_within_reach, help="Seconds without change until a file is complete.")
    ] = 3.0,
    once: Annotated[bool, typer.Option(help="Inspect what is there, then end.")] = False,
) -> None:
    """Inspect every scan that arrives in a folder; it is moved to done, or to failed with the reason beside it."""
    import signal

    from truegauge.jobs.inbox import InboxSettings, run_inbox
    from truegauge.jobs.workers import Event

    stopped = False

    def stop(*_: object) -> None:
        nonlocal stopped
        stopped = True

    signal.signal(signal.SIGTERM, stop)
    signal.signal(signal.SIGINT, stop)

    def told(event: Event) -> None:
        if event.record is not None:
            _say(f"{event.task.scan.name}: {_record_text(event.record)}")

    _say(f"watching {folder}; stop with Ctrl+C")
    sys.stdout.flush()
    run_inbox(InboxSettings(plan, folder, out, units, _formats(formats), jobs, settle), told, stop=lambda: stopped,
              once=once)  # fmt: skip


@app.command()
def compare(
    part: Annotated[Path, typer.Argument(help="The part (STEP).")],
    scan: Annotated[Path, typer.Argument(help="The scan (PLY, STL, OBJ, XYZ, CSV ...) or sample (.tgsample).")],
    units: Units = "",
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
) -> None:
    """Align a scan to a part and tell how far it deviates, mm."""
    from truegauge.core.evaluation.evaluator import Evaluator
    from truegauge.core.nodes.graph import needed
    from truegauge.core.plan.document import Plan
    from truegauge.formats.part import read_part
    from truegauge.formats.sample_file import open_sample
    from truegauge.jobs.inspection import check_unit

    model = read_part(part)
    sample, _ = open_sample(scan, units)
    check_unit(scan, sample, model.diagonal)
    alignment, cloud = Evaluator(model).aligned(Plan(), sample)
    a, c = needed(alignment), needed(cloud)
    document = {
        "alignment": {
            "part_from_scan": a.part_from_scan.tolist(),
            "rms": a.rms,
            "points_used": a.points_used,
            "points_total": a.points_total,
            "trusted": a.trusted,
            "doubts": list(a.doubts),
            "notes": [*sample.notes, *a.notes],
        },
        "deviation": asdict(c.statistics),
    }
    if as_json:
        _say(json.dumps(document))
        return
    s = c.statistics
    _say(f"best fit: rms {a.rms:.4f} mm, {a.points_used} of {a.points_total} points used")
    for note in sample.notes:
        _say(f"note: {note}")
    for doubt in a.doubts:
        _say(f"not trusted: {doubt}")
    _say(f"deviation of {s.count} points: mean {s.mean:+.4f}, std {s.std:.4f}, min {s.min:+.4f}, max {s.max:+.4f} mm")
    _say(f"5 % {s.p05:+.4f}, 50 % {s.p50:+.4f}, 95 % {s.p95:+.4f} mm")


@app.command()
def associate(
    shape: Annotated[
        str,
        typer.Argument(
            help="point, line, plane, circle, ellipse, slot, square_slot, sphere, cylinder, cone, torus, width, or "
            "free_form (with --part and --faces)."
        ),
    ],
    file: Annotated[Path, typer.Argument(help="Points: CSV, XYZ, or a reference case (JSON).")],
    criterion: Annotated[
        str,
        typer.Option(
            help="least_squares, minimum_zone, minimum_circumscribed, maximum_inscribed or one_sided "
            "(outside the material)."
        ),
    ] = "least_squares",
    plane: Annotated[
        str | None, typer.Option(help="Normal x,y,z of the plane of a flat shape, or of a line in a plane.")
    ] = None,
    fix_direction: Annotated[str | None, typer.Option(help="Direction x,y,z that the axis or normal keeps.")] = None,
    perpendicular_to: Annotated[
        str | None, typer.Option(help="Direction x,y,z that the axis or normal stays perpendicular to.")
    ] = None,
    fix_radius: Annotated[
        float | None, typer.Option(callback=_within_reach, help="Radius to keep, mm (of a width: half of it).")
    ] = None,
    through: Annotated[str | None, typer.Option(help="Point x,y,z that the feature passes through.")] = None,
    weights_column: Annotated[int | None, typer.Option(help="Column of the weights, counted from 1.")] = None,
    reject: Annotated[
        float | None,
        typer.Option(
            callback=_within_reach, help="Leave out points farther than so many robust scales from least squares."
        ),
    ] = None,
    material: Annotated[
        str, typer.Option(help="Material inside (a boss) or outside (a hole) of the shape.")
    ] = "inside",
    datum_free: Annotated[
        str | None,
        typer.Option(
            help="Hold the nominal feature in the frame of the points but for these freedoms: tx ... rz, or none."
        ),
    ] = None,
    part: Annotated[Path | None, typer.Option(help="The part (STEP) of a free-form association.")] = None,
    faces: Annotated[str | None, typer.Option(help="Its faces, by number, with commas.")] = None,
    reach: Annotated[
        float, typer.Option(callback=_within_reach, help="Points farther from these faces do not belong to them, mm.")
    ] = 0.6,
    residuals: Annotated[bool, typer.Option(help="Print the residual of every point used.")] = False,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
) -> None:
    """Associate an ideal feature with points; lengths in mm, angles in rad."""
    from truegauge.core.association.by_criterion import associate as compute
    from truegauge.core.association.constraints import NONE, Constraints
    from truegauge.core.association.features import Shape
    from truegauge.core.association.fit import Criterion
    from truegauge.formats.fit_text import fit_document
    from truegauge.formats.points_text import read_points

    wanted = Criterion(_one_of(criterion, Criterion, "criterion"))
    datums = _datum_system(datum_free)
    if shape == "free_form":
        document = _free_form(file, part, faces, wanted, reach, datums, residuals=residuals)
        _say(json.dumps(document) if as_json else "\n".join(f"{k.replace('_', ' ')}: {v}" for k, v in document.items()))
        return
    wanted_shape = Shape(_one_of(shape, Shape, "shape"))
    if material not in ("inside", "outside"):
        raise TrueGaugeError(f"material {material!r} is not known; use inside or outside")
    read = read_points(file, weights_column)
    held = Constraints(
        _three("--fix-direction", fix_direction, direction=True),
        _three("--perpendicular-to", perpendicular_to, direction=True),
        fix_radius,
        _three("--through", through),
        datums,
    )
    nothing = fix_direction is perpendicular_to is through is datum_free is None and fix_radius is None
    normal = _three("--plane", plane, direction=True)
    fit = compute(
        wanted_shape,
        read.points,
        wanted,
        start=read.nominal(wanted_shape),
        plane_normal=read.plane_normal if normal is None else normal,
        weights=read.weights,
        constraints=NONE if nothing else held,
        material=-1 if material == "outside" else 1,
        reject=reject,
    )
    document = fit_document(fit, residuals=residuals)
    if as_json:
        _say(json.dumps(document))
        return
    for name, value in document.items():
        if name != "covariance":
            _say(f"{name.replace('_', ' ')}: {value}")


def _datum_system(text: str | None) -> "DatumSystem | None":
    """Read the freedoms that a datum system leaves, in the frame of the points."""
    from truegauge.core.association.constraints import DatumSystem
    from truegauge.core.frames import identity

    if text is None:
        return None
    names = tuple(word for word in text.replace(",", " ").split() if word != "none")
    return DatumSystem(identity(), names)


def _free_form(
    file: Path, part: Path | None, faces: str | None, criterion: "Criterion", reach: float,
    datums: "DatumSystem | None", *, residuals: bool,
) -> "dict[str, object]":  # fmt: skip
    """Associate faces of a part with points in part coordinates."""
    from truegauge.core.association.free_form import fit_free_form
    from truegauge.core.cad.projection import Projector
    from truegauge.formats.part import read_part
    from truegauge.formats.points_text import read_points

    if part is None or faces is None:
        raise TrueGaugeError("a free-form association needs --part and --faces")
    points = read_points(file).points
    model = read_part(part)
    try:
        chosen = tuple(int(word) for word in faces.replace(",", " ").split())
    except ValueError:
        raise TrueGaugeError(f"--faces needs numbers of faces, not {faces!r}") from None
    if not chosen or min(chosen) < 0 or max(chosen) >= len(model.faces):
        raise TrueGaugeError(f"--faces: the part has the faces 0 to {len(model.faces) - 1}")
    fit = fit_free_form(Projector(model), chosen, points, criterion, reach=reach, datums=datums)
    document: dict[str, object] = {
        "shape": "free_form",
        "criterion": str(criterion),
        "parameters": {"part_from_nominal": fit.part_from_nominal.tolist()},
        "form": fit.form,
        "profile": fit.profile,
        "rms": fit.rms,
        "points": len(points),
        "points_used": len(fit.rows),
        "points_rejected": len(points) - len(fit.rows),
        "iterations": fit.iterations,
        "condition": fit.condition,
        "covariance": fit.covariance.tolist(),
    }
    if residuals:
        document["residuals"] = fit.residuals.tolist()
    return document


def _three(option: str, text: str | None, *, direction: bool = False) -> Vector | None:
    """Read x,y,z of an option."""
    import numpy as np

    if text is None:
        return None
    try:
        values = np.array([float(word) for word in text.replace(",", " ").split()])
    except ValueError:
        values = np.zeros(0)
    if values.shape != (3,) or not (np.abs(values) <= MOST).all():
        raise TrueGaugeError(f"{option} needs three numbers x,y,z to 1,000,000, not {shortened(text)!r}")
    if direction and not values.any():
        raise TrueGaugeError(f"{option}: a direction of length zero points nowhere")
    return values / np.linalg.norm(values) if direction else values


@app.command("warm-up", hidden=True)
def warm_up() -> None:
    """Compile the numeric kernels once, so that the first inspection is as fast as the next."""
    from truegauge.demo.run import warm_up as run

    run()


@app.command(hidden=True)
def demo(
    out: Annotated[Path, typer.Option(help="Folder for the results when there is no display.")] = Path("out/demo"),
) -> None:
    """Run the demo inspection: a window when there is a display, else files."""
    from truegauge.demo.run import off_screen, on_screen

    there = bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))
    raise typer.Exit(on_screen() if there and os.environ.get("QT_QPA_PLATFORM") != "offscreen" else off_screen(out))


def _one_of(text: str, kinds: Iterable[object], what: str) -> str:
    values = [str(k) for k in kinds]
    if text not in values:
        raise TrueGaugeError(f"{what} {text!r} is not known; use one of {', '.join(values)}")
    return text


def main() -> None:
    """Run; whatever goes wrong becomes one line and exit code 2."""
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):  # names of files may be no text
            stream.reconfigure(errors="backslashreplace")
    try:
        app()
    except TrueGaugeError as error:
        _end(str(error))
    except BrokenPipeError:  # nobody reads on
        os.dup2(os.open(os.devnull, os.O_WRONLY), 1)
        sys.exit(2)
    except OSError as error:
        _end(f"{error.filename or 'a file'}: {error.strerror or error}")
    except KeyboardInterrupt:
        _end("stopped")
    except MemoryError:
        _end("there is not enough memory for this")
    except Exception as error:  # noqa: BLE001 - the last door
        _end(f"something went wrong inside the program ({type(error).__name__}); {_logged()}")


def _end(text: str) -> NoReturn:
    sys.stderr.write(f"truegauge: {' '.join(text.split())}\n")
    sys.exit(2)


def _logged() -> str:
    """Write what went wrong, for those who mend it, to a file, and name it."""
    import traceback

    from platformdirs import user_log_path

    path = user_log_path("truegauge") / "errors.log"
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with path.open("a", encoding="utf-8", errors="backslashreplace") as file:
            file.write(f"{datetime.datetime.now():%Y-%m-%d %H:%M:%S} {sys.argv!r}\n{traceback.format_exc()}\n")
    except OSError:
        return "it could not be logged"
    return f"details are in {path}"


if __name__ == "__main__":
    main()
