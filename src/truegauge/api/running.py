"""Running the route of a plan on a machine, whole or in part, without a window."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import TYPE_CHECKING

from truegauge.core.errors import DeviceError, TrueGaugeError
from truegauge.core.evaluation.choice import Choice
from truegauge.core.plan.alignments import GuidedAlignment
from truegauge.core.samples.document import SampleData
from truegauge.core.samples.sample import Sample
from truegauge.jobs.plan_run import PlanRun, Setting, place_known
from truegauge.jobs.running import locator, new_sample
from truegauge.runs.events import NoteWanted, RunEvent, TargetWanted, Tell, nobody
from truegauge.runs.journal import ENDING
from truegauge.runs.locating import touch_targets

if TYPE_CHECKING:
    from truegauge.api.plans import Plan
    from truegauge.core.arrays import Rigid
    from truegauge.core.plan.document import Plan as Document
    from truegauge.core.probing.records import MachineRecord
    from truegauge.devices.cmm.machine import Cmm

Ask = Callable[[str], None]


def choice_of(
    document: Document, numbers: Iterable[int] = (), features: Iterable[str] = (), subset: str = "", *,
    again: bool = True,
) -> Choice:  # fmt: skip
    """Return what is chosen by numbers of characteristics, names of features, or the name of a subset.

    Raises
    ------
    TrueGaugeError
        Something that the plan does not have.
    """
    chosen, names = list(numbers), list(features)
    by_number = {c.number: c.id for c in document.characteristics}
    by_name = {f.name: f.id for f in document.all_features} | {f.id: f.id for f in document.all_features}
    missing = [str(n) for n in chosen if n not in by_number]
    if missing:
        raise TrueGaugeError(f"the plan has no characteristic {', '.join(missing)}")
    unknown = [n for n in names if n not in by_name]
    if unknown:
        raise TrueGaugeError(f"the plan has no feature {', '.join(unknown)}")
    characteristics, own = tuple(by_number[n] for n in chosen), tuple(by_name[n] for n in names)
    if subset:
        saved = next((s for s in document.subsets if s.name == subset), None)
        if saved is None:
            there = ", ".join(s.name for s in document.subsets) or "none"
            raise TrueGaugeError(f"the plan has no subset {subset!r}; it has: {there}")
        characteristics, own = (*saved.characteristics, *characteristics), (*saved.features, *own)
    return Choice(characteristics=tuple(dict.fromkeys(characteristics)), features=tuple(dict.fromkeys(own)),
                  subset=subset, align="again" if again else "as before")  # fmt: skip


def begin(
    cmm: Cmm, record: MachineRecord, plan: Plan, choice: Choice, sample: Sample | None, *,
    machine_from_part: Rigid | None = None, before: Sample | None = None, journal: Path | None = None,
    find: bool = False, ask: Ask | None = None, confirm: Ask | None = None, tell: Tell = nobody,
    check: Callable[[], None] = lambda: None, piece: int = 0, original: bool = False,
) -> PlanRun:  # fmt: skip
    """Begin a run, or go on with the one whose journal is there.

    Where the part lies is given, known from the one before, or shown by touches of the first guided alignment; with
    `find` it is shown in any case. `ask` is called with what somebody has to touch, and the touch is waited for;
    `confirm` with what a note says, and returns when it is done. With `original` the route is run in the order that it
    had before it was made shorter.
    """
    document, evaluator = plan.document, plan.evaluator
    setting = Setting(document, evaluator, cmm, record)
    path = journal or Path(tempfile.mkdtemp(prefix="truegauge-")) / f"run{ENDING}"
    told = _with_asking(ask, tell)
    if path.exists():
        made = PlanRun.go_on(setting, path, told)
    else:
        own = new_sample(document, choice, sample or Sample.of(SampleData(name="Run")), before)
        pose = machine_from_part
        if pose is None and not find:
            pose = place_known(document, record, piece)
        if pose is None:
            own, pose = _by_hand(setting, own, ask, told, check)
        made = PlanRun.begin(setting, path, choice, own, pose, told, piece=piece, original=original)
    if confirm is not None:
        made.listen(_with_confirming(made, confirm, told))
    return made


def _with_confirming(run: PlanRun, confirm: Ask, tell: Tell) -> Tell:
    def told(event: RunEvent) -> None:
        if isinstance(event, NoteWanted) and event.text:
            confirm(event.text)
            run.program.confirmed.add(event.step)
        tell(event)

    return told


def _with_asking(ask: Ask | None, tell: Tell) -> Tell:
    def told(event: RunEvent) -> None:
        if isinstance(event, TargetWanted):
            times = "" if event.missing == 1 else f", {event.missing} times"
            if ask is not None:
                ask(f"{event.words}{times}")
        tell(event)

    return told


def _by_hand(
    setting: Setting, sample: Sample, ask: Ask | None, tell: Tell, check: Callable[[], None]
) -> tuple[Sample, Rigid]:
    plan = setting.plan
    own = next((a for a in plan.alignments if isinstance(a, GuidedAlignment)), None)
    if own is None or ask is None:
        raise DeviceError("nobody knows where the part lies: locate it by hand first, or say where it is")
    touches = touch_targets(setting.cmm, plan.probing, setting.record, own, sample.touches, tell, check, setting.now)
    made = sample.with_named(touches)
    found = locator(plan, setting.evaluator, made)(own.id, (), ())
    if found.doubts:
        raise DeviceError(f"the part was not located: {'; '.join(found.doubts)}. Touch its targets again")
    return made, found.machine_from_part
