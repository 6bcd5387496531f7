"""Commands for one sample: inspect, new-plan, compare."""

import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from truegauge.cli.base import Formats, Units, outputs, say, say_results, say_surfaces
from truegauge.cli.silhouettes import inspect_pictures
from truegauge.core.errors import TrueGaugeError
from truegauge.formats.plan_file import read_plan

if TYPE_CHECKING:
    from truegauge.core.plan.document import Plan


def inspect(
    plan: Annotated[Path, typer.Argument(help="The plan (.tgplan).")],
    out: Annotated[Path, typer.Option(help="Folder for report.pdf, results.csv and results.json.")],
    more: Annotated[list[Path] | None, typer.Argument(help="More pictures, after --picture.")] = None,
    scan: Annotated[
        Path | None, typer.Option(help="The scan (PLY, STL, OBJ, XYZ, CSV ...) or sample (.tgsample).")
    ] = None,
    picture: Annotated[
        list[Path] | None, typer.Option(help="A picture of a shadow (PNG, TIFF), or a folder of them.")
    ] = None,
    calibration: Annotated[
        Path | None, typer.Option(help="How the camera was calibrated, where not as the plan says.")
    ] = None,
    units: Units = "",
    uncertainty: Annotated[bool, typer.Option(help="Work out uncertainties; without them the outputs say so.")] = True,
    formats: Formats = "pdf,csv,json",
    before: Annotated[Path | None, typer.Option(help="The other scan that surface checks measure from.")] = None,
) -> None:
    """Inspect a scan, or pictures of shadows, by a plan.

    Exit code 0: all within, 1: something outside or not measured, 2: an error.
    """
    from truegauge.api import inspecting

    wanted = outputs(formats)
    pictures = [*(picture or ()), *(more or ())]
    if picture and scan is None:
        raise typer.Exit(inspect_pictures(plan, pictures, out, wanted, calibration))
    if scan is None or pictures or calibration is not None:
        raise TrueGaugeError("give --scan FILE, or --picture FILE... (with --calibration where it is needed)")
    file = read_plan(plan)
    if file.plan.part is None and file.plan.surface_checks:
        raise typer.Exit(_inspect_bare(file.plan, scan, out, units, wanted, before))
    done = inspecting.inspect(plan, scan, unit=units, uncertainty=uncertainty, before=before)
    done.write(out, wanted)
    done.close()
    for note in done.sample.notes:
        say(f"note: {note}")
    raise typer.Exit(max(say_results(done.evaluation), say_surfaces(done.surfaces)))


def _inspect_bare(plan: "Plan", scan: Path, out: Path, unit: str, wanted: tuple[str, ...], before: Path | None) -> int:
    """Inspect a scan by surface checks alone; returns the exit code."""
    from truegauge.jobs.bare_inspection import BareInspector
    from truegauge.jobs.imperfections import scan_of

    done = BareInspector(plan, None if before is None else scan_of(before, unit)).inspect(scan, unit)
    done.write(out, wanted)
    for note in done.sample.notes:
        say(f"note: {note}")
    return say_surfaces(done.sheets)


def new_plan(
    part: Annotated[
        Path, typer.Argument(help="The part (STEP, IGES, or a table of nominal features or of sections of a blade).")
    ],
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
    say(f"{path}{said}")
