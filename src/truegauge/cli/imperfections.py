"""The command that finds surface imperfections of a scan."""

import json
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from truegauge.cli.base import Units, say, within_reach

if TYPE_CHECKING:
    from truegauge.core.imperfections.comparing import Change


def imperfections(
    scan: Annotated[Path, typer.Argument(help="The scan: PLY, STL, OBJ, E57, LAS, LAZ, XYZ, CSV, or a sample.")],
    reference: Annotated[
        str, typer.Option(help="Measured from: smooth, plane, cylinder, cone, sphere, revolution or scan.")
    ] = "smooth",
    wavelength: Annotated[
        float | None,
        typer.Option(
            callback=within_reach,
            help="mm; longer waves are followed by the reference. 150 for smooth, none for the others.",
        ),
    ] = None,
    by: Annotated[str, typer.Option("--filter", help="Waves are followed by: spline or gaussian.")] = "spline",
    depth: Annotated[float, typer.Option(callback=within_reach, help="Deeper or higher than this, mm.")] = 0.1,
    height: Annotated[
        float | None, typer.Option(callback=within_reach, help="Higher than this, mm; without: as --depth.")
    ] = None,
    sides: Annotated[str, typer.Option(help="both, in (into the material) or out.")] = "both",
    min_area: Annotated[float, typer.Option(callback=within_reach, help="Smallest area beyond --depth, mm2.")] = 1.0,
    min_width: Annotated[float, typer.Option(callback=within_reach, help="Smallest width, mm.")] = 0.0,
    join: Annotated[float, typer.Option(callback=within_reach, help="Nearer to each other they are one, mm.")] = 0.0,
    saddle: Annotated[
        float, typer.Option(help="Two are one where it is as deep between them as this share of the shallower one.")
    ] = 0.5,
    before: Annotated[
        Path | None,
        typer.Option(help="An earlier scan in the same coordinates: what is new, gone, deeper? Or the reference."),
    ] = None,
    unit: Units = "",
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
) -> None:
    """Find dents, bumps, pits and scratches: where a surface leaves its own smooth course. No part is needed."""
    from truegauge.core.imperfections.comparing import compare
    from truegauge.formats.imperfections_json import changes_document, imperfections_document
    from truegauge.jobs.imperfections import asked, imperfections_of

    rules, wanted = asked(reference, wavelength, depth, sides, min_area, min_width, join, by, height, saddle)
    found = imperfections_of(scan, rules, wanted, unit, other=before)
    changes: tuple[Change, ...] = ()
    if reference == "scan":  # all that is found is what changed since
        before = None
    if before is not None:
        changes = compare(imperfections_of(before, rules, wanted, unit).imperfections, found.imperfections)
    if as_json:
        document = imperfections_document(found)
        if before is not None:
            document["changes"] = changes_document(changes)
        say(json.dumps(document))
        return
    quality = found.quality
    for note in (*found.prepared.notes, quality.advice):
        if note:
            say(f"note: {note}")
    parts = f"{quality.parts} part{'s' * (quality.parts != 1)}"
    say(f"reference: {reference}, {quality.rms:.4f} mm rms outside of imperfections; noise of a point "
        f"{quality.noise:.4f} mm; {quality.area / 1e6:.4f} m2 in {parts}")  # fmt: skip
    count = len(found.imperfections)
    say(f"{count} imperfection{'s' * (count != 1)} beyond {depth:g} mm"
        + (f"; {len(found.left_out)} heads (rivets, bolts) were left out" if found.left_out else ""))  # fmt: skip
    if count:
        say("  no  kind      depth      u     area    length   width        x         y         z")
    for k, i in enumerate(found.imperfections, 1):
        x, y, z = i.deepest
        say(f"{k:4}  {i.kind:8}{i.depth:+7.3f}  {i.depth_u:.3f} {i.area:8.1f} {i.length:8.1f} {i.width:8.1f}"
            f" {x:9.2f} {y:9.2f} {z:9.2f}")  # fmt: skip
    if before is not None:
        say(f"since {before.name}:")
    for c in changes:
        one = c.now or c.before
        if one is not None and c.state != "same":
            x, y, z = one.deepest
            say(f"      {c.state:10}{c.change:+7.3f}                                   {x:9.2f} {y:9.2f} {z:9.2f}")
