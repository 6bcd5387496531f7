"""Size (ISO 14405-1): global sizes by the criterion of the modifier, and two-point sizes with their statistics."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Floats
from truegauge.core.association.by_criterion import associate
from truegauge.core.association.constraints import NONE
from truegauge.core.association.features import (
    Circle,
    Countersink,
    Cylinder,
    ParallelPlanes,
    Plane,
    Shape,
    Slot,
    Sphere,
)
from truegauge.core.association.fit import Criterion
from truegauge.core.cad.recognition import Nominal
from truegauge.core.errors import EvaluationError
from truegauge.core.features.extraction import Built, Measured
from truegauge.core.tolerancing.derived import surface_points
from truegauge.core.tolerancing.envelope import Enveloped, enveloped
from truegauge.core.tolerancing.once import least_squares_feature
from truegauge.core.tolerancing.section_sizes import sizes_in_sections
from truegauge.core.tolerancing.size_rule import SizeRule
from truegauge.core.tolerancing.two_point import STATISTICS, LocalSizes, diameters_of, widths_of

MeasuredFeatures = tuple[Measured | Built, ...]
_ROUND = Cylinder | Sphere | Circle | Countersink
CRITERIA = {
    "GG": Criterion.LEAST_SQUARES,
    "GN": Criterion.MINIMUM_CIRCUMSCRIBED,
    "GX": Criterion.MAXIMUM_INSCRIBED,
}


def has_diameter(features: tuple[Nominal, ...]) -> bool:
    """One cylinder, sphere, circle or countersink."""
    return len(features) == 1 and isinstance(features[0].feature, _ROUND)


def has_points(features: tuple[Nominal, ...]) -> bool:
    """One cylinder or sphere with points of its own."""
    return has_diameter(features) and not features[0].built


def nominal_diameter(features: tuple[Nominal, ...]) -> float:
    """Return the diameter in the CAD model, mm."""
    feature = features[0].feature
    assert isinstance(feature, _ROUND)
    return 2 * feature.radius


def diameter(features: MeasuredFeatures) -> float:
    """Return the diameter of the associated feature, mm."""
    feature = features[0].feature
    if not isinstance(feature, _ROUND):  # the feature of a plan that was edited by hand
        raise EvaluationError("a diameter needs a cylinder, a sphere, a circle or a countersink")
    return 2 * feature.radius


def _with_points(feature: Measured | Built) -> Measured:
    if isinstance(feature, Built):
        raise EvaluationError("a constructed feature has no points of its own")
    return feature


def is_width(features: tuple[Nominal, ...]) -> bool:
    """Two parallel planes of the part that face each other, or away from each other; or a slot."""
    if is_slot(features):
        return True
    if len(features) != 2 or any(f.built or not isinstance(f.feature, Plane) for f in features):
        return False
    a, b = (f.feature.parameters["normal"] for f in features)
    return float(a @ b) < -1 + 1e-8 and nominal_width(features) > 1e-6


def nominal_width(features: tuple[Nominal, ...]) -> float:
    """Return the width in the CAD model, mm."""
    if is_slot(features):
        return width_of_slot(features)
    a, b = features
    return abs(float((b.center - a.center) @ a.feature.parameters["normal"]))


def is_slot(features: tuple[Nominal, ...]) -> bool:
    """One slot, made of its sides and ends."""
    return len(features) == 1 and isinstance(features[0].feature, Slot)


def has_two_sides(features: tuple[Nominal, ...]) -> bool:
    """Two parallel planes with points, for sizes by their points."""
    return is_width(features) and not is_slot(features)


def _slot(features: tuple[Nominal, ...] | MeasuredFeatures) -> Slot:
    feature = features[0].feature
    assert isinstance(feature, Slot)
    return feature


def width_of_slot(features: tuple[Nominal, ...] | MeasuredFeatures) -> float:
    """Return the width of a slot, mm."""
    return _slot(features).width


def length_of_slot(features: tuple[Nominal, ...] | MeasuredFeatures) -> float:
    """Return the length of a slot over its round ends, mm."""
    return _slot(features).length


@dataclass(frozen=True, slots=True, eq=False)
class Sizes:
    """What a rule finds of a feature: one size or several (m,) mm, or what the envelope requirement looks at."""

    rule: SizeRule
    sizes: Floats
    envelope: Enveloped | None = None

    def told(self, lower: float | None = None, upper: float | None = None) -> tuple[float, str]:
        """Return the size that is told, mm, and what it is; `lower` and `upper` are the limits of size, mm.

        Where the rule means many sizes (two-point, in any cross section) all must conform: the one is told that is
        nearest to breaking its limit, or farthest beyond; without limits the mean.
        """
        if self.envelope is not None:
            return self.envelope.told(lower, upper)
        found, rule = LocalSizes(self.sizes), self.rule
        if rule.rank:
            return found.statistic(rule.rank), f"{rule.words}: {STATISTICS[rule.rank][0]} of {len(self.sizes)}"
        if len(self.sizes) == 1:
            return float(self.sizes[0]), rule.words
        low, high = found.statistic("SN"), found.statistic("SX")
        if lower is None and upper is None:
            return found.statistic("SA"), f"{rule.words}: the mean of {len(self.sizes)} is told, no limits are stated"
        at_low = np.inf if lower is None else low - lower
        at_high = np.inf if upper is None else upper - high
        value, word = (low, "smallest") if at_low < at_high else (high, "largest")
        return value, f"{rule.words}: the {word} of {len(self.sizes)}, from {low:.4f} to {high:.4f}"


def sizes_by(features: MeasuredFeatures, rule: SizeRule) -> Sizes:
    """Return the diameters or widths of features by a rule.

    Raises
    ------
    EvaluationError
        Points that do not hold such a size.
    """
    if isinstance(features[0], Built):
        slot = isinstance(features[0].feature, Slot)
        return Sizes(SizeRule("GG"), np.array([width_of_slot(features) if slot else diameter(features)]))
    known = tuple(_with_points(f) for f in features)
    if rule.how == "E":
        return Sizes(rule, np.zeros(0), enveloped(known))
    return Sizes(rule, np.atleast_1d(_sizes(known, rule)))


def _sizes(known: tuple[Measured, ...], rule: SizeRule) -> Floats | float:
    if len(known) == 2:
        if rule.how == "LP":
            return widths_of((known[0], known[1]), _planes_of(known, Criterion.LEAST_SQUARES)).sizes
        if rule.how in CRITERIA and not rule.section:
            return _planes_of(known, CRITERIA[rule.how]).width
        raise EvaluationError(f"a width has no {rule.words}")
    measured = known[0]
    if rule.section or rule.how in ("LS", "CC", "CA", "CV"):
        return sizes_in_sections(measured, rule)
    if rule.how == "LP":
        return diameters_of(measured).sizes
    criterion = CRITERIA[rule.how]
    if criterion == Criterion.LEAST_SQUARES and rule.stated:
        return float(2 * least_squares_feature(measured).parameters["radius"])
    # Where the inspector chose a criterion for the feature, a default by the associated feature is by that one.
    if measured.fit.criterion == criterion or (rule.how == "GG" and not rule.stated):
        return diameter(known)
    fit = associate(
        measured.nominal.shape, surface_points(measured), criterion, start=measured.feature,
        constraints=measured.fit.constraints or NONE, settled=measured.settled,
    )  # fmt: skip
    return float(2 * fit.feature.parameters["radius"])


def by_rule(rule: SizeRule) -> Callable[[MeasuredFeatures], float]:
    """Return the function for a size without limits."""
    return lambda features: sizes_by(features, rule).told()[0]


def _planes_of(known: tuple[Measured, ...], criterion: Criterion) -> ParallelPlanes:
    one, other = known
    a, b = one.feature.parameters, other.feature.parameters
    least = criterion == Criterion.LEAST_SQUARES
    points = np.vstack([m.points if least else surface_points(m) for m in (one, other)])
    normal = a["normal"] - b["normal"]
    normal = normal / np.linalg.norm(normal)
    start = ParallelPlanes((a["point"] + b["point"]) / 2, normal, abs(float((b["point"] - a["point"]) @ normal)))
    fit = associate(Shape.WIDTH, points, criterion, start=start)
    assert isinstance(fit.feature, ParallelPlanes)
    return fit.feature
