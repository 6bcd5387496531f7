"""Form (ISO 1101:2017; ISO 12180, 12181, 12780, 12781): of surfaces, of cross sections, of lines, per unit.

The usual value is the width of the minimum zone (C, T). Stated otherwise, the reference is by least squares (G),
circumscribed (N) or inscribed (X), and the parameter the peak (P), the valley (V) or the root mean square (Q).
Touches are read as they are, in the rows in which they were taken; of clouds means over cells, or filtered points.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from truegauge.core.around import algebraic_center, widest_gap
from truegauge.core.arrays import Floats, Ints, Points, Vector, any_perpendicular, unit
from truegauge.core.association.by_criterion import associate
from truegauge.core.association.features import Cone, Feature, Plane, Shape, Sphere
from truegauge.core.association.fit import Criterion
from truegauge.core.association.starts import even_directions
from truegauge.core.cad.recognition import Nominal
from truegauge.core.errors import AssociationError, EvaluationError
from truegauge.core.features.extraction import Built, Measured
from truegauge.core.filters.form_map import FilterKind
from truegauge.core.taken_rows import rows_or_slices
from truegauge.core.tolerancing.once import least_squares_feature, once
from truegauge.core.tolerancing.rings import UP, lines_of, need_rings

REFERENCES = {
    "C": Criterion.MINIMUM_ZONE, "G": Criterion.LEAST_SQUARES, "N": Criterion.MINIMUM_CIRCUMSCRIBED,
    "X": Criterion.MAXIMUM_INSCRIBED,
}  # fmt: skip
REFERENCE_WORDS = {"C": "minimum zone", "G": "least squares", "N": "minimum circumscribed", "X": "maximum inscribed"}
PARAMETERS = {"T": "peak to valley", "P": "peak", "V": "valley", "Q": "root mean square"}
FORM_KINDS = ("flatness", "cylindricity", "roundness", "straightness")
_LEAST_RING, _LEAST_LINE, _LEAST_SHARE = 4, 3, 0.6
_RING_GAP = 2 * np.pi * (1 - _LEAST_SHARE) + np.radians(1.0)
_GREAT = 0.02  # of the radius: touches that near to a plane through the centre lie on a great circle
_NEAR_CENTER = 0.1
_CELLS = 72
_MOST_TOUCHES = 1500  # more lie in lines only by their cells
_FLAT = 0.1  # mm: touches within this are one line
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


def _form_points(measured: Measured) -> Points:
    if measured.form_filter.kind == FilterKind.NONE:
        return measured.means
    return measured.form_map().points


# Surfaces ----------------------------------------------------------------------------------------------------------


def _of_surface(measured: Measured, rule: FormRule) -> float:
    if rule.is_usual:
        return measured.form
    points, feature = _form_points(measured), least_squares_feature(measured)
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
    rings, said = once(measured, "round sections", lambda: _rings(measured))
    if not rings:
        if measured.single:
            raise EvaluationError(f"roundness needs {_LEAST_RING} touches or more in a row, 60 % of a turn around")
        raise EvaluationError("no cross section is complete enough for roundness; 60 % of a turn are needed")
    return max(_off(Shape.CIRCLE, ring, rule, outward, normal=UP) for ring in rings), said


def _rings(measured: Measured) -> tuple[list[Points], str]:
    """Return cross sections as flat points (n, 3) that are complete enough, and where they come from."""
    if isinstance(measured.feature, Sphere):
        return _great_circles(measured)
    if not measured.single or measured.form_filter.kind != FilterKind.NONE:
        found = measured.form_map()
        return [found.ring(row) for row in found.rows_of_sections()], ""
    sections = need_rings(measured, "roundness")
    feature = sections.feature
    rings = []
    for own in sections.each:
        flat = sections.local[own, :2]
        if isinstance(feature, Cone):  # read square to the surface, as the run-out of a cone
            angle = np.arctan2(flat[:, 1], flat[:, 0])
            radius = float(np.hypot(flat[:, 0], flat[:, 1]).mean()) + feature.distances(measured.points[own])
            flat = np.column_stack([radius * np.cos(angle), radius * np.sin(angle)])
        rings.append(np.column_stack([flat, np.zeros(len(own))]))
    return _complete(rings), sections.rows.told


def _complete(rings: Sequence[Points]) -> list[Points]:
    return [
        r for r in rings if len(r) >= _LEAST_RING and widest_gap(r[:, :2] - algebraic_center(r[:, :2])) <= _RING_GAP
    ]


def _great_circles(measured: Measured) -> tuple[list[Points], str]:
    """Return the sections of a ball through its centre: rows as taken, touches near planes, or cells of a cloud."""
    feature = least_squares_feature(measured)
    assert isinstance(feature, Sphere)
    off = measured.points - feature.center
    rings: list[Points] = []
    if measured.single and measured.taken is not None and (measured.taken >= 0).any():
        for k in np.unique(measured.taken[measured.taken >= 0]):
            own = off[measured.taken == k]
            normal = np.linalg.svd(own - own.mean(axis=0))[2][2]
            if len(own) >= _LEAST_RING and abs(float((own @ normal).mean())) <= _NEAR_CENTER * feature.radius:
                rings.append(_seen_along(own, normal))
        if _complete(rings):
            return _complete(rings), "rows as they were taken"
    if measured.single:
        for axis in np.eye(3):
            rings.append(_seen_along(off[np.abs(off @ axis) <= _GREAT * feature.radius], axis))
        return _complete([r for r in rings if len(r)]), "great circles square to X, Y and Z"
    half = max(0.5 * measured.averaging, 0.25)
    for axis in np.vstack([np.eye(3), even_directions(48)]):
        near = _seen_along(off[np.abs(off @ axis) <= half], axis)
        rings.append(_celled(near))
    return _complete([r for r in rings if len(r)]), "sections through the centre"


def _seen_along(off: Points, axis: Vector) -> Points:
    """Return points about a centre as a ring at their full distance from it."""
    x = any_perpendicular(axis)
    angle, radius = np.arctan2(off @ np.cross(axis, x), off @ x), np.linalg.norm(off, axis=1)
    return np.column_stack([radius * np.cos(angle), radius * np.sin(angle), np.zeros(len(off))])


def _celled(ring: Points) -> Points:
    """Return means of a ring over cells of angle that hold enough points."""
    if len(ring) == 0:
        return ring
    angle, radius = np.arctan2(ring[:, 1], ring[:, 0]), np.hypot(ring[:, 0], ring[:, 1])
    cell = np.clip(((angle + np.pi) / (2 * np.pi) * _CELLS).astype(int), 0, _CELLS - 1)
    counts = np.bincount(cell, minlength=_CELLS)
    enough = counts >= max(3, 0.4 * float(np.median(counts[counts > 0])))
    with np.errstate(invalid="ignore"):
        mean = np.bincount(cell, weights=radius, minlength=_CELLS) / counts
    at = ((np.arange(_CELLS) + 0.5) / _CELLS * 2 * np.pi - np.pi)[enough]
    return np.column_stack([mean[enough] * np.cos(at), mean[enough] * np.sin(at), np.zeros(len(at))])


# Lines -------------------------------------------------------------------------------------------------------------


def _of_lines(measured: Measured, rule: FormRule) -> tuple[float, str]:
    outward = float(measured.nominal.outward)
    if isinstance(measured.feature, Plane):
        lines, said = _lines_on_plane(measured, rule)
    else:
        lines, said = once(measured, "straight lines", lambda: _lines_along(measured))
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
        if len(own) >= _LEAST_LINE:
            yield own


def _lines_along(measured: Measured) -> tuple[list[Points], str]:
    """Return the lines along a turned feature as flat points: along, over the surface."""
    if not measured.single or measured.form_filter.kind != FilterKind.NONE or len(measured.points) > _MOST_TOUCHES:
        found = measured.form_map()
        return found.lines(_LEAST_SHARE), ""
    rings, rows = lines_of(measured)
    feature, local = rings.feature, rings.local
    along, over = local[:, 2], feature.distances(measured.points)
    if isinstance(feature, Cone):
        half = feature.half_angle_rad
        along = np.hypot(local[:, 0], local[:, 1]) * np.sin(half) + local[:, 2] * np.cos(half)
    whole = float(np.ptp(along))
    lines = [
        np.column_stack([along[own], over[own], np.zeros(len(own))])
        for own in rows.each
        if len(own) >= _LEAST_LINE and float(np.ptp(along[own])) >= _LEAST_SHARE * whole
    ]
    return lines, rows.told


def _lines_on_plane(measured: Measured, rule: FormRule) -> tuple[list[Points], str]:
    """Return the lines in which planes square to `across` cut a face."""
    feature = least_squares_feature(measured)
    assert isinstance(feature, Plane)
    if rule.across is None:
        raise EvaluationError("straightness on a plane needs the planes that cut it: choose a direction or an "
                              "intersection plane such as //B")  # fmt: skip
    stated = np.array(rule.across)
    across = stated - float(stated @ feature.normal) * feature.normal
    if float(np.linalg.norm(across)) < 0.1 * float(np.linalg.norm(stated)):
        raise EvaluationError("the planes that cut a face must stand on it: choose another direction")
    across = unit(across)
    points = _form_points(measured)
    way = np.cross(feature.normal, across)
    place, along = points @ across, points @ way
    over = feature.distances(points)
    said = ""
    if measured.single and measured.form_filter.kind == FilterKind.NONE:
        rows = rows_or_slices(place, measured.taken, flat=_FLAT)
        if rows.count == 0:
            raise EvaluationError(
                f"straightness needs touches in lines over the face; these {len(place)} touches lie in none"
            )
        groups, said = rows.each, rows.told
    else:
        count = max(1, int(float(np.ptp(place)) / max(measured.averaging, 1e-3)))
        level = (place - place.min()) / (float(np.ptp(place)) or 1.0) * count
        keys = np.clip(level.astype(int), 0, count - 1)
        groups = [np.flatnonzero(keys == k) for k in range(count)]
    whole = float(np.ptp(along))
    lines = [
        np.column_stack([along[own], over[own], np.zeros(len(own))])
        for own in groups
        if len(own) >= _LEAST_LINE and float(np.ptp(along[own])) >= 0.5 * _LEAST_SHARE * whole
    ]
    return lines, said
