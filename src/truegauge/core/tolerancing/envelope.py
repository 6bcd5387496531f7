"""The envelope requirement (ISO 14405-1:2016, 7.2; ASME Y14.5-2018, rule 1): two sizes, the worse of which is told."""

from dataclasses import dataclass

import numpy as np

from truegauge.core.association.by_criterion import associate
from truegauge.core.association.features import Cylinder, ParallelPlanes, Shape, Sphere
from truegauge.core.association.fit import Criterion
from truegauge.core.errors import EvaluationError
from truegauge.core.features.extraction import Measured
from truegauge.core.tolerancing.derived import mating_feature
from truegauge.core.tolerancing.request import are_opposite, width_nominal
from truegauge.core.tolerancing.two_point import diameters_of, widths_of


@dataclass(frozen=True, slots=True)
class Enveloped:
    """Two sizes, mm: the mating envelope, and the two-point size nearest to least material; of a hole or a shaft."""

    mating: float
    extreme: float
    hole: bool

    def told(self, lower: float | None, upper: float | None) -> tuple[float, str]:
        """Return the size that is nearer to breaking its limit (mm), and what it is.

        The mating size counts at the limit of maximum material, the two-point size at that of least material.
        """
        most, least = (lower, upper) if self.hole else (upper, lower)
        sign = 1.0 if self.hole else -1.0
        at_mating = np.inf if most is None else sign * (self.mating - most)
        at_local = np.inf if least is None else sign * (least - self.extreme)
        if at_mating <= at_local:
            return (
                self.mating,
                "envelope requirement: the mating size is told, nearer to its limit than any two-point size",
            )
        word = "largest" if self.hole else "smallest"
        return self.extreme, (
            f"envelope requirement: the {word} two-point size is told, nearer to its limit than the mating size"
        )


def enveloped(features: tuple[Measured, ...]) -> Enveloped:
    """Return the sizes that the envelope requirement looks at.

    Raises
    ------
    EvaluationError
        The features are no feature of size, or have no two-point sizes.
    """
    first = features[0]
    if len(features) == 2 and are_opposite(first.nominal.feature, features[1].nominal.feature):
        nominal = width_nominal(first.nominal, features[1].nominal)
        hole = nominal.outward < 0
        points = np.vstack([f.means for f in features])
        criterion = Criterion.MAXIMUM_INSCRIBED if hole else Criterion.MINIMUM_CIRCUMSCRIBED
        pair = associate(Shape.WIDTH, points, criterion, start=nominal.feature).feature
        assert isinstance(pair, ParallelPlanes)
        mating = pair.width
        least = associate(Shape.WIDTH, np.vstack([f.points for f in features]), start=pair).feature
        assert isinstance(least, ParallelPlanes)
        local = widths_of((first, features[1]), least)
    elif len(features) == 1 and isinstance(first.feature, Cylinder | Sphere):
        hole = first.nominal.outward < 0
        mating = 2 * float(mating_feature(first).parameters["radius"])
        local = diameters_of(first)
    else:
        raise EvaluationError("the envelope requirement needs a feature of size: a cylinder, a sphere or a width")
    return Enveloped(mating, local.statistic("SX" if hole else "SN"), hole)
