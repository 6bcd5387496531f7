"""Making a route from a plan: datums and alignments first, then lane by lane the nearest next."""

from collections.abc import Mapping, Sequence

import numpy as np

from truegauge.core.probing.probing import StylusUse
from truegauge.core.progress import Progress, silent
from truegauge.core.routes.assigning import Assigned
from truegauge.core.routes.document import AlignStep, AnyStep, MeasureStep, Route, step_id
from truegauge.core.routes.places import FeatureToTouch
from truegauge.core.routes.planning import Planner


def kept_up(route: Route, features: Mapping[str, FeatureToTouch]) -> Route:
    """Return the route with a step for each feature that it does not have yet, at the end; others stay as they are."""
    known = {s.feature for s in route.steps if isinstance(s, MeasureStep)}
    new = tuple(MeasureStep(id=step_id(f), feature=f) for f in features if f not in known)
    return route.replace(steps=(*route.steps, *new)) if new else route


def make_route(
    route: Route, alignments: Sequence[str], planner: Planner, features: Mapping[str, FeatureToTouch],
    progress: Progress = silent,
) -> Route:  # fmt: skip
    """Return a route over all features (by id), its steps in a good order.

    It aligns by `alignments` (ids) as soon as the features are there that others are measured from. What is pinned
    stays where it stands among the steps; what was said about steps (strategies, styli, groups) is kept.
    """
    route = kept_up(route, features)
    known = {s.alignment for s in route.steps if isinstance(s, AlignStep)}
    aligns = tuple(AlignStep(id=f"a-{a}", alignment=a) for a in alignments if a not in known)
    route = route.replace(steps=(*route.steps, *aligns))
    chosen, _ = planner.assigned(route, features, progress)
    measured = [s for s in route.steps if isinstance(s, MeasureStep) and not s.pinned]
    first = [s for s in measured if s.feature in features and features[s.feature].first]
    rest = [s for s in measured if s not in first]
    ordered: list[AnyStep] = []
    for some in (first, rest):
        ordered += _in_lanes(some, chosen, features, planner, ordered)
        if some is first:
            ordered += [s for s in route.steps if isinstance(s, AlignStep) and not s.pinned]
    return route.replace(steps=_with_pinned(route.steps, ordered))


def _in_lanes(
    steps: list[MeasureStep], chosen: Mapping[str, Assigned], features: Mapping[str, FeatureToTouch], planner: Planner,
    before: list[AnyStep],
) -> list[AnyStep]:  # fmt: skip
    """Return steps, those of one stylus after the other, in each always the nearest next."""
    order = {u: k for k, u in enumerate(planner.scene.probing.uses())}
    used = [
        lane for lane in (_lane(s, chosen, order) for s in before if isinstance(s, MeasureStep)) if lane is not None
    ]
    last = used[-1] if used else None
    by_lane: dict[int, list[MeasureStep]] = {}
    for s in steps:
        lane = _lane(s, chosen, order)
        by_lane.setdefault(len(order) if lane is None else lane, []).append(s)
    at = planner.model.box.mean(axis=0)
    done: list[AnyStep] = []
    for lane in sorted(by_lane, key=lambda k: (k != last, k)):
        left = list(by_lane[lane])
        while left:
            places = np.array([_middle(s, chosen, features, planner) for s in left])
            k = int(np.argmin(np.linalg.norm(places - at, axis=1)))
            at = places[k]
            done.append(left.pop(k))
    return done


def _lane(step: MeasureStep, chosen: Mapping[str, Assigned], order: Mapping[StylusUse, int]) -> int | None:
    own = chosen.get(step.id)
    return order.get(own.parts[0].use) if own is not None and own.parts else None


def _middle(
    step: MeasureStep, chosen: Mapping[str, Assigned], features: Mapping[str, FeatureToTouch], planner: Planner
) -> np.ndarray:  # fmt: skip
    own = chosen.get(step.id)
    if own is not None and own.parts:
        return np.asarray(own.parts[0].places.points.mean(axis=0))
    faces = features[step.feature].faces if step.feature in features else ()
    return np.asarray(planner.model.faces[faces[0]].centroid) if faces else planner.model.box.mean(axis=0)


def _with_pinned(before: tuple[AnyStep, ...], ordered: list[AnyStep]) -> tuple[AnyStep, ...]:
    """Return the ordered steps with the pinned ones at their old numbers; a pinned step at the end stays there."""
    found = list(ordered)
    free = {s.id for s in ordered}
    for k, step in enumerate(before):
        if step.id not in free:
            found.insert(min(k, len(found)), step)
    return tuple(found)
