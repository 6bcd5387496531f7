"""Touching features by machine at their nominal places: stopped and taken up again without losing a touch."""

from collections.abc import Callable
from datetime import datetime
from itertools import pairwise

from truegauge.core.errors import DeviceError
from truegauge.core.probing.records import MachineRecord
from truegauge.core.probing.travel import NoWay
from truegauge.devices.cmm.machine import Cmm
from truegauge.runs.events import FeatureBegun, FeatureComplete, FeatureTouched, Tell, nobody
from truegauge.runs.machine_run import CHANGE_WAY, KINEMATICS, GoAway, MachineRun, Step
from truegauge.runs.routing import FeatureRoute, FeatureToTouch, Left, Router, least_touches
from truegauge.runs.stylus import Stylus

_FEATURE_WAY = 120.0  # mm, from one feature to the next


class Touching(MachineRun):
    """A run over features; those that could not be touched, and why, are `left`."""

    def __init__(
        self, cmm: Cmm, router: Router, record: MachineRecord, features: tuple[FeatureToTouch, ...],
        tell: Tell = nobody, now: Callable[[], datetime] = datetime.now,
    ) -> None:  # fmt: skip
        super().__init__(cmm, router.probing, tell)
        self.router, self.record, self.now = router, record, now
        routes = [router.route(f) for f in features]
        self.left = tuple(r for r in routes if isinstance(r, Left))
        # Datums first, then features of one stylus after the other: changing costs more than travel.
        order = {u: k for k, u in enumerate(router.probing.uses())}
        own = [r for r in routes if isinstance(r, FeatureRoute)]
        own.sort(key=lambda r: (not r.feature.first, order[r.use]))
        self.take(tuple(FeatureStep(self, r) for r in own), (GoAway(self, lambda: router.room),))

    @property
    def waiting(self) -> tuple[FeatureRoute, ...]:
        """What is left to touch; the first may be touched in part."""
        return tuple(s.route for s in self.pending if isinstance(s, FeatureStep))

    def seconds(self) -> float:
        """Return how long the rest takes: touches and the ways between them; ways between features roughly."""
        uses = [self.cmm.use, *(r.use for r in self.waiting)]
        changes = sum(a != b for a, b in pairwise(uses))
        up_and_down = 2 * KINEMATICS.moving(CHANGE_WAY, self.probing.moves.travel_speed) + KINEMATICS.turn_s
        return super().seconds() + changes * up_and_down


class FeatureStep(Step):
    """The touches of one feature."""

    def __init__(self, run: Touching, route: FeatureRoute) -> None:
        self._run, self.route = run, route
        self.size = float(len(route.places))
        self._done = self._missed = 0
        self._why = ""  # no way leads to those missed

    @property
    def name(self) -> str:
        """The feature."""
        return self.route.feature.name

    @property
    def where(self) -> str:
        """The feature, and which of its touches."""
        return f"{self.name}, touch {self._done + 1}"

    @property
    def share(self) -> float:
        """How many of its places are done with."""
        return self._done / max(self.size, 1.0)

    def seconds(self) -> float:
        """Return how long it takes, roughly."""
        moves, route = self._run.probing.moves, self.route
        touch = KINEMATICS.touching(route.approach, route.approach, moves.touch_speed, moves.travel_speed)
        before = route.places.points[self._done :] + route.approach * route.places.normals[self._done :]
        to_it = KINEMATICS.moving(_FEATURE_WAY, moves.travel_speed)
        return to_it + len(before) * touch + KINEMATICS.along(before, moves.travel_speed)

    def no_way(self, error: NoWay) -> None:
        """Leave it out: the machine stands where it is free, the others can go on."""
        self._leave(str(error))

    def do(self) -> None:
        """Touch the places that are left, then tell what came of it."""
        self._touch_places()
        route, count = self.route, len(self.route.places)
        if self._missed:
            self._leave(f"{self._missed} of {count} places were not touched: {self._why}")
        # Old touches give way only to new ones that can take their place.
        if count - self._missed >= least_touches(route.feature.nominal):
            self._run.tell(FeatureComplete(route))

    def _leave(self, why: str) -> None:
        self._run.left = (*self._run.left, Left(self.route.feature, why))

    def _touch_places(self) -> None:
        run, route = self._run, self.route
        probing, cmm, room = run.probing, run.cmm, run.router.room
        moves, place = probing.moves, room.shape(route.use)[1]
        if cmm.use != route.use:
            run.moving.take(room, route.use)
        stylus = Stylus(probing, run.record, route.use, cmm.temperature(), run.now(), moves.touch_speed)
        if stylus.why_not:
            raise DeviceError(f"nothing can be measured: {stylus.why_not}")
        cmm.set_speeds(travel_speed=moves.travel_speed, touch_speed=moves.touch_speed, approach=route.approach,
                       retract=route.approach, search=moves.search)  # fmt: skip
        run.tell(FeatureBegun(route))
        for k in range(self._done, len(route.places)):
            run.check()
            # What the machine believes differs from what is by the offset that was found.
            target = route.places.points[k] - stylus.offset
            out = route.places.normals[k]
            before = target + (place.radius + route.approach) * out
            try:
                run.moving.to(room, route.use, before, out)
            except NoWay as error:  # it stands where it is free: the other places can be touched
                self._missed, self._why = self._missed + 1, str(error)
                self._done = k + 1
                continue
            touch = cmm.touch(target, out, run.check)
            self._done = k + 1
            row = -1 if route.places.rows is None else int(route.places.rows[k])
            run.tell(FeatureTouched(stylus.touched(touch, route.feature.id, row)))
