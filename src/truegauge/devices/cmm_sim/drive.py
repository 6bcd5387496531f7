"""How the machine moves: it takes its time, says where it is, and can be stopped."""

import threading
import time
from collections.abc import Callable

import numpy as np

from truegauge.core.arrays import Vector
from truegauge.devices.cmm_sim.words import MachineStopped
from truegauge.devices.ipp import messages as m

_TICK_S = 0.02


class Drive:
    """The axes. `pace` says how many times as fast as a real machine it runs; 0: as fast as it can."""

    def __init__(self, scales: Vector, acceleration: float, pace: float) -> None:
        self.scales, self.acceleration, self.pace = scales, acceleration, pace
        self.stop = threading.Event()
        self.moved: Callable[[], None] = lambda: None

    def run_to(self, quill: Vector, speed: float) -> None:
        """Move the quill to its scales (3,): be on the way for as long as it takes, and say where."""
        start = self.scales.copy()
        length = float(np.linalg.norm(quill - start))
        duration = self.duration(length, speed)
        began = time.monotonic()
        if self.pace > 0 and duration > 0:
            while True:
                share = (time.monotonic() - began) * self.pace / duration
                if share >= 1:
                    break
                self.scales = start + share * (quill - start)
                self.moved()
                if self.stop.wait(_TICK_S):
                    break
        if self.stop.is_set():
            self.stop.clear()
            raise MachineStopped(m.ABORTED, "stopped by the user", 1)
        self.scales = quill
        self.moved()

    def duration(self, length: float, speed: float) -> float:
        """Return how long a way takes with its acceleration, s."""
        ramp = speed * speed / self.acceleration
        if length < ramp:
            return float(2 * np.sqrt(length / self.acceleration))
        return length / speed + speed / self.acceleration

    def wait(self, seconds: float) -> None:
        """Stand still for a while."""
        if self.pace > 0 and self.stop.wait(seconds / self.pace):
            self.stop.clear()
            raise MachineStopped(m.ABORTED, "stopped by the user", 1)
