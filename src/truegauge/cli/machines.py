"""Commands for machines: the stand-in."""

from enum import StrEnum
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from truegauge.cli.base import say, within_reach

if TYPE_CHECKING:
    pass


def cmm_sim(
    port: Annotated[int, typer.Option(min=0, max=65535, help="Port of the I++ DME server; 0 takes a free one.")] = 9000,
    part: Annotated[Path | None, typer.Option(help="A plan: its probes, sphere and rack; its part lies there.")] = None,
    seed: Annotated[int, typer.Option(help="Which of many machines, probes and places of the part it is.")] = 1,
    fault: Annotated[
        list[str] | None, typer.Option(help="What goes wrong: NAME, NAME@NUMBER, NAME@NUMBERxSIZE.")
    ] = None,
    pace: Annotated[
        float, typer.Option(min=0, callback=within_reach, help="Times as fast as a real machine; 0 as fast as it can.")
    ] = 1.0,
    temperature: Annotated[
        float, typer.Option(min=5, max=45, callback=within_reach, help="Temperature of the part.")
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
    run_stand_in(settings, part, seed, faults, port, hands, say, until_closed=until_closed)


class DeviceKind(StrEnum):
    """The portable devices that there are stand-ins for."""

    ARM = "arm"
    SCANNER = "scanner"
    TRACKER = "tracker"
    GAUGE = "gauge"
    CAMERA = "camera"


def device_sim(
    kind: Annotated[
        DeviceKind,
        typer.Argument(help="An arm, a scanner on one, a tracker, a temperature gauge, or a silhouette camera."),
    ],
    port: Annotated[int, typer.Option(min=0, max=65535, help="Port of its line; 0 takes a free one.")] = 9100,
    part: Annotated[
        Path | None, typer.Option(help="A plan: its part stands somewhere before the device. Of a camera a drawing.")
    ] = None,
    seed: Annotated[int, typer.Option(help="Which of many devices, and where the part stands.")] = 1,
    fault: Annotated[list[str] | None, typer.Option(help="What goes wrong: NAME@NUMBER or NAME@NUMBERxSIZE.")] = None,
    pace: Annotated[
        float, typer.Option(min=0, callback=within_reach, help="Times as fast as a hand; 0 as fast as it can.")
    ] = 1.0,
    until_closed: Annotated[bool, typer.Option(help="End when the standard input ends.")] = False,
) -> None:
    """Stand in for a portable device until it is stopped (Ctrl+C); its input says what its hand does."""
    from truegauge.demo.gauge import run_gauge
    from truegauge.demo.portable import run_portable
    from truegauge.demo.shadow_camera import run_camera
    from truegauge.devices.arm_sim.settings import ArmFaults

    try:
        faults = ArmFaults.read(fault or [])
    except ValueError as error:
        raise typer.BadParameter(str(error), param_hint="--fault") from error
    if kind == DeviceKind.GAUGE:
        run_gauge(seed, faults.of_line, port, say, pace=pace, until_closed=until_closed)
        return
    if kind == DeviceKind.CAMERA:
        drawing = "" if part is None else str(part)
        run_camera(seed, faults.of_line, port, say, pace=pace, until_closed=until_closed, drawing=drawing)
        return
    if part is None:
        who = "an arm" if kind == DeviceKind.ARM else f"a {kind}"
        raise typer.BadParameter(f"{who} needs a plan with a part", param_hint="--part")
    run_portable(kind, part, seed, pace, faults, port, say, until_closed=until_closed)
