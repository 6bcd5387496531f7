"""The route of a plan without a machine: made, planned, looked over for collisions; as JSON and as a list."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from truegauge.core.arrays import Vector
from truegauge.core.evaluation.touch_needs import along_frames, features_to_touch
from truegauge.core.frames import apply, invert, rotate
from truegauge.core.plan.alignments import DatumAlignment
from truegauge.core.plan.document import Plan
from truegauge.core.probing.probing import Probing, StylusUse
from truegauge.core.progress import Progress, part_of, silent
from truegauge.core.routes.checking import Checked, check
from truegauge.core.routes.document import MeasureStep, Route
from truegauge.core.routes.kinematics import Kinematics
from truegauge.core.routes.legs import PlannedRoute, StepPlan
from truegauge.core.routes.making import make_route
from truegauge.core.routes.missing_poses import Completed, completed
from truegauge.core.routes.on_faces import BORDER, on_faces
from truegauge.core.routes.original import accepted
from truegauge.core.routes.places import BESIDE, FeatureToTouch, Places, Surface
from truegauge.core.routes.planning import Planner
from truegauge.core.routes.scene import Scene, make_scene
from truegauge.core.routes.shortening import NOTHING_NEW_S, Shortening, Shorter, Wanted
from truegauge.core.routes.usual import resolved

if TYPE_CHECKING:
    from truegauge.core.evaluation.evaluator import Evaluator


_TELL_S = 0.4  # between two better orders that are told


@dataclass(frozen=True, slots=True, eq=False)
class Routed:
    """A route with what comes of it: the plan's steps, their ways in a scene, and what was found (None: not looked)."""

    plan: Plan
    route: Route
    scene: Scene
    features: dict[str, FeatureToTouch]
    planned: PlannedRoute
    checked: Checked | None

    @property
    def is_good(self) -> bool:
        """Whether everything is reached, and nothing collides."""
        return not self.planned.unreached and not (self.checked is not None and self.checked.meetings)

    def in_part(self, at: Vector) -> list[float]:
        """Return a place of the scene in part coordinates, rounded to 0.1 um."""
        return [round(float(v), 4) for v in apply(invert(self.scene.machine_from_part), at[None])[0]]


def routed(
    plan: Plan, evaluator: Evaluator, *, make: bool = False, look: bool = True, scene: Scene | None = None,
    may_use: Callable[[StylusUse], bool] = lambda use: True, progress: Progress = silent,
) -> Routed:  # fmt: skip
    """Plan the route of a plan; with `make` it is made first, with `look` it is looked over for collisions.

    Without a scene the part lies as the route places it.
    """
    features = features_to_touch(evaluator.context(plan, None))
    where = scene or make_scene(evaluator.model, plan.probing, plan.route)
    inside = plan.route.envelope.inside
    planner = Planner(evaluator.model, evaluator.projector, where, Kinematics(), may_use, inside)
    route = plan.route
    if make:
        alignments = [a.id for a in plan.alignments if isinstance(a, DatumAlignment)]
        route = make_route(plan.route, alignments, planner, features, part_of(progress, 0.0, 0.4))
    along = along_frames(evaluator.context(plan, None), route)
    planned = planner.plan(along, features, part_of(progress, 0.4, 0.8))
    found = None
    if look:
        found = check(where, planned, route.near, part_of(progress, 0.8, 1.0), inside=route.envelope.inside)
    return Routed(plan.replace(route=route), route, where, features, planned, found)


def patterns_of(plan: Plan) -> tuple[frozenset[str], ...]:
    """Return the sets of features that are patterns: of one characteristic, or that something is built from."""
    found: list[set[str]] = []
    own = {f.id for f in plan.features}
    for members in (*(c.features for c in plan.characteristics), *(b.members for b in plan.constructed)):
        new = set(members) & own
        if len(new) < 2:
            continue
        joint = [s for s in found if s & new]
        found = [s for s in found if not s & new] + [new.union(*joint)]
    return tuple(frozenset(s) for s in found)


def shortened(
    plan: Plan, evaluator: Evaluator, *, groups: bool = True, patterns: bool = False,
    only: frozenset[str] = frozenset(), poses: bool = False, at_most_s: float = 1.2, progress: Progress = silent,
    better: Callable[[Shorter], None] | None = None, enough: Callable[[], bool] = lambda: False,
) -> Shorter:  # fmt: skip
    """Look for a shorter order of the route of a plan; `better` is told of each that is found, planned.

    With `patterns` the features of a pattern stay together, with `only` (ids of steps) these alone are sorted in, with
    `poses` those are added that the route is missing (the result names them; `with_added` takes them over); `enough`
    is asked whether to stop with the best so far.
    """
    features = features_to_touch(evaluator.context(plan, None))
    along = along_frames(evaluator.context(plan, None), plan.route)

    def planner_with(probing: Probing) -> Planner:
        scene = make_scene(evaluator.model, probing, plan.route)
        return Planner(evaluator.model, evaluator.projector, scene, Kinematics(), inside=plan.route.envelope.inside)

    def plan_with(probing: Probing) -> PlannedRoute:
        return planner_with(probing).plan(along, features, progress)

    whole = Completed(plan.probing, plan_with(plan.probing))
    if poses:
        whole = completed(whole, plan_with, enough)
    wanted = Wanted(groups, patterns_of(plan) if patterns else (), only)
    search = Shortening(along, planner_with(whole.probing), features, wanted, progress, whole.planned)
    end, told = time.monotonic() + at_most_s, time.monotonic()
    while time.monotonic() < end and search.quiet_s < NOTHING_NEW_S and not enough():
        progress(0.5, f"nothing shorter for {search.quiet_s:.0f} s" if search.quiet_s > 1 else "a shorter order")
        if search.go_on() and better is not None and time.monotonic() - told > _TELL_S:
            better(replace(search.found(), added=whole.added))
            told = time.monotonic()
    found = search.found(progress)
    own = {s.id: s for s in plan.route.steps}
    ordered = plan.route.replace(steps=tuple(own[s.id] for s in found.route.steps))
    route = accepted(plan.route, ordered) if ordered.steps != plan.route.steps else plan.route
    return replace(found, route=route, added=whole.added)


def places_of_step(plan: Plan, evaluator: Evaluator, step: MeasureStep) -> Places:
    """Return the places that a step wants (part coordinates), whoever reaches them; quickly."""
    features = features_to_touch(evaluator.context(plan, None))
    feature = features[step.feature]
    uses = plan.probing.uses()
    use = step.stylus or (uses[0] if uses else None)
    radius = 1.0 if use is None else plan.probing.assembly(use.assembly).stylus(use.stylus, use.pose).radius
    strategy = resolved(step.strategy, feature)
    surface = Surface(evaluator.model, evaluator.projector, feature)
    return on_faces(surface, strategy, radius + BORDER)[0]


def as_json(done: Routed) -> dict[str, Any]:
    """Return what came of a route as JSON has it; lengths in mm, part coordinates, times in s."""
    planned, checked = done.planned, done.checked
    probing = done.plan.probing
    return {
        "steps": len(done.route.steps),
        "touches": planned.touches,
        "seconds": round(planned.seconds, 2),
        "travel_mm": round(planned.travel, 1),
        "changes": planned.changes,
        "meetings": [
            {"step": m.step, "part": m.part, "obstacle": m.obstacle, "at": done.in_part(m.at),
             "seconds": round(m.seconds, 3)}
            for m in (checked.meetings if checked else ())
        ],
        "near": [
            {"step": n.step, "part": n.part, "obstacle": n.obstacle, "distance": round(n.distance, 4),
             "at": done.in_part(n.at)}
            for n in (checked.near if checked else ())
        ],
        "unreached": [
            {"step": u.step, "feature": u.feature.name, "id": u.feature.id, "reason": u.reason,
             "styli": [{"stylus": probing.name_of(use), "reason": why} for use, why in u.of_styli],
             "candidates": [
                 {"stylus": c.text, "pose": str(c.use.pose), "share": round(c.share, 2)} for c in u.candidates
             ]}
            for u in planned.unreached
        ],
        "moved": [
            {"step": s.step.id, "place": [round(v, 4) for v in t.place], "dropped": not t.moved, "reason": t.why}
            for s in planned.steps for t in s.troubles
        ],
        "route": [entry for s in planned.steps for entry in _entries(done, s)],
    }  # fmt: skip


def _entries(done: Routed, s: StepPlan) -> list[dict[str, Any]]:
    probing = done.plan.probing
    back = invert(done.scene.machine_from_part)
    if not isinstance(s.step, MeasureStep):
        about = {"step": s.step.id, "kind": s.step.kind, "on": s.step.on, "text": s.text}
        return [{**about, "feature": "", "stylus": "", "pose": "", "places": []}]
    found = []
    for v in s.visits:
        points, normals = apply(back, v.places.points), rotate(back, v.places.normals)
        whole, own = np.round(np.hstack([points, normals]), 6), v.places.rows != BESIDE
        found.append({
            "step": s.step.id, "feature": v.feature.name, "stylus": probing.name_of(v.use), "pose": str(v.use.pose),
            "trace": v.traced, "approach": round(v.approach, 4),
            "places": whole[own].tolist(), "beside": whole[~own].tolist(),
        })  # fmt: skip
    return found


def as_list(done: Routed) -> str:
    """Return the route as plain text: a line a step, in its order, the same for the same route."""
    probing, lines = done.plan.probing, []
    for k, s in enumerate(done.planned.steps, 1):
        step = s.step
        off = "" if step.on else " (off)"
        if not isinstance(step, MeasureStep):
            lines.append(f"{k:4d}  {step.kind:12s} {s.text or getattr(step, 'alignment', '')}{off}")
            continue
        feature = done.features.get(step.feature)
        name = step.feature if feature is None else feature.name
        if s.unreached is not None:
            lines.append(f"{k:4d}  {name:28s} not reached: {s.unreached.reason}")
            continue
        styli = "; ".join(f"{len(v.places)} by {probing.name_of(v.use)}" for v in s.visits)
        lines.append(f"{k:4d}  {name:28s} {styli}, {done.planned.seconds_of(step.id):.1f} s{off}")
    return "\n".join(lines)
