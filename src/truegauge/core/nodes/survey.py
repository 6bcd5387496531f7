"""What was measured of each face of the part: for a view that tells it at once."""

from __future__ import annotations

import time
from dataclasses import dataclass
from typing import TYPE_CHECKING, ClassVar

import numpy as np

from truegauge.core.association.by_criterion import associate
from truegauge.core.association.features import Feature
from truegauge.core.cad.recognition import Nominal, whole_surface
from truegauge.core.errors import AssociationError
from truegauge.core.nodes.aligned import AlignedCloud
from truegauge.core.nodes.features import CoverageOf, chosen_points
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.keys import features_key
from truegauge.core.nodes.node import Node
from truegauge.core.nodes.nominal import nominal_feature
from truegauge.core.progress import Progress, silent

if TYPE_CHECKING:
    from collections.abc import Hashable

    from truegauge.core.nodes.context import Context

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


@dataclass(frozen=True, slots=True)
class SurveyOf(Node[FaceSurvey]):
    """Faces measured quickly: by least squares, from at most some thousand points."""

    faces: tuple[int, ...]
    of_features: ClassVar[bool] = False

    def key(self, context: Context) -> Hashable:
        return (features_key(context), context.contents.group(self.faces))

    def compute(self, context: Context) -> FaceSurvey:
        found = nominal_feature(context, self.faces)
        known = found if isinstance(found, Nominal) else None
        rows = chosen_points(context, self.faces).rows
        coverage = context.get(CoverageOf(self.faces))
        share = 0.0 if isinstance(coverage, NotComputed) else coverage
        if len(rows) < _LEAST:
            return FaceSurvey(known, None, len(rows), 0.0, 0.0, 0.0, share)
        cloud = context.need(AlignedCloud())
        deviations = cloud.found.distance[rows]
        least, greatest = (float(x) for x in np.percentile(deviations, [1, 99]))
        feature: Feature | None = None
        if known is not None:
            some = rows[:: max(1, len(rows) // _MOST)]
            try:
                fit = associate(
                    known.shape, cloud.points[some], start=known.feature, material=known.outward, reject=5.0
                )
                feature = fit.turned_like(known.feature).feature
            except AssociationError:
                feature = None
        return FaceSurvey(known, feature, len(rows), float(deviations.mean()), least, greatest, share)


def survey_some(context: Context, start: int, seconds: float, progress: Progress = silent) -> int:
    """Measure faces from number `start` on, for about so many seconds; what was measured before is kept.

    Returns the number to go on with: that of all faces at the end.
    """
    count, until = len(context.model.faces), time.monotonic() + seconds
    for face in range(start, count):
        if time.monotonic() > until:
            return face
        progress(face / count)
        context.get(SurveyOf(whole_surface(context.model, face)))
    return count
