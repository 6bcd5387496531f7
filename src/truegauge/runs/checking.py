"""A check of the machine: touches on the reference sphere, lengths of a step gauge (`core/probing/machine_check`)."""

from collections.abc import Callable
from datetime import datetime

import numpy as np

from truegauge.core.arrays import Rigid, Vector
from truegauge.core.errors import DeviceError
from truegauge.core.frames import apply, rotate
from truegauge.core.probing.length_standard import BY_HAND, GaugeObstacle, located
from truegauge.core.probing.machine_check import LENGTHS, REPEATS, SPHERE_TOUCHES, LengthError, MachineCheck
from truegauge.core.probing.probing import Probing, StylusUse
from truegauge.core.probing.qualification import fit_reference_sphere
from truegauge.core.probing.records import MachineRecord, StylusState
from truegauge.core.probing.room import ProbeRoom
from truegauge.core.probing.sphere import TouchPattern
from truegauge.core.probing.standing import Standing, standing
from truegauge.core.uncertainty.stated_errors import StatedErrors
from truegauge.devices.cmm.machine import Cmm
from truegauge.runs.events import CheckTouched, Tell, nobody
from truegauge.runs.machine_run import GoAway, MachineRun, Step
from truegauge.runs.on_sphere import SphereTouching
from truegauge.runs.stylus import Stylus

_ROWS = 4
_SEARCH, _APPROACH = 4.0, 4.0
_DOWN = -0.999
_NOTHING = StatedErrors()
_PLAY = 1.0  # mm that the tip keeps from the neighbour of a face


class Checking(MachineRun):
    """With the sphere, with the gauge, or with both."""

    def __init__(
        self, cmm: Cmm, probing: Probing, record: MachineRecord, stated: StatedErrors = _NOTHING,
        tell: Tell = nobody, now: Callable[[], datetime] = datetime.now, known: Standing | None = None, *,
        sphere: bool = True, gauge: bool = True, operator: str = "", temperature_c: float | None = None,
    ) -> None:  # fmt: skip
        super().__init__(cmm, probing, tell)
        self.record, self.stated, self.now, self.operator = record, stated, now, operator
        self.known = known or standing(record)
        self.touching = SphereTouching(self, self.known)
        self.gauge: Rigid | None = None  # machine_from_gauge
        self.form: float | None = None
        self.size: float | None = None
        self.errors: list[LengthError] = []
        self.temperature_c: float | None = None
        self.use = self._stylus(temperature_c, down=gauge)
        # Where the gauge lies comes first: everything else is done around it.
        steps: list[Step] = [FindGauge(self)] if gauge else []
        steps += [OnSphere(self)] if sphere else []
        steps += [OnGauge(self)] if gauge else []
        self.take(tuple(steps), (GoAway(self, self.room, probing.name_of(self.use)),))

    def _stylus(self, temperature_c: float | None, *, down: bool) -> StylusUse:
        """Return the stylus that checks: the master, or for a gauge one that points down."""
        probing = self.probing
        for use in probing.uses():
            place = probing.assembly(use.assembly).stylus(use.stylus, use.pose)
            if (
                place.tip.shape == "ball"
                and (not down or place.direction[2] < _DOWN)
                and self.may_use(use, temperature_c)
            ):
                return use
        words = "points straight down" if down else "has a ball"
        raise DeviceError(f"no stylus that {words} is qualified: qualify one first")

    def may_use(self, use: StylusUse, temperature_c: float | None) -> bool:
        """Whether a stylus is qualified; the machine is not asked: a window may wait."""
        return self.stylus(use, temperature_c).said.state in (StylusState.QUALIFIED, StylusState.DUE)

    def stylus(self, use: StylusUse, temperature_c: float | None) -> Stylus:
        """Return what is known of a stylus."""
        return Stylus(self.probing, self.record, use, temperature_c, self.now(), self.probing.moves.touch_speed)

    @property
    def center(self) -> Vector | None:
        """Where the reference sphere was located."""
        location = self.record.location
        return None if location is None or location.may_have_moved else np.array(location.center)

    def take_gauge(self, machine_from_gauge: Rigid) -> None:
        """Know where the gauge lies."""
        there, known = GaugeObstacle(self.probing.gauge, machine_from_gauge), self.known
        self.gauge = machine_from_gauge
        self.known = Standing((*known.obstacles, there), max(known.top, there.top), known.unlocated, known.table_z,
                              there.middles())  # fmt: skip
        self.touching = SphereTouching(self, self.known)

    def room(self) -> ProbeRoom:
        """Return what stands there: with the gauge, as soon as it is found."""
        return self.touching.room(self.center)

    def speeds(self) -> None:
        """Set how the machine moves."""
        moves = self.probing.moves
        self.cmm.set_speeds(travel_speed=moves.travel_speed, touch_speed=moves.touch_speed, approach=_APPROACH,
                            retract=_APPROACH, search=_SEARCH)  # fmt: skip

    def found(self) -> MachineCheck:
        """Return the check."""
        p = self.probing
        return MachineCheck(
            at=self.now().isoformat(timespec="seconds"), operator=self.operator, temperature_c=self.temperature_c,
            stylus=p.name_of(self.use), sphere=p.sphere.name if self.form is not None else "", form=self.form,
            size=self.size, sphere_uncertainty=p.sphere.uncertainty, gauge=p.gauge.name if self.errors else "",
            gauge_uncertainty=p.gauge.uncertainty, gauge_expansion=p.gauge.expansion, lengths=tuple(self.errors),
            stated=self.stated,
        )  # fmt: skip


class OnSphere(Step):
    """Touches all over the reference sphere: form and size."""

    size = float(SPHERE_TOUCHES)

    def __init__(self, run: Checking) -> None:
        self._run = run
        self._touches: list[Vector] = []

    @property
    def name(self) -> str:
        """What is checked."""
        return "the reference sphere"

    @property
    def share(self) -> float:
        """How many touches are made."""
        return len(self._touches) / SPHERE_TOUCHES

    def do(self) -> None:
        """Touch what is left, and conclude."""
        run, center = self._run, self._run.center
        if center is None:
            raise DeviceError("where the reference sphere stands is not known: qualify the master stylus first")
        run.moving.take(run.touching.room(center), run.use)
        run.speeds()
        pattern = TouchPattern(SPHERE_TOUCHES, _ROWS, float(np.pi / 2))
        directions = run.touching.directions(run.use, pattern, center)
        for direction in directions[len(self._touches) :]:
            self._touches.append(run.touching.touch(run.use, center, direction).place)
            run.tell(CheckTouched(self.name, len(self._touches), len(directions)))
            run.check()
        fit = fit_reference_sphere(np.array(self._touches))
        run.form = fit.form
        run.size = 2 * (fit.radius - run.stylus(run.use, run.temperature_c).radius) - run.probing.sphere.diameter
        run.temperature_c = run.cmm.temperature()


class FindGauge(Step):
    """Touches by hand that tell where the gauge lies."""

    def __init__(self, run: Checking) -> None:
        self._run = run
        self._contacts: list[Vector] = []
        self._outs: list[Vector] = []

    @property
    def name(self) -> str:
        """What is done."""
        return "finding the step gauge"

    def do(self) -> None:
        """Have it touched."""
        run = self._run
        run.moving.take(run.room(), run.use)
        stylus = run.stylus(run.use, run.temperature_c)
        while len(self._contacts) < len(BY_HAND):
            number = len(self._contacts)
            words, _ = BY_HAND[number]
            touch = run.touching.by_hand(run.use, f"touch {words} of the step gauge ({number + 1} of {len(BY_HAND)})")
            self._contacts.append(touch.place + stylus.offset - stylus.radius * touch.out)
            self._outs.append(touch.out)
        try:
            run.take_gauge(located(run.probing.gauge, np.array(self._contacts), self._outs))
        except DeviceError:
            self._contacts, self._outs = [], []
            raise


class OnGauge(Step):
    """Lengths of the gauge, each so many times: from the first face of the first block to the last ones of others."""

    def __init__(self, run: Checking) -> None:
        self._run = run
        self._numbers = run.probing.gauge.measured(LENGTHS)
        self.size = float(REPEATS * (1 + len(self._numbers)))
        self._places: list[float] = []  # of the tip along the gauge, in the order of the touches

    @property
    def name(self) -> str:
        """What is checked."""
        return "the step gauge"

    @property
    def share(self) -> float:
        """How many touches are made."""
        return len(self._places) / self.size

    def do(self) -> None:
        """Touch what is left, and conclude."""
        run, gauge, pose = self._run, self._run.probing.gauge, self._run.gauge
        assert pose is not None
        room, stylus = run.room(), run.stylus(run.use, run.temperature_c)
        self._see_room(stylus.radius)
        run.moving.take(room, run.use)
        run.speeds()
        faces = [(0.0, -1.0), *((gauge.lengths[k], 1.0) for k in self._numbers)]
        wanted = faces * REPEATS
        along, off = pose[:3, 0], -stylus.offset
        deep = -min(gauge.height / 2, stylus.radius + 3.0)
        for x, side in wanted[len(self._places) :]:
            place = apply(pose, np.array([[x, 0.0, deep]]))[0] + off
            out = rotate(pose, np.array([[side, 0.0, 0.0]]))[0]
            run.moving.to(room, run.use, place + (stylus.radius + _APPROACH) * out, out)
            touch = run.cmm.touch(place, out, run.check)
            self._places.append(float(touch.place @ along))
            run.tell(CheckTouched(self.name, len(self._places), len(wanted)))
        run.temperature_c = run.cmm.temperature()
        warm = 20.0 if run.temperature_c is None else run.temperature_c
        for turn in range(REPEATS):
            first, *others = self._places[turn * len(faces) : (turn + 1) * len(faces)]
            for k, at in zip(self._numbers, others, strict=True):
                # The tip stands a radius before each of the two faces.
                measured = at - first - 2 * stylus.radius
                run.errors.append(LengthError(length=gauge.lengths[k], error=measured - gauge.length(k, warm)))

    def _see_room(self, radius: float) -> None:
        gauge = self._run.probing.gauge
        gaps = [b - gauge.block - a for a, b in zip(gauge.lengths, gauge.lengths[1:], strict=False)]
        needed = 2 * radius + _APPROACH + _PLAY
        if min(gaps, default=needed) < needed:
            raise DeviceError(
                f"the tip does not fit between the blocks of the gauge: {needed:.1f} mm are needed, there are "
                f"{min(gaps):.1f}; take a thinner stylus"
            )
