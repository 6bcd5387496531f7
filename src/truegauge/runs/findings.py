"""What a run of qualifications has found: records of styli, where the sphere stands, and which of them to believe."""

from collections.abc import Callable
from datetime import datetime

import numpy as np

from truegauge.core.arrays import Vector, three
from truegauge.core.errors import DeviceError
from truegauge.core.probing.assembly import StylusPlace
from truegauge.core.probing.judgement import Judgement, Verdict, judge_qualification, standing_out
from truegauge.core.probing.probing import Probing, StylusUse
from truegauge.core.probing.qualification import SphereFit, StylusResult, fit_reference_sphere, qualify
from truegauge.core.probing.records import MachineRecord, QualificationRecord, SphereLocation, why_hand_touch
from truegauge.runs.events import SphereLocated, StylusQualified, Tell

_MASTER = "the master stylus is loose or bent: tighten or change it, and qualify it first"
_SAME = 0.25  # of a way, by which two of them may differ and be the same


class Findings:
    """Grows with every stylus; all of it is told."""

    def __init__(
        self, probing: Probing, master: StylusUse, record: MachineRecord, tell: Tell, now: Callable[[], datetime]
    ) -> None:
        self._probing, self._master, self._tell, self._now = probing, master, tell, now
        self.record = record
        self.done: list[QualificationRecord] = []
        self._relocated: Vector | None = None  # by how much the master found the sphere elsewhere in this run

    @property
    def last_center(self) -> Vector | None:
        """Where the sphere stood last: in the way it is also where it may have been moved since."""
        location = self.record.location
        return None if location is None else np.array(location.center)

    def why_hand_touch(self) -> str:
        """Say why somebody has to show where the sphere is; empty when it is known."""
        return why_hand_touch(self.record, self._probing)

    def sphere_moved(self, shift: float) -> None:
        """At the end the master finds the sphere elsewhere: what was found meanwhile is wrong."""
        self._doubt_the_location()
        for made in [q for q in self.done if not q.master and q.passes]:
            text = f"at the end the master finds the sphere {shift:.3f} mm from where it was: the offset is wrong"
            cause = ("the sphere moved: fix it, locate it again with the master stylus", text, True)
            self._judge_again(made, made.replace(verdict=Verdict.STOP.value, text=text, causes=(cause,)))

    def sphere_stays(self) -> None:
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
        self._tell(StylusQualified(again))

    def conclude(self, use: StylusUse, touches: np.ndarray, temperature_c: float | None) -> None:
        """Take what a stylus touched (n, 3) as its qualification.

        Raises
        ------
        DeviceError
            The master is to blame or not good enough: nothing is to be qualified by it.
        """
        sphere, place, is_master = self._probing.sphere, self._place(use), use == self._master
        before = self.record.latest(self._probing, use)
        shift, back = None, None
        if is_master:
            fit = fit_reference_sphere(touches)
            before_at = self.record.location
            known = before_at is not None and not self.why_hand_touch()
            if known and before_at is not None and before is not None and before.passes:
                self._relocated = agreeing(touches).center - before_at.center
                shift = float(np.linalg.norm(self._relocated))
            center = fit.center
        else:
            assert self.record.location is not None
            center = np.array(self.record.location.center)
            if before is not None and before.passes:
                back = agreeing(touches).center + np.array(before.offset) - center
                shift = float(np.linalg.norm(back))
        master = self._place(self._master)
        result = qualify(touches, center, sphere.diameter, place.center, master.center)
        judgement = judge_qualification(result, place.tip.diameter, self._probing.limits,
                          sphere_shift=shift, stylus=place.direction, locates=is_master)  # fmt: skip
        at = self._now().isoformat(timespec="seconds")
        made = self._written(use, temperature_c, place, result, judgement, at)
        if is_master and judgement.verdict is not Verdict.STOP:
            x, y, z = (float(v) for v in center)
            location = SphereLocation(sphere=sphere.name, diameter=sphere.diameter, center=(x, y, z),
                                      deviation=result.fit.deviation, at=at,
                                      assembly_key=made.assembly_key)  # fmt: skip
            self.record = self.record.replace(location=location)
            self._tell(SphereLocated(location))
        blames = back is not None and self._blames_the_master(back)
        if blames:
            made = made.replace(causes=((_MASTER, "this stylus finds the sphere where it was before", True),
                                        *((what, why, False) for what, why, _ in made.causes)))  # fmt: skip
        self.record = self.record.with_qualification(made)
        self.done.append(made)
        self._tell(StylusQualified(made))
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
        if away is None or float(np.linalg.norm(away)) <= self._probing.limits.moved:
            return False
        return float(np.linalg.norm(back + away)) < max(self._probing.limits.moved, _SAME * float(np.linalg.norm(away)))

    def _doubt_the_location(self) -> None:
        """Have the sphere located again before anything is believed of it, also by those who come later."""
        location = self.record.location
        if location is not None:
            location = location.replace(may_have_moved=True)
            self.record = self.record.replace(location=location)
            self._tell(SphereLocated(location))

    def _place(self, use: StylusUse) -> StylusPlace:
        return self._probing.assembly(use.assembly).stylus(use.stylus, use.pose)

    def _written(
        self, use: StylusUse, temperature_c: float | None, place: StylusPlace, result: StylusResult,
        judgement: Judgement, at: str,
    ) -> QualificationRecord:  # fmt: skip
        assembly = self._probing.assembly(use.assembly)
        return QualificationRecord(
            assembly_key=assembly.content_key, assembly=assembly.name, stylus=use.stylus, pose=use.pose,
            name=self._probing.name_of(use), at=at,
            temperature_c=20.0 if temperature_c is None else temperature_c,
            touch_speed=self._probing.settings.touch_speed, entered_diameter=place.tip.diameter,
            diameter=result.diameter, diameter_error=result.diameter_error, offset=three(result.offset),
            offset_errors=three(result.offset_errors), from_master=three(result.from_master), form=result.fit.form,
            deviation=result.fit.deviation, directions=tuple(three(d) for d in result.fit.directions),
            residuals=tuple(float(r) for r in result.fit.residuals), verdict=judgement.verdict.value,
            text=judgement.text, causes=tuple((c.what, c.why, c.likely) for c in judgement.causes),
            master=use == self._master,
            located_at="" if self.record.location is None else self.record.location.at,
        )  # fmt: skip


def agreeing(touches: np.ndarray) -> SphereFit:
    """Return the sphere through the touches, without one that alone stands out: dirt shifts no sphere."""
    fit = fit_reference_sphere(touches)
    k = standing_out(fit)
    return fit if k is None or len(touches) < 7 else fit_reference_sphere(np.delete(touches, k, axis=0))
