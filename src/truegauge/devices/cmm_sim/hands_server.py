"""What people do at the stand-in, taken from a connection: joystick, putting probes together, knocking the sphere.

None of this is part of the I++ protocol; a real machine has hands, eyes and a joystick box for it. Lines of JSON over
a second connection: ``{"do": "mount", "name": "A"}`` is answered by ``{"ok": true, ...}`` or ``{"error": "..."}``.
The first one of a connection is ``{"do": "enter", "token": "..."}`` with the token that was said when it was started:
any program of this computer can connect, and hands move things.
"""

import json
import logging
import secrets
import socket
import threading
import time
from typing import Any

import numpy as np
from pydantic import ValidationError

from truegauge.core.frames import apply, rotate
from truegauge.core.probing.assembly import ProbeAssembly
from truegauge.core.probing.length_standard import LengthStandard
from truegauge.core.probing.probing import RackPort
from truegauge.core.probing.sphere import ReferenceSphere
from truegauge.core.routes.pieces import Pieces
from truegauge.devices.cmm_sim.operator import Operator
from truegauge.devices.cmm_sim.server import IppServer
from truegauge.devices.cmm_sim.settings import Fault
from truegauge.devices.cmm_sim.words import MachineStopped, SensorTouch
from truegauge.devices.cmm_sim.world import CmmWorld

log = logging.getLogger(__name__)
_JOG_S = 0.02
_DEAD_S = 0.5  # without a new order the joystick is let go
_LONGEST, _LONGEST_TOKEN = 4_000_000, 400
_ENTER_S = 5.0
_MOST = 16  # connections at a time
_FASTEST = 120.0


class HandsServer:
    """Takes what people do."""

    def __init__(self, world: CmmWorld, server: IppServer, port: int = 0) -> None:
        self._world, self._server = world, server
        self._velocity, self._until = np.zeros(3), 0.0
        self._closing = threading.Event()
        self._listening = socket.create_server(("127.0.0.1", port))
        self.port = int(self._listening.getsockname()[1])
        self.token = secrets.token_hex(16)
        self._places = threading.BoundedSemaphore(_MOST)
        self._threads = [
            threading.Thread(target=self._serve, name="hands", daemon=True),
            threading.Thread(target=self._jog, name="joystick", daemon=True),
        ]
        for thread in self._threads:
            thread.start()

    def close(self) -> None:
        """Stop."""
        self._closing.set()
        try:
            socket.create_connection(("127.0.0.1", self.port), timeout=0.5).close()
        except OSError:
            log.debug("nobody was listening any more")
        self._listening.close()
        for thread in self._threads:
            thread.join(2.0)

    def _jog(self) -> None:
        while not self._closing.wait(_JOG_S):
            if time.monotonic() > self._until or not self._velocity.any() or not self._server.user_enabled:
                continue
            with self._world.busy:
                try:
                    touch = self._world.jog(self._velocity, _JOG_S)
                except MachineStopped as stopped:
                    log.info("joystick: %s", stopped)
                    self._velocity = np.zeros(3)
                    continue
            if touch is not None:
                self._velocity = np.zeros(3)
                self._server.hand_touch(touch)

    def _serve(self) -> None:
        while not self._closing.is_set():
            try:
                connection, _ = self._listening.accept()
            except OSError:
                return
            if not self._places.acquire(blocking=False):
                connection.close()
                continue
            # Each for itself: eyes see and the joystick moves while hands are at work.
            threading.Thread(target=self._talk, args=(connection,), name="hands", daemon=True).start()

    def _talk(self, connection: socket.socket) -> None:
        try:
            with connection, connection.makefile("rw", encoding="utf-8", newline="\n") as lines:
                connection.settimeout(_ENTER_S)
                may_enter = self._may_enter(lines.readline(_LONGEST_TOKEN))
                lines.write(json.dumps({"ok": True} if may_enter else {"error": "the token is wrong"}) + "\n")
                lines.flush()
                connection.settimeout(None)
                while may_enter and not self._closing.is_set():
                    line = lines.readline(_LONGEST)
                    if not line:
                        return
                    lines.write(json.dumps(self._answer(line)) + "\n")
                    lines.flush()
        except (OSError, ValueError):
            return
        finally:
            self._places.release()

    def _may_enter(self, line: str) -> bool:
        try:
            given = json.loads(line)
        except (ValueError, RecursionError):
            return False
        token = given.get("token") if isinstance(given, dict) and given.get("do") == "enter" else None
        return isinstance(token, str) and secrets.compare_digest(token.encode(), self.token.encode())

    def _answer(self, line: str) -> dict[str, Any]:
        try:
            given = json.loads(line)
            return {"ok": True, **(self._do(given) or {})}
        except MachineStopped as stopped:
            return {"error": stopped.text}
        except KeyError as error:
            return {"error": f"there is no {error.args[0]}"}
        except (ValueError, TypeError, ValidationError, RecursionError) as error:
            return {"error": str(error)}

    def _do(self, given: dict[str, Any]) -> dict[str, Any] | None:
        world, what = self._world, given["do"]
        if what == "jog":  # the joystick does not wait for anything
            velocity = np.array(given["velocity"], dtype=float)
            speed = float(np.linalg.norm(velocity))
            self._velocity = velocity if speed <= _FASTEST else velocity * _FASTEST / speed
            self._until = time.monotonic() + _DEAD_S
            return None
        if what == "look":
            return self._seen()
        if what == "power":
            if given["on"]:
                self._server.power_on()
            else:
                self._server.power_off()
            return None
        if "touch" in what and not self._server.user_enabled:
            raise MachineStopped(0, "the program moves the machine now")
        with world.busy:
            return self._handle(what, given)

    def _handle(self, what: str, given: dict[str, Any]) -> dict[str, Any] | None:
        world = self._world
        match what:
            case "build":
                world.build(ProbeAssembly.model_validate_json(json.dumps(given["assembly"])))
            case "mount":
                world.mount(given["name"])
            case "rack":
                ports = [RackPort.model_validate_json(json.dumps(p)) for p in given["ports"]]
                world.rack = {name: port for name, port in zip(given["names"], ports, strict=True) if name}
            case "sphere":
                world.put_sphere(ReferenceSphere.model_validate_json(json.dumps(given["record"])))
            case "move sphere":
                world.move_sphere(np.array(given["by"], dtype=float))
            case "clean":
                world.clean()
            case "fault":
                text = str(given["text"]).replace("next", str(self._server.messages + 3))
                world.faults.every.append(Fault.read(text))
            case "no faults":
                world.faults.every.clear()
                world.clean()
            case "touch":
                return self._reported(
                    world.touch_by_hand(np.array(given["direction"], dtype=float), float(given["reach"]))
                )
            case "raise":
                Operator(world).raises_quill()
            case "touch sphere":
                return self._reported(Operator(world).touches_sphere(int(given.get("number", 0))))
            case "gauge":
                world.put_gauge(LengthStandard.model_validate_json(json.dumps(given["standard"])))
            case "pieces":
                pieces = Pieces.model_validate_json(json.dumps(given["pieces"]))
                world.others = () if world.part is None else world.part.beside(pieces, world.seed)
            case "no gauge":
                world.gauge = None
            case "touch gauge":
                return self._reported(Operator(world).touches_gauge(int(given["number"])))
            case "touch part":
                return self._reported(self._touch_part(given))
            case "pace":
                world.drive.pace = float(given["pace"])
            case _:
                raise ValueError(f"{what!r} is nothing that hands can do")
        return None

    def _reported(self, touch: SensorTouch | None) -> dict[str, Any]:
        if touch is not None:
            self._server.hand_touch(touch)
        return {"touched": touch is not None}

    def _touch_part(self, given: dict[str, Any]) -> SensorTouch | None:
        """Touch a place of the part (in its own coordinates, as its drawing shows it) against a direction."""
        part = self._world.part
        if part is None:
            raise ValueError("there is no part on the table")
        place = apply(part.machine_from_part, part.growth * np.array(given["place"], dtype=float))
        return Operator(self._world).touches(place, rotate(part.machine_from_part, np.array(given["out"], dtype=float)))

    def _seen(self) -> dict[str, Any]:
        world = self._world
        return {
            "quill": world.drive.scales.tolist(),
            "mounted": "" if world.probe is None else world.probe.assembly.name,
            "pose": None if world.probe is None else world.probe.pose.model_dump(),
            "stylus": world.stylus_id,
            "sphere": None if world.sphere is None else world.sphere.center.tolist(),
            "part": None if world.part is None else world.part.machine_from_part.ravel().tolist(),
            "gauge": None if world.gauge is None else world.gauge.machine_from_gauge.ravel().tolist(),
            "table": world.table.z,
            "travel": [list(v) for v in world.settings.travel],
            "fault": world.fault_text,
            "homed": world.homed,
        }
