"""What is done to set a portable device up: one task at a time takes its touches, in the device's own coordinates."""

from __future__ import annotations

from enum import StrEnum
from typing import TYPE_CHECKING, Literal

import numpy as np
from PySide6.QtCore import QObject, Signal

from truegauge.app.stages.devices.portable.line import Borrowed, Line
from truegauge.app.stages.devices.portable.model import PortableModel
from truegauge.app.stages.devices.setup.book import CheckBook
from truegauge.core.arrays import three
from truegauge.core.device_checks.records import NEEDED, Check
from truegauge.core.device_checks.working_out import STEADY_K, seat_spread, sphere_errors, warming
from truegauge.core.errors import EvaluationError, RegistrationError
from truegauge.core.evaluation.live_reading import read_tip
from truegauge.core.evaluation.scanner_check import scanner_against_probe
from truegauge.core.frames import apply
from truegauge.core.samples.document import ReferencePoint, SampleData
from truegauge.core.samples.sample import Sample
from truegauge.core.samples.stations import drift, joined_by_references, placed_at
from truegauge.devices.protocol import Lost, PointBlock

if TYPE_CHECKING:
    from truegauge.core.arrays import Points, Vector
    from truegauge.core.registration.adjustment import Adjustment

_SAME_PLACE = 3.0  # mm, of two touches of "one place"
_IN_SEAT = 5.0  # mm that a tip may be off the seat that it is meant to be in
BALL = 25.0  # mm, that is offered


class Task(StrEnum):
    """What touches are taken for, beside the checks."""

    REFERENCES = "references"
    JOIN = "join"


class SetupModel(QObject):
    """Signal: `changed`."""

    changed = Signal()

    def __init__(self, portable: PortableModel, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.portable, self.session = portable, portable.session
        self.task: Task | Check | None = None
        self.places: list[Vector] = []
        self.ball = BALL
        self.found: Adjustment | None = None  # of joining, as far as it is
        self.last = ""  # in words
        self._pose: np.ndarray | None = None
        self._taken: Borrowed | None = None
        self._of: Line | None = None
        self._part_at: tuple[Vector, float] | None = None  # a place of the part that was touched, and what it read
        self.book = CheckBook(self.session)
        portable.moved.connect(self._take)
        portable.changed.connect(self._on_devices)
        self.session.document.sample_changed.connect(self.changed)
        self.session.document.sample_data_changed.connect(self.changed)

    # What there is ------------------------------------------------------------------------------------------------

    @property
    def line(self) -> Line | None:
        """The device that is set up: the one that touches."""
        return self.portable.arm

    @property
    def references(self) -> tuple[ReferencePoint, ...]:
        """The reference points of the sample."""
        return () if self.session.sample is None else self.session.sample.about.references

    def due(self) -> tuple[Check, ...]:
        """Return the checks that are due of the device that touches."""
        return () if self.line is None else self.book.due(self.line)

    def set_due_days(self, check: Check, days: int) -> None:
        """Let a check be due again after so many days; 0: never."""
        if self.line is not None:
            self.book.set_days(self.line, check, days)
            self.changed.emit()

    def words(self) -> tuple[str, str]:
        """Return what to do now in a few big words, and the line below them."""
        count = len(self.places)
        if self.task is None:
            return "", self.last
        if self.task is Task.REFERENCES:
            return f"Put the tip into seat R{len(self.references) + 1}", "three or more seats, not on a line"
        if self.task is Task.JOIN:
            if count < len(self.references):
                name = self.references[count].name
                return f"Put the tip into seat {name}", self.join_words()
            return "All are measured: join it", self.join_words()
        needed = NEEDED.get(self.task, 0)
        if self.task is Check.PART and self._part_at is not None:
            return "Touch the same place again", self.task.how
        if self.task is Check.DRIFT:
            return "Put the tip into a reference seat", self.task.how
        return f"{self.task.called}: {count} of {needed}", self.task.how

    def join_words(self) -> str:
        """Say how well the reference points fit that are measured so far."""
        if self.found is None:
            return f"{len(self.places)} of {len(self.references)} measured; three are needed"
        worst = max(self.found.targets, key=lambda t: t.length)
        doubt = f"; {self.found.doubts[0]}" if self.found.doubts else ""
        return f"rms {self.found.rms:.3f} mm, largest {worst.length:.3f} mm at {worst.name}{doubt}"

    # Tasks --------------------------------------------------------------------------------------------------------

    def start(self, task: Task | Check) -> None:
        """Take touches for a task, or work a check out that needs none."""
        self.stop()
        line = self.line or self.portable.start_stand_in()
        if line is None:
            return
        if task is Check.WARM:
            self._check_warm(line)
            return
        if task is Check.SCANNER:
            self._check_scanner(line)
            return
        if task is Task.JOIN and len(self.references) < 3:
            self.session.notify("measure three reference points first, by the device that the sample is measured with")
            return
        if task is Task.REFERENCES and self.portable.placement(line) is None:
            self.session.notify(
                f"{line.device.name} is not joined yet: it measures the reference points that are there"
            )
            return
        sample = self.session.sample
        if task is Task.REFERENCES and sample is not None and not sample.about.device and line.stand_in is None:
            self.session.notify("nobody knows which device this sample was measured by: its coordinates are not those "
                                f"of {line.device.name}; take it out first")  # fmt: skip
            return
        if task is Check.DRIFT and not self.references:
            self.session.notify("measure reference points first")
            return
        self.task, self.places, self.found, self._pose, self.last = task, [], None, None, ""
        self._of, self._taken = line, self.portable.borrow(line, as_measured=True)
        self._taken.connect()
        self.changed.emit()

    def stop(self) -> None:
        """Take no more touches."""
        if self._taken is not None:
            self._taken.close()
        self._taken, self.task = None, None
        self.changed.emit()

    def take_back(self) -> None:
        """Forget the last touch of the task."""
        if self.task is Task.REFERENCES and self.references:
            self.session.document.set_sample_data(references=self.references[:-1])
        elif self.places:
            self.places.pop()
            self._fit()
        self.changed.emit()

    def forget_references(self) -> None:
        """Forget all reference points; who is placed by them stays where it is."""
        self.session.document.set_sample_data(references=())

    def _on_devices(self) -> None:
        if self._taken is not None and self._taken.line.is_gone:
            self.stop()
        self.changed.emit()

    def _take(self) -> None:
        taken = self._taken
        for event in () if taken is None else taken.drain():
            if isinstance(event, Lost):
                self.stop()
                return
            if isinstance(event, PointBlock):
                for place in event.places:
                    self._on_place(np.asarray(place), event.radius or 0.0)
                if self._taken is None:
                    return

    def _on_place(self, place: Vector, radius: float) -> None:
        match self.task:
            case Task.REFERENCES:
                self._add_reference(place)
            case Task.JOIN:
                if len(self.places) < len(self.references):
                    self.places.append(place)
                    self._fit()
            case Check.DRIFT:
                self._check_drift(place)
            case Check.PART:
                self._check_part(place, radius)
            case Check.SEAT | Check.SPHERE:
                self.places.append(place)
                if len(self.places) >= NEEDED[self.task]:
                    self._check_touches(np.array(self.places), radius)
        self.changed.emit()

    # Reference points and joining -----------------------------------------------------------------------------------

    def _add_reference(self, place: Vector) -> None:
        assert self._of is not None
        s, line = self.session, self._of
        if s.sample is None:
            s.document.use_sample(Sample.of(SampleData(name="Touches", device=line.device.identity)), (), saved=False)
        elif not s.sample.about.device:
            s.document.set_sample_data(device=line.device.identity)
        pose = self.portable.placement(line)
        assert pose is not None
        at = three(apply(pose, place[None])[0])
        near = [r.name for r in self.references if np.linalg.norm(np.array(r.place) - at) < _IN_SEAT]
        if near:
            s.notify(f"that is the seat of {near[0]}: put the tip into another one")
            return
        made = ReferencePoint(name=f"R{len(self.references) + 1}", place=at)
        s.document.set_sample_data(references=(*self.references, made))

    def _fit(self) -> None:
        self.found = self._pose = None
        if len(self.places) >= 3:
            try:
                self._pose, self.found = joined_by_references(self.references, np.array(self.places))
            except RegistrationError as error:
                self.session.notify(error)

    def can_join(self) -> bool:
        """Whether the device can be placed by what is measured."""
        return self.task is Task.JOIN and self._pose is not None

    def join(self) -> None:
        """Place the device by the reference points that it has measured."""
        sample = self.session.sample
        if self._pose is None or self.found is None or self._of is None or sample is None:
            return
        words = f"{len(self.places)} reference points, {self.join_words()}"
        about = placed_at(sample.about, self._of.device.identity, self._pose, words)
        self.session.document.set_sample_data(placed=about.placed)
        self.last = f"{self._of.device.name} is joined: {self.join_words()}"
        self.stop()

    # Checks -------------------------------------------------------------------------------------------------------

    def _check_touches(self, places: Points, radius: float) -> None:
        line, check = self._of, self.task
        assert line is not None
        assert isinstance(check, Check)
        stated = line.device.stated.probing
        try:
            if check is Check.SEAT:
                self._done(check, seat_spread(places), stated, f"{len(places)} touches in one seat")
                return
            size, form = sphere_errors(places, radius, self.ball)
        except EvaluationError as error:
            self.session.notify(error)
            self.stop()
            return
        worst = size if abs(size) > form else form
        self._done(check, worst, stated, f"size {size:+.3f} mm, form {form:.3f} mm on {self.ball:g} mm")

    def _check_drift(self, place: Vector) -> None:
        line = self._of
        pose = None if line is None else self.portable.placement(line)
        if line is None or pose is None:
            return
        own, off = drift(self.references, apply(pose, place[None])[0])
        length = float(np.linalg.norm(off))
        if length > _IN_SEAT:
            self.session.notify(f"the tip is {length:.1f} mm off the nearest reference point: it is not in its seat, "
                                "or the device was moved; then join it again")  # fmt: skip
            return
        x, y, z = off
        stated = line.device.stated
        limit = stated.probing + stated.constant if stated.stated else 0.0
        self._done(Check.DRIFT, length, limit, f"{own.name} moved by {x:+.3f} {y:+.3f} {z:+.3f} mm")

    def _check_part(self, place: Vector, radius: float) -> None:
        """Along the normal only: nobody touches the same place twice but for the surface that it lies on."""
        s, line = self.session, self._of
        lie, evaluator = None if line is None else self.portable.lie(line), s.evaluator
        pose = None if line is None else self.portable.placement(line)
        if line is None or lie is None or pose is None or evaluator is None:
            s.notify("align the part first: the place is compared along the normal of its face")
            self.stop()
            return
        reading = read_tip(evaluator.projector, lie, apply(pose, place[None])[0], radius)
        if self._part_at is None:
            self._part_at = (reading.foot, reading.deviation)
            self.last = "Noted: touch the same place again later"
            self.stop()
            return
        before, read = self._part_at
        if np.linalg.norm(reading.foot - before) > _SAME_PLACE:
            x, y, z = before
            s.notify(f"that is another place: touch the one at X {x:.0f} Y {y:.0f} Z {z:.0f}")
            return
        limit = line.device.stated.probing
        self._done(Check.PART, reading.deviation - read, limit, "along the normal of the face")

    def forget_part_place(self) -> None:
        """Begin the check of the part with a new place."""
        self._part_at = None
        self.changed.emit()

    @property
    def has_part_place(self) -> bool:
        """Whether a place of the part was touched that is to be touched again."""
        return self._part_at is not None

    def _check_warm(self, line: Line) -> None:
        readings = self.portable.log.of("device")
        change = warming(readings)
        if change is None:
            known = (readings[-1][0] - readings[0][0]) / 60 if readings else 0.0
            self.session.notify(f"the temperature of the device is known for {known:.0f} minutes: a quarter of an hour "
                                "is needed; connect a gauge and wait")  # fmt: skip
            return
        self._done(Check.WARM, change, STEADY_K, "change in a quarter of an hour", "K", line)

    def _check_scanner(self, line: Line) -> None:
        s = self.session
        chosen = [f for f in s.selection.features() if s.plan.has_feature(f.id)]
        if len(chosen) != 1 or s.sample is None or s.evaluator is None:
            s.notify("choose one plane or sphere that is touched and scanned")
            return
        scanner = self.portable.scanner
        stated = line.device.stated.probing + (scanner.device.stated.probing if scanner is not None else 0.0)
        try:
            off = scanner_against_probe(s.evaluator, s.plan, s.sample, chosen[0].id)
        except EvaluationError as error:
            s.notify(error)
            return
        self._done(Check.SCANNER, off, stated, f"on {chosen[0].name}", "mm", line)

    def _done(
        self, check: Check, value: float, limit: float, words: str, unit: Literal["mm", "K"] = "mm",
        line: Line | None = None,
    ) -> None:  # fmt: skip
        line = line or self._of
        assert line is not None
        self.book.add(line, check, value, limit, words, unit)
        self.last = f"{check.called}: {value:.3f} {unit}"
        self.stop()

    # The hand of a stand-in -----------------------------------------------------------------------------------------

    @property
    def has_operator(self) -> bool:
        """Whether the hand of a stand-in does what is wanted."""
        return self._taken is not None and self._taken.has_operator

    def operator_touches(self) -> None:
        """Have it do the next touch."""
        taken, count = self._taken, len(self.places)
        if taken is None:
            return
        match self.task:
            case Task.REFERENCES:
                taken.seat(len(self.references))
            case Task.JOIN:
                taken.seat(count)
            case Check.SEAT | Check.DRIFT:
                taken.seat(0)
            case Check.SPHERE:
                taken.ball(count)
            case Check.PART:
                self._touch_part(taken)
        self.portable.poll()

    def _touch_part(self, taken: Borrowed) -> None:
        from truegauge.devices.protocol import Wanted

        model = self.session.model
        if model is None:
            return
        mesh = model.mesh
        corners = mesh.vertices[mesh.triangles]
        area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
        area[np.abs(mesh.normals[mesh.triangles].mean(axis=1)[:, 2] - 1) > 1e-6] = 0  # upwards: nothing is in the way
        k = int(np.argmax(area))
        taken.touch(Wanted(corners[k].mean(axis=0), np.array([0.0, 0.0, 1.0])))
