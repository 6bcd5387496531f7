"""Measured points beside the nominal ones of their names, as nodes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.arrays import Vector
from truegauge.core.errors import EvaluationError
from truegauge.core.frames import apply
from truegauge.core.nodes.alignment import AlignmentOf
from truegauge.core.nodes.features import feature_named
from truegauge.core.nodes.keys import features_key, growth_of
from truegauge.core.nodes.node import Node
from truegauge.core.plan.readings import ComparedPoint

if TYPE_CHECKING:
    from collections.abc import Hashable

    from truegauge.core.nodes.context import Context


@dataclass(frozen=True, slots=True, eq=False)
class ComparedReading:
    """A measured point less its nominal one: `delta` (3,) mm, along the normal where there is one."""

    place: Vector
    measured: Vector
    delta: Vector
    normal: Vector | None
    source: str

    @property
    def total(self) -> float:
        """The distance between the two, mm."""
        return float(np.linalg.norm(self.delta))

    @property
    def along_normal(self) -> float | None:
        """The difference along the normal, mm."""
        return None if self.normal is None else float(self.delta @ self.normal)


@dataclass(frozen=True, slots=True)
class PointCompared(Node[ComparedReading]):
    """A measured point beside the nominal one of its name."""

    point: ComparedPoint

    def key(self, context: Context) -> Hashable:
        features = context.contents.kept("features", lambda: context.plan.all_features)
        return (
            features_key(context), context.contents.reading(self.point.id), context.measured_sample.named.key, features,
        )  # fmt: skip

    def compute(self, context: Context) -> ComparedReading:
        point = self.point
        measured, source = _measured_point(context, point)
        place = np.array(point.place)
        normal = None if point.normal is None else np.array(point.normal) / np.linalg.norm(point.normal)
        return ComparedReading(place, measured, measured - place, normal, source)


def _measured_point(context: Context, point: ComparedPoint) -> tuple[Vector, str]:
    wanted = point.name.strip().casefold()
    touches = [t for t in context.measured_sample.touches if t.target.strip().casefold() == wanted]
    if touches:
        alignment = context.need(AlignmentOf(), "not aligned")
        growth = alignment.growth * growth_of(context)
        places = apply(alignment.part_from_scan, growth * np.array([t.place for t in touches]))
        return np.asarray(places.mean(axis=0)), "touch" if len(touches) == 1 else f"mean of {len(touches)} touches"
    feature = next((f for f in context.plan.all_features if f.name.strip().casefold() == wanted), None)
    if feature is None:
        raise EvaluationError(f"no touch and no feature is named {point.name}")
    found = feature_named(context, feature.group, feature.name)
    return _point_of(found.feature, np.array(point.place), feature.name), "feature"


def _point_of(feature: object, place: Vector, name: str) -> Vector:
    """Return the point of a measured feature that stands for it: its centre, or where it is next to the place."""
    center = getattr(feature, "center", None)
    if center is not None:
        return np.asarray(center)
    point, direction = getattr(feature, "point", None), getattr(feature, "direction", None)
    if point is not None and direction is not None:  # an axis
        return np.asarray(point + float((place - point) @ direction) * direction)
    normal = getattr(feature, "normal", None)
    if point is not None and normal is not None:
        return np.asarray(place - float((place - point) @ normal) * normal)
    raise EvaluationError(f"{name} has no point to compare")
