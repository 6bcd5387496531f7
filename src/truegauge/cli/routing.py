"""The command for routes."""

import json
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from truegauge.cli.base import say
from truegauge.core.errors import TrueGaugeError

if TYPE_CHECKING:
    from truegauge.jobs.routing import Routed


def route(
    plan: Annotated[Path, typer.Argument(help="The plan (.tgplan).")],
    make: Annotated[bool, typer.Option("--make", help="Make the route first: steps for all features.")] = False,
    shorten: Annotated[
        bool, typer.Option("--shorten", help="Put its steps in a shorter order by the machine's time.")
    ] = False,
    poses: Annotated[bool, typer.Option("--poses", help="With --shorten: add the poses that it is missing.")] = False,
    original: Annotated[
        bool, typer.Option("--original", help="Put back the order before it was made shorter.")
    ] = False,
    check: Annotated[bool, typer.Option("--check", help="Tell collisions and near misses.")] = False,
    listed: Annotated[bool, typer.Option("--list", help="List the steps.")] = False,
    out: Annotated[Path | None, typer.Option(help="Save the plan with its route under this name.")] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Everything as JSON, places in part coordinates.")] = False,
) -> None:
    """Make or check the route of a plan. Exit code 0: good, 1: it collides or does not reach all, 2: an error."""
    from truegauge.api import plans
    from truegauge.jobs import routing

    own = plans.open_plan(plan)
    if not own.document.probing.assemblies:
        raise TrueGaugeError(f"{plan}: the plan has no probe; add one in Devices")
    if not own.document.route.steps and not make:
        raise TrueGaugeError(f"{plan}: the plan has no route; make one with --make")
    if poses and not shorten:
        raise typer.BadParameter("poses are added by --shorten", param_hint="--poses")
    if make:
        own.route(make=True, check=False)
    if original:
        own.original_order()
    if shorten:
        found = own.shorten(poses=poses)
        if not as_json:
            for use in found.added:
                say(f"added: {own.document.probing.name_of(use)}")
            before = found.before
            say(f"before: {before.changes} changes, {before.travel:.0f} mm of travel, {before.seconds:.0f} s")
    done = own.route(check=check or as_json)
    if out is not None:
        own.save(out)
    if as_json:
        say(json.dumps(routing.as_json(done), indent=1))
    else:
        _say(done, listed=listed, check=check)
    raise typer.Exit(0 if done.is_good else 1)


def _say(done: "Routed", *, listed: bool, check: bool) -> None:
    from truegauge.jobs import routing

    planned = done.planned
    if listed:
        say(routing.as_list(done))
    counts = f"{len(done.route.steps)} steps, {planned.touches} touches, {planned.changes} changes"
    say(f"{counts}, {planned.travel:.0f} mm of travel, {planned.seconds:.0f} s")
    for u in planned.unreached:
        sys.stderr.write(f"not reached: {u.feature.name}: {u.reason}\n")
        for c in u.candidates[:1]:
            sys.stderr.write(f"  {c.text} gets at {100 * c.share:.0f} % of it\n")
    if check and done.checked is not None:
        for m in done.checked.meetings:
            sys.stderr.write(f"collision: {m.step}: {m.part} meets {m.obstacle} at {done.in_part(m.at)}\n")
        for n in done.checked.near:
            say(f"near: {n.step}: {n.part} comes within {n.distance:.2f} mm of {n.obstacle}")
