"""Touches of a run into the sample that is open, and where its part lies."""

from __future__ import annotations

from typing import TYPE_CHECKING

from truegauge.app.document.document import Document
from truegauge.app.stages.devices.machine_model import MachineModel
from truegauge.core.arrays import Rigid
from truegauge.core.frames import invert

if TYPE_CHECKING:
    from truegauge.core.samples.sample import Sample
    from truegauge.jobs.plan_run import PlanRun


def take_touches(
    run: PlanRun, document: Document, old: frozenset[str], given: frozenset[str], device: str
) -> frozenset[str]:  # fmt: skip
    """Give the document what was touched so far; returns the features whose touches are from the run now.

    Features that had touches before the run (`old`) keep these until the new ones are all there. Of those that were
    `given` to it before and do not count any more (skipped, not old) the touches go again.
    """
    from truegauge.jobs.running import joined

    sample = document.sample
    if sample is None:
        return given
    probed, named = run.program.touched()
    over = {getattr(s, "feature", "") for s in run.program.work.route.steps if s.id in run.state.over}
    new = frozenset(t.feature for t in probed if t.feature not in old or t.feature in over)
    left = sample.with_probed(tuple(t for t in sample.probed if t.feature not in given - new - old))
    made = joined(left, tuple(t for t in probed if t.feature in new), named)
    if made.touches != sample.touches:
        document.set_touches(made.touches, device)
    read = run.state.temperature_c
    if read is not None and read != sample.about.temperature_c:
        document.set_sample_data(temperature_c=read)
    if made.probed != sample.probed:
        document.set_probed(made.probed, None, device)
    return new | (given & old)


def states_of(run: PlanRun, *, at_work: bool) -> dict[str, str]:
    """Return how the steps (ids) of a run stand; `at_work` where one of them is being done, or stands."""
    states = {s: o.state if o.state in ("failed", "done") else "" for s, o in run.state.over.items()}
    now = run.program.now_at
    if now is not None and at_work:
        states[now.id] = "running"
    return states


def open_work(document: Document) -> tuple[object, object, object]:
    """Return what identifies the work that is open: its plan, whatever was edited, the part, and the sample."""
    origin = None if document.sample is None else document.sample.origin
    return document.history, document.plan.part, origin


def touches_of(run: PlanRun) -> tuple[int, int]:
    """Return how many touches of a run are made, and how many there are in all."""
    made, first = len(run.state.taken), run.program.now_at
    of_first = 0 if first is None else sum(t.step == first.id for t in run.state.taken)
    waiting = sum(len(v.places) for v in run.program.waiting)
    return made, max(made, made + waiting - of_first)


def sample_of(machine: MachineModel) -> Sample | None:
    """Return the sample that is open where this machine touched it: other touches have nothing to do with its own."""
    sample = machine.session.sample
    own = sample is not None and not len(sample.points) and sample.about.device == machine.machine
    return sample if own else None


def pose_known(machine: MachineModel) -> Rigid | None:
    """Return where the part lies, nearly enough: by the alignment of the sample, or by the part before it."""
    from truegauge.jobs.plan_run import place_known

    found, evaluation = machine.part_from_machine(), machine.session.evaluation
    trusted = evaluation is not None and getattr(evaluation.alignment, "trusted", True)
    return invert(found) if found is not None and trusted else place_known(machine.session.plan, machine.record)
