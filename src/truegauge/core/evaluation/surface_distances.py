"""How far imperfections are from features of the part: of the measured ones, from the deepest place of each."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.association.features import Circle, Plane, Point, Sphere
from truegauge.core.constructions.parts import axis_of
from truegauge.core.nodes.graph import NotComputed

if TYPE_CHECKING:
    from collections.abc import Sequence

    from truegauge.core.arrays import Vector
    from truegauge.core.association.features import Feature
    from truegauge.core.evaluation.located import Lie
    from truegauge.core.evaluation.results import Evaluation
    from truegauge.core.imperfections.measuring import Imperfection


@dataclass(frozen=True, slots=True)
class FeatureDistance:
    """How far (mm) a place is from what of a feature, as `words` say; None where it was not measured."""

    feature: str
    words: str
    value: float | None


def distance_to(feature: Feature, place: Vector) -> tuple[str, float]:
    """Return from what of a feature, and how far (mm, without sign) a place (3,) is from it.

    From a plane, from the axis of what has one, from the middle of spheres, circles and points, else from the surface.
    """
    if isinstance(feature, Plane):
        return "from the plane", abs(float((place - feature.point) @ feature.normal))
    if isinstance(feature, Point | Sphere | Circle):
        return "from the middle", float(np.linalg.norm(place - feature.pose.origin))
    axis = axis_of(feature)
    if axis is not None:
        return "from the axis", float(np.linalg.norm(np.cross(place - axis.point, axis.direction)))
    return "from the surface", abs(float(feature.pose.distances(place[None])[0]))


def feature_distances(
    wanted: Sequence[str], evaluation: Evaluation, lie: Lie, one: Imperfection
) -> tuple[FeatureDistance, ...]:
    """Return how far the deepest place of an imperfection is from some features of the plan (ids)."""
    place = lie.places(np.array([one.deepest]))[0]
    made = []
    for feature_id in wanted:
        if not evaluation.plan.has_feature(feature_id):
            continue
        name, found = evaluation.plan.feature(feature_id).name, evaluation.features.get(feature_id)
        if found is None or isinstance(found, NotComputed):
            made.append(FeatureDistance(name, "was not measured", None))
        else:
            made.append(FeatureDistance(name, *distance_to(found.feature, place)))
    return tuple(made)
