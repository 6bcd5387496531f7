"""The command that measures sections of blades."""

import json
import math
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from truegauge.cli.base import Units, say, within_reach
from truegauge.core.errors import TrueGaugeError

if TYPE_CHECKING:
    from truegauge.core.blades.result import SectionResult

_SHOWN = (
    ("chord_mean_line", "chord"), ("chord_tangent", "chord by tangent"), ("axial_chord", "axial chord"),
    ("chord_angle", "chord angle"), ("leading_radius", "leading radius"), ("trailing_radius", "trailing radius"),
    ("max_thickness", "largest thickness"), ("max_thickness_at", "at, from leading edge"), ("area", "area"),
)  # fmt: skip


def blade(
    part: Annotated[Path, typer.Argument(help="The part (STEP), or a CSV of the points of its sections.")],
    scan: Annotated[Path, typer.Argument(help="The scan (PLY, STL, OBJ, XYZ, CSV ...) or sample (.tgsample).")],
    heights: Annotated[str, typer.Option(help="Heights of the sections, mm, with commas; of a CSV: all.")] = "",
    axis: Annotated[str, typer.Option(help="Stacking axis: x, -y, or three numbers with commas.")] = "z",
    machine_axis: Annotated[str, typer.Option(help="What axial chord and chord angle are told by.")] = "x",
    leading: Annotated[str, typer.Option(help="Way to the leading edge; else it is found.")] = "",
    pressure: Annotated[str, typer.Option(help="Way to the pressure side; else it is found.")] = "",
    thickness: Annotated[
        float, typer.Option(callback=within_reach, help="Points from so much of height make a section, mm.")
    ] = 1.0,
    edge_distances: Annotated[str, typer.Option(help="Thickness so far from either edge too, mm, with commas.")] = "",
    chord_shares: Annotated[str, typer.Option(help="Thickness at such shares of the chord too, with commas.")] = "",
    wavelength: Annotated[
        float, typer.Option(callback=within_reach, help="How high waves shorter than this are, mm; 0: not told.")
    ] = 0.0,
    fit: Annotated[str, typer.Option(help="Put onto the nominal by: full, shift, turn or none.")] = "full",
    criterion: Annotated[str, typer.Option(help="'least squares' or 'minimax'.")] = "least squares",
    weights: Annotated[
        str, typer.Option(help="How much leading edge, trailing edge, pressure and suction side count: 1,1,1,0.")
    ] = "",
    tilt: Annotated[
        str, typer.Option(help="Sections rise along the machine axis, degrees: 5, or from the lowest on: 5,12.")
    ] = "",
    machine_below: Annotated[
        float | None,
        typer.Option(callback=within_reach, help="The machine axis is so far below the origin, mm: sections on cones."),
    ] = None,
    shift_limit: Annotated[
        float | None, typer.Option(callback=within_reach, help="The fit shifts no farther, mm.")
    ] = None,
    turn_limit: Annotated[
        float | None, typer.Option(callback=within_reach, help="The fit turns no farther, degrees.")
    ] = None,
    scan_aligned: Annotated[bool, typer.Option("--scan-aligned", help="The scan lies in part coordinates.")] = False,
    units: Units = "",
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
) -> None:
    """Measure sections of a blade: chords, angle, edges, thickness, profile, and its fit onto the nominal.

    Exit code 0, or 1 where a section could not be measured.
    """
    from truegauge.formats.blades_json import sections_document
    from truegauge.jobs.blades import asked_for, blade_sections

    asked = asked_for(
        _numbers(heights, "heights"), axis, machine_axis, leading, pressure, thickness, fit, criterion, shift_limit,
        None if turn_limit is None else math.radians(turn_limit), _numbers(edge_distances, "edge distances"),
        wavelength, _numbers(chord_shares, "chord shares"), _numbers(weights, "weights"),
        [math.radians(t) for t in _numbers(tilt, "tilt")], machine_below,
    )  # fmt: skip
    results = blade_sections(part, scan, asked, unit=units, aligned=scan_aligned)
    if as_json:
        say(json.dumps(sections_document(results)))
    else:
        for one in results:
            _tell(one)
    raise typer.Exit(1 if any(one.problem for one in results) else 0)


def _numbers(text: str, what: str) -> list[float]:
    made = []
    for cell in text.split(",") if text.strip() else []:
        try:
            made.append(float(cell))
        except ValueError:
            raise TrueGaugeError(f"{what}: {cell.strip()!r} is no number; say them like 20,40,60") from None
    return made


def _tell(one: "SectionResult") -> None:
    say(f"section at {one.height:g} mm, {len(one.points):,} points")
    if one.problem:
        say(f"  not measured: {one.problem}")
        return
    for name, words in _SHOWN:
        times, unit = (math.degrees(1.0), "deg") if name == "chord_angle" else (1.0, "mm2" if name == "area" else "mm")
        value, nominal, u = one.values[name] * times, one.nominal_values[name] * times, one.uncertainties[name] * times
        told = "not told" if math.isnan(value) else f"{value:9.4f} ± {2 * u:.4f}"
        say(f"  {words:22}{told:>20} {unit:4} nominal {nominal:9.4f}")
    for name, value in one.values.items():
        if name.startswith(("leading_thickness_", "trailing_thickness_", "thickness_", "waviness_")):
            first, last = name.split("_")[0], name.rpartition("_")[2]
            words = {"waviness": f"waviness, {last} side", "thickness": f"thickness at {last}"}.get(
                first, f"{first}, {last} mm in"
            )
            told = "not told" if math.isnan(value) else f"{value:9.4f} ± {2 * one.uncertainties[name]:.4f}"
            say(f"  {words:22}{told:>20} mm   nominal {one.nominal_values[name]:9.4f}")
    if one.fit is not None:
        before, after = one.before["all"], one.after["all"]
        say(f"  profile {before.lowest:+.4f} to {before.highest:+.4f} mm; put onto the nominal "
            f"{after.lowest:+.4f} to {after.highest:+.4f}, shifted ({one.fit.shift[0]:+.4f}, "
            f"{one.fit.shift[1]:+.4f}), turned {math.degrees(one.fit.turn):+.4f} deg")  # fmt: skip
    for note in one.notes:
        say(f"  {note}")
