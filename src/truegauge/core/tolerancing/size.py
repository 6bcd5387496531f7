"""Size (ISO 14405-1): global sizes by the criterion of the modifier, and two-point sizes with their statistics."""

from collections.abc import Callable

import numpy as np

from truegauge.core.association import Criterion, Shape, associate
from truegauge.core.association.features import Circle, Cylinder, ParallelPlanes, Plane, Sphere
from truegauge.core.cad.recognition import Nominal
from truegauge.core.errors import EvaluationError
from truegauge.core.extraction import Built, Measured
from truegauge.core.tolerancing.two_point import LocalSizes, local_diameters, local_widths

MeasuredFeatures = tuple[Measured | Built, ...]
# The default association of each modifier; without one, the feature's own criterion holds.
MODIFIERS = {
    "GG": Criterion.LEAST_SQUARES,
    "GN": Criterion.MINIMUM_CIRCUMSCRIBED,
    "GX": Criterion.MAXIMUM_INSCRIBED,
}


def has_diameter(features: tuple[Nominal, ...]) -> bool:
    """One cylinder, sphere or circle."""
    return len(features) == 1 and isinstance(features[0].feature, Cylinder | Sphere | Circle)


def has_points(features: tuple[Nominal, ...]) -> bool:
    """One cylinder or sphere with points of its own."""
    return has_diameter(features) and not features[0].built


def nominal_diameter(features: tuple[Nominal, ...]) -> float:
    """Return the diameter in the CAD model, mm."""
    feature = features[0].feature
    assert isinstance(feature, Cylinder | Sphere | Circle)
    return 2 * feature.radius


def diameter(features: MeasuredFeatures) -> float:
    """Return the diameter of the associated feature, mm."""
    feature = features[0].feature
    assert isinstance(feature, Cylinder | Sphere | Circle)
    return 2 * feature.radius


def global_diameter(modifier: str) -> Callable[[MeasuredFeatures], float]:
    """Return the function for the diameter by a modifier, whatever the criterion of the feature."""

    def value(features: MeasuredFeatures) -> float:
        measured = _with_points(features[0])
        criterion = MODIFIERS[modifier]
        if measured.fit.criterion == criterion:
            return diameter(features)
        fit = associate(measured.nominal.shape, measured.points, criterion, start=measured.feature)
        return float(2 * fit.feature.parameters["radius"])

    return value


def two_point_diameter(statistic: str) -> Callable[[MeasuredFeatures], float]:
    """Return the function for a statistic of the two-point diameters."""

    def value(features: MeasuredFeatures) -> float:
        measured = _with_points(features[0])
        assert isinstance(measured.feature, Cylinder | Sphere)
        return local_diameters(measured.feature, measured.points).statistic(statistic)

    return value


def _with_points(feature: Measured | Built) -> Measured:
    if isinstance(feature, Built):
        raise EvaluationError("a constructed feature has no points of its own")
    return feature


def is_width(features: tuple[Nominal, ...]) -> bool:
    """Two parallel planes of the part that face each other, or away from each other."""
    if len(features) != 2 or any(f.built or not isinstance(f.feature, Plane) for f in features):
        return False
    a, b = (f.feature.parameters["normal"] for f in features)
    return float(a @ b) < -1 + 1e-8 and nominal_width(features) > 1e-6


def nominal_width(features: tuple[Nominal, ...]) -> float:
    """Return the width in the CAD model, mm."""
    a, b = features
    return abs(float((b.center - a.center) @ a.feature.parameters["normal"]))


def _planes_of(features: MeasuredFeatures, criterion: Criterion) -> tuple[ParallelPlanes, np.ndarray]:
    one, other = (_with_points(f) for f in features)
    a, b = one.feature.parameters, other.feature.parameters
    points = np.vstack([one.points, other.points])
    normal = a["normal"] - b["normal"]
    normal = normal / np.linalg.norm(normal)
    start = ParallelPlanes((a["point"] + b["point"]) / 2, normal, abs(float((b["point"] - a["point"]) @ normal)))
    fit = associate(Shape.WIDTH, points, criterion, start=start)
    assert isinstance(fit.feature, ParallelPlanes)
    return fit.feature, points


def global_width(modifier: str) -> Callable[[MeasuredFeatures], float]:
    """Return the function for the width of two parallel planes by a modifier."""
    return lambda features: _planes_of(features, MODIFIERS[modifier])[0].width


def two_point_width(statistic: str) -> Callable[[MeasuredFeatures], float]:
    """Return the function for a statistic of the two-point widths."""

    def value(features: MeasuredFeatures) -> float:
        sizes: LocalSizes = local_widths(*_planes_of(features, Criterion.LEAST_SQUARES))
        return sizes.statistic(statistic)

    return value
