"""Qualifying styli on the machine: one after the other, stopped and taken up again without losing anything."""

from collections.abc import Callable
from datetime import datetime

import numpy as np

from truegauge.core.arrays import Vector, unit
from truegauge.core.errors import DeviceError
from truegauge.core.probing.probing import Probing, QualificationSettings, StylusUse
from truegauge.core.probing.qualification import fit_reference_sphere
from truegauge.core.probing.records import MachineRecord, QualificationRecord, needs_location
from truegauge.core.probing.sphere import TouchPattern
from truegauge.core.probing.standing import Standing, standing
from truegauge.devices.cmm.machine import Cmm
from truegauge.runs.events import RunEvent, SphereTouched, Tell, TouchWanted, nobody
from truegauge.runs.findings import Findings, agreeing
from truegauge.runs.machine_run import GoAway, MachineRun, Step
from truegauge.runs.on_sphere import SphereTouching
from truegauge.runs.routing import KINEMATICS

_CHANGE_WAY = 250.0  # mm, about: up to where the head can turn
_FIRST_PASS = TouchPattern(5, 1, float(np.radians(70.0)))
_SECOND_LOOK = TouchPattern(11, 2, float(np.radians(85.0)))
_WIDE_SEARCH = 12.0  # mm that are felt beyond the surface before the centre is known
_ELSEWHERE = float(np.cos(np.radians(12.0)))


class Qualifying(MachineRun):
    """A run of qualifications, the master first where it must locate the sphere, and asked again at the end."""

    def __init__(
        self, cmm: Cmm, probing: Probing, record: MachineRecord, uses: tuple[StylusUse, ...], tell: Tell = nobody,
        now: Callable[[], datetime] = datetime.now, known: Standing | None = None,
    ) -> None:  # fmt: skip
        super().__init__(cmm, probing, tell)
        master = probing.master_or_first()
        if master is None:
            raise DeviceError("the plan has no stylus: build a probe assembly first")
        self.master = master
        self.findings = Findings(probing, master, record, self._told, now)
        self.sphere = SphereTouching(self, known or standing(record))
        # Changing a probe takes longest, then turning the head: what the master hangs on comes first.
        order = {u: (u.assembly != master.assembly, k) for k, u in enumerate(probing.uses())}
        wanted = sorted({u for u in uses if u != master}, key=lambda u: order.get(u, (True, len(order))))
        verify = (VerifyStep(self),) if wanted else ()
        if needs_location(record, probing, uses):
            wanted.insert(0, master)
        away = GoAway(self, lambda: self.sphere.room(self.findings.last_center), probing.name_of(master))
        self.take(tuple(StylusStep(self, u) for u in wanted), (*verify, away))

    def _told(self, event: RunEvent) -> None:
        self.tell(event)

    @property
    def record(self) -> MachineRecord:
        """What is known of the machine now."""
        return self.findings.record

    @property
    def done(self) -> list[QualificationRecord]:
        """What came of the styli so far."""
        return self.findings.done


class StylusStep(Step):
    """The qualification of one stylus."""

    def __init__(self, run: Qualifying, use: StylusUse) -> None:
        self._run, self.use = run, use
        self._begin()

    def _begin(self) -> None:
        self._center: Vector | None = None  # the sphere's, as this stylus is believed to see it
        self._is_sure = False  # the centre is known well enough to measure
        self._touches: list[Vector] = []
        self._first: list[Vector] = []

    @property
    def name(self) -> str:
        """The stylus."""
        return self._run.probing.name_of(self.use)

    @property
    def share(self) -> float:
        """How many of its touches are done."""
        return min(0.95, len(self._touches) / self._settings.touches)

    @property
    def _settings(self) -> QualificationSettings:
        return self._run.probing.settings

    @property
    def _is_master(self) -> bool:
        return self.use == self._run.master

    def seconds(self) -> float:
        """Return how long it takes, roughly."""
        s = self._settings
        one = KINEMATICS.touching(s.approach, s.retract, s.touch_speed, s.travel_speed)
        one += KINEMATICS.moving(self._run.probing.sphere.diameter + 2 * s.approach, s.travel_speed)
        count = s.touches + (_FIRST_PASS.touches if s.two_passes or self._is_master else 0)
        by_hand = 4.0 * (s.touches if s.by == "hand" else 1 if s.by != "machine" else 0)
        return (
            (0 if s.by == "hand" else count * one)
            + by_hand
            + 2 * KINEMATICS.moving(_CHANGE_WAY, s.travel_speed)
            + KINEMATICS.turn_s
        )

    def skip(self) -> None:
        """Leave it, unless nobody else can say where the sphere stands."""
        if self._is_master and self._run.findings.why_hand_touch():
            raise DeviceError("the master stylus locates the sphere for all others: it cannot be left out")

    def do(self) -> None:
        """Touch what is left to touch, and conclude."""
        run, s = self._run, self._settings
        run.moving.take(run.sphere.room(run.findings.last_center), self.use)
        temperature = run.cmm.temperature()
        run.cmm.set_speeds(travel_speed=s.travel_speed, touch_speed=s.touch_speed, approach=s.approach,
                           retract=s.retract, search=_WIDE_SEARCH)  # fmt: skip
        if s.by == "hand":
            self._all_by_hand()
        else:
            self._measure(self._find_center())
        touches = np.array(self._touches)
        self._begin()  # if nothing good comes of it, it is touched anew
        run.findings.conclude(self.use, touches, temperature)

    def _find_center(self) -> Vector:
        """Return where the sphere is, well enough to measure it."""
        run = self._run
        if self._center is None:
            self._center = self._believed_center()
        if not self._is_sure and (self._settings.two_passes or self._is_master):
            for direction in run.sphere.directions(self.use, _FIRST_PASS, self._center)[len(self._first) :]:
                self._first.append(run.sphere.touch(self.use, self._center, direction).place)
            self._center = fit_reference_sphere(np.array(self._first)).center
        self._is_sure = True
        return self._center

    def _believed_center(self) -> Vector:
        run, why = self._run, ""
        if self._is_master:
            why = run.findings.why_hand_touch()
        if self._settings.by == "first touch by hand" and not why:
            why = "the first touch of each stylus is made by hand, as it was chosen"
        if why:
            touch = run.sphere.by_hand(self.use, why)
            # Straight along the shaft: the ball's centre lies ahead of the tip.
            reach = run.probing.sphere.radius + run.sphere.place(self.use).radius
            return np.asarray(touch.place - reach * unit(touch.out))
        known = run.findings.last_center
        assert known is not None
        return known

    def _measure(self, center: Vector) -> None:
        run, s = self._run, self._settings
        if s.two_passes:
            run.cmm.set_speeds(search=min(_WIDE_SEARCH, s.approach))
        pattern = TouchPattern(s.touches, s.rows, float(np.radians(s.span_deg)))
        directions = run.sphere.directions(self.use, pattern, center)
        for direction in directions[len(self._touches) :]:
            self._touches.append(run.sphere.touch(self.use, center, direction).place)
            run.tell(SphereTouched(self.use, len(self._touches), len(directions)))
            run.check()

    def _all_by_hand(self) -> None:
        run, s = self._run, self._settings
        while len(self._touches) < s.touches:
            left = s.touches - len(self._touches)
            why = (f"{left} more touch{'es' if left > 1 else ''} by hand, the first along the shaft, the others "
                   "spread over the half that faces the stylus")  # fmt: skip
            self._touches.append(run.sphere.by_hand(self.use, why).place)
            run.tell(SphereTouched(self.use, len(self._touches), s.touches))
        run.tell(TouchWanted(self.use, ""))


class VerifyStep(Step):
    """Touch the sphere with the master again: had it moved meanwhile, all offsets of the run would be wrong."""

    def __init__(self, run: Qualifying) -> None:
        self._run = run

    @property
    def where(self) -> str:
        """The master."""
        return self._run.probing.name_of(self._run.master)

    def do(self) -> None:
        """Find the sphere where it was, or say what is wrong."""
        run, s, limits = self._run, self._run.probing.settings, self._run.probing.limits
        if not self._can_be_asked():
            return
        was = run.findings.last_center
        assert was is not None
        run.moving.take(run.sphere.room(was), run.master)
        run.cmm.set_speeds(travel_speed=s.travel_speed, touch_speed=s.touch_speed, search=_WIDE_SEARCH)
        touched, seen = list[Vector](), list[Vector]()
        for pattern in (_FIRST_PASS, _SECOND_LOOK):
            for direction in run.sphere.directions(run.master, pattern, was):
                if all(direction @ d < _ELSEWHERE for d in seen):  # not where it has touched already
                    seen.append(direction)
                    touched.append(run.sphere.touch(run.master, was, direction).place)
                    run.check()
            # Dirt under one touch moves the centre of a few, and hardly scatters them: more of them tell.
            fit = agreeing(np.array(touched))
            shift = float(np.linalg.norm(fit.center - was))
            if shift <= limits.moved and fit.deviation <= limits.acceptable:
                break
        if fit.deviation > limits.look:
            raise DeviceError(
                f"the touches of the master scatter by {fit.deviation:.4f} mm at the end of the run: clean it and the "
                "sphere, see that it is tight, and qualify it again; whether the sphere moved is not known"
            )
        if shift <= limits.moved:
            run.findings.sphere_stays()
        else:
            run.findings.sphere_moved(shift)

    def _can_be_asked(self) -> bool:
        """Whether there is something to verify, and the master, qualified in this run or one beside it, is at hand."""
        run = self._run
        mine = run.probing.assembly(run.master.assembly).content_key
        use = run.cmm.use
        return (
            run.findings.record.location is not None
            and run.probing.settings.by != "hand"
            and any(q.assembly_key == mine for q in run.done)
            and not all(q.master for q in run.done)
            and use is not None
            and use.assembly == run.master.assembly
        )
