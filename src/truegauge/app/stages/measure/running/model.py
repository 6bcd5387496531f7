"""A run as the window sees it: what is chosen, where it stands, what can be done next."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Literal

from PySide6.QtCore import QObject, QTimer, Signal

from truegauge.app.stages.devices.machine_model import MachineModel
from truegauge.app.stages.devices.touch_model import TouchModel
from truegauge.app.stages.measure.running.cut_off import CutOff
from truegauge.app.stages.measure.running.interventions import PAUSED, Interventions
from truegauge.app.stages.measure.running.offers import Offer, is_in, offers, why_not_on
from truegauge.app.stages.measure.running.part import PartToRun
from truegauge.app.stages.measure.running.pieces import PiecesOnTable
from truegauge.app.stages.measure.running.taking import (
    open_work,
    states_of,
    take_touches,
    touches_of,
)
from truegauge.app.stages.measure.running.verdict import said_of
from truegauge.app.track.model import RouteModel
from truegauge.core.evaluation.choice import Choice
from truegauge.core.progress import Progress
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

At = Literal["choose", "place", "planning", "running", "stopped", "note", "done"]
_SOON_MS = 150


class RunModel(Interventions):
    """Signals: `changed`, and `opened` when its page is to be seen."""

    opened = Signal()
    _from_run = Signal(object)  # what it tells: delivered in the window's thread

    def __init__(
        self, machine: MachineModel, touching: TouchModel, route: RouteModel,
        rows: Callable[[], tuple[tuple[str, ...], tuple[str, ...]]] = lambda: ((), ()), parent: QObject | None = None,
    ) -> None:  # fmt: skip
        """`rows` are the characteristics that are selected in the ledger, and those listed there, if not all."""
        super().__init__(parent)
        self.machine, self.touching, self.route, self.session = machine, touching, route, machine.session
        self._rows, self.cut_off, self.pieces = rows, CutOff(machine), PiecesOnTable(machine)
        self.at: At = "choose"
        self.is_open = False
        self.offer: Offer | None = None
        self.part = PartToRun(machine)
        self.run: PlanRun | None = None
        self.visit: Visit | None = None
        self.why = ""  # it stands
        self.note: tuple[str, str] = ("", "")  # the step, and what is to be done
        self.said = ""
        self._old: frozenset[str] = frozenset()  # features with touches from before the run
        self._given: frozenset[str] = frozenset()  # features whose touches of the run the sample has
        self._of: tuple[object, ...] = ()  # the plan, the part and the sample that the run belongs to
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(_SOON_MS)
        self._soon.timeout.connect(self._take_sample)
        self._from_run.connect(self._on_told)
        machine.queue.stopped.connect(self._on_cancelled)
        machine.changed.connect(self._on_machine_changed)
        document = self.session.document
        for signal in (document.plan_changed, document.sample_changed):
            signal.connect(self._on_other_work)
        for signal in (document.evaluated, self.session.selection.changed):
            signal.connect(self.look_again)

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
        return offers(self.session, *self._rows())

    def open(self) -> None:
        """Show the page, where it was left."""
        self.is_open = True
        if not self.is_under_way:
            self._let_go()
            self.at, self.offer = "choose", None
            self.cut_off.look()
        self.opened.emit()
        self.changed.emit()

    def close_page(self) -> None:
        """Show the stage again; a run goes on meanwhile."""
        self.is_open = False
        self.changed.emit()

    def take(self, offer: Offer) -> None:
        """Choose what is run; the part is next."""
        self.offer, self.at = offer, "place"
        self.part.suit(offer.choice)
        self.pieces.begin_anew()
        self.changed.emit()

    def back(self) -> None:
        """Choose something else."""
        self.at, self.offer = "choose", None
        self.changed.emit()

    def pose(self) -> np.ndarray | None:
        """Return where the part that is run next lies, nearly enough; None where nobody knows."""
        return self.pieces.pose(self.part.pose())

    def can_take_over(self) -> bool:
        """Whether there are touches of a part before, to tell where this one lies."""
        alone = self.pieces.layout is None  # touches of another piece tell nothing of this one
        return alone and self.part.can_take_over(None if self.offer is None else self.offer.choice)

    # A run that was cut off ---------------------------------------------------------------------------------------

    def give_up_cut_off(self) -> None:
        """Forget it; its touches are lost."""
        self.cut_off.give_up()
        self.changed.emit()

    def go_on_cut_off(self) -> None:
        """Go on with it: its sample comes back, and the next touch is made."""
        if self.cut_off.found is None or not self.session.document.may_let_sample_go():
            return
        about = self.cut_off.found[0]
        data = about.sample
        self.part.serial, self.part.operator = data.serial, data.operator
        choice = Choice(characteristics=about.characteristics, features=about.features, subset=about.subset,
                        align=about.align)  # fmt: skip
        self.offer = next((o for o in self.offers() if o.choice == choice), Offer("gone on", "The run", "", choice))
        self.pieces.number = about.piece
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
        if not self.pieces.may_start():
            return
        choice = offer.choice.replace(align="as before" if self.part.as_before and self.can_take_over() else "again")
        before = s.sample
        if self.part.is_again or s.document.may_let_sample_go():
            self._begin(pose, new_sample(s.plan, choice, self.part.sample(before, self.pieces.beside), before), choice)

    def _begin(self, pose: np.ndarray | None, sample: Sample, choice: Choice | None = None) -> None:
        """Look for the ways, in the background, then run; without a pose the journal's run is gone on with."""
        from truegauge.jobs.plan_run import PlanRun, Setting

        s, machine = self.session, self.machine
        cmm, evaluator = machine.cmm, s.evaluator
        if cmm is None or evaluator is None or (pose is not None and not self.cut_off.give_up()):
            return
        plan, record, now, path, tell = s.plan, machine.record, machine.now, self.cut_off.path, self._from_run.emit

        def work(progress: Progress) -> PlanRun:
            progress(0.0, "looking for ways to every feature")
            setting = Setting(plan, evaluator, cmm, record, now)
            if pose is None or choice is None:
                return PlanRun.go_on(setting, path, tell)
            return PlanRun.begin(setting, path, choice, sample, pose, tell, piece=piece, original=original)

        piece, begun_in = self.pieces.number, open_work(s.document)[:2]
        original = self.part.in_original_order and self.part.has_original_order()

        def planned(run: PlanRun) -> None:
            if begun_in != open_work(s.document)[:2]:
                self.cut_off.leave(run)
                self.at = "choose"
                return
            # Only now: where no way was found, or it was stopped, the sample that was open still is.
            s.document.use_sample(run.started_with, (), saved=False)
            self._of = open_work(s.document)
            self._old = frozenset(t.feature for t in run.started_with.probed)
            self.run, self._given = run, frozenset()
            self._take_sample()
            self._tell_what_comes()
            self.go_on()

        self.at, self.why, self.said, self.visit = "planning", "", "", None
        machine.run(work, planned, "Planning")
        self.changed.emit()

    def go_on(self) -> None:
        """Begin, or go on from where it stands."""
        if (run := self.run) is None or self.machine.busy:
            return
        self.touching.set_by_hand(False)
        again, self.why, self.at = bool(self.why) and self.why != PAUSED, "", "running"
        program = run.program
        self.machine.run(
            lambda progress: run_until_it_stands(program, progress, again=again), self._on_ended, "Running"
        )
        self.changed.emit()

    def again(self, step: str) -> None:
        """Do a step again that is over; now, or when the machine stands."""
        if self.run is not None and self.at in ("stopped", "done"):
            self._old |= {getattr(s, "feature", "") for s in self.run.program.work.route.steps if s.id == step}
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
        self.part.count_on()
        self.pieces.begin_anew()
        self.at = "place"
        self.changed.emit()

    def _next_piece(self) -> None:
        if self.at == "done":
            original = self.part.in_original_order
            self.next_part()
            self.part.in_original_order = original  # this once is this load
            self.pieces.next()
            self.start()

    def close(self) -> None:
        """Let go of the journal: of a run that is not over, another process can go on with it."""
        if self.at == "done":
            self._let_go()
        elif self.run is not None:
            self.run.journal.close()

    def _on_other_work(self) -> None:
        """Leave a run, for later, where other work is open now: its touches do not belong there."""
        if self.run is not None and self._of != open_work(self.session.document):
            run, self.run = self.run, None
            over, self.at, self.offer, self.visit = self.at == "done", "choose", None, None
            if over:
                run.journal.end()
            else:
                self.cut_off.leave(run)
                name = run.started_with.name or "the part"
                self.session.notify(f"The run of {name} stands: go on with it when its plan is open.")
            self._tell_what_comes()
        elif self.at == "place" and self.offer is not None and not is_in(self.session.plan, self.offer.choice):
            self.at, self.offer = "choose", None
        else:
            return
        self.changed.emit()

    def _let_go(self) -> None:
        run, self.run = self.run, None
        if run is not None:
            run.journal.end()

    # What it tells --------------------------------------------------------------------------------------------------

    def _on_told(self, event: RunEvent) -> None:
        if self.run is None:
            return  # it was given up
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
            self._given = take_touches(self.run, self.session.document, self._old, self._given, self.machine.machine)

    def _tell_what_comes(self) -> None:
        run = self.run
        waiting = () if run is None or self.at == "done" else run.program.waiting
        self.session.set_in_run(frozenset(v.feature.id for v in waiting))
        at_work = self.at in ("running", "note", "stopped")
        self.route.set_run({} if run is None else states_of(run, at_work=at_work))

    def _on_machine_changed(self) -> None:
        """See where it stands when the machine has ended otherwise than well: what went wrong was told."""
        if not self.machine.busy:
            if self.at == "planning" and self.run is not None:
                self.go_on()  # something else had to be done first
            elif self.at == "planning":
                self.at = "choose" if self.offer is None else "place"
            elif self.at in ("running", "note"):
                self.at, self.why = "stopped", "it ended otherwise than it should: see the message"
        self.changed.emit()

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
            if self.pieces.take(run):  # this one is saved, and there is another
                QTimer.singleShot(0, self._next_piece)
        self._tell_what_comes()
        self.machine.ask_state()
        self.changed.emit()

    def look_again(self) -> None:
        """See what can be run, and how it is judged, after something else changed."""
        if self.is_open:
            self.changed.emit()

    # What is shown --------------------------------------------------------------------------------------------------

    def done_of(self) -> tuple[int, int]:
        """Return how many touches are made, and how many there are in all."""
        return (0, 0) if self.run is None else touches_of(self.run)
