"""The stand-in for an arm with a part before it; the demo housing has its known errors."""

import json
from collections.abc import Callable
from pathlib import Path

import numpy as np

from truegauge import demo
from truegauge.core.arrays import Rigid
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.core.errors import DeviceError
from truegauge.demo.make import housing_errors
from truegauge.demo.serving import plan_and_part, port_taken, serve
from truegauge.devices.arm_sim.arm import ArmStandIn
from truegauge.devices.arm_sim.settings import ArmFaults, ArmSettings
from truegauge.devices.made_part import MadePart
from truegauge.formats.files import content_key


def arm_before(
    model: CadModel, projector: Projector, content: bytes | None, seed: int = 27, *, port: int = 0,
    settings: ArmSettings | None = None, faults: ArmFaults | None = None, device_from_part: Rigid | None = None,
) -> ArmStandIn:  # fmt: skip
    """Start an arm with a part before it; `content` is the part's file, by which the demo housing is known."""
    is_housing = content is not None and content_key(content) == content_key(demo.PART.read_bytes())
    errors = housing_errors(model) if is_housing else ()
    part = MadePart(projector, model.box, np.eye(4), errors)
    return ArmStandIn(part, seed, settings, faults, port=port, device_from_part=device_from_part)


def run_arm(
    plan_path: Path, seed: int, settings: ArmSettings, faults: ArmFaults, port: int, say: Callable[[str], None], *,
    until_closed: bool,
) -> None:  # fmt: skip
    """Run an arm before the part of a plan until it is stopped; first says its port, as a line of JSON.

    Lines of its input are touches that its hand makes: ``{"place": [x, y, z], "out": [x, y, z]}``, of the part.

    Raises
    ------
    FormatError
        The plan cannot be read.
    DeviceError
        The plan has no part, or the port is taken.
    """
    _, model, content = plan_and_part(plan_path)
    if model is None:
        raise DeviceError(f"{plan_path}: the plan has no part that the arm could touch")
    try:
        arm = arm_before(model, Projector(model), content, seed, port=port, settings=settings, faults=faults)
    except OSError as error:
        raise port_taken(f"port {port}", error) from error

    def touch(line: str) -> object:
        try:
            wanted = json.loads(line)
            place, out = (np.array(wanted[k], dtype=np.float64) for k in ("place", "out"))
            if place.shape != (3,) or out.shape != (3,) or not np.linalg.norm(out) > 0:
                raise ValueError
        except (ValueError, KeyError, TypeError):
            return {"error": 'give {"place": [x, y, z], "out": [x, y, z]} in coordinates of the part'}
        seq = arm.touch(place, out)
        return {"error": "the tip met nothing, or does not fit"} if seq is None else {"touched": seq}

    serve({"port": arm.port}, say, until_closed=until_closed, on_line=touch)
    arm.close()
