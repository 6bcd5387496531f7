"""Commands for silhouettes: calibrating a camera by pictures; inspecting pictures, see `inspecting`."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from truegauge.cli.base import say, say_results
from truegauge.core.errors import TrueGaugeError

if TYPE_CHECKING:
    from collections.abc import Sequence


def calibrate_camera(
    pictures: Annotated[list[Path], typer.Argument(help="A picture of a plate, or some of a pin each.")],
    out: Annotated[Path, typer.Option(help="The calibration to write (JSON).")],
    plate: Annotated[
        str, typer.Option(help="A plate with dots: how far apart they are and how wide, mm, as in 2.0,1.0.")
    ] = "",
    pin: Annotated[str, typer.Option(help="Diameters of the pins, mm, in the order of their pictures.")] = "",
    camera: Annotated[str, typer.Option(help="The name of the camera.")] = "",
    due: Annotated[str, typer.Option(help="Until when it holds, as in 2027-06-30.")] = "",
) -> None:
    """Calibrate a silhouette camera by pictures of a plate with dots, or of pins."""
    from truegauge.api import silhouettes
    from truegauge.formats.lens_file import write_lens

    if bool(plate) == bool(pin):
        raise TrueGaugeError("give either --plate or --pin")
    if plate:
        sizes = _numbers(plate, "--plate")
        if len(sizes) != 2 or len(pictures) != 1:
            raise TrueGaugeError("a plate is one picture and two numbers: --plate 2.0,1.0")
        lens = silhouettes.calibrate_by_plate(pictures[0], sizes[0], sizes[1], camera=camera, due=due)
    else:
        sizes = _numbers(pin, "--pin")
        if len(sizes) == 1:
            sizes = sizes * len(pictures)
        if len(sizes) != len(pictures):
            raise TrueGaugeError(f"{len(sizes)} diameters for {len(pictures)} pictures of pins")
        lens = silhouettes.calibrate_by_pins(list(zip(pictures, sizes, strict=True)), camera=camera, due=due)
    write_lens(out, lens)
    known = lens.calibration.lens
    say(f"{out}: a pixel is {1000 * known.pixel:.4f} µm, scale within {2e6 * lens.scale_u:.0f} µm/m (k = 2), "
        f"{lens.left:.4f} px left")  # fmt: skip
    for note in lens.notes:
        say(f"note: {note}")


def _numbers(text: str, option: str) -> list[float]:
    try:
        found = [float(cell) for cell in text.replace(";", ",").split(",") if cell.strip()]
    except ValueError:
        raise typer.BadParameter(f"{text!r} are no numbers with commas between", param_hint=option) from None
    if not found or any(not 0 < v < 1e4 for v in found):
        raise typer.BadParameter(f"{text!r}: sizes are above 0 mm", param_hint=option)
    return found


def inspect_pictures(
    plan: Path, pictures: "Sequence[Path]", out: Path, formats: tuple[str, ...], calibration: Path | None
) -> int:  # fmt: skip
    """Inspect pictures by a plan for silhouettes; returns the exit code. Several go into folders by their names."""
    from truegauge.api import inspecting, silhouettes
    from truegauge.core.authoring.silhouettes import silhouette_of
    from truegauge.formats.lens_file import read_lens
    from truegauge.formats.pictures import pictures_in
    from truegauge.formats.plan_file import read_plan
    from truegauge.formats.sample_file import sample_from_picture

    silhouette_of(read_plan(plan).plan)
    own = silhouettes.open_silhouette(plan)
    if calibration is not None:
        own.lens = read_lens(calibration)
    every = [file for path in pictures for file in pictures_in(path)]
    names = [path.stem for path in every]
    twice = next((n for n in names if names.count(n) > 1), "")
    if twice:
        raise TrueGaugeError(f"two pictures are called {twice}: their results would be one")
    code = 0
    for path in every:
        done = inspecting.inspect(own, sample=sample_from_picture(path))
        done.write(out if len(every) == 1 else out / path.stem, formats)
        if len(every) > 1:
            say(f"{path.name}:")
        code = max(code, say_results(done.evaluation))
        done.close()
    return code
