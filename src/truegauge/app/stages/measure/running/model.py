"""A run as the window sees it: what is chosen, where it stands, what can be done next."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Literal

from PySide6.QtCore import QObject, QTimer, Signal

from truegauge.app.stages.devices.machine_model import MachineModel
from truegauge.app.stages.devices.touch_model import TouchModel
from truegauge.app.stages.measure.running.cut_off import journal_of, read_unfinished
from truegauge.app.stages.measure.running.offers import Offer, offers, why_not_on
from truegauge.app.stages.measure.running.taking import pose_known, take_touches, touches_of
from truegauge.app.stages.measure.running.verdict import counted_on, said_of
from truegauge.app.track.model import RouteModel
from truegauge.core.errors import FormatError, TrueGaugeError
from truegauge.core.evaluation.choice import Choice
from truegauge.core.progress import Progress
from truegauge.core.routes.document import MeasureStep
from truegauge.core.samples.document import SampleData
from truegauge.core.samples.sample import Sample
from truegauge.runs.events import (
    FeatureBegun,
    FeatureTouched,
    NoteWanted,
    PartLocated,
    RunEvent,
    StepEnded,
    TargetTouched,
    TemperatureRead,
)
from truegauge.runs.machine_run import run_until_it_stands

if TYPE_CHECKING:
    import numpy as np

    from truegauge.core.routes.legs import Visit
    from truegauge.jobs.plan_run import PlanRun
    from truegauge.runs.journal import RunAbout
    from truegauge.runs.state import RunState

At = Literal["choose", "place", "planning", "running", "stopped", "note", "done"]
PAUSED = "paused"
_SOON_MS, _NAMELESS = 150, ("", "Touches", "Run")


class RunModel(QObject):
    """Signals: `changed`, and `opened` when its page is to be seen."""

    changed = Signal()
    opened = Signal()
    _from_run = Signal(object)  # what it tells: delivered in the window's thread

    def __init__(
        self, machine: MachineModel, touching: TouchModel, route: RouteModel,
        rows: Callable[[], tuple[str, ...]] = lambda: (), parent: QObject | None = None,
    ) -> None:  # fmt: skip
        """`rows` are the characteristics that are selected in the ledger."""
        super().__init__(parent)
        self.machine, self.touching, self.route, self.session = machine, touching, route, machine.session
        self._rows = rows
        self.at: At = "choose"
        self.is_open = False
        self.offer: Offer | None = None
        self.serial = self.operator = ""
        self.this_part = False  # measured again, or on; else it is a new one
        self.as_before = False  # what only tells where the part lies is taken over
        self.run: PlanRun | None = None
        self.visit: Visit | None = None
        self.why = ""  # it stands
        self.note: tuple[str, str] = ("", "")  # the step, and what is to be done
        self.said = ""
        self._old: frozenset[str] = frozenset()  # features with touches from before the run
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(_SOON_MS)
        self._soon.timeout.connect(self._take_sample)
        self._from_run.connect(self._on_told)
        machine.queue.stopped.connect(self._on_cancelled)
        machine.changed.connect(self.changed)
        self.session.document.evaluated.connect(self._on_evaluated)
        self.session.selection.changed.connect(self._on_evaluated)

    # What can be done ---------------------------------------------------------------------------------------------

    @property
    def is_under_way(self) -> bool:
        """Whether a run was begun and is not over."""
        return self.run is not None and self.at != "done"

    def why_not(self) -> str:
        """Say why nothing can be run; empty when it can."""
        s = self.session
        if s.evaluator is None:
            return "open a plan with a part first"
        if not s.plan.route.steps:
            return "make the route first"
        return why_not_on(self.machine)

    def offers(self) -> tuple[Offer, ...]:
        """Return what can be run."""
        return offers(self.session, self._rows())

    def open(self) -> None:
        """Show the page, where it was left."""
        self.is_open = True
        if not self.is_under_way:
            self._let_go()
            self.at = "choose"
            self.offer = None
        self.opened.emit()
        self.changed.emit()

    def close_page(self) -> None:
        """Show the stage again; a run goes on meanwhile."""
        self.is_open = False
        self.changed.emit()

    def take(self, offer: Offer) -> None:
        """Choose what is run; the part is next."""
        sample = self.session.sample
        touched = sample is not None and not len(sample.points) and bool(sample.probed or sample.touches)
        self.offer, self.at = offer, "place"
        # Touches by hand that locate a part belong to it; so do those that some features are measured again beside.
        self.this_part = touched and (not offer.choice.is_all or not (sample is not None and sample.probed))
        self.as_before = False
        if self.this_part and sample is not None:
            self.serial, self.operator = sample.about.serial, sample.about.operator or self.operator
        self.changed.emit()

    def back(self) -> None:
        """Choose something else."""
        self.at, self.offer = "choose", None
        self.changed.emit()

    def pose(self) -> np.ndarray | None:
        """Return where the part lies, nearly enough: by this sample's alignment, or by the part before it."""
        return pose_known(self.machine)

    def can_take_over(self) -> bool:
        """Whether there are touches of a part before, to tell where this one lies."""
        sample = self.session.sample
        partial = self.offer is not None and not self.offer.choice.is_all
        return partial and not self.this_part and sample is not None and bool(sample.probed)

    # A run that was cut off ---------------------------------------------------------------------------------------

    def journal(self) -> Path:
        """Return where the run on this machine is kept."""
        return journal_of(self.machine.machine)

    def unfinished(self) -> tuple[RunAbout, RunState] | None:
        """Return the run on this machine that another process has begun and not ended."""
        if self.run is not None or not self.machine.connected:
            return None
        try:
            return read_unfinished(self.journal())
        except FormatError as error:
            self.session.notify(error)
            return None

    def give_up_unfinished(self) -> None:
        """Forget it; its touches are lost."""
        self.journal().unlink(missing_ok=True)
        self.changed.emit()

    def go_on_unfinished(self) -> None:
        """Go on with it: its sample comes back, and the next touch is made."""
        found = self.unfinished()
        if found is None:
            return
        about = found[0]
        data = about.sample
        self.serial, self.operator = data.serial, data.operator
        choice = Choice(characteristics=about.characteristics, features=about.features, subset=about.subset,
                        align=about.align)  # fmt: skip
        self.offer = next((o for o in self.offers() if o.choice == choice), Offer("gone on", "The run", "", choice))
        self._begin(None, Sample.of(data, origin=about.origin))

    # The run --------------------------------------------------------------------------------------------------------

    def start(self) -> None:
        """Begin: the part is in place."""
        from truegauge.jobs.running import new_sample

        s, offer, pose = self.session, self.offer, self.pose()
        why = self.why_not()
        if why or offer is None or pose is None:
            s.notify(why or "nobody knows where the part lies: locate it by hand first")
            return
        choice = offer.choice.replace(align="as before" if self.as_before and self.can_take_over() else "again")
        before = s.sample
        if self.this_part and before is not None:
            name = self.serial if before.about.name in _NAMELESS and self.serial else before.about.name
            own = before.saying(name=name, serial=self.serial, operator=self.operator)
        else:
            if not s.document.may_let_sample_go():
                return
            name = self.serial or f"{s.plan.name} {self.machine.now():%Y-%m-%d %H.%M}"
            own = Sample.of(SampleData(name=name, serial=self.serial, operator=self.operator,
                                       measured_at=self.machine.now().isoformat(timespec="seconds")))  # fmt: skip
        self._begin(pose, new_sample(s.plan, choice, own, before), choice)

    def _begin(self, pose: np.ndarray | None, sample: Sample, choice: Choice | None = None) -> None:
        """Look for the ways, in the background, then run; without a pose the journal's run is gone on with."""
        from truegauge.jobs.plan_run import PlanRun, Setting

        s, machine = self.session, self.machine
        cmm, evaluator = machine.cmm, s.evaluator
        if cmm is None or evaluator is None:
            return
        if s.document.evaluator is not None:
            s.document.use_sample(sample, (), saved=False)
        self._old = frozenset(t.feature for t in sample.probed)
        plan, record, now, path, tell = s.plan, machine.record, machine.now, self.journal(), self._from_run.emit

        def work(progress: Progress) -> PlanRun:
            progress(0.0, "looking for ways to every feature")
            setting = Setting(plan, evaluator, cmm, record, now)
            if pose is None or choice is None:
                return PlanRun.go_on(setting, path, tell)
            path.unlink(missing_ok=True)
            return PlanRun.begin(setting, path, choice, sample, pose, tell)

        self.at, self.why, self.said, self.visit = "planning", "", "", None
        machine.run(work, self._on_planned, "Planning")
        self.changed.emit()

    def _on_planned(self, run: PlanRun) -> None:
        self.run = run
        self._tell_what_comes()
        self._take_sample()
        self.go_on()

    def go_on(self) -> None:
        """Begin, or go on from where it stands."""
        run = self.run
        if run is None or self.machine.busy:
            return
        again, self.why, self.at = bool(self.why) and self.why != PAUSED, "", "running"
        program = run.program
        self.machine.run(
            lambda progress: run_until_it_stands(program, progress, again=again), self._on_ended, "Running"
        )
        self.changed.emit()

    def pause(self) -> None:
        """Stop the machine; the touch that it is at is made again."""
        if self.at in ("running", "note"):
            self.why = PAUSED
            self.machine.stop()

    def confirm(self) -> None:
        """What the note says is done."""
        if self.run is not None and self.at == "note":
            self.run.program.confirmed.add(self.note[0])
            self.at = "running"
            self.changed.emit()

    def skip(self) -> None:
        """Leave out the step at which it stands, and go on."""
        if self.run is not None and self.at == "stopped":
            try:
                self.run.program.skip()
            except TrueGaugeError as error:
                self.session.notify(error)
                return
            self.go_on()

    def by_hand(self) -> None:
        """Leave the feature at which it stands to the joystick; the others are gone on with when it is touched."""
        step = None if self.run is None else self.run.program.now_at
        if self.run is None or self.at != "stopped" or not isinstance(step, MeasureStep):
            return
        self.run.program.skip()
        feature = self.session.plan.feature(step.feature)
        self.why = f"touch {feature.name} by joystick, then go on"
        self.close_page()  # the joystick and the count of touches stand beside the view
        self.session.selection.select((feature.group,))
        self.touching.set_by_hand(True)
        self.session.notify(self.why, "Go on with the run", self._on_by_hand)

    def _on_by_hand(self) -> None:
        self.touching.set_by_hand(False)
        self.open()
        self.go_on()

    def again(self, step: str) -> None:
        """Do a step again that is over; now, or when the machine stands."""
        if self.run is not None and self.at in ("stopped", "done"):
            self.run.program.again(step)
            self.at, self.why = "stopped", "one more feature is to be done again"
            self._tell_what_comes()
            self.changed.emit()

    def give_up(self) -> None:
        """End the run; what was touched stays with the sample."""
        if self.machine.busy:
            self.machine.stop()
        self._let_go()
        self.at, self.offer, self.visit = "choose", None, None
        self._tell_what_comes()
        self.changed.emit()

    def next_part(self) -> None:
        """The same for the next part: its serial number counts on."""
        self._let_go()
        self.serial = counted_on(self.serial)
        self.this_part, self.at = False, "place"
        self.changed.emit()

    def close(self) -> None:
        """Let go of the journal: of a run that is not over, another process can go on with it."""
        if self.at == "done":
            self._let_go()
        elif self.run is not None:
            self.run.journal.close()

    def _let_go(self) -> None:
        run, self.run = self.run, None
        if run is not None:
            run.journal.end()

    # What it tells --------------------------------------------------------------------------------------------------

    def _on_told(self, event: RunEvent) -> None:
        match event:
            case FeatureTouched() | TargetTouched():
                if not self._soon.isActive():
                    self._soon.start()
            case FeatureBegun(visit=visit):
                self.visit = visit
                self._tell_what_comes()
            case StepEnded():
                self._take_sample()
                self._tell_what_comes()
            case NoteWanted(step=step, text=text):
                self.note = (step, text)
                self.at = "note" if text else "running" if self.at == "note" else self.at
            case TemperatureRead() | PartLocated():
                self.said = said_of(event)
        self.changed.emit()

    def _take_sample(self) -> None:
        """Give the document what was touched so far."""
        if self.run is not None:
            take_touches(self.run, self.session.document, self.touching.probed, self._old, self.machine.temperature_c)

    def _tell_what_comes(self) -> None:
        run = self.run
        waiting = () if run is None or self.at == "done" else run.program.waiting
        self.session.set_in_run(frozenset(v.feature.id for v in waiting))
        states: dict[str, str] = {}
        if run is not None:
            states = {s: "failed" if o.state == "failed" else "done" if o.state == "done" else ""
                      for s, o in run.state.over.items()}  # fmt: skip
            now = run.program.now_at
            if now is not None and self.at in ("running", "note", "stopped"):
                states[now.id] = "running"
        self.route.set_run(states)

    def _on_cancelled(self) -> None:
        if self.run is not None and self.at in ("running", "note"):
            self.at, self.why = "stopped", PAUSED
            self._take_sample()
            self.changed.emit()
        elif self.at == "planning":
            self.at = "place"
            self.changed.emit()

    def _on_ended(self, why: str) -> None:
        run = self.run
        if run is None:
            return
        self._take_sample()
        self.machine.set_record(self.machine.record.replace(places=run.record.places))
        if why:
            self.at, self.why = "stopped", why
        else:
            self.at = "done"  # its journal stays until the next one begins: a step may be done again
        self._tell_what_comes()
        self.machine.ask_state()
        self.changed.emit()

    def _on_evaluated(self) -> None:
        if self.is_open:
            self.changed.emit()

    # What is shown --------------------------------------------------------------------------------------------------

    def done_of(self) -> tuple[int, int]:
        """Return how many touches are made, and how many there are in all."""
        return (0, 0) if self.run is None else touches_of(self.run)

    def not_reached(self) -> tuple[tuple[str, str], ...]:
        """Return features that are left out, and why."""
        return () if self.run is None else tuple((x.feature.name, x.why) for x in self.run.program.left)
