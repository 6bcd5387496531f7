"""The stand-in CMM with a part of the demo, or any part, on its table; and a plan that measures with it."""

import json
import signal
import sys
import threading
from collections.abc import Callable
from pathlib import Path

import numpy as np

from truegauge import demo
from truegauge.core.arrays import Vector
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.core.errors import DeviceError
from truegauge.demo.make import housing_errors
from truegauge.devices.cmm_sim.build import PartToPlace, make_world, start
from truegauge.devices.cmm_sim.settings import Fault, MachineSettings
from truegauge.formats.files import content_key
from truegauge.formats.plan_file import model_of_plan, read_plan

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
    plan, part = None, None
    if plan_path is not None:
        file = read_plan(plan_path)
        plan = file.plan
        if file.part is not None:
            model = model_of_plan(plan_path, file)
            is_housing = content_key(file.part) == content_key(demo.PART.read_bytes())
            part = part_to_place(model, Projector(model), is_housing=is_housing)
    world = make_world(settings, seed, faults, plan, part)
    try:
        running = start(world, port, None if hands < 0 else hands)
    except OSError as error:
        which = f"port {port}" if hands <= 0 else f"port {port} or {hands}"
        raise DeviceError(f"{which} cannot be used ({error.strerror}): another program listens there?") from error
    own = {} if running.hands is None else {"hands": running.hands.port, "token": running.hands.token}
    say(json.dumps({"port": running.port, **own}))
    sys.stdout.flush()
    ended = threading.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: ended.set())
    if until_closed:
        threading.Thread(target=_watch_input, args=(ended,), daemon=True).start()
    while not ended.wait(0.2):
        pass
    running.close()


def _watch_input(ended: threading.Event) -> None:
    while sys.stdin.readline():
        pass
    ended.set()
