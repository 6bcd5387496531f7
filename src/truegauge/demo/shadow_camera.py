"""The made-up camera with parts of the demo world under it, as a device and as a program."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import numpy as np

from truegauge.core.errors import DeviceError
from truegauge.core.silhouette.looking import Place
from truegauge.demo.serving import port_taken, serve
from truegauge.demo.shadow_plans import CAMERA, PARTS, PLATE, PLATE_PART, SHAFT, camera
from truegauge.devices.camera_sim.device import CameraStandIn
from truegauge.devices.camera_sim.plates import pin_outline, plate_outlines
from truegauge.devices.camera_sim.scene import Scene

if TYPE_CHECKING:
    from truegauge.devices.live.faults import LineFault

_NONE = Place(np.zeros(2))
_LIES, _EMPTY = 16, 4  # pictures that a made-up operator leaves a part lying, and the glass empty


class ShadowBench:
    """The made-up camera, and what a hand lays under it. `operator` puts part after part down by itself."""

    def __init__(
        self, seed: int = 1408, faults: list[LineFault] | None = None, *, port: int = 0, rate: float = 10.0,
        operator: str = "",
    ) -> None:  # fmt: skip
        self._rng = np.random.default_rng([seed, 1408])
        self._operator, self._count, self.number = operator, 0, -1
        self.truth: dict[int, dict[str, float]] = {}  # of the parts that were put down, by their numbers
        scene = Scene(camera(seed), seed)
        self.device = CameraStandIn(scene, CAMERA, f"C-{seed}", faults, port=port, rate=rate, before=self._before)

    @property
    def port(self) -> int:
        """The port of its line."""
        return self.device.port

    def close(self) -> None:
        """Let go of it."""
        self.device.close()

    def put(self, number: int, drawing: str = SHAFT.drawing, place: Place | None = None) -> None:
        """Put a part down that was made as a number says, anywhere (the long shaft lies about level)."""
        self.device.do(lambda scene: self._put(scene, number, drawing, place))

    def _put(self, scene: Scene, number: int, drawing: str, place: Place | None) -> None:
        part = PARTS[drawing]
        if place is None:
            place = part.put(self._rng, upside_down=part is PLATE_PART, most=0.4 if part is SHAFT else np.pi)
            if part is SHAFT and self._rng.integers(2):  # end for end
                middle = np.array([part.middle])
                lies = place.picture_from_part(middle)[0]
                turned = Place(np.zeros(2), place.turn + np.pi)
                place = Place(lies - turned.picture_from_part(middle)[0], turned.turn)
        sizes = part.made(number)
        self.number, self.truth[number] = number, part.true(sizes)
        scene.put(part.outlines(sizes), place)

    def go_on(self, drawing: str) -> None:
        """Put part after part of a drawing down by itself from now on; empty: leave off."""
        self._operator, self._count = drawing, 0

    def take_away(self) -> None:
        """Take all away."""
        self.device.do(lambda scene: scene.take_away())

    def plate(self) -> None:
        """Lay the plate down that the camera is calibrated by."""
        self.device.do(lambda scene: scene.put(plate_outlines(*PLATE, turn=0.1, reach=19.0), _NONE))

    def pin(self, diameter: float, turn: float = 0.4) -> None:
        """Lay a pin down."""
        self.device.do(lambda scene: scene.put([pin_outline(diameter, turn, np.zeros(2), 9.0)], _NONE))

    def _before(self) -> None:
        """What the operator does before a picture is taken."""
        if not self._operator:
            return
        at, self._count = self._count % (_LIES + _EMPTY), self._count + 1
        if at == 0:
            self._put(self.device.scene, self.number + 1, self._operator, None)
        elif at == _LIES:
            self.device.scene.take_away()

    def told(self, line: str) -> dict[str, Any]:
        """Do what a line of JSON says: put, pin, plate, remove, dirt, clean, light, blur."""
        try:
            wanted = json.loads(line)
            if not isinstance(wanted, dict):
                raise TypeError
            return self._do(wanted)
        except (ValueError, KeyError, TypeError):
            return {"problem": f"not understood: {line.strip()}"}

    def _do(self, wanted: dict[str, Any]) -> dict[str, Any]:
        scene = self.device.do
        if "put" in wanted:
            number, drawing = int(wanted["put"]), str(wanted.get("part", SHAFT.drawing))
            self.put(number, drawing)
            return {"put": number, "part": drawing, "truth": self.truth[number]}
        if "pin" in wanted:
            self.pin(float(wanted["pin"]))
        elif "plate" in wanted:
            self.plate()
        elif "remove" in wanted:
            self.take_away()
        elif "dirt" in wanted:
            scene(lambda s: s.dirty(int(wanted["dirt"])))
        elif "clean" in wanted:
            scene(lambda s: s.clean())
        elif "light" in wanted:
            scene(lambda s: setattr(s, "lit", float(wanted["light"])))
        elif "blur" in wanted:
            scene(lambda s: setattr(s, "sharp", float(wanted["blur"])))
        else:
            raise KeyError(next(iter(wanted), ""))
        return {"done": next(iter(wanted))}


def run_camera(
    seed: int, faults: list[LineFault], port: int, say: Callable[[str], None], *, pace: float, until_closed: bool,
    drawing: str = "",
) -> None:  # fmt: skip
    """Run the camera until it is stopped; first it says its port. Lines of its input are what a hand does.

    Raises
    ------
    DeviceError
        There is no such part, or the port is taken.
    """
    if drawing and drawing not in PARTS:
        raise DeviceError(f"{drawing}: the made-up operator has {', '.join(PARTS)}")
    try:
        bench = ShadowBench(seed, faults, port=port, rate=10.0 * pace, operator=drawing)
    except OSError as error:
        raise port_taken(f"port {port}", error) from error
    serve({"port": bench.port}, say, until_closed=until_closed, on_line=bench.told)
    bench.close()
