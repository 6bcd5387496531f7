"""What of a plan is run: all of its route, or only what some characteristics and features need."""

from __future__ import annotations

from typing import TYPE_CHECKING, Literal

from truegauge.core.evaluation.needed import Reason, needed_features
from truegauge.core.evaluation.touch_needs import datum_features
from truegauge.core.frozen_model import Frozen
from truegauge.core.plan.alignments import features_of
from truegauge.core.routes.document import AlignStep, AnyStep, MeasureStep, Route, step_id

if TYPE_CHECKING:
    from collections.abc import Collection

    from truegauge.core.plan.document import Plan


class Choice(Frozen):
    """Characteristics (ids), and features to be measured beside what these need; nothing chosen is everything.

    `align` "as before" takes what only tells where the part lies over from the sample before.
    """

    characteristics: tuple[str, ...] = ()
    features: tuple[str, ...] = ()
    subset: str = ""
    align: Literal["again", "as before"] = "again"

    @property
    def is_all(self) -> bool:
        """Whether everything is run."""
        return not self.characteristics and not self.features


def chosen_features(plan: Plan, choice: Choice) -> dict[str, tuple[Reason, ...]]:
    """Return the features (ids) that a choice measures, with why; without a choice those of the route's steps.

    A plan without a route measures all of its features.
    """
    if choice.is_all:
        on = {s.feature for s in plan.route.steps if isinstance(s, MeasureStep) and s.on}
        every: dict[str, tuple[Reason, ...]] = {f.id: (Reason("all of the route"),) for f in plan.features}
        return {f: why for f, why in every.items() if f in on} if plan.route.steps else every
    found = needed_features(plan, choice.characteristics, choice.features)
    if choice.align == "again":
        return found
    return {f: why for f, why in found.items() if not all(r.places for r in why)}


def reported(plan: Plan, choice: Choice) -> tuple[str, ...]:
    """Return the characteristics (ids) that there are results of: those chosen, and those of chosen features.

    Of features those count that need nothing else than what is measured anyway. None: of all.
    """
    if choice.is_all:
        return ()
    measured = set(chosen_features(plan, choice)) | taken_over(plan, choice)
    chosen = set(choice.features)
    own = [
        c.id for c in plan.characteristics
        if c.id in choice.characteristics
        or (chosen.intersection(c.features) and (needed := needed_features(plan, (c.id,))) and measured >= set(needed))
    ]  # fmt: skip
    return tuple(own)


def taken_over(plan: Plan, choice: Choice) -> frozenset[str]:
    """Return the features whose touches are those of the sample before."""
    if choice.is_all or choice.align == "again":
        return frozenset()
    again = choice.replace(align="again")
    return frozenset(chosen_features(plan, again)) - frozenset(chosen_features(plan, choice))


def chosen_route(plan: Plan, route: Route, choice: Choice, there: Collection[str] = ()) -> Route:
    """Return the steps of a route that a choice needs, all on; `there` are features that have touches already.

    Features that the route does not have come first where others are measured from them, else last. Alignments that
    rest on what is not measured are left out.
    """
    wanted = chosen_features(plan, choice)
    known = {s.feature for s in route.steps if isinstance(s, MeasureStep)}
    missing = [f for f in wanted if f not in known]
    placing = datum_features(plan)
    new = {f: MeasureStep(id=step_id(f), feature=f) for f in missing}
    kept: list[AnyStep] = [new[f] for f in missing if f in placing]
    for step in route.steps:
        match step:
            case MeasureStep():
                if step.feature in wanted:
                    kept.append(step if step.on else step.replace(on=True))
            case AlignStep():
                if step.on and _rests_on(plan, step.alignment) <= {*wanted, *there}:
                    kept.append(step)
            case _:
                if step.on:
                    kept.append(step)
    kept += [new[f] for f in missing if f not in placing]
    return route.replace(steps=tuple(kept))


def _rests_on(plan: Plan, alignment: str) -> set[str]:
    """Return the features of the part that an alignment, and all that it starts from, are made of."""
    return set(needed_features(plan.replace(in_force=alignment), (), features_of(plan.alignment(alignment))))
