"""The whole program of a plan on a machine: features, alignments, temperatures and notes in the order of its route."""

import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import datetime

import numpy as np

from truegauge.core.arrays import Rigid, box_corners
from truegauge.core.errors import DeviceError, FormatError, TrueGaugeError
from truegauge.core.evaluation.targets import Target
from truegauge.core.frames import apply
from truegauge.core.probing.probing import StylusUse
from truegauge.core.probing.records import MachineRecord, StylusState
from truegauge.core.routes.document import AlignStep, AnyStep, MeasureStep, NoteStep, Route, TemperatureStep
from truegauge.core.routes.legs import StepPlan, Visit
from truegauge.core.routes.places import FeatureToTouch
from truegauge.core.samples.document import ProbedTouch, Touch
from truegauge.devices.cmm.machine import Cmm
from truegauge.runs.events import (
    FeatureTouched,
    NoteWanted,
    PartLocated,
    StepEnded,
    TargetTouched,
    Tell,
    TemperatureRead,
    nobody,
)
from truegauge.runs.machine_run import Step
from truegauge.runs.routing import Router
from truegauge.runs.state import Again, AnyEntry, Located, Over, OverState, Read, RunState, Taken
from truegauge.runs.stylus import Stylus
from truegauge.runs.touching import FeatureStep, Touching

_SAME = 0.02  # mm: nearer than that a place is the one that was touched
_FAR = 2.0  # times what a touch feels around a surface: so far off a part cannot have been touched rightly
_STAYS = 0.005  # mm that the part may turn out to lie elsewhere, and the ways stay as they are
_LOOK_S = 0.05

Keep = Callable[[AnyEntry], None]


@dataclass(frozen=True, slots=True, eq=False)
class Lie:
    """Where a part was found, and in words why that should not be believed."""

    machine_from_part: Rigid
    doubts: tuple[str, ...] = ()


# How the part lies by an alignment (id), from touches of features and of targets; TrueGaugeError: why it is not known
Locate = Callable[[str, tuple[ProbedTouch, ...], tuple[Touch, ...]], Lie]


@dataclass(frozen=True, slots=True, eq=False)
class Work:
    """What is to be done: the steps in their order, the features (by id) that they measure, and how the part is found.

    Features that stand for targets of a guided alignment are in `targets` too.
    """

    route: Route
    features: Mapping[str, FeatureToTouch]
    targets: Mapping[str, Target]
    router_at: Callable[[Rigid], Router]
    locate: Locate


class Program(Touching):
    """A run over a route. What is done is in its `state`, which is kept before anything else is done."""

    def __init__(
        self, cmm: Cmm, work: Work, state: RunState, record: MachineRecord, tell: Tell = nobody,
        keep: Keep = lambda entry: None, now: Callable[[], datetime] = datetime.now,
    ) -> None:  # fmt: skip
        self.work, self.state, self._keep = work, state, keep
        self._unkept: list[AnyEntry] = []
        self.confirmed: set[str] = set()  # notes (ids of steps) that the operator has done
        self._accepted: set[StylusUse] = set()  # styli that are due, and measure all the same
        self._believed: set[str] = set()  # alignments (ids) that are doubtful, and are believed all the same
        self._relocated: Rigid | None = None
        super().__init__(cmm, work.router_at(state.machine_from_part), record, (), tell, now)
        self._plan_rest()

    # What is left --------------------------------------------------------------------------------------------------

    def _plan_rest(self) -> None:
        """Look for the ways of all that is not over, from where the machine stands."""
        whole = tuple(s for s in self.work.route.steps if s.on)
        rest = [s for s in whole if s.id not in self.state.over]
        to_do = {getattr(s, "feature", "") for s in rest}
        self.left = tuple(left for left in self.left if left.feature.id not in to_do)
        route = self.work.route.replace(steps=whole)
        planner, features = self.router.planner, self.work.features
        self.planned = planner.plan(route, features, start=self.standing(), over=self.state.over)
        self._drop_what_does_not_fit()
        done = self._done
        self.take_plan()
        self._size, self._done = self._size + done, done

    def _close(self) -> None:
        """Say of what is left at the end why it was not done: nothing leads there, wherever the part was found."""
        for s in self.planned.steps:
            if s.step.id not in self.state.over:
                reason = s.text if s.unreached is None else s.unreached.reason
                self._over(s.step.id, "failed", reason or "nothing leads there")

    def _drop_what_does_not_fit(self) -> None:
        """Touch a feature anew that was touched in part where it is planned otherwise now: by another stylus."""
        for s in self.planned.steps:
            mine = [t for t in self.state.taken if t.step == s.step.id]
            known = sum(len(self.taken(v)) for v in s.visits)
            if mine and known < len({(t.use, t.at) for t in mine}):
                self._set(Again(step=s.step.id))

    def step_for(self, plan: StepPlan) -> Step | None:
        """Return what is done for a step of the route; None where nothing is."""
        match plan.step:
            case MeasureStep():
                return super().step_for(plan)
            case AlignStep():
                return Aligning(self, plan)
            case NoteStep():
                return Telling(self, plan)
            case TemperatureStep():
                return Reading(self, plan)

    @property
    def now_at(self) -> AnyStep | None:
        """The step that it is at."""
        first = self.pending[0] if self.pending else None
        return first.plan.step if isinstance(first, OfRoute | FeatureStep) else None

    # What is done --------------------------------------------------------------------------------------------------

    def told(self, visit: Visit, k: int, touch: ProbedTouch) -> None:
        """Take a touch: it is kept before the next one is made."""
        x, y, z = (float(v) for v in visit.places.points[k])
        target = self.work.targets.get(touch.feature)
        if target is None:
            self.tell(FeatureTouched(touch))
        else:
            self.tell(TargetTouched(target.touched(touch)))
        self._set(Taken(step=visit.step, use=visit.use, at=(x, y, z), touch=touch))
        self._flush()

    def taken(self, visit: Visit) -> frozenset[int]:
        """Return the numbers of a visit's places that were touched already."""
        own = np.array([t.at for t in self.state.taken if t.step == visit.step and t.use == visit.use])
        if not len(own):
            return frozenset()
        far = np.linalg.norm(visit.places.points[:, None] - own[None], axis=2).min(axis=1)
        return frozenset(int(k) for k in np.flatnonzero(far < _SAME))

    def found(self, alignment: str) -> None:
        """Find where the part lies by what was touched.

        Raises
        ------
        TrueGaugeError
            It cannot be found, or is not to be believed: ways that are planned by it would lead into the part.
        """
        found = self.work.locate(alignment, *self.touched())
        pose, corners = found.machine_from_part, box_corners(self.router.planner.model.box)
        moved = float(np.abs(apply(pose, corners) - apply(self.state.machine_from_part, corners)).max())
        moves = self.router.probing.moves
        doubt = "; ".join(found.doubts)
        if moved > _FAR * (moves.approach + moves.search):
            doubt = f"it lies {moved:.1f} mm from where it was taken to lie"
        if doubt and alignment not in self._believed:
            self._believed.add(alignment)
            raise DeviceError(
                f"where the part was found is doubtful: {doubt}. See that it is in place and that nothing else was "
                "touched; going on believes it"
            )
        self.tell(PartLocated(alignment, pose, moved))
        if moved > _STAYS:
            self._relocated = pose

    def touched(self) -> tuple[tuple[ProbedTouch, ...], tuple[Touch, ...]]:
        """Return the touches of features and those of targets."""
        every, targets = [t.touch for t in self.state.taken], self.work.targets
        probed = tuple(t for t in every if t.feature not in targets)
        return probed, tuple(targets[t.feature].touched(t) for t in every if t.feature in targets)

    def again(self, step: str) -> None:
        """Do a step again that is over."""
        if step in self.state.over:
            self._set(Again(step=step))
            self._plan_rest()
            self._flush()

    def may_touch(self, stylus: Stylus, use: StylusUse) -> None:
        """Raise `DeviceError` where nothing is to be measured with a stylus; one that is due stops it once."""
        super().may_touch(stylus, use)
        if stylus.said.state == StylusState.DUE and use not in self._accepted:
            self._accepted.add(use)
            raise DeviceError(
                f"{stylus.name} is due: {stylus.said.why}. Qualify it first; going on measures, with a warning on "
                "every touch"
            )

    def skip(self) -> None:
        """Leave out the step that it stands at: some of its touches would pass for all of them, they do not count."""
        step = self.now_at
        if step is not None:
            self.pending[0].skip()
            if any(t.step == step.id for t in self.state.taken):
                self._set(Again(step=step.id))
            self._over(step.id, "skipped")
            super()._end()
            self._flush()

    def _end(self) -> None:
        step = self.now_at
        missed = {left.feature.id: left.why for left in self.left}
        super()._end()
        if step is not None:
            why = missed.get(getattr(step, "feature", ""), "")
            touched = any(t.step == step.id for t in self.state.taken)
            failed = bool(why) and isinstance(step, MeasureStep) and not touched
            self._over(step.id, "failed" if failed else "done", why)
        pose, self._relocated = self._relocated, None
        if pose is not None:
            self._set(Located.at(pose))
            self.router = self.work.router_at(pose)
            self._plan_rest()
        if not self.pending:
            self._close()
        self._flush()

    def read(self, temperature_c: float) -> None:
        """Take how warm the part is."""
        self._set(Read(temperature_c=temperature_c))
        self.tell(TemperatureRead(temperature_c))
        self._flush()

    def _over(self, step: str, state: OverState, why: str = "") -> None:
        self._set(Over(step=step, state=state, why=why))
        self.tell(StepEnded(step, state, why))

    def _set(self, entry: AnyEntry) -> None:
        self.state.take(entry)
        self._unkept.append(entry)

    def _flush(self) -> None:
        """Keep what is new; where it cannot be kept nothing more is done, and it is tried again when it goes on."""
        while self._unkept:
            try:
                self._keep(self._unkept[0])
            except FormatError as error:
                raise DeviceError(str(error)) from error
            del self._unkept[0]


class OfRoute(Step):
    """A step of the route that touches nothing."""

    def __init__(self, run: Program, plan: StepPlan) -> None:
        self._run, self.plan = run, plan


class Aligning(OfRoute):
    """From here on the part lies where an alignment finds it; the ways are looked for again."""

    @property
    def name(self) -> str:
        """What is done."""
        return "locating the part"

    def do(self) -> None:
        """Locate the part."""
        assert isinstance(self.plan.step, AlignStep)
        try:
            self._run.found(self.plan.step.alignment)
        except DeviceError:  # doubtful: what to do is in its words
            raise
        except TrueGaugeError as error:
            raise DeviceError(f"the part cannot be located: {error}") from error


class Reading(OfRoute):
    """Reads the temperature, and waits where it is not allowed."""

    @property
    def name(self) -> str:
        """What is done."""
        return "reading the temperature"

    def do(self) -> None:
        """Read it."""
        assert isinstance(self.plan.step, TemperatureStep)
        read = self._run.cmm.temperature()
        if read is None:
            if self.plan.step.lowest is None and self.plan.step.highest is None:
                return
            raise DeviceError("the machine does not tell the temperature of the part: measure it, then skip this step")
        self._run.read(read)
        why = self.plan.step.why_not(read)
        if why:
            raise DeviceError(f"{why}: wait until it is, then go on")


class Telling(OfRoute):
    """Has the operator do something."""

    @property
    def name(self) -> str:
        """What is to be done."""
        assert isinstance(self.plan.step, NoteStep)
        return self.plan.step.text

    def do(self) -> None:
        """Wait until it is done; somebody's hands may be there, so the probe goes away first."""
        run, step = self._run, self.plan.step
        if step.id not in run.confirmed:
            run.moving.up(run.router.room)
            run.cmm.let_user_move(True)
            try:
                run.tell(NoteWanted(step.id, self.name))
                while step.id not in run.confirmed:
                    run.check()
                    time.sleep(_LOOK_S)
            finally:
                run.tell(NoteWanted(step.id, ""))
            run.cmm.let_user_move(False)
