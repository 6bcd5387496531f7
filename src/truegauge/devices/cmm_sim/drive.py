"""How the machine moves: it takes its time, says where it is, and can be stopped."""

import threading
import time
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from truegauge.core.arrays import Vector
from truegauge.core.routes.kinematics import Kinematics
from truegauge.devices.cmm_sim.words import MachineStopped
from truegauge.devices.ipp import messages as m

_TICK_S = 0.02


class Drive:
    """The axes. `pace` says how many times as fast as a real machine it runs; 0: as fast as it can."""

    def __init__(self, scales: Vector, kinematics: Kinematics, pace: float) -> None:
        self.scales, self.kinematics, self.pace = scales, kinematics, pace
        self.spent = 0.0  # s of its own time that it was under way or waited, whatever its pace
        self.stop = threading.Event()
        self.moved: Callable[[], None] = lambda: None

    @property
    def acceleration(self) -> float:
        """How fast it speeds up, mm/s²; a program may set it."""
        return self.kinematics.acceleration

    @acceleration.setter
    def acceleration(self, value: float) -> None:
        self.kinematics = replace(self.kinematics, acceleration=value)

    def run_to(self, quill: Vector, speed: float) -> None:
        """Move the quill to its scales (3,): be on the way for as long as it takes, and say where."""
        start = self.scales.copy()
        length = float(np.linalg.norm(quill - start))
        duration = self.kinematics.moving(length, speed)
        self.spent += duration
        began = time.monotonic()
        if self.pace > 0 and duration > 0:
            while True:
                spent = (time.monotonic() - began) * self.pace
                if spent >= duration:
                    break
                share = float(self.kinematics.share_of_way(np.array([spent]), length, speed)[0])
                self.scales = start + share * (quill - start)
                self.moved()
                if self.stop.wait(_TICK_S):
                    break
        if self.stop.is_set():
            self.stop.clear()
            raise MachineStopped(m.ABORTED, "stopped by the user", 1)
        self.scales = quill
        self.moved()

    def wait(self, seconds: float) -> None:
        """Stand still for a while."""
        self.spent += seconds
        if self.pace > 0 and self.stop.wait(seconds / self.pace):
            self.stop.clear()
            raise MachineStopped(m.ABORTED, "stopped by the user", 1)
