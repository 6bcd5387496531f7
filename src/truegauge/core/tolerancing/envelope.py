"""The envelope requirement (ISO 14405-1:2016, 7.2; ASME Y14.5-2018, rule 1): two sizes, the worse of which is told."""

import numpy as np

from truegauge.core.association import Criterion, Shape, associate
from truegauge.core.association.features import Cylinder, ParallelPlanes, Sphere
from truegauge.core.errors import EvaluationError
from truegauge.core.extraction import Measured
from truegauge.core.tolerancing.derived import mating_feature
from truegauge.core.tolerancing.request import are_opposite, width_nominal
from truegauge.core.tolerancing.two_point import local_diameters, local_widths


def envelope_value(features: tuple[Measured, ...], lower: float | None, upper: float | None) -> tuple[float, str]:
    """Return the size that is nearer to breaking its limit, mm, and what it is.

    At the maximum material limit the mating envelope counts (the largest inscribed size of a hole, the smallest
    circumscribed one of a shaft), at the least material limit the extreme two-point size.

    Raises
    ------
    EvaluationError
        The features are no feature of size.
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
        local = local_widths(pair, np.vstack([f.points for f in features]))
    elif len(features) == 1 and isinstance(first.feature, Cylinder | Sphere):
        hole = first.nominal.outward < 0
        mating = 2 * float(mating_feature(first).parameters["radius"])
        local = local_diameters(first.feature, first.points)
    else:
        raise EvaluationError("the envelope requirement needs a feature of size: a cylinder, a sphere or a width")
    extreme = local.statistic("SX" if hole else "SN")
    # Distances to the limits, positive inside: mating at the maximum material side, two-point at the other.
    at_mating = np.inf if (lower if hole else upper) is None else (mating - lower if hole else upper - mating)  # type: ignore[operator]
    at_local = np.inf if (upper if hole else lower) is None else (upper - extreme if hole else extreme - lower)  # type: ignore[operator]
    if at_mating <= at_local:
        return mating, "envelope requirement: the mating size is told, nearer to its limit than any two-point size"
    word = "largest" if hole else "smallest"
    return extreme, f"envelope requirement: the {word} two-point size is told, nearer to its limit than the mating size"
