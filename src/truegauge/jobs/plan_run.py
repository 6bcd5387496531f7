"""One run of a plan on a machine: every touch is kept on disk, the sample grows with it, and it can be gone on with."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.errors import DeviceError
from truegauge.core.evaluation.choice import Choice
from truegauge.core.probing.machine_check import said
from truegauge.core.progress import Progress, silent
from truegauge.core.routes.original import as_before
from truegauge.core.samples.document import SampleData
from truegauge.core.samples.sample import Sample
from truegauge.jobs.running import complete_in, joined, part_name, work_of
from truegauge.runs.events import Tell, nobody
from truegauge.runs.journal import Journal, RunAbout
from truegauge.runs.program import Program
from truegauge.runs.state import Located, RunState
from truegauge.runs.stylus import styli_allowed

if TYPE_CHECKING:
    from truegauge.core.arrays import Rigid
    from truegauge.core.evaluation.evaluator import Evaluator
    from truegauge.core.plan.document import Plan
    from truegauge.core.probing.probing import StylusUse
    from truegauge.core.probing.records import MachineRecord
    from truegauge.devices.cmm.machine import Cmm

_RUN_BY = ("part", "alignments", "in_force", "features", "constructed", "datums", "probing", "route")


@dataclass(frozen=True, slots=True, eq=False)
class Setting:
    """What a run needs: the plan with its part, a machine with what is known of it, and the time."""

    plan: Plan
    evaluator: Evaluator
    cmm: Cmm
    record: MachineRecord
    now: Callable[[], datetime] = datetime.now

    def may_use(self) -> Callable[[StylusUse], bool]:
        """Return which styli may measure now."""
        return styli_allowed(self.plan.probing, self.record, self.cmm.temperature(), self.now()).__contains__


def run_key(plan: Plan) -> str:
    """Return what identifies all of a plan that a run depends on."""
    whole = plan.model_dump(mode="json", include=set(_RUN_BY))
    return hashlib.sha256(json.dumps(whole, sort_keys=True).encode()).hexdigest()


class PlanRun:
    """A run that was begun or gone on with; `run` may be called again after it raised."""

    def __init__(self, setting: Setting, journal: Journal, tell: Tell = nobody) -> None:
        about = journal.about
        self.setting, self.journal = setting, journal
        self.choice = Choice(characteristics=about.characteristics, features=about.features, subset=about.subset,
                             align=about.align)  # fmt: skip
        self.started_with = Sample.of(about.sample, origin=about.origin)
        self.piece = about.piece
        plan, record, pieces = setting.plan, setting.record, setting.plan.route.pieces
        if about.original:
            plan = plan.replace(route=as_before(plan.route))
        if pieces is not None:  # the others are gone around
            there = np.array(about.first.pose).reshape(4, 4)
            others = pieces.neighbours(setting.evaluator.model.box, there, about.piece)
            record = record.replace(fixtures=(*record.fixtures, *others))
        work = work_of(plan, setting.evaluator, self.choice, self.started_with,
                       journal.state.machine_from_part, record, setting.may_use())  # fmt: skip
        self.program = Program(setting.cmm, work, journal.state, setting.record, tell, journal.keep, setting.now)

    @staticmethod
    def begin(
        setting: Setting, path: Path, choice: Choice, sample: Sample, machine_from_part: Rigid, tell: Tell = nobody,
        *, piece: int = 0, original: bool = False,
    ) -> PlanRun:  # fmt: skip
        """Begin a run of a sample; the part lies about at `machine_from_part`, and is as warm as the machine says.

        `piece` is which of the pieces of the plan's route it is, where several are on the table; with `original` it is
        run in the order that the route had before it was made shorter.

        Raises
        ------
        FormatError
            Its journal cannot be written, or there is one.
        """
        if sample.about.temperature_c is None:
            sample = sample.saying(temperature_c=setting.cmm.temperature())
        if setting.record.checks and not sample.about.machine_check:
            sample = sample.saying(machine_check=said(setting.record.checks[-1]))
        if not sample.about.device:
            sample = sample.saying(device=setting.cmm.identity)
        about = RunAbout(
            plan=run_key(setting.plan), machine=setting.cmm.identity,
            started=setting.now().isoformat(timespec="seconds"), features=choice.features,
            characteristics=choice.characteristics, subset=choice.subset, align=choice.align,
            sample=SampleData.model_validate(sample.data.model_dump()), origin=sample.origin,
            first=Located.at(machine_from_part), piece=piece, original=original,
        )  # fmt: skip
        return PlanRun._with(setting, Journal.begin(path, about), tell)

    @staticmethod
    def go_on(setting: Setting, path: Path, tell: Tell = nobody) -> PlanRun:
        """Go on with a run that another process has begun.

        Raises
        ------
        FormatError
            The journal is damaged, or in use.
        DeviceError
            It belongs to another plan, or another machine.
        """
        journal = Journal.go_on(path)
        try:
            if journal.about.plan != run_key(setting.plan):
                raise DeviceError(
                    "the plan was changed since the run stopped: run it anew, or go back to the plan as it was"
                )
            if journal.about.machine != setting.cmm.identity:
                raise DeviceError(
                    f"the run was begun on another machine ({journal.about.machine}, not {setting.cmm.identity})"
                )
        except DeviceError:
            journal.close()
            raise
        return PlanRun._with(setting, journal, tell)

    @staticmethod
    def _with(setting: Setting, journal: Journal, tell: Tell) -> PlanRun:
        try:
            return PlanRun(setting, journal, tell)
        except BaseException:
            journal.close()
            raise

    def go(self, progress: Progress = silent) -> Sample:
        """Do what is left; returns the sample.

        Raises
        ------
        DeviceError
            It cannot go on; what to do is in the text. What was touched is kept.
        """
        self.program.run_with(progress)
        return self.sample()

    # What there is --------------------------------------------------------------------------------------------------

    @property
    def state(self) -> RunState:
        """How far it is."""
        return self.program.state

    def sample(self) -> Sample:
        """Return the sample with all that was touched so far."""
        made, read = joined(self.started_with, *self.program.touched()), self.state.temperature_c
        return made if read is None else made.saying(temperature_c=read)

    @property
    def record(self) -> MachineRecord:
        """What is known of the machine now: the next part lies where this one was found to lie."""
        own = self.setting
        if not self.state.taken:
            return own.record
        at, pieces, pose = own.now().isoformat(timespec="seconds"), own.plan.route.pieces, self.state.machine_from_part
        if pieces is not None:  # where the first of them lies
            pose = pieces.first(pose, self.piece)
        return own.record.with_place(part_name(own.plan), pose, at)

    def complete(self) -> tuple[str, ...]:
        """Return the characteristics (ids) of the run whose features are all measured."""
        steps = {getattr(s, "feature", ""): s.id for s in self.program.work.route.steps}
        over = {s for s, o in self.state.over.items() if o.state == "done"}
        # What is touched again is complete when it is, whatever there was before.
        before = {t.feature for t in self.started_with.probed if t.feature not in steps}
        done = {f for f, s in steps.items() if s in over} | before
        return complete_in(self.setting.plan, done, self.choice.characteristics)

    def listen(self, tell: Tell) -> None:
        """Have what happens told to somebody else from now on."""
        self.program.tell = tell


def place_known(plan: Plan, record: MachineRecord, piece: int = 0) -> np.ndarray | None:
    """Return where the part of a plan (or one of several pieces) was found last on a machine; None: it was not."""
    known, pieces = record.place_of(part_name(plan)), plan.route.pieces
    if known is None or pieces is None:
        return None if known is None else known.machine_from_part
    return pieces.pose(known.machine_from_part, piece)
