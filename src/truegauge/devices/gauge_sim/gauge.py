"""A stand-in for a temperature gauge: air, part and device, each at its own pace."""

import threading
from functools import partial
from typing import Literal

import numpy as np

from truegauge.devices.live.faults import LineFault
from truegauge.devices.live.messages import Hello, Reading
from truegauge.devices.live.server import LiveServer

_EVERY_S = 2.0
Of = Literal["air", "part", "device"]
_OF: tuple[Of, ...] = ("air", "part", "device")


class GaugeStandIn:
    """Serves readings until it is closed: the day warms the air, the part follows it slowly, the device is warm."""

    def __init__(
        self, seed: int = 1, faults: list[LineFault] | None = None, *, port: int = 0, pace: float = 1.0
    ) -> None:
        rng = np.random.default_rng([seed, 31])
        self.temperatures: dict[Of, float] = {
            "air": 20.4 + float(rng.normal(0, 0.4)),
            "part": 20.0 + float(rng.normal(0, 0.3)),
            "device": 22.5 + float(rng.normal(0, 0.3)),
        }
        self._rng, self._every = rng, _EVERY_S / pace if pace > 0 else 0.02
        about = Hello(device="gauge", name="Gauge stand-in", serial=f"G-{seed}", boot="-", series="-", time=0.0)
        self.server = LiveServer(about, port, faults=faults or [])
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._read, name="gauge", daemon=True)
        self._thread.start()

    @property
    def port(self) -> int:
        """The port of its line."""
        return self.server.port

    def close(self) -> None:
        """Stop serving."""
        self._ended.set()
        self._thread.join(3.0)
        self.server.close()

    def _read(self) -> None:
        k = 0
        while not self._ended.wait(self._every / len(_OF)):
            of, t = _OF[k % len(_OF)], self.temperatures
            k += 1
            t["air"] += 0.0003
            t["part"] += 0.002 * (t["air"] - t["part"])
            value = round(t[of] + float(self._rng.normal(0, 0.005)), 3)
            self.server.put(partial(_reading, of, value))


def _reading(of: Of, value: float, seq: int, seconds: float) -> Reading:
    return Reading(seq=seq, time=seconds, of=of, value=value)
