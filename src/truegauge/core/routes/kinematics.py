"""How long a machine takes: for ways, touches, turns of its head and changes of its probe.

One set of numbers for estimates, rehearsals and the stand-in.
"""

from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Floats, Points


@dataclass(frozen=True, slots=True)
class Kinematics:
    """`acceleration` mm/s² along a way, up and down; `turn_s` a turn of the head takes, `dock_s` a port of the rack."""

    acceleration: float = 1200.0
    turn_s: float = 1.2
    dock_s: float = 2.0

    def moving(self, length: float, speed: float) -> float:
        """Return how long a straight way of a length (mm) takes from rest to rest at most at a speed (mm/s), s.

        The speed is a trapezium over time, or a triangle where the way is too short to reach it.
        """
        if length <= 0:
            return 0.0
        if length < speed * speed / self.acceleration:
            return float(2 * np.sqrt(length / self.acceleration))
        return length / speed + speed / self.acceleration

    def along(self, places: Points, speed: float) -> float:
        """Return how long it takes along a polyline (n, 3) mm, at rest in every corner."""
        return float(sum(self.moving(float(leg), speed) for leg in np.linalg.norm(np.diff(places, axis=0), axis=1)))

    def touching(self, approach: float, retract: float, touch_speed: float, travel_speed: float) -> float:
        """Return how long a touch takes from before the surface: the way to it at the touch speed, and back."""
        return self.moving(approach, touch_speed) + self.moving(retract, travel_speed)

    def share_of_way(self, times: Floats, length: float, speed: float) -> Floats:
        """Return how far along a way (share of its length) the machine is at times (n,) s after its start."""
        total = self.moving(length, speed)
        if total <= 0:
            return np.ones(len(times))
        top = min(speed, float(np.sqrt(length * self.acceleration)))
        ramp = top / self.acceleration
        t = np.clip(times, 0.0, total)
        left = total - t
        rising = 0.5 * self.acceleration * t**2
        steady = 0.5 * top * ramp + top * (t - ramp)
        falling = length - 0.5 * self.acceleration * left**2
        return np.asarray(np.where(t < ramp, rising, np.where(left < ramp, falling, steady)) / length)
