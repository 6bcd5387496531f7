"""What was measured of each face of the part: for a view that tells it at once."""

from __future__ import annotations

import time
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.association.by_criterion import associate
from truegauge.core.association.features import Feature
from truegauge.core.cad.recognition import Nominal, whole_surface
from truegauge.core.errors import AssociationError
from truegauge.core.plan.document import Plan
from truegauge.core.plan.graph import NotComputed
from truegauge.core.progress import Progress, silent
from truegauge.core.samples.sample import Sample

if TYPE_CHECKING:
    from truegauge.core.plan.evaluation import Evaluator

_LEAST = 10
_MOST = 5000


@dataclass(frozen=True, slots=True, eq=False)
class FaceSurvey:
    """The measured counterpart of faces: the associated feature (None for free-form ones and too few points).

    `mean`, `least` and `greatest` are of the deviations, mm (the extremes the 1 % and 99 % points), `coverage` the
    share of the area that has points.
    """

    nominal: Nominal | None
    feature: Feature | None
    points: int
    mean: float
    least: float
    greatest: float
    coverage: float


def survey_face(evaluator: Evaluator, plan: Plan, sample: Sample, faces: tuple[int, ...]) -> FaceSurvey:
    """Measure faces quickly: by least squares, from at most some thousand points."""
    found = evaluator.nominal(faces)
    nominal = found if isinstance(found, Nominal) else None
    rows = evaluator.chosen(plan, sample, faces).rows
    coverage = evaluator.coverage(plan, sample, faces)
    share = 0.0 if isinstance(coverage, NotComputed) else coverage
    if len(rows) < _LEAST:
        return FaceSurvey(nominal, None, len(rows), 0.0, 0.0, 0.0, share)
    cloud = evaluator.aligned(plan, sample)[1]
    assert not isinstance(cloud, NotComputed)
    deviations = cloud.found.distance[rows]
    least, greatest = (float(x) for x in np.percentile(deviations, [1, 99]))
    feature: Feature | None = None
    if nominal is not None:
        some = rows[:: max(1, len(rows) // _MOST)]
        try:
            fit = associate(
                nominal.shape, cloud.points[some], start=nominal.feature, material=nominal.outward, reject=5.0
            )
            feature = fit.turned_like(nominal.feature).feature
        except AssociationError:
            feature = None
    return FaceSurvey(nominal, feature, len(rows), float(deviations.mean()), least, greatest, share)


def survey_some(
    evaluator: Evaluator, plan: Plan, sample: Sample, start: int, seconds: float, progress: Progress = silent
) -> int:
    """Measure faces from number `start` on, for about so many seconds; what was measured before is kept.

    Returns the number to go on with: that of all faces at the end.
    """
    count, until = len(evaluator.model.faces), time.monotonic() + seconds
    for face in range(start, count):
        if time.monotonic() > until:
            return face
        progress(face / count)
        evaluator.survey(plan, sample, whole_surface(evaluator.model, face))
    return count
