"""The place on the part that the tag of a result points at."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.cad.recognition import Nominal
from truegauge.core.characteristics.registry import kind_named
from truegauge.core.evaluation.results import Result
from truegauge.core.plan.document import Plan
from truegauge.core.samples.sample import Sample
from truegauge.rendering.camera import Camera

if TYPE_CHECKING:
    from truegauge.core.evaluation.evaluator import Evaluator


def tag_anchor(
    evaluator: Evaluator, plan: Plan, sample: Sample | None, result: Result, camera: Camera
) -> np.ndarray | None:
    """Return the place (3,) mm; None where there is none to point at."""
    c = result.characteristic
    kind = kind_named(c.kind)
    if kind.reading:
        return kind.anchor(evaluator.context(plan, sample, c.alignment), c)
    own = kind.anchor(evaluator.context(plan, sample, c.alignment), c)
    if own is not None:
        return own
    sketch = None if result.outcome is None else result.outcome.sketch
    nominal = evaluator.nominal(plan.feature(c.features[0]).group, plan)
    if sketch is not None and (len(c.features) > 1 or not isinstance(nominal, Nominal)):
        return np.asarray(sketch.places[sketch.worst])  # of several features the one that decides
    return _on_feature(nominal, camera) if isinstance(nominal, Nominal) else None


def compared_delta(
    evaluator: Evaluator, plan: Plan, sample: Sample | None, result: Result
) -> tuple[float, float, float] | None:
    """Return the differences (mm) of a compared point."""
    c = result.characteristic
    return kind_named(c.kind).difference(evaluator.context(plan, sample, c.alignment), c)


def _on_feature(nominal: Nominal, camera: Camera) -> np.ndarray:
    """Return a place on the feature: of an axis the end that faces the eye."""
    feature = nominal.feature
    radius = getattr(feature, "radius", None)
    direction = getattr(feature, "direction", None)
    if radius is not None and direction is not None:
        toward = 1.0 if float(direction @ camera.back) >= 0 else -1.0
        return np.asarray(nominal.center + 0.5 * nominal.length * direction * toward)
    return nominal.center
