"""Routes on a machine: planned around what stands there, from where the part was located."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Rigid, Vector
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.core.probing.obstacles import PartObstacle
from truegauge.core.probing.probing import Probing, StylusUse
from truegauge.core.probing.records import MachineRecord
from truegauge.core.probing.room import ProbeRoom
from truegauge.core.probing.standing import standing
from truegauge.core.routes.document import MeasureStep, Route
from truegauge.core.routes.kinematics import Kinematics
from truegauge.core.routes.legs import PlannedRoute, Unreached
from truegauge.core.routes.making import kept_up, make_route
from truegauge.core.routes.places import FeatureToTouch
from truegauge.core.routes.planning import Planner
from truegauge.core.routes.scene import make_scene

KINEMATICS = Kinematics()  # until a machine tells its own
_OVER = 40.0  # mm over the part that a probe goes which nobody knows how to lead out otherwise


@dataclass(frozen=True, slots=True, eq=False)
class Left:
    """A feature that cannot be touched, or not all of it, and why."""

    feature: FeatureToTouch
    why: str


class Router:
    """Plans the route of some features of a part that was located.

    What a route does not lead along (a probe that was stopped, or that nobody knows how it came there) goes through
    `room`.
    """

    def __init__(
        self, model: CadModel, projector: Projector, machine_from_part: Rigid, probing: Probing,
        may_use: Callable[[StylusUse], bool], sphere_center: Vector | None = None, record: MachineRecord | None = None,
        route: Route | None = None,
    ) -> None:  # fmt: skip
        self.probing, self._route = probing, route or Route()
        known = record or MachineRecord()
        part = PartObstacle(projector, model.box, machine_from_part)
        axes = tuple(machine_from_part[:3, :3].T)
        self.room = ProbeRoom(probing, standing(known, part), sphere_center, above=_OVER, axes=axes)
        self.scene = make_scene(
            model, probing, self._route, machine_from_part, machine_fixtures=known.fixtures, table_z=known.table_z,
            sphere=None if sphere_center is None else (probing.sphere, np.asarray(sphere_center)),
            limits=None if known.travel is None else np.array(known.travel),
        )  # fmt: skip
        self.planner = Planner(model, projector, self.scene, KINEMATICS, may_use, self._route.envelope.inside)

    def plan(
        self, features: tuple[FeatureToTouch, ...], start: tuple[StylusUse, Vector] | None = None
    ) -> PlannedRoute:  # fmt: skip
        """Plan the steps of these features in the order of the plan's route; without one, in a good order.

        `start` is the stylus that is on the machine, and where its tip is.
        """
        by_id = {f.id: f for f in features}
        own = self._route.steps
        steps = tuple(s for s in own if isinstance(s, MeasureStep) and s.feature in by_id)
        some = self._route.replace(steps=tuple(s.replace(on=True) for s in steps))
        ordered = any(s.pinned for s in steps) or len(own) > len(steps) or len(steps) == len(by_id)
        route = kept_up(some, by_id) if ordered else make_route(some, (), self.planner, by_id)
        return self.planner.plan(route, by_id, start=start)


def why(unreached: Unreached) -> str:
    """Say why a feature is not reached, with what would reach it."""
    would = "".join(f"; {c.text} would get at {100 * c.share:.0f} % of it" for c in unreached.candidates[:1])
    return f"{unreached.reason}{would}"
