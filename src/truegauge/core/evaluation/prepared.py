"""Measuring by hand what a plan waits for: its features in the order of the characteristics, and who was touched."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.evaluation.needed import needed_features
from truegauge.core.evaluation.touch_needs import features_to_touch
from truegauge.core.plan.features import NominalFeature
from truegauge.core.routes.strategies import Usual
from truegauge.core.routes.usual import count_of, resolved

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats, Normals, Points, Vector
    from truegauge.core.cad.projection import Projector
    from truegauge.core.evaluation.evaluator import Evaluator
    from truegauge.core.evaluation.located import Lie
    from truegauge.core.plan.document import Plan

_NEAR = 3.0  # mm that a touch may be off the face that it belongs to: as far as an alignment by hand may be off
_TURNED = np.radians(70.0)  # that the way of the tip may differ from the normal of the face


@dataclass(frozen=True, slots=True)
class Prepared:
    """A feature that waits: how many touches it is to get, and for which characteristics (numbers)."""

    feature: str
    name: str
    touches: int
    characteristics: tuple[int, ...]


def prepared(plan: Plan, evaluator: Evaluator) -> tuple[Prepared, ...]:
    """Return the features of the part that the characteristics need, datums first, then in the characteristics' order.

    How many touches each gets is what its step of the route asks for, else what is usual.
    """
    needs: dict[str, list[int]] = {}
    for c in plan.characteristics:
        for f in needed_features(plan, (c.id,)):
            needs.setdefault(f, []).append(c.number)
    every = [plan.feature(i) for i in needs if plan.has_feature(i)]
    own = [f for f in every if isinstance(f, NominalFeature)]
    to_touch = features_to_touch(evaluator.context(plan, None), own)
    found: list[tuple[bool, Prepared]] = []
    for feature in own:
        known = to_touch.get(feature.id)
        if known is None:
            continue
        step = plan.route.step_of(feature.id)
        strategy = resolved(Usual() if step is None else step.strategy, known)
        count = count_of(strategy, known, evaluator.model)
        found.append((not known.first, Prepared(feature.id, feature.name, count, tuple(needs[feature.id]))))
    return tuple(p for _, p in sorted(found, key=lambda x: x[0]))


def feature_touched(
    plan: Plan, projector: Projector, lie: Lie, center: Vector, radius: float, out: Vector, wanted: str = ""
) -> str:  # fmt: skip
    """Return the feature (id) that a tip has touched; empty where it is none of the plan.

    `center` (3,) of the tip and `out` (3,), the way it was drawn back (zeros: unknown), are in device coordinates. A
    face that turns away from that way is not what was touched: the two sides of a thin wall are told apart. Of several
    features of one face `wanted` is the one, if it is among them.
    """
    at, way = np.asarray(center, dtype=np.float64)[None], np.asarray(out, dtype=np.float64)[None]
    there = touched_features(plan, projector, lie, at, np.array([radius]), way)[0].features
    return wanted if wanted in there else there[0] if there else ""


@dataclass(frozen=True, slots=True)
class OnPart:
    """Where a touch lies on the part: the features there (ids), and how far off the part it is, mm; NaN: far away."""

    features: tuple[str, ...]
    off: float


def touched_features(
    plan: Plan, projector: Projector, lie: Lie, centers: Points, radii: Floats, outs: Normals
) -> tuple[OnPart, ...]:
    """Return for each touch what it lies on, as `feature_touched` does, in the order of the plan.

    `centers` (n, 3) mm and `outs` (n, 3) are in device coordinates, `radii` (n,) mm.
    """
    found = projector.deviations(lie.places(centers), normals=lie.directions(outs), max_angle=float(_TURNED))
    off = found.distance - radii
    near = (found.face >= 0) & (np.abs(off) <= _NEAR)
    of_face: dict[int, list[str]] = {}
    for f in plan.features:
        for face in f.faces:
            of_face.setdefault(face, []).append(f.id)
    return tuple(
        OnPart(tuple(of_face.get(int(face), ())), float(o)) if ok else OnPart((), float("nan"))
        for face, o, ok in zip(found.face, off, near, strict=True)
    )
