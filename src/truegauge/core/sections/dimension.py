"""Dimensions in a section, as on a drawing: between or of what is fitted to spans of its curves."""

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from truegauge.core.arrays import Floats, Ints, Mask, Points
from truegauge.core.association.by_criterion import associate
from truegauge.core.association.features import Shape
from truegauge.core.errors import EvaluationError
from truegauge.core.sections.measured import MeasuredSection
from truegauge.core.sections.nominal import NominalSection
from truegauge.core.sections.plane import Flat

FitName = Literal["point", "line", "circle"]
_LEAST = {"point": 1, "line": 2, "circle": 3}
_Z = np.array([0.0, 0.0, 1.0])
_STRAY, _TURNS = 5.0, 20  # robust scales, as for features
_FOR_STRAYS = 6  # points that can tell a stray


@dataclass(frozen=True, slots=True, eq=False)
class Fitted:
    """What was fitted to a span: a point, a line through it with a direction (2,), or a circle about it.

    `scatter` mm is the standard deviation of the points about it, `reach` mm how far a line is drawn to both sides.
    """

    fits: FitName
    point: Floats
    direction: Floats
    radius: float
    scatter: float
    points: int
    reach: float
    strays: int = 0


@dataclass(frozen=True, slots=True, eq=False)
class SpanRows:
    """Which points of the nominal curve, and which measured points, a span takes; the nominal place it stands at."""

    curve: Ints
    measured: Ints
    place: Floats
    normal: Floats


def span_rows(
    nominal: NominalSection, measured: MeasuredSection | None, at: tuple[float, float], reach: float
) -> SpanRows:
    """Return what a span near a place (section coordinates, mm) takes.

    Raises
    ------
    EvaluationError
        The section has no curve.
    """
    if not len(nominal.flat):
        raise EvaluationError("the plane of the section does not meet the part")
    first = int(np.argmin(((nominal.flat - np.array(at)) ** 2).sum(axis=1)))
    piece = nominal.piece[first]
    apart = np.abs(nominal.along - nominal.along[first])
    if nominal.closed[piece]:
        apart = np.minimum(apart, nominal.length[piece] - apart)
    curve = np.flatnonzero((nominal.piece == piece) & (apart <= reach))
    rows = np.zeros(0, dtype=np.int64) if measured is None else np.flatnonzero(np.isin(measured.nearest, curve))
    return SpanRows(curve, rows, nominal.flat[first], nominal.normals[first])


def span_runs(nominal: NominalSection, at: tuple[float, float], reach: float) -> list[Flat]:
    """Return the pieces (k, 2) of the curve that a span takes: two where it reaches over the end of a closed curve."""
    rows = span_rows(nominal, None, at, reach).curve
    return [nominal.flat[run] for run in np.split(rows, np.flatnonzero(np.diff(rows) > 1) + 1)]


def fit_span(fits: FitName, flat: Flat, span: SpanRows, offsets: Floats) -> Fitted:
    """Fit a point, a line or a circle (least squares) to points (n, 2) of a span.

    `offsets` (n,) mm are the distances of the points off the nominal curve, positive out of the material: their mean is
    what a point takes.

    Raises
    ------
    EvaluationError
        Too few points.
    AssociationError
        Points that do not determine the circle.
    """
    tangent = np.array([-span.normal[1], span.normal[0]])
    kept = _kept(fits, flat @ tangent, offsets)
    strays = int(len(kept) - kept.sum())
    return replace(_fitted(fits, flat[kept], span, offsets[kept]), strays=strays)


def _kept(fits: FitName, along: Floats, offsets: Floats) -> Mask:
    """Return which points are no strays: within some robust scales of a point, or of a line through the offsets.

    As in features the rule is applied until no more change; circles are left to the association, which has the same.
    """
    kept: Mask = np.ones(len(offsets), dtype=bool)
    if fits == "circle":
        return kept
    for _ in range(_TURNS):
        if kept.sum() < _FOR_STRAYS:
            return kept
        # Slopes and middles by medians: one far point must not drag what it is judged by.
        x, y = along[kept], offsets[kept]
        slope = 0.0
        if fits == "line":
            half = np.argsort(x)
            low, high = half[: len(half) // 2], half[(len(half) + 1) // 2 :]
            run = float(np.median(x[high]) - np.median(x[low]))
            slope = float(np.median(y[high]) - np.median(y[low])) / run if run > 0 else 0.0
        off = offsets - slope * along
        off = off - float(np.median(off[kept]))
        scale = 1.4826 * float(np.median(np.abs(off[kept])))
        now = np.abs(off) <= max(_STRAY * scale, 1e-9)
        if np.array_equal(now, kept):
            return kept
        kept = now
    return kept


def _fitted(fits: FitName, flat: Flat, span: SpanRows, offsets: Floats) -> Fitted:
    least = _LEAST[fits]
    if len(flat) < least:
        raise EvaluationError(f"{len(flat)} points in the span, a {fits} needs {least}")
    if fits == "circle":
        solid = _solid(flat)
        fit = associate(Shape.CIRCLE, solid, plane_normal=_Z, reject=5.0 if len(solid) > 12 else None)
        found = fit.feature.parameters
        center, radius = np.asarray(found["center"])[:2], float(found["radius"])
        off = np.linalg.norm(flat - center, axis=1) - radius
        return Fitted("circle", center, np.zeros(2), radius, _spread(off), len(flat), radius)
    tangent = np.array([-span.normal[1], span.normal[0]])
    if fits == "point":
        place = span.place + float(offsets.mean()) * span.normal
        return Fitted("point", place, tangent, 0.0, _spread(offsets), len(flat), 0.0)
    middle = flat.mean(axis=0)
    _, _, vt = np.linalg.svd(flat - middle, full_matrices=False)
    direction = vt[0] if vt[0] @ tangent >= 0 else -vt[0]
    across = np.array([-direction[1], direction[0]])
    off = (flat - middle) @ across
    # The line's point stands over the nominal place, so that missing points do not shift it.
    toward = float(span.normal @ across)
    if abs(toward) > 0.2:
        middle = span.place + float((middle - span.place) @ across) / toward * span.normal
    reach = float(np.abs((flat - middle) @ direction).max())
    return Fitted("line", middle, direction, 0.0, _spread(off), len(flat), reach)


def _solid(flat: Flat) -> Points:
    return np.column_stack([flat, np.zeros(len(flat))])


def _spread(off: Floats) -> float:
    return float(np.std(off))


def dimension_value(kind: str, fitted: tuple[Fitted, ...]) -> float:
    """Return the value of a dimension, mm (an angle: rad).

    Raises
    ------
    EvaluationError
        The angle of two lines that do not meet.
    """
    first = fitted[0]
    if kind in ("radius", "diameter"):
        return first.radius * (2.0 if kind == "diameter" else 1.0)
    second = fitted[1]
    if kind == "angle":
        return _angle(first, second)
    apart = second.point - first.point
    if kind == "horizontal":
        return float(abs(apart[0]))
    if kind == "vertical":
        return float(abs(apart[1]))
    lines = [f for f in fitted if f.fits == "line"]
    if not lines:
        return float(np.linalg.norm(apart))
    # Square to the line; to two lines the mean of both.
    return float(np.mean([abs(apart @ np.array([-f.direction[1], f.direction[0]])) for f in lines]))


def _angle(first: Fitted, second: Fitted) -> float:
    """Return the angle between two lines on the side on which their spans lie."""
    system = np.column_stack([first.direction, -second.direction])
    if abs(np.linalg.det(system)) < 1e-6:
        raise EvaluationError("the two lines of the angle are parallel")
    corner = first.point + float(np.linalg.solve(system, second.point - first.point)[0]) * first.direction
    legs = []
    for line in (first, second):
        toward = float((line.point - corner) @ line.direction)
        legs.append(line.direction if toward >= 0 else -line.direction)
    return float(np.arctan2(abs(np.cross(np.append(legs[0], 0), np.append(legs[1], 0))[2]), legs[0] @ legs[1]))
