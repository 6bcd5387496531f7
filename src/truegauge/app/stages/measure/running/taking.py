"""Touches of a run into the sample that is open, and where its part lies."""

from __future__ import annotations

from typing import TYPE_CHECKING

from truegauge.app.document.document import Document
from truegauge.app.stages.devices.machine_model import MachineModel
from truegauge.core.arrays import Rigid
from truegauge.core.frames import invert
from truegauge.core.samples.document import ProbedTouch

if TYPE_CHECKING:
    from truegauge.jobs.plan_run import PlanRun


def take_touches(
    run: PlanRun, document: Document, there: tuple[ProbedTouch, ...], old: frozenset[str], temperature_c: float | None
) -> None:
    """Give the document what was touched so far, beside what is `there`.

    Features that had touches before the run (`old`) keep these until the new ones are all there.
    """
    probed, named = run.touched()
    over = {getattr(s, "feature", "") for s in run.program.work.route.steps if s.id in run.state.over}
    new = {t.feature for t in probed if t.feature not in old or t.feature in over}
    kept = tuple(t for t in there if t.feature not in new)
    if named and document.sample is not None:
        names = {t.target for t in named}
        before = tuple(t for t in document.sample.touches if t.target not in names)
        document.set_touches((*before, *named))
    document.set_probed((*kept, *(t for t in probed if t.feature in new)), temperature_c)


def touches_of(run: PlanRun) -> tuple[int, int]:
    """Return how many touches of a run are made, and how many there are in all."""
    made, first = len(run.state.taken), run.program.now_at
    of_first = 0 if first is None else sum(t.step == first.id for t in run.state.taken)
    waiting = sum(len(v.places) for v in run.program.waiting)
    return made, max(made, made + waiting - of_first)


def pose_known(machine: MachineModel) -> Rigid | None:
    """Return where the part lies, nearly enough: by the alignment of the sample, or by the part before it."""
    from truegauge.jobs.plan_run import place_known

    found = machine.part_from_machine()
    return invert(found) if found is not None else place_known(machine.session.plan, machine.record)
