"""Touching features by machine along their route: stopped and taken up again without losing a touch."""

import contextlib
from collections.abc import Callable
from datetime import datetime

import numpy as np

from truegauge.core.arrays import Points, Vector
from truegauge.core.errors import DeviceError
from truegauge.core.probing.probing import StylusUse
from truegauge.core.probing.records import MachineRecord
from truegauge.core.probing.travel import NoWay
from truegauge.core.routes.legs import PlannedRoute, StepPlan, Visit
from truegauge.core.routes.places import BESIDE, FeatureToTouch
from truegauge.core.routes.ways import Ways
from truegauge.core.samples.document import ProbedTouch
from truegauge.devices.cmm.machine import Cmm
from truegauge.devices.cmm.scans import scan, scan_command
from truegauge.runs.events import FeatureBegun, FeatureComplete, FeatureTouched, Tell, nobody
from truegauge.runs.machine_run import GoAway, MachineRun, Step
from truegauge.runs.routing import Left, Router, why
from truegauge.runs.stylus import Stylus

_THERE = 0.05  # mm


class Touching(MachineRun):
    """A run over features; those that could not be touched, and why, are `left`."""

    def __init__(
        self, cmm: Cmm, router: Router, record: MachineRecord, features: tuple[FeatureToTouch, ...],
        tell: Tell = nobody, now: Callable[[], datetime] = datetime.now,
    ) -> None:  # fmt: skip
        super().__init__(cmm, router.probing, tell)
        self.router, self.record, self.now = router, record, now
        self.left: tuple[Left, ...] = ()
        # The visit that goes on inside of the safe envelope, and where the tip was left for it.
        self.goes_on: tuple[Visit, Vector] | None = None
        self.planned: PlannedRoute = router.plan(features, self.standing())
        self.take_plan()

    def take_plan(self) -> None:
        """Have the steps of the planned route to do; what is not reached is left."""
        planned = self.planned
        self.left = (*self.left, *(Left(u.feature, why(u)) for u in planned.unreached))
        steps = [step for step in map(self.step_for, planned.steps) if step is not None]
        self.take(tuple(steps), (GoAway(self, lambda: self.router.room),))

    def step_for(self, plan: StepPlan) -> Step | None:
        """Return what is done for a step of the route; None where nothing is."""
        return FeatureStep(self, plan) if plan.visits and plan.unreached is None else None

    def may_touch(self, stylus: Stylus, use: StylusUse) -> None:
        """Raise `DeviceError` where nothing is to be measured with a stylus."""
        if stylus.why_not:
            raise DeviceError(f"nothing can be measured: {stylus.why_not}")

    def standing(self) -> tuple[StylusUse, Vector] | None:
        """Return the stylus that is on the machine, and where its tip is; None where that is not known now."""
        use = self.cmm.use
        if use is None or not self.router.probing.has_stylus(use):
            return None
        try:
            return use, self.cmm.where()
        except DeviceError:  # the run will connect again by itself
            return None

    def told(self, visit: Visit, k: int, touch: ProbedTouch) -> None:
        """Take a touch of the place numbered `k` of a visit."""
        self.tell(FeatureTouched(touch))

    def taken(self, visit: Visit) -> frozenset[int]:
        """Return the numbers of a visit's places that were touched before this run."""
        return frozenset()

    @property
    def waiting(self) -> tuple[Visit, ...]:
        """What is left to touch; the first may be touched in part."""
        return tuple(v for s in self.pending if isinstance(s, FeatureStep) for v in s.visits)


class FeatureStep(Step):
    """The touches of one feature, with one stylus after the other."""

    def __init__(self, run: Touching, plan: StepPlan) -> None:
        self._run, self.plan = run, plan
        self.visits = list(plan.visits)
        self._count = sum(len(v.places) for v in plan.visits)
        self.size = float(self._count)
        self._before = 0  # touches of visits that are over
        self._done = self._missed = 0
        self._why = ""  # no way leads to those missed
        self._unknown = False  # the sheet beside the next place was not touched
        self._shift = np.zeros(3)  # of the sheet beside an edge, where it was touched

    @property
    def name(self) -> str:
        """The feature."""
        return self.plan.visits[0].feature.name

    @property
    def where(self) -> str:
        """The feature, and which of its touches."""
        return f"{self.name}, touch {self._before + self._done + 1}"

    @property
    def share(self) -> float:
        """How many of its places are done with."""
        return (self._before + self._done) / max(self.size, 1.0)

    def seconds(self) -> float:
        """Return how long it takes from where it is."""
        whole = self._run.planned.seconds_of(self.plan.step.id)
        return whole * (1 - self.share)

    def no_way(self, error: NoWay) -> None:
        """Leave it out: the machine stands where it is free, the others can go on."""
        self._leave(str(error))

    def do(self) -> None:
        """Touch the places that are left, then tell what came of it."""
        while self.visits:
            self._touch_places(self.visits[0])
            if len(self.visits) == 1:
                break
            self._before, self._done = self._before + self._done, 0
            del self.visits[0]
        last = self.visits[0]
        if self._missed:
            self._leave(f"{self._missed} of {self._count} places were not touched: {self._why}")
        # Old touches give way only to new ones that can take their place.
        if self._count - self._missed >= last.least:
            self._run.tell(FeatureComplete(last))

    def _leave(self, reason: str) -> None:
        self._run.left = (*self._run.left, Left(self.plan.visits[0].feature, reason))

    def _touch_places(self, visit: Visit) -> None:
        run = self._run
        probing, cmm, room = run.probing, run.cmm, run.router.room
        moves = probing.moves
        cmm.set_speeds(travel_speed=moves.travel_speed)  # of the way to the rack too: it was planned with it
        self._take(visit)
        stylus = Stylus(probing, run.record, visit.use, cmm.temperature(), run.now(), moves.touch_speed)
        run.may_touch(stylus, visit.use)
        cmm.set_speeds(travel_speed=visit.travel, touch_speed=moves.touch_speed, approach=visit.approach,
                       retract=visit.approach, search=moves.search)  # fmt: skip
        run.tell(FeatureBegun(visit))
        # What the machine believes differs from what is by the offset that was found.
        off = -stylus.offset
        on_route = False
        taken = run.taken(visit)
        while self._done < len(visit.places):
            run.check()
            k = self._done
            out, row = visit.places.normals[k], int(visit.places.rows[k])
            # Beside an edge only what the edge needs still is touched again.
            if k in taken or (row == BESIDE and k + 1 in taken):
                self._done, on_route = k + 1, False
                continue
            before = visit.before(k) + off
            if visit.places.follows_beside(k) and self._unknown:
                self._missed, self._done, on_route = self._missed + 1, k + 1, False
                continue
            try:
                if k == 0:
                    self._come(visit, off)
                elif not on_route or not self._goes(visit.ways[k] + off if len(visit.ways[k]) else before[None], out):
                    run.moving.to(room, visit.use, before, out)
            except NoWay as error:  # it stands where it is free: the other places can be touched
                self._missed, self._why = self._missed + 1, str(error)
                self._done, on_route = k + 1, False
                self._unknown = row == BESIDE
                continue
            if self._traces(visit, k, off, stylus, taken):
                on_route = True
                continue
            shift = np.zeros(3) if row == BESIDE else self._shift
            touch = cmm.touch(visit.places.points[k] + shift + off, out, run.check)
            self._done, on_route = k + 1, True
            self._unknown = False
            if row == BESIDE:  # how much farther out the sheet lies: the edge does so with it
                found = touch.place + stylus.offset - stylus.radius * out
                self._shift = float((found - visit.places.points[k]) @ out) * out
            else:
                run.told(visit, k, stylus.touched(touch, visit.feature.id, row))
        following = run.waiting[1:2]
        if on_route and following and following[0].follows:
            run.goes_on = following[0], run.cmm.where()
        elif on_route and len(visit.out):
            run.moving.along(visit.out + off, None)

    def _traces(self, visit: Visit, k: int, off: Vector, stylus: Stylus, taken: frozenset[int]) -> bool:
        """Lead the tip in contact over what goes on from a place; False where it is touched place by place."""
        last = k
        while last + 1 < len(visit.places) and not len(visit.ways[last + 1]):
            last += 1
        if not visit.traced or last == k or not taken.isdisjoint(range(k, last + 1)):
            return False
        run, rows = self._run, slice(k, last + 1)
        run.cmm.set_speeds(scan_speed=visit.speed)
        points, normals = visit.places.points[rows] + off, visit.places.normals[rows]
        command = scan_command(run.cmm, points, normals)
        if command is None:
            return False
        found = scan(run.cmm, command, points, normals, run.check)
        if found is None:  # it stands somewhere along it: the place is gone to anew, not straight across
            run.moving.to(run.router.room, visit.use, visit.before(k) + off, normals[0])
            return False
        run.moving.normal = visit.places.normals[last]
        for j, touch in enumerate(found, k):
            self._done = j + 1
            run.told(visit, j, stylus.touched(touch, visit.feature.id, int(visit.places.rows[j])))
        return True

    def _take(self, visit: Visit) -> None:
        """Take the stylus of a visit: where all of the probe is outside of the safe envelope, as the route does."""
        run, planner = self._run, self._run.router.planner
        old = run.cmm.use
        if old == visit.use:
            return
        if old is not None and run.router.room.knows(old) and old.assembly == visit.use.assembly:
            here = run.cmm.where()
            if planner.scene.is_outside(old, here):
                # Where the route's way is not to be gone after all, it goes up over everything instead.
                with contextlib.suppress(NoWay):
                    way = Ways(planner.scene, old).around(here, planner.turning_place(old, here))
                    run.moving.along(way, None)
                    run.cmm.take_stylus(run.probing, visit.use)
                    return
        run.moving.take(run.router.room, visit.use)

    def _come(self, visit: Visit, off: Vector) -> None:
        """Go to the first place as the route does: around the safe envelope and in, or on from the last touch."""
        run, scene = self._run, self._run.router.scene
        here, first, out = run.cmm.where(), visit.ways[0] + off, visit.places.normals[0]
        goes_on, run.goes_on = run.goes_on, None
        if visit.follows:
            # It may have been moved since, or the visit before it was left out.
            stayed = goes_on is not None and goes_on[0] is visit and np.allclose(here, goes_on[1], atol=_THERE)
            if stayed and self._goes(first, out):
                return
        elif scene.is_outside(visit.use, here):
            with contextlib.suppress(NoWay):
                way = Ways(scene, visit.use).around(here, first[0])
                if self._goes(np.vstack([way, first[1:]]), out):
                    return
        run.moving.to(run.router.room, visit.use, first[-1], out)

    def _goes(self, way: Points, out: Vector) -> bool:
        """Go along a way of the route; False where the machine cannot: there may be another one."""
        try:
            self._run.moving.along(way, out)
        except NoWay:
            return False
        return True
