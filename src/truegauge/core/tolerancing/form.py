"""Form (ISO 1101:2017; ISO 12180, 12181, 12780, 12781): of surfaces, of cross sections, of lines, per unit.

The usual value is the width of the minimum zone (C, T). Stated otherwise, the reference is by least squares (G),
circumscribed (N) or inscribed (X), and the parameter the peak (P), the valley (V) or the root mean square (Q).
Touches are read as they are, in the rows in which they were taken; of clouds means over cells, or filtered points.
"""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Floats, Ints, Points, Vector, any_perpendicular, unit
from truegauge.core.association.by_criterion import associate
from truegauge.core.association.features import Feature, Plane, Shape
from truegauge.core.association.fit import Criterion
from truegauge.core.cad.recognition import Nominal
from truegauge.core.errors import AssociationError, EvaluationError
from truegauge.core.features.extraction import Built, Measured
from truegauge.core.tolerancing.form_lines import (
    LEAST_LINE,
    LEAST_RING,
    form_points,
    lines_along,
    lines_on_plane,
    round_sections,
)
from truegauge.core.tolerancing.once import least_squares_feature, once
from truegauge.core.tolerancing.rings import UP

REFERENCES = {
    "C": Criterion.MINIMUM_ZONE, "G": Criterion.LEAST_SQUARES, "N": Criterion.MINIMUM_CIRCUMSCRIBED,
    "X": Criterion.MAXIMUM_INSCRIBED,
}  # fmt: skip
REFERENCE_WORDS = {"C": "minimum zone", "G": "least squares", "N": "minimum circumscribed", "X": "maximum inscribed"}
PARAMETERS = {"T": "peak to valley", "P": "peak", "V": "valley", "Q": "root mean square"}
_EDGE = 1e-3  # mm: points that a little tilt puts that far out of a unit length belong to it
_MOST_STARTS = 60  # places of a unit area along each of its sides


@dataclass(frozen=True, slots=True)
class FormRule:
    """How form is read: `reference` (C, G, N, X), `parameter` (T, P, V, Q), over a unit length or area (mm).

    `across` is the normal of the planes that cut a face into lines (the intersection plane of ISO 1101, 13).
    """

    reference: str = "C"
    parameter: str = "T"
    per: float | None = None
    per_second: float | None = None
    across: tuple[float, float, float] | None = None

    @property
    def is_usual(self) -> bool:
        """The minimum zone of the whole feature."""
        return self.reference == "C" and self.parameter == "T" and self.per is None

    @property
    def words(self) -> str:
        """The rule in words, for what is told of a value; empty for the usual one."""
        said = []
        if self.reference != "C" or self.parameter != "T":
            said.append(f"{PARAMETERS[self.parameter]} over the {REFERENCE_WORDS[self.reference]} feature")
        if self.per is not None:
            by = "" if self.per_second is None else f" x {self.per_second:g}"
            said.append(f"largest over any {self.per:g}{by} mm")
        return ", ".join(said)


USUAL = FormRule()


def is_plane(features: tuple[Nominal, ...]) -> bool:
    """One plane."""
    return _is(features, Shape.PLANE)


def is_cylinder(features: tuple[Nominal, ...]) -> bool:
    """One cylinder."""
    return _is(features, Shape.CYLINDER)


def is_turned(features: tuple[Nominal, ...]) -> bool:
    """One cylinder or cone: it has cross sections and lines."""
    return _is(features, Shape.CYLINDER) or _is(features, Shape.CONE)


def has_round_sections(features: tuple[Nominal, ...]) -> bool:
    """One cylinder, cone or sphere."""
    return is_turned(features) or _is(features, Shape.SPHERE)


def has_lines(features: tuple[Nominal, ...]) -> bool:
    """One cylinder, cone or plane."""
    return is_turned(features) or is_plane(features)


def _is(features: tuple[Nominal, ...], shape: Shape) -> bool:
    return len(features) == 1 and features[0].shape == shape and not features[0].built


def form(features: tuple[Measured | Built, ...]) -> float:
    """Return the width of the narrowest zone that holds the averaged (or filtered) points, mm."""
    return form_value("form", features)[0]


def roundness(features: tuple[Measured | Built, ...]) -> float:
    """Return the largest roundness of all cross sections, mm."""
    return form_value("roundness", features)[0]


def straightness(features: tuple[Measured | Built, ...]) -> float:
    """Return the largest straightness of all lines along the feature, mm."""
    return form_value("straightness", features)[0]


def form_value(kind: str, features: tuple[Measured | Built, ...], rule: FormRule = USUAL) -> tuple[float, str]:
    """Return the value of a form tolerance, mm, and what is told of it.

    Parameters
    ----------
    kind : str
        "roundness", "straightness", or any other for the form of the whole surface.

    Raises
    ------
    EvaluationError
        Points that have no such form, or touches that do not show it.
    """
    measured = _measured(features)
    if kind == "roundness":
        value, said = _of_sections(measured, rule)
    elif kind == "straightness":
        value, said = _of_lines(measured, rule)
    else:
        value, said = _of_surface(measured, rule), ""
    return value, "; ".join(x for x in (said, rule.words) if x)


def _measured(features: tuple[Measured | Built, ...]) -> Measured:
    if isinstance(features[0], Built):
        raise EvaluationError("a constructed feature has no points of its own")
    return features[0]


def parameter_of(deviations: Floats, parameter: str) -> float:
    """Return a parameter of deviations (n,) mm from a reference feature, positive out of the material."""
    match parameter:
        case "P":
            return max(0.0, float(deviations.max()))
        case "V":
            return max(0.0, -float(deviations.min()))
        case "Q":
            return float(np.sqrt(np.mean(deviations**2)))
    return float(np.ptp(deviations))


def _off(
    shape: Shape, points: Points, rule: FormRule, outward: float, *, start: Feature | None = None,
    normal: Vector | None = None,
) -> float:  # fmt: skip
    """Return the parameter of points over their reference feature."""
    criterion = REFERENCES[rule.reference]
    if criterion in (Criterion.MINIMUM_CIRCUMSCRIBED, Criterion.MAXIMUM_INSCRIBED) and shape in (
        Shape.PLANE,
        Shape.LINE,
    ):
        raise EvaluationError(f"a {shape} has no {REFERENCE_WORDS[rule.reference]} reference; use C or G")
    try:
        fit = associate(shape, points, criterion, start=start, plane_normal=normal)
    except AssociationError as error:
        raise EvaluationError(str(error)) from None
    if shape == Shape.LINE and normal is not None:
        return parameter_of(outward * points_over(fit.feature, points), rule.parameter)
    if start is not None:
        fit = fit.turned_like(start)
    return parameter_of(outward * fit.residuals, rule.parameter)


def points_over(line: Feature, points: Points) -> Floats:
    """Return signed distances (n,) of flat points (x along, y over) from a line, positive upwards."""
    direction = line.parameters["direction"]
    off = points - line.parameters["point"]
    sense = 1.0 if direction[0] >= 0 else -1.0
    return np.asarray(sense * (direction[0] * off[:, 1] - direction[1] * off[:, 0]))


# Surfaces ----------------------------------------------------------------------------------------------------------


def _of_surface(measured: Measured, rule: FormRule) -> float:
    if rule.is_usual:
        return measured.form
    points, feature = form_points(measured), least_squares_feature(measured)
    outward = float(measured.nominal.outward)
    if rule.per is None:
        return _off(feature.shape, points, rule, outward, start=feature)
    if not isinstance(feature, Plane):
        raise EvaluationError(f"form over a unit is for planes and lines, not for a {feature.shape}")
    best = 0.0
    for bound, own in _areas(feature, points, rule):
        if bound <= best:
            break
        best = max(best, _off(Shape.PLANE, points[own], rule, outward, start=feature))
    return best


def _areas(feature: Plane, points: Points, rule: FormRule) -> list[tuple[float, Ints]]:
    """Return an upper bound and the points of each place of the unit area, the largest bound first.

    The range over the least-squares plane is no less than any parameter: places whose bound is below what was found
    need no narrowest zone.
    """
    assert rule.per is not None
    first = any_perpendicular(feature.normal)
    if rule.across is not None:
        across = np.array(rule.across) - float(np.array(rule.across) @ feature.normal) * feature.normal
        first = unit(across) if float(np.linalg.norm(across)) > 1e-6 else first
    u, v = points @ first, points @ np.cross(feature.normal, first)
    wide, high = rule.per, rule.per_second or rule.per
    windows: list[tuple[float, Ints]] = []
    for left in _starts(u, wide):
        column = np.flatnonzero((u >= left - _EDGE) & (u <= left + wide + _EDGE))
        for low in _starts(v[column], high):
            own = column[(v[column] >= low - _EDGE) & (v[column] <= low + high + _EDGE)]
            if len(own) >= 4:
                windows.append((_flat_range(points[own]), own))
    if not windows:
        raise EvaluationError("no unit area holds four points: the points are too sparse for it")
    return sorted(windows, key=lambda w: -w[0])


def _starts(place: Floats, length: float) -> Floats:
    """Return where a window may begin: at each point; no more than some of many, and never past the last point."""
    if len(place) == 0:
        return place
    begin = np.unique(place)
    begin = begin[begin <= max(float(place.max()) - length, float(place.min())) + 1e-9]
    ends = np.unique(place) - length  # windows that end at a point
    begin = np.unique(np.concatenate([begin, ends[ends >= place.min()]]))
    if len(begin) > _MOST_STARTS:
        begin = begin[np.linspace(0, len(begin) - 1, _MOST_STARTS).astype(int)]
    return begin


def _flat_range(points: Points) -> float:
    off = points - points.mean(axis=0)
    return float(np.ptp(off @ np.linalg.svd(off, full_matrices=False)[2][2]))


# Cross sections ----------------------------------------------------------------------------------------------------


def _of_sections(measured: Measured, rule: FormRule) -> tuple[float, str]:
    if rule.per is not None:
        raise EvaluationError("roundness over a unit angle is not evaluated")
    outward = float(measured.nominal.outward)
    rings, said = once(measured, "round sections", lambda: round_sections(measured))
    if not rings:
        if measured.single:
            raise EvaluationError(f"roundness needs {LEAST_RING} touches or more in a row, 60 % of a turn around")
        raise EvaluationError("no cross section is complete enough for roundness; 60 % of a turn are needed")
    return max(_off(Shape.CIRCLE, ring, rule, outward, normal=UP) for ring in rings), said


# Lines -------------------------------------------------------------------------------------------------------------


def _of_lines(measured: Measured, rule: FormRule) -> tuple[float, str]:
    outward = float(measured.nominal.outward)
    if isinstance(measured.feature, Plane):
        lines, said = lines_on_plane(measured, rule.across)
    else:
        lines, said = once(measured, "straight lines", lambda: lines_along(measured))
    if not lines:
        raise EvaluationError("no line along the feature is complete enough for straightness")
    best = 0.0
    for line in lines:
        for piece in _pieces(line, rule.per):
            best = max(best, _off(Shape.LINE, piece, rule, outward, normal=UP))
    return best, said


def _pieces(line: Points, length: float | None) -> Iterator[Points]:
    """Return a line, or what of it lies in each place of a unit length."""
    if length is None:
        yield line
        return
    for begin in _starts(line[:, 0], length):
        own = line[(line[:, 0] >= begin - _EDGE) & (line[:, 0] <= begin + length + _EDGE)]
        if len(own) >= LEAST_LINE:
            yield own
