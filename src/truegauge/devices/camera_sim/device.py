"""The camera that does not exist as a device: a stream of pictures over the device protocol."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from typing import TYPE_CHECKING

from truegauge.devices.live.messages import Hello
from truegauge.devices.live.server import LiveServer
from truegauge.devices.live.wire import Picture

if TYPE_CHECKING:
    from truegauge.devices.camera_sim.scene import Scene
    from truegauge.devices.live.faults import LineFault

_RATE = 10.0  # pictures a second


class CameraStandIn:
    """Serves pictures of a scene until it is closed. `before` is called before each: what a hand does then."""

    def __init__(
        self, scene: Scene, name: str, serial: str = "C-1", faults: list[LineFault] | None = None, *, port: int = 0,
        rate: float = _RATE, before: Callable[[], None] = lambda: None,
    ) -> None:  # fmt: skip
        self.scene, self._every, self._before = scene, 1.0 / rate if rate > 0 else 0.0, before
        rows, columns = scene.camera.shape
        about = Hello(device="camera", name=name, serial=serial, boot="-", series="-", time=0.0, rows=rows,
                      columns=columns)  # fmt: skip
        self.server = LiveServer(about, port, faults=faults or [])
        self.taken = 0
        self._lock, self._ended = threading.Lock(), threading.Event()
        self._thread = threading.Thread(target=self._take, name="camera", daemon=True)
        self._thread.start()

    @property
    def port(self) -> int:
        """The port of its line."""
        return self.server.port

    def do(self, what: Callable[[Scene], None]) -> None:
        """Let a hand do something between two pictures."""
        with self._lock:
            what(self.scene)

    def close(self) -> None:
        """Stop serving."""
        self._ended.set()
        self._thread.join(5.0)
        self.server.close()

    def _take(self) -> None:
        due = time.monotonic()
        while not self._ended.is_set():
            if self.server.is_used:
                with self._lock:
                    self._before()
                    pixels = self.scene.next_picture()
                self.taken += 1
                self.server.show_picture(Picture(self.taken, self.server.clock(), pixels))
            due = max(due + self._every, time.monotonic())
            self._ended.wait(max(0.002, due - time.monotonic()))
