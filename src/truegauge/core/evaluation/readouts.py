"""What a readout tells of a tip: its numbers, the one that matters first, and how that stands."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.association.features import Circle, Cylinder, Feature, Point, Sphere
from truegauge.core.constructions.parts import axis_of
from truegauge.core.evaluation.live_reading import allowed_on, read_tip
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.tolerancing.judgement import State, decide

if TYPE_CHECKING:
    from truegauge.core.arrays import Vector
    from truegauge.core.evaluation.evaluator import Evaluator
    from truegauge.core.evaluation.located import Lie
    from truegauge.core.plan.document import Plan
    from truegauge.core.plan.readouts import Readout


@dataclass(frozen=True, slots=True, eq=False)
class Told:
    """What is told: names and numbers (mm), the first is the one that matters; towards what; its limits, and by what.

    `signed` says whether the sign is a side (inside or outside of material). `foot` (3,) is what it is measured to.
    """

    cells: tuple[tuple[str, float], ...]
    of: str
    lower: float | None = None
    upper: float | None = None
    by: str = ""
    signed: bool = False
    foot: Vector | None = None

    @property
    def value(self) -> float:
        """The number that matters."""
        return self.cells[0][1]

    @property
    def state(self) -> State | None:
        """How it stands, by simple acceptance; None without limits."""
        if self.lower is None or self.upper is None:
            return None
        return decide(self.value, self.lower, self.upper).state


def read_out(
    readout: Readout, plan: Plan, evaluator: Evaluator, lie: Lie, center: Vector, radius: float
) -> Told | NotComputed:  # fmt: skip
    """Return what a readout tells of a tip of a radius (mm) whose centre (3,) stands there, in device coordinates.

    Features are the designed ones. Distances to a surface are told from the side of the material, of the tip's own
    surface; those to an axis or a point of its centre, which has no side that touches.
    """
    low, high = readout.lower, readout.upper
    by = "limits of this readout" if low is not None else ""
    place = lie.places(np.asarray(center, dtype=np.float64)[None])[0]
    if readout.subject == "surface":
        found = read_tip(evaluator.projector, lie, center, radius)
        name = next((f.name for f in plan.features if found.face in f.faces), "the surface")
        if low is None:
            allowed = allowed_on(plan, found.face)
            low, high, by = allowed.lower, allowed.upper, allowed.words
        return Told((("deviation", found.deviation),), name, low, high, by, True, found.foot)
    if readout.subject == "tip":
        x, y, z = place
        return Told((("X", x), ("Y", y), ("Z", z)), readout.name or "the tip", low, high, by)
    if not readout.feature:
        return _to_point(np.array(readout.place), readout.name or "the point", place, low, high, by)
    if not plan.has_feature(readout.feature):
        return NotComputed("its feature is not in the plan any more")
    feature = plan.feature(readout.feature)
    nominal = evaluator.nominal(feature.group, plan)
    if isinstance(nominal, NotComputed):
        return nominal
    if readout.subject == "feature":
        off = float(nominal.outward * nominal.feature.pose.distances(place[None])[0]) - radius
        return Told((("distance", off),), feature.name, low, high, by, True)
    if readout.subject == "axis":
        axis = axis_of(nominal.feature)
        if axis is None:
            return NotComputed(f"{feature.name} has no axis")
        from_it = place - axis.point
        along = float(from_it @ axis.direction)
        beside = float(np.linalg.norm(from_it - along * axis.direction))
        return Told((("from the axis", beside), ("along it", along)), feature.name, low, high, by)
    middle = _middle(nominal.feature)
    if middle is None:
        return NotComputed(f"{feature.name} has no point in its middle")
    return _to_point(middle, feature.name, place, low, high, by)


def _to_point(
    point: Vector, name: str, place: Vector, low: float | None, high: float | None, by: str
) -> Told:  # fmt: skip
    dx, dy, dz = place - point
    cells = (("distance", float(np.linalg.norm(place - point))), ("dX", dx), ("dY", dy), ("dZ", dz))
    return Told(cells, name, low, high, by, foot=point)


def _middle(feature: Feature) -> Vector | None:
    return feature.pose.origin if isinstance(feature, Point | Sphere | Circle | Cylinder) else None
