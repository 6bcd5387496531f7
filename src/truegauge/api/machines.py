"""Coordinate measuring machines (I++ DME) without a window: qualifying styli, touching features; and the stand-in."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable, Sequence
from datetime import datetime
from pathlib import Path
from types import TracebackType
from typing import TYPE_CHECKING, Self

import numpy as np

from truegauge.api.plan_features import Feature
from truegauge.api.plans import Plan
from truegauge.core.errors import DeviceError, TrueGaugeError
from truegauge.core.evaluation.touch_needs import along_frames, features_to_touch
from truegauge.core.frames import as_rigid
from truegauge.core.plan.features import NominalFeature
from truegauge.core.probing.length_standard import BY_HAND
from truegauge.core.probing.machine_check import MachineCheck
from truegauge.core.probing.records import MachineRecord
from truegauge.core.progress import Progress, silent
from truegauge.core.samples.document import ProbedTouch, SampleData
from truegauge.core.samples.sample import Sample
from truegauge.devices.cmm.machine import Cmm
from truegauge.devices.cmm_sim.build import PartToPlace, make_world, start
from truegauge.devices.cmm_sim.operator import Operator
from truegauge.devices.cmm_sim.settings import Fault, MachineSettings
from truegauge.runs.checking import Checking
from truegauge.runs.events import FeatureTouched, Tell, TouchWanted, when
from truegauge.runs.qualifying import Qualifying
from truegauge.runs.routing import Router
from truegauge.runs.stylus import styli_allowed
from truegauge.runs.touching import Touching

if TYPE_CHECKING:
    from truegauge.core.arrays import Rigid
    from truegauge.core.probing.probing import Probing, StylusUse
    from truegauge.core.probing.records import QualificationRecord
    from truegauge.devices.cmm_sim.words import SensorTouch

Ask = Callable[[str], None]


def connect(host: str = "127.0.0.1", port: int = 1294, *, record: MachineRecord | None = None) -> Machine:
    """Connect to a machine that speaks I++ DME, and home it where it is not.

    Parameters
    ----------
    record : MachineRecord, optional
        What is known of this machine: where the sphere is, the qualifications of its styli.

    Raises
    ------
    DeviceError
        No machine answers there, or it refuses.
    """
    cmm = Cmm(host, port)
    cmm.connect()
    machine = Machine(cmm, record or MachineRecord())
    if not cmm.is_homed():
        cmm.home()
    return machine


class Machine:
    """A machine that is connected; use it in a ``with`` statement, or close it."""

    def __init__(self, cmm: Cmm, record: MachineRecord) -> None:
        self.cmm = cmm
        self.record = record  # what is known of it grows with every qualification
        self.left: dict[str, str] = {}  # features that the last run could not touch, and why

    def __enter__(self) -> Self:
        """Return itself."""
        return self

    def __exit__(self, kind: type[BaseException] | None, value: BaseException | None, at: TracebackType | None) -> None:
        """Let go of the machine."""
        self.close()

    def close(self) -> None:
        """Let go of the machine."""
        self.cmm.close()

    @property
    def identity(self) -> str:
        """What the machine calls itself."""
        return self.cmm.identity

    def qualify(
        self, plan: Plan, styli: Sequence[StylusUse] = (), *, ask: Ask | None = None, progress: Progress = silent
    ) -> tuple[QualificationRecord, ...]:
        """Qualify the styli of a plan (all, or some) on the reference sphere; the master first where it must locate it.

        Parameters
        ----------
        ask : callable
            Called with words when somebody has to touch the sphere by hand; the run waits for the touch.

        Raises
        ------
        DeviceError
            It cannot go on; what to do is in the text.
        """
        probing = plan.document.probing
        wanted = tuple(styli) or probing.uses()
        job = Qualifying(self.cmm, probing, self.record, wanted, _asked(probing, ask))
        job.run_with(progress)
        self.record = job.record
        return tuple(job.done)

    def check(
        self, plan: Plan, *, sphere: bool = True, gauge: bool = True, operator: str = "", ask: Ask | None = None,
        progress: Progress = silent,
    ) -> MachineCheck:  # fmt: skip
        """Check the machine on the reference sphere and on the step gauge of a plan; the check is kept in `record`.

        Form and size of a sphere (25 touches, after ISO 10360-5) and lengths along one line (after ISO 10360-2, three
        times each), judged by the errors of the device that the plan states.

        Parameters
        ----------
        ask : callable
            Called with words when somebody has to touch the gauge by hand; the check waits for the touch.

        Raises
        ------
        DeviceError
            It cannot go on (no stylus is qualified for it, the gauge was not found); what to do is in the text.
        ValueError
            Nothing is to be checked.
        """
        if not (sphere or gauge):
            raise ValueError("a check needs the sphere, the gauge, or both")
        document = plan.document
        job = Checking(self.cmm, document.probing, self.record, document.device, _asked(document.probing, ask),
                       sphere=sphere, gauge=gauge, operator=operator,
                       temperature_c=self.cmm.temperature())  # fmt: skip
        job.run_with(progress)
        found = job.found()
        self.record = self.record.with_check(found)
        return found

    def touch(
        self, plan: Plan, machine_from_part: Rigid, features: Iterable[Feature | str] = (), *,
        sample: Sample | None = None, progress: Progress = silent,
    ) -> Sample:  # fmt: skip
        """Touch features (all of the part without any named), with the styli that get at them and may measure.

        Parameters
        ----------
        machine_from_part : (4, 4)
            Where the part lies in the machine's coordinates, mm: nearly enough for its ways.
        sample : Sample, optional
            What was touched before; the features touched now get their new touches.

        Returns
        -------
        Sample
            The touches, in machine coordinates; what could not be touched is in `left`, with the reason.

        Raises
        ------
        DeviceError
            It cannot go on; what to do is in the text.
        TrueGaugeError
            A feature that cannot be touched: a constructed one.
        """
        document, probing = plan.document, plan.document.probing
        pose = as_rigid(np.asarray(machine_from_part, dtype=np.float64))
        names = [f.id if isinstance(f, Feature) else plan.feature(f).id for f in features]
        chosen = [document.feature(i) for i in names] or list(document.features)
        for f in chosen:
            if not isinstance(f, NominalFeature):
                raise TrueGaugeError(f"{f.name} is constructed: touch what it is built from")
        wanted = features_to_touch(plan.context, [f for f in chosen if isinstance(f, NominalFeature)])
        found: list[ProbedTouch] = []
        temperature, now = self.cmm.temperature(), datetime.now()
        usable = styli_allowed(probing, self.record, temperature, now)
        center = None if self.record.location is None else np.array(self.record.location.center)
        router = Router(
            plan.model, plan.evaluator.projector, pose, probing, lambda use: use in usable, center, self.record,
            along_frames(plan.evaluator.context(document, None), document.route),
        )  # fmt: skip
        tell = when(FeatureTouched, lambda event: found.append(event.touch))
        job = Touching(self.cmm, router, self.record, tuple(wanted.values()), tell)
        job.run_with(progress)
        self.left = {left.feature.name: left.why for left in job.left}
        before = sample or Sample.of(SampleData(name="Touches", temperature_c=temperature))
        touched = {t.feature for t in found}
        return before.with_probed((*(t for t in before.probed if t.feature not in touched), *found))

    def run(
        self, plan: Plan, *, only: Iterable[int] = (), features: Iterable[str] = (), subset: str = "",
        sample: Sample | None = None, machine_from_part: Rigid | None = None, before: Sample | None = None,
        align_again: bool = True, original: bool = False, journal: str | Path | None = None, ask: Ask | None = None,
        progress: Progress = silent,
    ) -> Sample:  # fmt: skip
        """Run the route of a plan, or only what some characteristics (numbers), features (names) or a subset need.

        Parameters
        ----------
        machine_from_part : (4, 4), optional
            Where the part lies, nearly enough for its ways; else where the last one was found on this machine.
        before : Sample, optional
            The sample before; without ``align_again`` what only tells where the part lies is taken over from it.
        original : bool
            In the order that the route had before it was made shorter, this once.
        journal : path, optional
            Where every touch is kept as it is made. Where it exists that run is gone on with; it is taken away at the
            end.
        ask : callable
            Called with words when somebody has to touch something by hand, or to do what a note says.

        Returns
        -------
        Sample
            The touches; what could not be touched is in `left`, with the reason.

        Raises
        ------
        DeviceError
            It cannot go on; what to do is in the text.
        """
        from truegauge.api.running import begin, choice_of

        choice = choice_of(plan.document, only, features, subset, again=align_again)
        path = None if journal is None else Path(journal)
        run = begin(self.cmm, self.record, plan, choice, sample, machine_from_part=machine_from_part,
                        before=before, journal=path, ask=ask, confirm=ask, original=original)  # fmt: skip
        try:
            found = run.go(progress)
            run.journal.end()
        finally:
            self.record = run.record
            self.left = {left.feature.name: left.why for left in run.program.left}
            run.journal.close()
        return found


def _asked(probing: Probing, ask: Ask | None) -> Tell:
    """Return what has somebody do by hand what a run asks for."""

    def touch_wanted(event: TouchWanted) -> None:
        if not event.why:
            return
        if ask is None:
            raise DeviceError(f"{event.why}: nobody was named who does it (ask=...)")
        ask(f"{probing.name_of(event.use)}: {event.why}")

    return when(TouchWanted, touch_wanted)


class StandIn:
    """A machine that is no machine: an I++ server with a table, a rack, a sphere and the part, all with errors."""

    def __init__(
        self, plan: Plan, seed: int, faults: Sequence[str], up: Sequence[float], pace: float, port: int
    ) -> None:
        part = PartToPlace(plan.model, plan.evaluator.projector, np.asarray(up, dtype=np.float64))
        settings = MachineSettings(pace=pace)
        self._world = make_world(settings, seed, tuple(map(Fault.read, faults)), plan.document, part)
        self._gauge = plan.document.probing.gauge
        self._running = start(self._world, port)

    def __enter__(self) -> Self:
        """Return itself."""
        return self

    def __exit__(self, kind: type[BaseException] | None, value: BaseException | None, at: TracebackType | None) -> None:
        """Stop it."""
        self.close()

    def close(self) -> None:
        """Stop it."""
        self._running.close()

    @property
    def port(self) -> int:
        """The port of its I++ server."""
        return self._running.port

    @property
    def machine_from_part(self) -> Rigid:
        """Where the part lies in truth, (4, 4)."""
        part = self._world.part
        assert part is not None
        return part.machine_from_part

    def touch_sphere(self, why: str = "") -> None:
        """Touch the reference sphere by hand, as an operator would who is asked to."""
        self._touch_soon(lambda operator: operator.touches_sphere(0))

    def lay_gauge(self) -> None:
        """Lay the step gauge of the plan on the table, somewhere behind the part."""
        with self._world.busy:
            self._world.put_gauge(self._gauge)

    def touch_gauge(self, why: str) -> None:
        """Touch the face of the step gauge that is asked for in words."""
        number = next((k for k, (words, _) in enumerate(BY_HAND) if words in why), None)
        if number is None:
            raise ValueError(f"{why!r} names no face of the step gauge")
        self._touch_soon(lambda operator: operator.touches_gauge(number))

    def _touch_soon(self, touch: Callable[[Operator], SensorTouch | None]) -> None:
        def do() -> None:
            with self._world.busy:
                made = touch(Operator(self._world))
            if made is not None:
                self._running.server.hand_touch(made)
            else:
                self._touch_soon(touch)  # missed it

        threading.Timer(0.05, do).start()


def stand_in(
    plan: Plan, *, seed: int = 1, faults: Sequence[str] = (), up: Sequence[float] = (0.0, 0.0, 1.0), pace: float = 0.0,
    port: int = 0,
) -> StandIn:  # fmt: skip
    """Start a stand-in for a machine, with the probes, rack and sphere of a plan, and its part on the table.

    Parameters
    ----------
    seed : int
        Which of many machines, probes and places of the part it is.
    up : (3,)
        Which way of the part points up.
    pace : float
        Times as fast as a real machine; 0: as fast as it can.

    Raises
    ------
    ValueError
        A fault that is not known.
    """
    return StandIn(plan, seed, faults, up, pace, port)
