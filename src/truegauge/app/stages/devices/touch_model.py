"""Touching the part at the Measure stage: by hand, one touch after the other, or by machine at nominal places."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QObject, QTimer, Signal

from truegauge.app.stages.devices.hand_touches import HandTouches
from truegauge.app.stages.devices.machine_model import MachineModel
from truegauge.core.authoring.new_features import feature_name, new_id
from truegauge.core.cad.recognition import whole_surface
from truegauge.core.commands.features import AddFeature
from truegauge.core.commands.routes import SetRoute
from truegauge.core.errors import DeviceError
from truegauge.core.features.extraction import Measured
from truegauge.core.frames import apply, invert
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.plan.features import NominalFeature
from truegauge.core.probing.suggest import Suggestion, suggest
from truegauge.core.progress import Progress
from truegauge.core.routes.document import MeasureStep, step_id
from truegauge.core.routes.strategies import Usual
from truegauge.core.samples.document import ProbedTouch
from truegauge.runs.events import FeatureBegun, FeatureComplete, FeatureTouched
from truegauge.runs.machine_run import run_until_it_stands

if TYPE_CHECKING:
    from truegauge.core.routes.legs import Visit
    from truegauge.runs.routing import Left
    from truegauge.runs.touching import Touching


class TouchModel(QObject):
    """What was touched, and what is being touched. Every touch goes into the sample at once."""

    changed = Signal()
    _from_run = Signal(object)  # what it tells: delivered in the window's thread

    def __init__(self, machine: MachineModel, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.machine, self.session = machine, machine.session
        self._waiting: list[ProbedTouch] = []
        self._instead: dict[str, list[ProbedTouch]] = {}  # of features that have touches already, until all are there
        self.by_hand = False  # touches of the joystick belong to features now
        self.job: Touching | None = None
        self.visit: Visit | None = None
        self.stopped = ""
        self.left: tuple[Left, ...] = ()
        self.hand = HandTouches(machine, self._feature_by_hand, self)
        self.hand.touched.connect(self._add)
        self.hand.changed.connect(self.changed)
        machine.changed.connect(self.changed)
        self.session.document.evaluated.connect(self.changed)
        self.session.document.sample_changed.connect(self.changed)
        self.session.document.sample_data_changed.connect(self.changed)
        self.session.selection.changed.connect(self.changed)
        self._from_run.connect(self._on_told)

    # What is there ------------------------------------------------------------------------------------------------

    @property
    def probed(self) -> tuple[ProbedTouch, ...]:
        """All touches of the sample."""
        sample = self.session.sample
        known = () if sample is None else sample.probed
        return (*known, *self._waiting) if self._waiting else known

    def feature(self) -> NominalFeature | None:
        """The one selected feature of the part."""
        found = self.session.selection.features()
        return found[0] if len(found) == 1 and isinstance(found[0], NominalFeature) else None

    def count(self, feature: str) -> int:
        """How many touches a feature has; an empty id: those that belong to none yet."""
        return sum(t.feature == feature for t in self.probed)

    def asked(self) -> tuple[int, int]:
        """How many touches in how many rows the selected feature gets from the machine."""
        feature, evaluator = self.feature(), self.session.evaluator
        if feature is None or evaluator is None:
            return 0, 0
        from truegauge.core.evaluation.touch_needs import features_to_touch
        from truegauge.core.routes.strategies import Rings
        from truegauge.core.routes.usual import count_of, resolved

        plan = self.session.plan
        found = features_to_touch(evaluator.context(plan, None), (feature,)).get(feature.id)
        step = plan.route.step_of(feature.id)
        if found is None:
            return 0, 0
        own = resolved(Usual() if step is None else step.strategy, found)
        return count_of(own, found, evaluator.model), own.rows if isinstance(own, Rings) else 0

    def ask_for(self, **changes: int) -> None:
        """Change how many touches, or rows, the selected feature gets from the machine."""
        feature, route = self.feature(), self.session.plan.route
        if feature is None:
            return
        step = route.step_of(feature.id) or MeasureStep(id=step_id(feature.id), feature=feature.id)
        count, rows = self.asked()
        asked = {"touches": count, "rows": rows, **changes}
        usual = step.strategy if isinstance(step.strategy, Usual) else Usual()
        made = step.replace(strategy=usual.replace(**asked))
        self.session.run(SetRoute(route.with_step(made), "touches of a feature"))

    def form(self) -> float | None:
        """The form of the selected feature so far, mm."""
        feature, evaluation = self.feature(), self.session.evaluation
        found = evaluation.features.get(feature.id) if feature is not None and evaluation is not None else None
        return found.form if isinstance(found, Measured) else None

    def count_in_run(self, feature: str) -> int:
        """How many touches of this run a feature has."""
        return len(self._instead[feature]) if feature in self._instead else self.count(feature)

    def open_touches(self) -> tuple[ProbedTouch, ...]:
        """Touches that belong to no feature yet."""
        return tuple(t for t in self.probed if not t.feature)

    def suggestions(self) -> list[Suggestion]:
        """What the open touches may lie on, by themselves."""
        own = self.open_touches()
        if len(own) < 3:
            return []
        places, approach = np.array([t.place for t in own]), np.array([t.approach for t in own])
        return suggest(places, approach, np.array([t.radius for t in own]))

    def face_touched(self) -> tuple[int, ...]:
        """The faces that most of the open touches lie on, by the alignment; none before there is one."""
        own, evaluator, pose = self.open_touches(), self.session.evaluator, self.part_from_machine()
        if not own or evaluator is None or pose is None or not evaluator.can_pick:
            return ()
        tips = np.array([t.place for t in own]) + np.array([t.radius * np.array(t.approach) for t in own])
        faces = evaluator.projector.deviations(apply(pose, tips)).face
        faces = faces[faces >= 0]
        return whole_surface(evaluator.model, int(np.bincount(faces).argmax())) if len(faces) else ()

    def _tell_what_comes(self) -> None:
        """Let the window know which features are still touched in this run."""
        waiting = () if self.job is None else self.job.waiting
        self.session.set_in_run(frozenset(v.feature.id for v in waiting))

    def part_from_machine(self) -> np.ndarray | None:
        """Where the part lies; None where nobody knows."""
        return self.machine.part_from_machine()

    # By hand ------------------------------------------------------------------------------------------------------

    def set_by_hand(self, on: bool) -> None:
        """Take touches of the joystick for the selected feature, or not any more."""
        sample = self.session.sample
        # The first touch takes the place of a scan; what was written about that is the operator's work too.
        if on and sample is not None and len(sample.points) and not self.session.document.may_let_sample_go():
            on = False
        if on != self.by_hand:
            self.by_hand = on
            self.changed.emit()

    def _feature_by_hand(self) -> str | None:
        if not (self.by_hand and self.session.stage == "measure"):
            return None
        feature = self.feature()
        return feature.id if feature is not None else ""

    def _add(self, touch: ProbedTouch) -> None:
        """Keep a touch; those that come together go into the sample together."""
        self._waiting.append(touch)
        if len(self._waiting) == 1:
            QTimer.singleShot(0, self._flush)

    def _flush(self) -> None:
        if self._waiting:
            every, self._waiting = self.probed, []
            self.session.document.set_probed(every, self.machine.temperature_c, self.machine.machine)

    def _take_instead(self, feature: str) -> None:
        """Let the new touches of a feature, which are all there, take the place of its old ones."""
        self._flush()
        new = self._instead.pop(feature)
        kept = tuple(t for t in self.probed if t.feature != feature)
        self.session.document.set_probed((*kept, *new), self.machine.temperature_c, self.machine.machine)

    def take_back(self) -> None:
        """Forget the last touch."""
        self._flush()
        if self.probed:
            self.session.document.set_probed(self.probed[:-1])

    def touch_again(self) -> None:
        """Forget the touches of the selected feature."""
        self._flush()
        feature = self.feature()
        if feature is not None:
            self.session.document.set_probed(tuple(t for t in self.probed if t.feature != feature.id))

    def assign(self, faces: tuple[int, ...] = ()) -> None:
        """Give the open touches to the selected feature, or to that of some faces; the plan gets one if it has none."""
        self._flush()
        feature = self.feature()
        if faces:
            feature = self.session.plan.feature_with_faces(faces) or self._new_feature(faces)
        if feature is None:
            self.session.notify("select the feature that was touched, in the view or in the list")
            return
        wanted = feature.id
        self.session.document.set_probed(tuple(t if t.feature else t.replace(feature=wanted) for t in self.probed))
        self.session.selection.select((feature.faces,))

    def _new_feature(self, faces: tuple[int, ...]) -> NominalFeature | None:
        evaluator, plan = self.session.evaluator, self.session.plan
        nominal = None if evaluator is None else evaluator.nominal(faces)
        if nominal is None or isinstance(nominal, NotComputed):
            self.session.notify("the touched face is free-form; spot checks and profiles read it without a feature")
            return None
        made = NominalFeature(id=new_id(), name=feature_name(plan, nominal), faces=faces)
        return made if self.session.run(AddFeature(made)) else None

    # By machine ---------------------------------------------------------------------------------------------------

    def why_not_by_machine(self) -> str:
        """Say why the machine cannot touch features now; empty when it can."""
        machine = self.machine
        if not machine.connected:
            return "no machine is connected: see Devices"
        if not machine.homed:
            return "home the machine first: see Devices"
        if machine.busy:
            return "the machine is at work"
        if self.part_from_machine() is None:
            return "align the part by touches first: see Align"
        return ""

    def wanted(self) -> tuple[NominalFeature, ...]:
        """The selected features of the part, or all that are not touched yet."""
        chosen = tuple(f for f in self.session.selection.features() if isinstance(f, NominalFeature))
        off = {s.feature for s in self.session.plan.route.steps if isinstance(s, MeasureStep) and not s.on}
        return chosen or tuple(f for f in self.session.plan.features if not self.count(f.id) and f.id not in off)

    def touch_by_machine(self) -> None:
        """Touch the wanted features; touches that they have already stay until the new ones are all there."""
        s, machine, pose = self.session, self.machine, self.part_from_machine()
        why = self.why_not_by_machine()
        evaluator, features = s.evaluator, self.wanted()
        if why or pose is None or evaluator is None or machine.cmm is None or not features:
            s.notify(why or "every feature is touched already; select one to touch it again")
            return
        from truegauge.core.evaluation.touch_needs import along_frames, features_to_touch
        from truegauge.runs.routing import Router
        from truegauge.runs.touching import Touching

        self._instead = {f.id: [] for f in features if self.count(f.id)}
        wanted = tuple(features_to_touch(evaluator.context(s.plan, None), features).values())
        center = machine.sphere_center()
        tell, cmm, record, probing, route = (
            self._from_run.emit,
            machine.cmm,
            machine.record,
            s.plan.probing,
            along_frames(evaluator.context(s.plan, None), s.plan.route),
        )
        model, projector, now = evaluator.model, evaluator.projector, machine.now
        usable = frozenset(u for u in probing.uses() if machine.may_use(u))

        def work(progress: Progress) -> Touching:
            progress(0.0, "looking for ways to every feature")
            router = Router(model, projector, invert(pose), probing, lambda u: u in usable, center, record, route)
            return Touching(cmm, router, record, wanted, tell, now)

        def planned(job: Touching) -> None:
            self.job = job
            self.left = job.left
            self._tell_what_comes()
            self.go_on()

        machine.run(work, planned, "Planning")
        self.changed.emit()

    def go_on(self) -> None:
        """Begin or go on with the run."""
        job = self.job
        if job is None or self.machine.busy:
            return
        again, self.stopped = bool(self.stopped), ""
        self.machine.run(
            lambda progress: run_until_it_stands(job, progress, again=again), self._on_ended, "Touching"
        )  # fmt: skip
        self.changed.emit()

    def skip(self) -> None:
        """Leave the feature at which it stands, and go on."""
        if self.job is not None and self.job.waiting:
            self._instead.pop(self.job.waiting[0].feature.id, None)  # its old touches stay
            self.job.skip()
            self.go_on()

    def give_up(self) -> None:
        """End the run; what was touched stays."""
        if self.machine.busy:
            self.machine.stop()
        self.job, self.visit, self.stopped = None, None, ""
        self._instead = {}
        self._tell_what_comes()
        self.changed.emit()

    def _on_ended(self, why: str) -> None:
        job = self.job
        if job is None:
            return
        self.left = job.left
        if why:
            self.stopped = why
            self.session.notify(DeviceError(why), "Go on", self.go_on, "Skip the feature", self.skip)
        else:
            self.job, self.visit, self._instead = None, None, {}
            text = "All touched."
            if job.left:
                reasons = "; ".join(f"{x.feature.name}: {x.why}" for x in job.left[:3])
                text = f"{len(job.left)} not touched: {reasons}"
            self.session.notify(text)
        self._tell_what_comes()
        self.machine.ask_state()
        self.changed.emit()

    def _on_told(self, event: object) -> None:
        """Take in what a run tells."""
        if isinstance(event, FeatureTouched):
            instead = self._instead.get(event.touch.feature)
            if instead is None:
                self._add(event.touch)
            else:
                instead.append(event.touch)
        elif isinstance(event, FeatureComplete):
            self._tell_what_comes()
            if event.visit.feature.id in self._instead:
                self._take_instead(event.visit.feature.id)
        elif isinstance(event, FeatureBegun):
            self.visit = event.visit
            self.changed.emit()
