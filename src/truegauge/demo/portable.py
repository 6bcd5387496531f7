"""Portable devices with a part before them; the demo housing has its known errors."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from truegauge import demo
from truegauge.core.cad.projection import Projector
from truegauge.core.errors import DeviceError
from truegauge.demo.housing_errors import housing_errors
from truegauge.demo.serving import plan_and_part, port_taken, serve
from truegauge.devices.arm_sim.arm import ArmStandIn
from truegauge.devices.arm_sim.settings import ArmFaults, ArmSettings
from truegauge.devices.made_part import MadePart
from truegauge.devices.scanner_sim.scanner import ScannerStandIn
from truegauge.devices.scanner_sim.settings import ScannerSettings
from truegauge.devices.tracker_sim.tracker import SETTINGS, TrackerStandIn
from truegauge.formats.files import content_key

if TYPE_CHECKING:
    from truegauge.core.arrays import Rigid
    from truegauge.core.cad.model import CadModel


class Bench:
    """One part, and the devices that stand around it: each is started when it is asked for first.

    The scanner sits on the arm; the tracker stands elsewhere, in coordinates of its own.
    """

    def __init__(
        self, model: CadModel, projector: Projector, errors: tuple[object, ...], seed: int,
        device_from_part: Rigid | None = None, pace: float = 0.0,
    ) -> None:  # fmt: skip
        self.projector, self._model, self._errors = projector, model, errors
        self._seed, self._pose, self._pace = seed, device_from_part, pace
        self._arm: ArmStandIn | None = None
        self._scanner: ScannerStandIn | None = None
        self._tracker: TrackerStandIn | None = None

    def part(self) -> MadePart:
        """Return the part for one more device."""
        return MadePart(self.projector, self._model.box, np.eye(4), self._errors)  # type: ignore[arg-type]

    def arm(self, settings: ArmSettings | None = None, faults: ArmFaults | None = None, port: int = 0) -> ArmStandIn:
        """The arm."""
        if self._arm is None:
            settings = settings or ArmSettings(pace=self._pace)
            self._arm = ArmStandIn(self.part(), self._seed, settings, faults, port=port, device_from_part=self._pose)
        return self._arm

    def scanner(
        self, settings: ScannerSettings | None = None, faults: ArmFaults | None = None, port: int = 0
    ) -> ScannerStandIn:  # fmt: skip
        """The scanner on the arm."""
        if self._scanner is None:
            lines = [] if faults is None else faults.of_line
            # Who sits on an arm goes with it when it is moved.
            world = self.arm().world
            self._scanner = ScannerStandIn(self.part(), lambda: world.device_from_part, self._seed, settings,
                                           lines, port=port)  # fmt: skip
        return self._scanner

    def tracker(
        self, settings: ArmSettings | None = None, faults: ArmFaults | None = None, port: int = 0
    ) -> TrackerStandIn:  # fmt: skip
        """The tracker."""
        if self._tracker is None:
            self._tracker = TrackerStandIn(self.part(), self._seed, settings or SETTINGS, faults, port=port)
        return self._tracker

    def close(self) -> None:
        """Let go of all."""
        for one in (self._scanner, self._arm, self._tracker):
            if one is not None:
                one.close()


def bench_of(
    model: CadModel, projector: Projector, content: bytes | None, seed: int = 27, *,
    device_from_part: Rigid | None = None, pace: float = 0.0,
) -> Bench:  # fmt: skip
    """Return what stands around a part; `content` is the part's file, by which the demo housing is known."""
    is_housing = content is not None and content_key(content) == content_key(demo.PART.read_bytes())
    errors = housing_errors(model) if is_housing else ()
    return Bench(model, projector, errors, seed, device_from_part, pace)


def run_portable(
    kind: str, plan_path: Path, seed: int, pace: float, faults: ArmFaults, port: int, say: Callable[[str], None], *,
    until_closed: bool,
) -> None:  # fmt: skip
    """Run an arm, a tracker or a scanner before the part of a plan until it is stopped.

    First it says its port, as a line of JSON. Lines of its input are what its hand does: touches
    ``{"place": [x, y, z], "out": [x, y, z]}`` of the part, ``{"seat": 0}``, or of a scanner ``{"sweep": true}``.

    Raises
    ------
    FormatError
        The plan cannot be read.
    DeviceError
        The plan has no part, or the port is taken.
    """
    _, model, content = plan_and_part(plan_path)
    if model is None:
        raise DeviceError(f"{plan_path}: the plan has no part that the {kind} could measure")
    bench = bench_of(model, Projector(model), content, seed)
    try:
        if kind == "scanner":
            scanner = bench.scanner(ScannerSettings(pace=pace), faults, port)
            serve({"port": scanner.port}, say, until_closed=until_closed, on_line=lambda line: _swept(scanner, line))
            return
        settings = ArmSettings(pace=pace) if kind == "arm" else replace(SETTINGS, pace=pace)
        own = bench.arm(settings, faults, port) if kind == "arm" else bench.tracker(settings, faults, port)
        serve({"port": own.port}, say, until_closed=until_closed, on_line=lambda line: _touched(own, line))
    except OSError as error:
        raise port_taken(f"port {port}", error) from error
    finally:
        bench.close()


def _swept(scanner: ScannerStandIn, line: str) -> object:
    try:
        wanted = bool(json.loads(line)["sweep"])
    except (ValueError, KeyError, TypeError):
        return {"error": 'give {"sweep": true} or {"sweep": false}'}
    if wanted:
        scanner.start_sweep()
    else:
        scanner.stop_sweep()
    return {"sweep": wanted}


def _touched(arm: ArmStandIn, line: str) -> object:
    try:
        wanted = json.loads(line)
        if "seat" in wanted:
            seq = arm.seat(int(wanted["seat"]))
            return {"error": "there is no such seat"} if seq is None else {"touched": seq}
        place, out = (np.array(wanted[k], dtype=np.float64) for k in ("place", "out"))
        if place.shape != (3,) or out.shape != (3,) or not np.linalg.norm(out) > 0:
            raise ValueError
    except (ValueError, KeyError, TypeError):
        return {"error": 'give {"place": [x, y, z], "out": [x, y, z]} in coordinates of the part, or {"seat": 0}'}
    seq = arm.touch(place, out)
    return {"error": "the tip met nothing, or does not fit"} if seq is None else {"touched": seq}
