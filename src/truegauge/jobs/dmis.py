"""Programs in DMIS out of plans, and plans out of them."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from truegauge.core.nodes.graph import NotComputed
from truegauge.core.progress import Progress, silent
from truegauge.formats.dmis.reading import ReadProgram, read_dmis
from truegauge.formats.dmis.writing import Written, write_dmis
from truegauge.jobs.routing import routed

if TYPE_CHECKING:
    from truegauge.core.cad.recognition import Nominal
    from truegauge.core.evaluation.evaluator import Evaluator
    from truegauge.core.plan.document import Plan
    from truegauge.core.plan.features import NominalFeature


def program_of(plan: Plan, evaluator: Evaluator, progress: Progress = silent) -> Written:
    """Return the program of a plan; with a route and probes the touches of all that is reached are in it."""
    nominals = {f.id: n for f in plan.features if (n := _nominal(plan, evaluator, f)) is not None}
    if not plan.route.steps or not plan.probing.assemblies:
        return write_dmis(plan, nominals)
    found = routed(plan, evaluator, look=False, progress=progress)
    return write_dmis(plan, nominals, found.planned, found.scene.machine_from_part)


def plan_of(path: Path, plan: Plan, evaluator: Evaluator) -> ReadProgram:
    """Return a plan with the program of a file in the place of its own (FormatError: it is none)."""
    return read_dmis(path, plan, evaluator.model, lambda f: _nominal(plan, evaluator, f))


def _nominal(plan: Plan, evaluator: Evaluator, f: NominalFeature) -> Nominal | None:
    found = evaluator.nominal(f.group, plan)
    return None if isinstance(found, NotComputed) else found
