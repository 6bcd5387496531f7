"""The stand-in CMM with a part of the demo, or any part, on its table; and a plan that measures with it."""

from collections.abc import Callable
from pathlib import Path

import numpy as np

from truegauge import demo
from truegauge.core.arrays import Vector
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.demo.housing_errors import housing_errors
from truegauge.demo.serving import plan_and_part, port_taken, serve
from truegauge.devices.cmm_sim.build import PartToPlace, make_world, start
from truegauge.devices.cmm_sim.settings import Fault, MachineSettings
from truegauge.formats.files import content_key

_HOUSING_UP: Vector = np.array([0.0, -1.0, 0.0])  # stands on its back, so that base and sides can be touched
_UP: Vector = np.array([0.0, 0.0, 1.0])


def part_to_place(model: CadModel, projector: Projector, *, is_housing: bool) -> PartToPlace:
    """Return a part for the table of the stand-in; the demo housing has its known errors."""
    if is_housing:
        return PartToPlace(model, projector, _HOUSING_UP, housing_errors(model))
    return PartToPlace(model, projector, _UP)


def run_stand_in(
    settings: MachineSettings, plan_path: Path | None, seed: int, faults: tuple[Fault, ...], port: int, hands: int,
    say: Callable[[str], None], *, until_closed: bool,
) -> None:  # fmt: skip
    """Run a stand-in until it is stopped; first says its ports, as a line of JSON.

    Raises
    ------
    FormatError
        The plan cannot be read.
    DeviceError
        The port is taken.
    """
    plan, model, content = plan_and_part(plan_path)
    part = None
    if model is not None and content is not None:
        is_housing = content_key(content) == content_key(demo.PART.read_bytes())
        part = part_to_place(model, Projector(model), is_housing=is_housing)
    world = make_world(settings, seed, faults, plan, part)
    try:
        running = start(world, port, None if hands < 0 else hands)
    except OSError as error:
        raise port_taken(f"port {port}" if hands <= 0 else f"port {port} or {hands}", error) from error
    own = {} if running.hands is None else {"hands": running.hands.port, "token": running.hands.token}
    serve({"port": running.port, **own}, say, until_closed=until_closed)
    running.close()
