"""The hand that leads the arm: it reaches, rests and trembles as hands do, and never hits quite what it aims at."""

import time
from collections.abc import Callable

import numpy as np

from truegauge.core.arrays import Points, Vector, any_perpendicular, unit
from truegauge.core.frames import apply, rotate
from truegauge.devices.arm_sim.world import ArmWorld

_TICK_S = 0.02
_BEFORE = 25.0  # mm before a surface that a hand slows down
Moved = Callable[[Vector, Vector], None]  # the centre of the tip and the direction of the stem, as the arm says


class Hand:
    """Of one arm. `moved` is told where the tip is, at a pace that is a hand's or faster."""

    def __init__(self, world: ArmWorld, moved: Moved) -> None:
        self._world, self._moved = world, moved
        self.at: Vector = np.array([0.3 * world.settings.reach, 0.0, 400.0])

    def goes_and_touches(self, place: Vector, out: Vector) -> tuple[Vector, Vector, Vector] | None:
        """Touch a place (3,) of the part about from the direction `out` (3,), both in coordinates of the part.

        Returns the true centre of the tip, the direction of the stem to the hand, and the way in which the tip is drawn
        back; None when the tip met nothing.
        """
        w, s = self._world, self._world.settings
        pose = w.device_from_part
        target, away = apply(pose, place[None])[0], unit(rotate(pose, out[None])[0])
        x = any_perpendicular(away)
        beside = w.rng.normal(0, s.aim, 2) @ np.vstack([x, np.cross(away, x)])
        # Nobody holds the stem quite square, nor comes quite square.
        stem = unit(away + 0.15 * w.rng.normal(size=3))
        way = unit(-away + 0.05 * w.rng.normal(size=3))
        start = w.before(target + beside, -way, _BEFORE)
        if start is None:
            start = w.before(target, away, _BEFORE)  # into something narrow a hand takes care
        if start is None:
            return None
        self._lead(start, stem, s.speed)
        met = w.contact(start, way)
        if met is None:
            return None
        self._lead(met, stem, s.touch_speed)
        self._rest(stem, s.dwell_s)
        return met, stem, -way

    def goes_to(self, place: Vector, stem: Vector) -> None:
        """Lead the tip to a place (3,) of the device and rest there."""
        self._lead(place, stem, self._world.settings.speed)
        self._rest(stem, self._world.settings.dwell_s)

    def draws_back(self, out: Vector, stem: Vector) -> None:
        """Lead the tip off the surface again."""
        w = self._world
        free = w.before(self.at - w.settings.radius * out, out, _BEFORE)
        self._lead(self.at if free is None else free, stem, w.settings.speed)

    def _lead(self, to: Vector, stem: Vector, speed: float) -> None:
        """Go somewhere as a hand does: it speeds up, slows down, and trembles on the way."""
        w = self._world
        start, pace = self.at, w.settings.pace
        length = float(np.linalg.norm(to - start))
        duration = length / speed + 0.15
        if pace > 0:
            began = time.monotonic()
            while (spent := (time.monotonic() - began) * pace) < duration:
                t = spent / duration
                share = t**3 * (10 - 15 * t + 6 * t * t)  # as little jerk as can be (Flash and Hogan 1985)
                off = w.settings.tremble * np.sin(2 * np.pi * 8.0 * spent + np.arange(3)) * (t < 0.98)
                self._say(start + share * (to - start) + off, stem)
                time.sleep(_TICK_S)
        self.at = to
        self._say(to, stem)

    def _rest(self, stem: Vector, seconds: float) -> None:
        pace = self._world.settings.pace
        end = time.monotonic() + seconds / pace if pace > 0 else 0.0
        while time.monotonic() < end:
            self._say(self.at, stem)
            time.sleep(_TICK_S)

    def _say(self, at: Vector, stem: Vector) -> None:
        places: Points = at[None]
        self._moved(self._world.believed(places)[0], stem)
