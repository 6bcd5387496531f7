"""What a plan asks of the touches of its features."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.arrays import three
from truegauge.core.association.features import Line
from truegauge.core.constructions.parts import axis_of
from truegauge.core.evaluation.needed import needed_features
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.nominal import ReportFrame, nominal_feature
from truegauge.core.plan.alignments import features_of
from truegauge.core.routes.document import MeasureStep, Route
from truegauge.core.routes.places import FeatureToTouch

if TYPE_CHECKING:
    from truegauge.core.nodes.context import Context
    from truegauge.core.plan.document import Plan
    from truegauge.core.plan.features import NominalFeature


def datum_features(plan: Plan) -> frozenset[str]:
    """Return the features of the part that others are measured from: of datums, and of the alignments in force."""
    named = {f for d in plan.datums for f in d.features} | {f for a in plan.chain() for f in features_of(a)}
    return frozenset(needed_features(plan, (), named))


def axis_about(context: Context, feature_id: str) -> Line | None:
    """Return the axis that a feature runs out about, None where it does not: its touches lie in rings around it."""
    plan = context.plan
    for c in plan.by_feature.get(feature_id, ()):
        if not context.kind(c.kind).about_axis:
            continue
        for letter in (x for d in c.datums for x in d.letters if plan.has_datum(x)):
            known = nominal_feature(context, plan.feature(plan.datum(letter).feature).group)
            line = None if isinstance(known, NotComputed) else axis_of(known.feature)
            if line is not None:
                return line
    return None


def features_to_touch(context: Context, wanted: Iterable[NominalFeature] | None = None) -> dict[str, FeatureToTouch]:
    """Return the features of the part (or the wanted ones) as routes touch them, by id; lost ones are left out."""
    plan = context.plan
    datums = datum_features(plan)
    found: dict[str, FeatureToTouch] = {}
    for f in plan.features if wanted is None else wanted:
        if min(f.faces) < 0:
            continue
        nominal = nominal_feature(context, f.group)
        known = None if isinstance(nominal, NotComputed) else nominal
        found[f.id] = FeatureToTouch(f.id, f.name, f.faces, known, axis_about(context, f.id), first=f.id in datums)
    return found


def along_frames(context: Context, route: Route) -> Route:
    """Return the route as it is planned: axes of frames along which probes come as directions of the part.

    Of a frame that is not there (any more) they are taken as those of the part.
    """
    known = {a.id for a in context.plan.alignments}
    steps = []
    for step in route.steps:
        if isinstance(step, MeasureStep) and step.coming.frame in known:
            frame = context.seen_in(step.coming.frame).get(ReportFrame())
            if not isinstance(frame, NotComputed):
                axis = three(frame[:3, :3].T @ np.array(step.coming.axis))
                step = step.replace(coming=step.coming.replace(axis=axis, frame=""))
        steps.append(step)
    return route.replace(steps=tuple(steps))
