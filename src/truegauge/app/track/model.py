"""The route of the plan as the window shows it: planned in the background, rehearsed, changed by commands."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any, TypeVar

from PySide6.QtCore import QElapsedTimer, QObject, QTimer, Signal

from truegauge.app.document.jobs import Job, background_thread
from truegauge.app.document.session import Session
from truegauge.app.track.states import states_of, why_no_route
from truegauge.core.commands.routes import SetRoute, new_step_id, temperature_step
from truegauge.core.progress import Progress
from truegauge.core.routes.candidates import with_pose
from truegauge.core.routes.document import AnyStep, MeasureStep, NoteStep, Route
from truegauge.core.routes.track import Finding, Track, changed, findings_of, moved, track_of, without_steps

if TYPE_CHECKING:
    from truegauge.core.arrays import Vector
    from truegauge.core.probing.probing import StylusUse
    from truegauge.core.routes.legs import Leg, StepPlan
    from truegauge.core.routes.places import Places
    from truegauge.jobs.routing import Routed

T = TypeVar("T")
_SOON_MS = 120  # after a change: what comes fast is planned once
_FRAME_MS = 33
SPEEDS = (0.1, 0.5, 1.0, 2.0, 5.0, 10.0, 50.0)


class RouteModel(QObject):
    """Planned anew whenever the plan changes; rehearsal goes on with what there is."""

    changed = Signal()
    moved = Signal()  # the play-head

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.routed: Routed | None = None
        self.track: Track | None = None
        self.chosen: tuple[str, ...] = ()  # steps
        self.seconds, self.speed = 0.0, 1.0
        self.rehearsing = False
        self._of_run: dict[str, str] = {}  # states of steps in the run that is under way
        self.preview: tuple[str, Places] | None = None  # of the step that was changed last, until it is planned
        self._planned_for: object = None
        self._executor = background_thread("route")
        self._jobs: dict[Job, Callable[[Any], None]] = {}
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(_SOON_MS)
        self._soon.timeout.connect(self._plan)
        self._clock = QElapsedTimer()
        self._frames = QTimer(self)
        self._frames.setInterval(_FRAME_MS)
        self._frames.timeout.connect(self._on_frame)
        d = session.document
        d.plan_changed.connect(self._on_plan_changed)
        d.part_changed.connect(self._on_plan_changed)
        d.evaluated.connect(self._on_evaluated)
        session.selection.changed.connect(self._on_selected)

    def close(self) -> None:
        """Stop what goes on by itself."""
        self._soon.stop()
        self._frames.stop()
        self._stop()
        self._executor.shutdown(wait=True, cancel_futures=True)

    def _stop(self) -> None:
        for job in self._jobs:
            job.cancel()
        self._jobs = {}

    def _start(self, work: Callable[[Progress], T], then: Callable[[T], None]) -> None:
        """Do something beside everything else; what is newer stops it."""
        job = Job(work, self)
        self._jobs[job] = then
        # Methods of this object: Qt delivers in its thread.
        job.done.connect(self._on_job_done)
        job.failed.connect(self._on_job_failed)
        job.start(self._executor)

    def _on_job_done(self, job: Job, found: object) -> None:
        then = self._jobs.pop(job, None)
        job.deleteLater()
        if then is not None:
            then(found)

    def _on_job_failed(self, job: Job, error: Exception) -> None:
        if self._jobs.pop(job, None) is not None:
            self.session.notify(error)
        job.deleteLater()

    # The route ----------------------------------------------------------------------------------------------------

    @property
    def route(self) -> Route:
        """The route of the plan."""
        return self.session.plan.route

    @property
    def is_there(self) -> bool:
        """Whether the plan has one."""
        return bool(self.route.steps)

    @property
    def is_current(self) -> bool:
        """Whether what is shown is planned for the plan as it is."""
        return self._planned_for == self._key() and not self._jobs

    def why_not(self) -> str:
        """Say why no route can be made; empty when one can."""
        return why_no_route(self.session)

    def make(self) -> None:
        """Make the route: steps for all features, in a good order."""
        why, evaluator = self.why_not(), self.session.evaluator
        if why or evaluator is None:
            self.session.notify(why or "the part is still being prepared")
            return
        plan = self.session.plan

        def work(progress: Progress) -> Routed:
            from truegauge.jobs.routing import routed

            return routed(plan, evaluator, make=True, progress=progress)

        def done(found: Routed) -> None:
            if self.session.plan.features != plan.features:
                self.make()  # the plan was changed meanwhile
                return
            self._stop()
            if found.route != self.route:
                self.session.run(SetRoute(found.route, "make the route"))
            self._take(found)
            lost = len(found.planned.unreached)
            if lost:
                self.session.notify(
                    f"{lost} {'feature is' if lost == 1 else 'features are'} not reached: see the track"
                )

        self.session.queue.start(work, done, "Making the route")

    def _key(self) -> object:
        plan, model = self.session.plan, self.session.model
        return (plan.route, plan.features, plan.probing, plan.datums, plan.characteristics, None if model is None else
                model.key)  # fmt: skip

    def _on_plan_changed(self) -> None:
        if not self.is_there:
            self.routed = self.track = self._planned_for = self.preview = None
            self._stop()
            self._frames.stop()
            self.rehearsing = False
            self.changed.emit()
            return
        if self._key() != self._planned_for:
            self._stop()
            self._look_ahead()
            self._soon.start()
            self.changed.emit()

    def _look_ahead(self) -> None:
        """Have the places of a step that was changed, before all of the route is planned again."""
        found, evaluator = self.routed, self.session.evaluator
        before = {} if found is None else {s.id: s for s in found.route.steps}
        news = [s for s in self.route.steps if isinstance(s, MeasureStep) and before.get(s.id) not in (None, s)]
        if len(news) != 1 or evaluator is None or not evaluator.can_pick:
            return
        step, plan = news[0], self.session.plan

        def work(progress: Progress) -> Places:
            from truegauge.jobs.routing import places_of_step

            return places_of_step(plan, evaluator, step)

        def then(places: Places) -> None:
            self.preview = (step.id, places)
            self.changed.emit()

        self._start(work, then)

    def _plan(self) -> None:
        evaluator, plan, key = self.session.evaluator, self.session.plan, self._key()
        if evaluator is None or not plan.route.steps or key == self._planned_for:
            return
        if not plan.probing.uses():
            return

        def work(progress: Progress) -> Routed:
            from truegauge.jobs.routing import routed

            return routed(plan, evaluator, progress=progress)

        self._start(work, lambda found: self._take(found, key))

    def _take(self, found: Routed, key: object = None) -> None:
        self._planned_for, self.preview = key or self._key(), None
        self.show(found)
        if self._key() != self._planned_for:
            self._soon.start()

    def show(self, found: Routed) -> None:
        """Show what came of a route."""
        self.routed = found
        self._tell_track()
        self.seconds = min(self.seconds, found.planned.seconds)
        self.changed.emit()
        self.moved.emit()

    def _tell_track(self) -> None:
        found = self.routed
        if found is None:
            return
        plan = found.plan
        names = {f.id: f.name for f in plan.features} | {a.id: a.name or a.id for a in plan.alignments}
        of_uses = {leg.use: plan.probing.name_of(leg.use) for leg in found.planned.legs}
        self.track = track_of(
            found.route, found.planned, names, of_uses, found.checked, states_of(self.session), self._of_run
        )

    def set_run(self, states: dict[str, str]) -> None:
        """Know how steps (ids) stand in a run: "running", "done", "failed"."""
        if states != self._of_run:
            self._of_run = states
            self._tell_track()
            self.changed.emit()

    def _on_evaluated(self) -> None:
        if self.is_there and self.routed is None:
            self._soon.start()
        elif self.routed is not None:
            self._tell_track()
            self.changed.emit()

    # Steps ----------------------------------------------------------------------------------------------------------

    def step(self, step_id: str) -> AnyStep | None:
        """Return a step."""
        return next((s for s in self.route.steps if s.id == step_id), None)

    def step_plan(self, step_id: str) -> StepPlan | None:
        """Return what came of a step."""
        found = self.routed
        return None if found is None else next((s for s in found.planned.steps if s.step.id == step_id), None)

    def choose(self, steps: tuple[str, ...]) -> None:
        """Choose steps; their features are selected."""
        if steps == self.chosen:
            return
        self.chosen = steps
        groups = []
        for s in steps:
            own = self.step(s)
            if isinstance(own, MeasureStep) and self.session.plan.has_feature(own.feature):
                groups.append(self.session.plan.feature(own.feature).group)
        if groups:
            self.session.selection.select(tuple(groups))
        self.changed.emit()

    def _on_selected(self) -> None:
        ids = {f.id for f in self.session.selection.features()}
        chosen = tuple(s.id for s in self.route.steps if isinstance(s, MeasureStep) and s.feature in ids)
        if ids and chosen != self.chosen:
            self.chosen = chosen
            self.changed.emit()

    def run(self, route: Route, label: str, merge_key: str = "") -> None:
        """Change the route; one step of undo."""
        if route != self.route:
            self.session.run(SetRoute(route, label, merge_key))

    def edit(self, step: AnyStep, label: str, merge_key: str = "") -> None:
        """Change a step."""
        self.run(self.route.with_step(step), label, merge_key)

    def move(self, step_id: str, before: str) -> None:
        """Move a step in front of another; "" to the end."""
        self.run(moved(self.route, step_id, before), "reorder the route")

    def switch(self) -> None:
        """Switch the chosen steps off, or on again."""
        own = [s for s in self.route.steps if s.id in self.chosen]
        if own:
            on = not own[0].on
            self.run(changed(self.route, self.chosen, on=on), "switch steps on" if on else "switch steps off")

    def pin(self) -> None:
        """Pin the chosen steps where they are, or not any more."""
        own = [s for s in self.route.steps if s.id in self.chosen]
        if own:
            self.run(changed(self.route, self.chosen, pinned=not own[0].pinned), "pin steps")

    def remove(self) -> None:
        """Take the chosen steps out of the route."""
        if self.chosen:
            self.run(without_steps(self.route, self.chosen), "remove steps")
            self.chosen = ()

    def group(self, name: str) -> None:
        """Put the chosen steps into a group by its name; empty: into none."""
        if self.chosen:
            self.run(changed(self.route, self.chosen, group=name), "group steps")

    def add_note(self, text: str) -> None:
        """Add a note to the operator in front of the chosen step; at the end where there is none."""
        self._add(NoteStep(id=new_step_id(self.route, "n"), text=text), "add a note")

    def add_temperature(self, text: str) -> None:
        """Add a reading of the temperature in front of the chosen step, with limits as they are typed."""
        try:
            step = temperature_step(new_step_id(self.route, "t"), text)
        except ValueError as error:
            self.session.notify(error)
            return
        self._add(step, "add a reading of the temperature")

    def _add(self, step: AnyStep, label: str) -> None:
        route = self.route.with_step(step)
        self.run(moved(route, step.id, self.chosen[0]) if self.chosen else route, label)

    def take_candidate(self, use: StylusUse) -> None:
        """Add the pose of a candidate to its probe."""
        from truegauge.core.commands.probing import SetProbing

        self.session.run(SetProbing(with_pose(self.session.plan.probing, use), "add a pose"))

    # Rehearsal ------------------------------------------------------------------------------------------------------

    @property
    def playing(self) -> bool:
        """Whether the rehearsal goes on by itself."""
        return self._frames.isActive()

    def set_rehearsing(self, on: bool) -> None:
        """Show the rehearsal in the middle, or the part again."""
        if on and self.routed is None:
            return
        if on != self.rehearsing:
            self.rehearsing = on
            if not on:
                self._frames.stop()
            self.changed.emit()

    def play(self) -> None:
        """Play, or pause; from the beginning when it is at the end."""
        if self.routed is None or not self.routed.planned.legs:
            return
        self.set_rehearsing(True)
        if self.playing:
            self._frames.stop()
        else:
            if self.seconds >= self.routed.planned.seconds - 1e-6:
                self.seconds = 0.0
            self._clock.start()
            self._frames.start()
        self.changed.emit()

    def set_seconds(self, seconds: float) -> None:
        """Put the play-head to an instant."""
        if self.routed is None:
            return
        self.set_rehearsing(True)
        self.seconds = min(max(0.0, seconds), self.routed.planned.seconds)
        self.moved.emit()

    def set_speed(self, speed: float) -> None:
        """Play so many times as fast as the machine."""
        self.speed = min(max(speed, SPEEDS[0]), SPEEDS[-1])
        self.changed.emit()

    def _on_frame(self) -> None:
        if self.routed is None:
            self._frames.stop()
            return
        self.seconds += self.speed * self._clock.restart() / 1000.0
        end = self.routed.planned.seconds
        if self.seconds >= end:
            self.seconds = end
            self._frames.stop()
            self.changed.emit()
        self.moved.emit()

    def now(self) -> tuple[Leg, Vector] | None:
        """Return what goes on at the play-head, and where the tip is."""
        return None if self.routed is None else self.routed.planned.tip_at(self.seconds)

    def findings(self) -> tuple[Finding, ...]:
        """Return what goes wrong, worst first."""
        found = self.routed
        if found is None or self.track is None:
            return ()
        return findings_of(self.track, found.planned, found.checked)
