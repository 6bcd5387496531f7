"""A program ready to run on a machine: its steps, where the part lies, how it is found again from what was touched."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.errors import EvaluationError
from truegauge.core.evaluation.choice import Choice, chosen_features, chosen_route, reported, taken_over
from truegauge.core.evaluation.located import machine_from_part
from truegauge.core.evaluation.needed import needed_features
from truegauge.core.evaluation.targets import Target, targets_to_touch
from truegauge.core.evaluation.touch_needs import along_frames, features_to_touch
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.plan.alignments import DatumAlignment, GuidedAlignment
from truegauge.core.routes.document import AlignStep, AnyStep
from truegauge.core.routes.making import make_route
from truegauge.core.routes.places import FeatureToTouch
from truegauge.runs.program import Lie, Locate, Work
from truegauge.runs.routing import Router

if TYPE_CHECKING:
    from truegauge.core.arrays import Rigid
    from truegauge.core.evaluation.evaluator import Evaluator
    from truegauge.core.plan.document import Plan
    from truegauge.core.probing.probing import StylusUse
    from truegauge.core.probing.records import MachineRecord
    from truegauge.core.samples.document import ProbedTouch, Touch
    from truegauge.core.samples.sample import Sample


def part_name(plan: Plan) -> str:
    """Return what the place of a plan's part is kept under: the same part in another plan may be held otherwise."""
    sha = "" if plan.part is None else plan.part.sha256[:16]
    return f"{plan.name} {sha}".strip()


def new_sample(plan: Plan, choice: Choice, sample: Sample, before: Sample | None = None) -> Sample:
    """Return a sample as it is before a run: what there will be results of is said, what is taken over is there.

    A part that was measured before keeps the results that it has.
    """
    wanted = reported(plan, choice)
    if sample.probed and not choice.is_all:
        had = sample.about.chosen
        wanted = tuple(dict.fromkeys((*had, *wanted))) if had else ()
    made = sample.saying(chosen=wanted, subset=choice.subset if wanted else "")
    over = taken_over(plan, choice)
    if before is not None and choice.align == "as before":
        said = f"taken over from {before.name or 'the sample before'}"
        own = {t.feature for t in made.probed}
        touches = tuple(
            t.replace(warning="; ".join(w for w in (said, t.warning) if w))
            for t in before.probed
            if t.feature in over and t.feature not in own
        )
        made = made.with_probed((*made.probed, *touches))
        if not made.touches:
            made = made.with_named(before.touches)
    return made


def work_of(
    plan: Plan, evaluator: Evaluator, choice: Choice, sample: Sample, machine_from_part: Rigid, record: MachineRecord,
    may_use: Callable[[StylusUse], bool],
) -> Work:  # fmt: skip
    """Return what a run of a plan does; the part lies about at `machine_from_part`.

    Targets of guided alignments that the sample has no touches of are touched first, by the machine itself.
    """
    context = evaluator.context(plan, None)
    features = features_to_touch(context)
    center = None if record.location is None else np.array(record.location.center)
    along = along_frames(context, plan.route)

    def router_at(pose: Rigid) -> Router:
        return Router(evaluator.model, evaluator.projector, pose, plan.probing, may_use, center, record, along)

    route = along
    if not route.steps:
        alignments = [a.id for a in plan.alignments if isinstance(a, DatumAlignment)]
        planner = router_at(machine_from_part).planner
        off = {f: own for f, own in features.items() if choice.is_all or f in chosen_features(plan, choice)}
        route = make_route(route, alignments, planner, off)
    chosen = chosen_route(plan, route, choice, {t.feature for t in sample.probed})
    targets, first = _targets(plan, evaluator, choice, sample)
    every: dict[str, FeatureToTouch] = {**features, **{t.feature.id: t.feature for t in targets}}
    aligned = {s.alignment for s in chosen.steps if isinstance(s, AlignStep)}
    found = [AlignStep(id=f"a-{a}", alignment=a) for a in first if a not in aligned]
    steps: tuple[AnyStep, ...] = (*(t.step for t in targets), *found, *chosen.steps)
    locate = locator(plan, evaluator, sample)
    return Work(chosen.replace(steps=steps), every, {t.feature.id: t for t in targets}, router_at, locate)


def locator(plan: Plan, evaluator: Evaluator, sample: Sample) -> Locate:
    """Return what finds where the part lies by an alignment, from a sample and what was touched beside it."""

    def locate(alignment: str, probed: tuple[ProbedTouch, ...], named: tuple[Touch, ...]) -> Lie:
        touched = joined(sample, probed, named)
        found = evaluator.alignment(plan, touched, alignment)
        if isinstance(found, NotComputed):
            raise EvaluationError(f"{plan.alignment(alignment).name or alignment}: {found.reason}")
        return Lie(machine_from_part(plan, touched, found), found.doubts)

    return locate


def joined(sample: Sample, probed: tuple[ProbedTouch, ...], named: tuple[Touch, ...]) -> Sample:
    """Return a sample with what was touched in a run; features that were touched have these touches only."""
    own = {t.feature for t in probed}
    targets = {(t.target, t.side) for t in named}
    before = tuple(t for t in sample.probed if t.feature not in own)
    kept = tuple(t for t in sample.touches if (t.target, t.side) not in targets)
    return sample.with_probed((*before, *probed)).with_named((*kept, *named))


def complete_in(plan: Plan, touched: set[str], wanted: tuple[str, ...]) -> tuple[str, ...]:
    """Return the characteristics (of those wanted, all without any) whose features are all touched."""
    every = [c.id for c in plan.characteristics if not wanted or c.id in wanted]
    return tuple(c for c in every if (own := needed_features(plan, (c,))) and touched.issuperset(own))


def _targets(
    plan: Plan, evaluator: Evaluator, choice: Choice, sample: Sample
) -> tuple[tuple[Target, ...], tuple[str, ...]]:
    """Return the targets that are to be touched for the alignments in use, and these alignments."""
    used = {plan.in_force, *(c.alignment for c in plan.characteristics if c.alignment)}
    chain = {own.id for alignment in used for own in plan.chain(alignment)}
    guided = [a for a in plan.alignments if a.id in chain and isinstance(a, GuidedAlignment)]
    targets = {a.id: targets_to_touch(a, evaluator.projector, sample.touches) for a in guided}
    return tuple(t for own in targets.values() for t in own), tuple(a for a, own in targets.items() if own)
