"""The scanner against the probe: one feature by its touches, and by the points of the scan."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.association.features import Plane, Sphere
from truegauge.core.errors import EvaluationError
from truegauge.core.features.extraction import Measured
from truegauge.core.nodes.graph import NotComputed

if TYPE_CHECKING:
    from truegauge.core.evaluation.evaluator import Evaluator
    from truegauge.core.plan.document import Plan
    from truegauge.core.samples.sample import Sample


def scanner_against_probe(evaluator: Evaluator, plan: Plan, sample: Sample, feature_id: str) -> float:
    """Return how far (mm) the scan is off the touches: of a plane along its normal, outwards; of a sphere its middle.

    Both are aligned by the alignment in force.

    Raises
    ------
    EvaluationError
        The feature is neither, or is not measured in both ways.
    """
    feature = plan.feature(feature_id)
    both = []
    rest = tuple(t for t in sample.probed if t.feature != feature_id)
    for way, own in (("touches", sample), ("the scan", sample.with_probed(rest))):
        if way == "touches" and feature_id not in sample.touched:
            raise EvaluationError(f"{feature.name} is not touched")
        if not sample.scans:
            raise EvaluationError(f"{feature.name} is not scanned")
        found = evaluator.context(plan, own).measured(feature.group)
        if isinstance(found, NotComputed) or not isinstance(found, Measured):
            why = found.reason if isinstance(found, NotComputed) else "it is built"
            raise EvaluationError(f"{feature.name} by {way}: {why}")
        both.append(found.feature)
    probed, scanned = both
    if isinstance(probed, Plane) and isinstance(scanned, Plane):
        known = evaluator.nominal(feature.group, plan)
        assert not isinstance(known, NotComputed)
        out = known.outward * known.feature.outward(probed.point[None])[0]
        # In the middle of the touches: planes that are not quite parallel differ by the place.
        return float((scanned.point - probed.point) @ scanned.normal / (out @ scanned.normal))
    if isinstance(probed, Sphere) and isinstance(scanned, Sphere):
        return float(np.linalg.norm(scanned.pose.origin - probed.pose.origin))
    raise EvaluationError(f"{feature.name} is neither a plane nor a sphere")
