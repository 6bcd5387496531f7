"""Commands for programs in DMIS."""

import sys
from pathlib import Path
from typing import Annotated

import typer

from truegauge.cli.base import say
from truegauge.core.errors import TrueGaugeError

dmis = typer.Typer(no_args_is_help=True, help="Programs in DMIS (ISO 22093), out of plans and into them.")


@dmis.command("export")
def write(
    plan: Annotated[Path, typer.Argument(help="The plan (.tgplan).")],
    out: Annotated[Path, typer.Option(help="The program (.dmi).")],
) -> None:
    """Write the program of a plan. What other programs do not read of it is listed."""
    from truegauge.api import plans
    from truegauge.formats.files import write_whole
    from truegauge.jobs.dmis import program_of

    own = plans.open_plan(plan)
    made = program_of(own.document, own.evaluator)
    write_whole(out, made.text.encode())
    for words in made.left_out:
        sys.stderr.write(f"only True Gauge reads: {words}\n")
    say(f"{out}: {len(made.text.splitlines())} lines")


@dmis.command("import")
def read(
    program: Annotated[Path, typer.Argument(help="The program.")],
    plan: Annotated[Path, typer.Option(help="The plan (.tgplan) whose part it measures.")],
    out: Annotated[Path, typer.Option(help="Save the plan with the program under this name.")],
) -> None:
    """Take a program over into a plan. Exit code 0: all of it is read, 1: something is kept as it is and listed."""
    from truegauge.api import plans
    from truegauge.core.commands.programs import TakeProgram
    from truegauge.jobs.dmis import plan_of

    own = plans.open_plan(plan)
    if own.document.part is None:
        raise TrueGaugeError(f"{plan}: the plan has no part")
    found = plan_of(program, own.document, own.evaluator)
    own.run(TakeProgram(found.plan))
    own.save(out)
    for note in found.notes:
        sys.stderr.write(f"{program.name}: {note}\n")
    made = found.plan
    say(f"{len(made.features)} features, {len(made.characteristics)} characteristics, {len(made.route.steps)} steps")
    raise typer.Exit(1 if found.notes else 0)
