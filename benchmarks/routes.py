"""How long routes take: made for the demo housing and for 300 holes, and looked over for collisions.

``benchmarks/routes.py`` prints seconds; what counts as one touch is a touch with all ways to it.
"""

import sys
import tempfile
import time
from pathlib import Path

from truegauge import demo
from truegauge.core.evaluation.evaluator import Evaluator
from truegauge.core.evaluation.touch_needs import features_to_touch
from truegauge.core.plan.document import Plan
from truegauge.core.plan.features import NominalFeature
from truegauge.core.routes.checking import check
from truegauge.core.routes.document import Placement, Route
from truegauge.core.routes.kinematics import Kinematics
from truegauge.core.routes.making import make_route
from truegauge.core.routes.planning import Planner
from truegauge.core.routes.scene import make_scene
from truegauge.core.routes.strategies import Usual
from truegauge.demo.cmm_plan import cmm_plan, demo_probing
from truegauge.formats.part import read_part

COLUMNS, ROWS = 20, 15
TOUCHES = 500


def plate(columns: int, rows: int) -> Path:
    """Write a plate with holes of 12 mm, 30 mm apart; returns its file."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeCylinder
    from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt
    from OCP.TopTools import TopTools_ListOfShape

    from truegauge.demo.housing_pmi import write_plain_step

    whole = BRepPrimAPI_MakeBox(30.0 * columns + 30, 30.0 * rows + 30, 12.0).Shape()
    arguments, tools = TopTools_ListOfShape(), TopTools_ListOfShape()
    arguments.Append(whole)
    for i in range(columns):
        for j in range(rows):
            axis = gp_Ax2(gp_Pnt(30.0 * (i + 1), 30.0 * (j + 1), -1.0), gp_Dir(0, 0, 1))
            tools.Append(BRepPrimAPI_MakeCylinder(axis, 6.0, 14.0).Shape())
    cut = BRepAlgoAPI_Cut()
    cut.SetArguments(arguments)
    cut.SetTools(tools)
    cut.Build()
    path = Path(tempfile.mkdtemp()) / "plate.step"
    write_plain_step(cut.Shape(), path, "plate")
    return path


def timed(plan: Plan, evaluator: Evaluator, route: Route) -> tuple[float, float, float, object, object, Planner, dict]:
    """Return the seconds to make, plan and look over a route, and what came of it."""
    begun = time.perf_counter()
    features = features_to_touch(evaluator.context(plan, None))
    scene = make_scene(evaluator.model, plan.probing, route)
    planner = Planner(evaluator.model, evaluator.projector, scene, Kinematics())
    made = make_route(route, (), planner, features)
    at_made = time.perf_counter()
    planned = planner.plan(made, features)
    at_planned = time.perf_counter()
    found = check(scene, planned, route.near)
    return (at_made - begun, at_planned - at_made, time.perf_counter() - at_planned, planned, found, planner, features)


def main() -> None:
    """Measure, after one warm run."""
    model = read_part(demo.PART)
    evaluator = Evaluator(model)
    evaluator.projector  # noqa: B018 - prepared before the clock starts
    plan, route = cmm_plan(model), Route(placement=Placement(up=(0.0, -1.0, 0.0)))
    timed(plan, evaluator, route)
    make, ways, look, planned, found, planner, features = timed(plan, evaluator, route)
    say = sys.stdout.write
    say(f"housing, {len(planned.steps)} features, {planned.touches} touches: made {make:.2f} s, with its ways "
        f"{make + ways:.2f} s, looked over {look:.2f} s; {len(found.meetings)} collisions\n")  # fmt: skip
    many = route.replace(steps=tuple(
        s.step.replace(strategy=Usual(touches=max(4, round(TOUCHES / len(planned.steps))))) for s in planned.steps
    ))  # fmt: skip
    more = planner.plan(many, features)
    begun = time.perf_counter()
    check(planner.scene, more, 1.0)
    spent = time.perf_counter() - begun
    say(f"housing with {more.touches} touches: looked over {spent:.2f} s, for {TOUCHES} "
        f"{spent * TOUCHES / max(more.touches, 1):.2f} s\n")  # fmt: skip
    large = read_part(plate(COLUMNS, ROWS))
    holes = [f.index for f in large.faces if f.surface.radius == 6.0]
    own = Plan(probing=demo_probing(), features=tuple(
        NominalFeature(id=f"h{k}", name=f"hole {k + 1}", faces=(face,)) for k, face in enumerate(holes)
    ))  # fmt: skip
    of_plate = Evaluator(large)
    of_plate.projector  # noqa: B018
    make, ways, look, planned, found, _, _ = timed(own, of_plate, Route())
    say(f"plate, {len(holes)} holes, {planned.touches} touches: made {make:.2f} s, with its ways "
        f"{make + ways:.2f} s, looked over {look:.2f} s; {len(found.meetings)} collisions, "
        f"{len(planned.unreached)} not reached\n")  # fmt: skip


if __name__ == "__main__":
    main()
