"""What the tests of routes share: the housing with the demo's probes, planned."""

from dataclasses import dataclass

from truegauge.core.evaluation.touch_needs import features_to_touch
from truegauge.core.routes.document import Placement, Route
from truegauge.core.routes.kinematics import Kinematics
from truegauge.core.routes.making import make_route
from truegauge.core.routes.planning import Planner
from truegauge.core.routes.scene import make_scene
from truegauge.demo.cmm_plan import cmm_plan

ON_ITS_BACK = Route(placement=Placement(up=(0.0, -1.0, 0.0)))


@dataclass
class Made:
    """A route with everything behind it."""

    plan: object
    route: object
    features: dict
    scene: object
    planner: object
    planned: object


def made(evaluator, route=ON_ITS_BACK, probing=None, plan=None):
    """Make the route of the housing, and plan it."""
    plan = plan or cmm_plan(evaluator.model)
    plan = plan if probing is None else plan.replace(probing=probing)
    features = features_to_touch(evaluator.context(plan, None))
    scene = make_scene(evaluator.model, plan.probing, route)
    planner = Planner(evaluator.model, evaluator.projector, scene, Kinematics(), inside=route.envelope.inside)
    route = make_route(route, [a.id for a in plan.alignments if getattr(a, "datums", ())], planner, features)
    return Made(plan, route, features, scene, planner, planner.plan(route, features))
