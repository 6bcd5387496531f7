"""Qualifying styli on the machine: one after the other, stopped and taken up again without losing anything."""

from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime
from itertools import pairwise

import numpy as np

from truegauge.core.arrays import Mask, Normals, Vector, unit
from truegauge.core.errors import DeviceError
from truegauge.core.probing.assembly import StylusPlace
from truegauge.core.probing.clearance import first_meeting
from truegauge.core.probing.judgement import Judgement, Verdict, judge_qualification, standing_out
from truegauge.core.probing.probing import Probing, QualificationSettings, StylusUse
from truegauge.core.probing.qualification import SphereFit, StylusResult, fit_reference_sphere, qualify
from truegauge.core.probing.records import (
    MachineRecord,
    QualificationRecord,
    SphereLocation,
    needs_location,
    why_hand_touch,
)
from truegauge.core.probing.room import ProbeRoom
from truegauge.core.probing.sphere import TouchPattern, touch_directions
from truegauge.core.probing.sphere_access import reachable
from truegauge.core.probing.standing import Standing, standing
from truegauge.core.progress import Progress
from truegauge.devices.cmm import Cmm, MachineTouch
from truegauge.devices.ipp.client import ConnectionLost, MachineRefused
from truegauge.jobs.moving import Moving

_FIRST_PASS = TouchPattern(5, 1, float(np.radians(70.0)))
_SECOND_LOOK = TouchPattern(11, 2, float(np.radians(85.0)))
_WIDE_SEARCH = 12.0  # mm that are felt beyond the surface before the centre is known
_ARC = np.radians(40.0)
_ELSEWHERE = float(np.cos(np.radians(12.0)))
_HEAD_S = 2.0
_CLEAR = 2.5
_ABOVE = 60.0  # mm over the sphere that travel goes
_MASTER = "the master stylus is loose or bent: tighten or change it, and qualify it first"
_SAME = 0.25  # of a way, by which two of them may differ and be the same
_BESIDE = 0.3  # mm that the probe keeps from the sphere on its way around


@dataclass(slots=True)
class QualifyingTold:
    """What the job tells while it runs; called in its own thread."""

    progress: Progress
    wants_touch: Callable[[StylusUse, str], None] = lambda use, why: None  # by hand; empty: not any more
    touched: Callable[[StylusUse, int, int], None] = lambda use, done, of: None
    qualified: Callable[[QualificationRecord], None] = lambda record: None
    located: Callable[[SphereLocation], None] = lambda location: None


@dataclass(slots=True)
class _Series:
    """The touches of one stylus so far."""

    use: StylusUse
    center: Vector | None = None  # the sphere's, as this stylus is believed to see it
    sure: bool = False  # the centre is known well enough to measure
    touches: list[Vector] = field(default_factory=list)
    first: list[Vector] = field(default_factory=list)


class Qualifying:
    """A run of qualifications. `run` may be called again after it raised: it goes on where it was."""

    def __init__(
        self, cmm: Cmm, probing: Probing, record: MachineRecord, uses: tuple[StylusUse, ...], told: QualifyingTold,
        now: Callable[[], datetime] = datetime.now, known: Standing | None = None,
    ) -> None:  # fmt: skip
        self._known = known or standing(record)
        self._rooms: tuple[object, ProbeRoom] | None = None  # the last that was asked for
        self._moving = Moving(cmm, self._check)
        self.cmm, self.probing, self.record, self.told = cmm, probing, record, told
        self._now = now
        master = probing.master_or_first()
        if master is None:
            raise DeviceError("the plan has no stylus: build a probe assembly first")
        self.master = master
        # Changing a probe takes longest, then turning the head: what the master hangs on comes first.
        order = {u: (u.assembly != master.assembly, k) for k, u in enumerate(probing.uses())}
        pending = sorted({u for u in uses if u != master}, key=lambda u: order.get(u, (True, len(order))))
        if needs_location(record, probing, uses):
            pending.insert(0, master)
        self.pending = tuple(pending)
        self.done: list[QualificationRecord] = []
        self._series: _Series | None = None
        self._count = len(self.pending)
        self._temperature: float | None = None
        self._relocated: Vector | None = None  # by how much the master found the sphere elsewhere in this run
        self._is_away = False  # from the sphere, at the end
        self._unverified = False  # whether the sphere still stands where it did is asked at the end

    @property
    def settings(self) -> QualificationSettings:
        """How styli are qualified."""
        return self.probing.settings

    def seconds(self) -> float:
        """Return how long the rest takes, roughly."""
        return sum(self._seconds_of(u) for u in self.pending)

    def _seconds_of(self, use: StylusUse) -> float:
        s = self.settings
        one = 2 * (s.approach + s.retract) / s.travel_speed + s.approach / s.touch_speed + 1.2
        count = s.touches + (_FIRST_PASS.touches if s.two_passes or use == self.master else 0)
        by_hand = 4.0 * (s.touches if s.by == "hand" else 1 if s.by != "machine" else 0)
        return (0 if s.by == "hand" else count * one) + by_hand + 2 * 300.0 / s.travel_speed + _HEAD_S

    def run(self) -> list[QualificationRecord]:
        """Qualify what is left.

        Raises
        ------
        DeviceError
            It cannot go on; what to do is in the text. What was done is kept.
        """
        lost = 0
        while self.pending or self._unverified or not self._is_away:
            try:
                self._check()
                self.cmm.back_out(self._check)
                if self.pending:
                    self._one(self.pending[0])
                    self._unverified = self._unverified or self.pending[0] != self.master
                    self.pending = self.pending[1:]
                    self._series = None
                elif self._unverified:
                    self._verify()
                    self._unverified = False
                else:
                    self._moving.up(self._room(self._last_center()))
                    self._is_away = True
                lost = 0
            except ConnectionLost:
                lost += 1
                if lost > 3:
                    raise
                self.cmm.reconnect(self.probing, self._check)
            except MachineRefused as error:
                name = self.probing.name_of(self.pending[0] if self.pending else self.master)
                raise DeviceError(f"{name}: {error.said.words}") from error
        return self.done

    def run_with(self, progress: Progress) -> None:
        """Qualify what is left, telling how far it is."""
        self.told.progress = progress
        self.run()

    def skip(self) -> None:
        """Leave the stylus that it stands at; the others go on.

        Raises
        ------
        DeviceError
            It is the master, and nobody else can say where the sphere stands.
        """
        if self.pending and self.pending[0] == self.master and why_hand_touch(self.record, self.probing):
            raise DeviceError("the master stylus locates the sphere for all others: it cannot be left out")
        self.pending, self._series = self.pending[1:], None

    def _check(self) -> None:
        """Tell how far it is; raises when it was cancelled."""
        whole = max(1, self._count)
        done = whole - len(self.pending)
        part = 0.0
        if self._series is not None:
            part = min(0.95, len(self._series.touches) / self.settings.touches)
        name = self.probing.name_of(self.pending[0]) if self.pending else ""
        self.told.progress(min(1.0, (done + part) / whole), name)

    # One stylus -----------------------------------------------------------------------------------------------------

    def _one(self, use: StylusUse) -> None:
        s = self.settings
        if self._series is None or self._series.use != use:
            self._series = _Series(use)
        series = self._series
        self._moving.take(self._room(self._last_center()), use)
        self._temperature = self.cmm.temperature()
        self.cmm.set_speeds(travel_speed=s.travel_speed, touch_speed=s.touch_speed, approach=s.approach,
                            retract=s.retract, search=_WIDE_SEARCH)  # fmt: skip
        place = self._place(use)
        if s.by == "hand":
            self._all_by_hand(series, place)
        else:
            self._find_center(series, place)
            self._measure(series, place)
        self._conclude(series, place)

    def _place(self, use: StylusUse) -> StylusPlace:
        return self.probing.assembly(use.assembly).stylus(use.stylus, use.pose)

    def _last_center(self) -> Vector | None:
        """Return where the sphere stood last: in the way it is also where it may have been moved since."""
        location = self.record.location
        return None if location is None else np.array(location.center)

    def _room(self, center: Vector | None) -> ProbeRoom:
        """Return what is known to stand around, with the sphere at a place (None: nobody knows)."""
        ceiling = self.cmm.highest_quill
        key = (None if center is None else center.tobytes(), ceiling)
        if self._rooms is None or self._rooms[0] != key:
            self._rooms = key, ProbeRoom(self.probing, self._known, center, above=_ABOVE, ceiling=ceiling)
        return self._rooms[1]

    def _find_center(self, series: _Series, place: StylusPlace) -> None:
        if series.center is None:
            why = ""
            if series.use == self.master:
                why = why_hand_touch(self.record, self.probing)
            if self.settings.by == "first touch by hand" and not why:
                why = "the first touch of each stylus is made by hand, as it was chosen"
            if why:
                touch = self._touch_by_hand(series.use, why)
                # Straight along the shaft: the ball's centre lies ahead of the tip.
                reach = self.probing.sphere.radius + place.radius
                series.center = touch.place - reach * unit(touch.out)
            else:
                assert self.record.location is not None
                series.center = np.array(self.record.location.center)
        if series.sure:
            return
        if self.settings.two_passes or series.use == self.master:
            for direction in self._directions(_FIRST_PASS, place, series.center)[len(series.first) :]:
                series.first.append(self._touch(series, place, direction).place)
            series.center = fit_reference_sphere(np.array(series.first)).center
        series.sure = True

    def _measure(self, series: _Series, place: StylusPlace) -> None:
        s = self.settings
        if s.two_passes:
            self.cmm.set_speeds(search=min(_WIDE_SEARCH, s.approach))
        pattern = TouchPattern(s.touches, s.rows, float(np.radians(s.span_deg)))
        assert series.center is not None
        directions = self._directions(pattern, place, series.center)
        for direction in directions[len(series.touches) :]:
            series.touches.append(self._touch(series, place, direction).place)
            self.told.touched(series.use, len(series.touches), len(directions))
            self._check()

    def _all_by_hand(self, series: _Series, place: StylusPlace) -> None:
        s = self.settings
        while len(series.touches) < s.touches:
            left = s.touches - len(series.touches)
            why = (f"{left} more touch{'es' if left > 1 else ''} by hand, the first along the shaft, the others "
                   "spread over the half that faces the stylus")  # fmt: skip
            touch = self._touch_by_hand(series.use, why)
            series.touches.append(touch.place)
            self.told.touched(series.use, len(series.touches), s.touches)
        self.told.wants_touch(series.use, "")

    def _touch_by_hand(self, use: StylusUse, why: str) -> MachineTouch:
        self.cmm.forget_hand_touches()
        self.cmm.let_user_move(True)
        self.told.wants_touch(use, why)
        try:
            touch = self.cmm.wait_for_hand_touch(self._check)
            self._moving.normal = touch.out
            return touch
        finally:
            self.told.wants_touch(use, "")
            if self.cmm.is_connected:
                self.cmm.let_user_move(False)

    def _directions(self, pattern: TouchPattern, place: StylusPlace, center: Vector) -> Normals:
        use, sphere = self.pending[0] if self.pending else self.master, self.probing.sphere
        room = self._room(center)
        shape = room.shape(use)[0]

        def gets_there(directions: Normals) -> Mask:
            approach = self.settings.approach
            return reachable(shape, place, sphere, directions, approach, center, room.obstacles(use))

        try:
            return touch_directions(pattern, place.direction, sphere, place.radius + _CLEAR, gets_there)
        except ValueError as error:
            raise DeviceError(f"{self.probing.name_of(use)}: {error}") from error

    def _touch(self, series: _Series, place: StylusPlace, direction: Vector) -> MachineTouch:
        """Go before a place of the sphere around it, not through it, and touch."""
        assert series.center is not None
        sphere = self.probing.sphere
        reach = sphere.radius + place.radius + self.settings.approach
        goal = series.center + reach * direction
        here = self.cmm.where()
        off = here - series.center
        distance = float(np.linalg.norm(off))
        room = self._room(series.center)
        legs: list[Vector] = []
        if distance < reach + 30.0 and distance > 0.8 * (sphere.radius + place.radius):
            steps = _around(off / distance, direction, -place.direction)
            legs = [series.center + (reach + 2.0) * step for step in steps]
        if legs and self._are_free(room, series.use, [here, *legs]):
            for leg in legs:
                self.cmm.go_to(leg, self._check)
            self._moving.normal = direction
        else:
            self._moving.to(room, series.use, goal, direction)
        return self.cmm.touch(series.center + sphere.radius * direction, direction, self._check)

    @staticmethod
    def _are_free(room: ProbeRoom, use: StylusUse, places: list[Vector]) -> bool:
        """Tell whether the whole probe meets nothing on the way over some places of its tip."""
        shape, place = room.shape(use)
        return all(
            first_meeting(shape, a - place.center, b - place.center, room.obstacles(use), _BESIDE) is None
            for a, b in pairwise(places)
        )

    def _verify(self) -> None:
        """Touch the sphere with the master again: had it moved meanwhile, all offsets of the run would be wrong."""
        location = self.record.location
        own = any(q.assembly_key == self.probing.assembly(self.master.assembly).content_key for q in self.done)
        if location is None or self.settings.by == "hand" or not own or self.cmm.use is None:
            return
        if self.cmm.use.assembly != self.master.assembly:
            return
        s = self.settings
        self._moving.take(self._room(self._last_center()), self.master)
        self.cmm.set_speeds(travel_speed=s.travel_speed, touch_speed=s.touch_speed, search=_WIDE_SEARCH)
        series = _Series(self.master, np.array(location.center))
        place = self._place(self.master)
        limits, seen = self.probing.limits, list[Vector]()
        for pattern in (_FIRST_PASS, _SECOND_LOOK):
            for direction in self._directions(pattern, place, np.array(location.center)):
                if all(direction @ d < _ELSEWHERE for d in seen):  # not where it has touched already
                    seen.append(direction)
                    series.first.append(self._touch(series, place, direction).place)
                    self._check()
            # Dirt under one touch moves the centre of a few, and hardly scatters them: more of them tell.
            fit = _agreeing(np.array(series.first))
            shift = float(np.linalg.norm(fit.center - location.center))
            if shift <= limits.moved and fit.deviation <= limits.acceptable:
                break
        if fit.deviation > limits.look:
            raise DeviceError(
                f"the touches of the master scatter by {fit.deviation:.4f} mm at the end of the run: clean it and the "
                "sphere, see that it is tight, and qualify it again; whether the sphere moved is not known"
            )
        if shift <= limits.moved:
            self._clear_the_sphere()
            return
        self._doubt_the_location()
        for made in [q for q in self.done if not q.master and q.passes]:
            text = f"at the end the master finds the sphere {shift:.3f} mm from where it was: the offset is wrong"
            cause = ("the sphere moved: fix it, locate it again with the master stylus", text, True)
            self._judge_again(made, made.replace(verdict=Verdict.STOP.value, text=text, causes=(cause,)))

    def _clear_the_sphere(self) -> None:
        """The master finds the sphere where it was: what found it elsewhere is a stylus that gave way."""
        moved = "the sphere moved"
        for made in [q for q in self.done if any(what.startswith(moved) and likely for what, _, likely in q.causes)]:
            why = "the master finds the sphere where it was: it is the stylus that moved"
            causes = tuple(
                (what, why, True) if what.startswith("loose") else (what, text, likely and not what.startswith(moved))
                for what, text, likely in made.causes
            )
            self._judge_again(made, made.replace(causes=causes))

    def _judge_again(self, made: QualificationRecord, again: QualificationRecord) -> None:
        self.record = self.record.without(made).with_qualification(again)
        self.done[self.done.index(made)] = again
        self.told.qualified(again)

    # The result -----------------------------------------------------------------------------------------------------

    def _conclude(self, series: _Series, place: StylusPlace) -> None:
        use, sphere = series.use, self.probing.sphere
        touches = np.array(series.touches)
        is_master = use == self.master
        before = self.record.latest(self.probing, use)
        shift, back = None, None
        if is_master:
            fit = fit_reference_sphere(touches)
            before_at = self.record.location
            known = before_at is not None and not why_hand_touch(self.record, self.probing)
            if known and before_at is not None and before is not None and before.passes:
                self._relocated = _agreeing(touches).center - before_at.center
                shift = float(np.linalg.norm(self._relocated))
            center = fit.center
        else:
            assert self.record.location is not None
            center = np.array(self.record.location.center)
            if before is not None and before.passes:
                back = _agreeing(touches).center + np.array(before.offset) - center
                shift = float(np.linalg.norm(back))
        master = self._place(self.master)
        result = qualify(touches, center, sphere.diameter, place.center, master.center)
        judgement = judge_qualification(result, place.tip.diameter, self.probing.limits,
                          sphere_shift=shift, stylus=place.direction, locates=is_master)  # fmt: skip
        at = self._now().isoformat(timespec="seconds")
        made = self._written(series, place, result, judgement, at, is_master=is_master)
        if is_master and judgement.verdict is not Verdict.STOP:
            x, y, z = (float(v) for v in center)
            location = SphereLocation(
                sphere=sphere.name,
                diameter=sphere.diameter,
                center=(x, y, z),
                deviation=result.fit.deviation,
                at=at,
                assembly_key=made.assembly_key,
            )
            self.record = self.record.replace(location=location)
            self.told.located(location)
        blames = back is not None and self._blames_the_master(back)
        if blames:
            made = made.replace(causes=((_MASTER, "this stylus finds the sphere where it was before", True),
                                        *((what, why, False) for what, why, _ in made.causes)))  # fmt: skip
        self.record = self.record.with_qualification(made)
        self.done.append(made)
        self.told.qualified(made)
        if blames:
            self._doubt_the_location()
            raise DeviceError(
                "the master stylus found the sphere elsewhere in this run, but the next stylus finds it where it was: "
                "it is the master that is bent or loose. Tighten or change it, then qualify it first"
            )
        if is_master and judgement.verdict is Verdict.STOP:
            raise DeviceError(f"the master stylus is not good enough to go on: {judgement.text}")

    def _blames_the_master(self, back: Vector) -> bool:
        """Tell whether a stylus takes the whole way back by which the master has found the sphere elsewhere.

        A sphere that was moved is found in its new place by all; a master that is bent moves it for all others alike.
        """
        away = self._relocated
        if away is None or float(np.linalg.norm(away)) <= self.probing.limits.moved:
            return False
        return float(np.linalg.norm(back + away)) < max(self.probing.limits.moved, _SAME * float(np.linalg.norm(away)))

    def _doubt_the_location(self) -> None:
        """Have the sphere located again before anything is believed of it, also by those who come later."""
        location = self.record.location
        if location is not None:
            location = location.replace(may_have_moved=True)
            self.record = self.record.replace(location=location)
            self.told.located(location)

    def _written(
        self, series: _Series, place: StylusPlace, result: StylusResult, judgement: Judgement, at: str, *,
        is_master: bool,
    ) -> QualificationRecord:  # fmt: skip
        use = series.use
        assembly = self.probing.assembly(use.assembly)
        three = _three
        return QualificationRecord(
            assembly_key=assembly.content_key, assembly=assembly.name, stylus=use.stylus, pose=use.pose,
            name=self.probing.name_of(use), at=at,
            temperature_c=20.0 if self._temperature is None else self._temperature,
            touch_speed=self.settings.touch_speed, entered_diameter=place.tip.diameter, diameter=result.diameter,
            diameter_error=result.diameter_error, offset=three(result.offset),
            offset_errors=three(result.offset_errors), from_master=three(result.from_master), form=result.fit.form,
            deviation=result.fit.deviation, directions=tuple(three(d) for d in result.fit.directions),
            residuals=tuple(float(r) for r in result.fit.residuals), verdict=judgement.verdict.value,
            text=judgement.text, causes=tuple((c.what, c.why, c.likely) for c in judgement.causes), master=is_master,
            located_at="" if self.record.location is None else self.record.location.at,
        )  # fmt: skip


def _agreeing(touches: np.ndarray) -> SphereFit:
    """Return the sphere through the touches, without one that alone stands out: dirt shifts no sphere."""
    fit = fit_reference_sphere(touches)
    k = standing_out(fit)
    return fit if k is None or len(touches) < 7 else fit_reference_sphere(np.delete(touches, k, axis=0))


def _three(values: Vector) -> tuple[float, float, float]:
    x, y, z = (float(v) for v in values)
    return x, y, z


def _around(start: Vector, end: Vector, pole: Vector) -> list[Vector]:
    """Return directions from one to another, at most 40 degrees apart; over the pole when they are far apart."""
    angle = float(np.arccos(np.clip(start @ end, -1, 1)))
    if angle > np.radians(100.0) and start @ pole < np.cos(_ARC) and end @ pole < np.cos(_ARC):
        return [*_around(start, pole, pole), *_around(pole, end, pole)]
    count = max(1, int(np.ceil(angle / _ARC)))
    if count == 1:
        return [end]
    side = unit(end - (end @ start) * start)
    return [np.cos(angle * k / count) * start + np.sin(angle * k / count) * side for k in range(1, count + 1)]
