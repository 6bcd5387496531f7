"""An operator at the joystick, who aims by eye and finds a way around what stands there."""

import numpy as np

from truegauge.core.arrays import Vector, any_perpendicular
from truegauge.core.frames import apply, rotate
from truegauge.core.probing.length_standard import BY_HAND, by_hand_place
from truegauge.core.probing.sphere import TouchPattern, touch_directions
from truegauge.core.probing.travel import NoWay, Surroundings, find_way
from truegauge.devices.cmm_sim.words import MachineStopped, SensorTouch
from truegauge.devices.cmm_sim.world import CmmWorld
from truegauge.devices.ipp import messages as m

_BY_EYE = TouchPattern(9, 2)


class Operator:
    """Of one machine."""

    def __init__(self, world: CmmWorld) -> None:
        self._world = world

    def touches_sphere(self, number: int = 0) -> SensorTouch | None:
        """Have an operator touch the sphere, as well as the eye can aim: once along the shaft, the next ones around."""
        w = self._world
        tip = w.true_tip()
        if w.sphere is None:
            raise MachineStopped(m.ARGUMENT, "there is no reference sphere on the table", 0)
        out = -tip.direction
        if number > 0:
            around = touch_directions(_BY_EYE, tip.direction, w.sphere.record, tip.radius + 2.5)
            out = around[number % len(around)]
        return self.touches(w.sphere.center + w.sphere.record.radius * out, out)

    def touches_gauge(self, number: int) -> SensorTouch | None:
        """Have an operator touch a face of the step gauge that tells where it lies."""
        gauge = self._world.gauge
        if gauge is None:
            raise MachineStopped(m.ARGUMENT, "there is no step gauge on the table", 0)
        pose = gauge.machine_from_gauge
        place = apply(pose, by_hand_place(gauge.standard, number)[None])[0]
        return self.touches(place, rotate(pose, np.array([BY_HAND[number][1]]))[0])

    def touches(self, place: Vector, out: Vector, aim: float = 0.8) -> SensorTouch | None:
        """Have an operator bring the tip before a place (3,) and touch it against the direction `out` (3,)."""
        w = self._world
        w.ready()
        tip = w.true_tip()
        x = any_perpendicular(out)
        off = w.rng.normal(0, aim, 2) @ np.vstack([x, np.cross(out, x)])
        goal = place + off + (tip.radius + 6.0) * out - tip.center
        around = Surroundings(w.obstacles, float(w.settings.travel[1][2]))
        here, ways = w.true_quill(w.drive.scales), (-tip.direction, *np.eye(3), *-np.eye(3))
        try:
            way = find_way(w.shape(), here, goal, around, leave=ways, arrive=(-tip.direction, out))
        except NoWay as error:
            raise MachineStopped(m.COLLISION, f"the operator finds no way there: {error}", 0) from error
        for stop in way:
            w.travel(stop)
        return w.touch_by_hand(-out, 20.0)

    def raises_quill(self) -> None:
        """Have an operator move the probe out of the part and up, so that the head can turn."""
        w = self._world
        w.ready()
        if w.probe is None or not w.stylus_id:
            return
        here, ways = w.true_quill(w.drive.scales), (-w.true_tip().direction, *np.eye(3), *-np.eye(3))
        safe = float(w.settings.travel[1][2]) - 150.0
        if here[2] >= safe:
            return
        up = np.array([*here[:2], safe])
        for stop in find_way(w.shape(), here, up, Surroundings(w.obstacles, up[2]), leave=ways):
            w.travel(stop)
