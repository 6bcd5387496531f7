"""From a toleranced feature to what must lie in the zone: its median line, median plane, centre or surface."""

from dataclasses import dataclass
from functools import partial

import numpy as np

from truegauge.core.arrays import Points, Rigid, Vector, any_perpendicular, unit
from truegauge.core.association.by_criterion import associate
from truegauge.core.association.features import Feature, ParallelPlanes, Plane, Shape
from truegauge.core.association.fit import Criterion
from truegauge.core.constructions.parts import axis_of, place_of, plane_of
from truegauge.core.datums.common import size_of, with_size
from truegauge.core.datums.zone_rows import RoundRows, Rows, SurfaceRows, against
from truegauge.core.errors import AssociationError, EvaluationError
from truegauge.core.features.extraction import Built, Measured
from truegauge.core.frames import apply, invert
from truegauge.core.tolerancing.derived import (
    axis_ends,
    mating_feature,
    mating_pair,
    median_line,
    median_line_words,
    mid_points,
    surface_points,
)
from truegauge.core.tolerancing.request import Request, Unit, has_size
from truegauge.core.tolerancing.zone import MATERIAL

_ALONG = 1e-3


def plane_rows(points: Points, place: Vector, normal: Vector, **more: object) -> SurfaceRows:
    """Return rows between two planes about the one through `place`."""
    return SurfaceRows(points, partial(against, Plane(place, normal)), **more)  # type: ignore[arg-type]


@dataclass(frozen=True, slots=True, eq=False)
class Derived:
    """Rows of one unit, what was associated, and the kind of zone for a sketch."""

    rows: tuple[Rows, ...]
    association: str
    zone: str
    direction: Vector | None = None


def material_of(request: Request) -> str:
    """Return "M" or "L" where the tolerance is at maximum or least material, else nothing."""
    return next((m for m in request.modifiers if m in MATERIAL), "")


def bonus_of(request: Request, unit: Unit) -> float:
    """Return what the actual mating size adds to the tolerance, mm (ISO 2692:2021; ASME Y14.5-2018, 5.9).

    A mating size beyond its limit takes from the tolerance: the bonus is negative then. Only so is a value within
    tolerance and bonus exactly where the virtual condition holds.

    Raises
    ------
    EvaluationError
        The feature has no size tolerance on the side that the modifier starts from.
    """
    material = material_of(request)
    if not material:
        return 0.0
    nominal = unit.nominal
    if not has_size(nominal.feature):
        raise EvaluationError(f"{unit.name} is no feature of size: a material modifier means nothing on it")
    hole = nominal.outward < 0
    # The most material: the smallest hole, the largest shaft.
    limit = unit.sizes[0] if hole == (material == "M") else unit.sizes[1]
    if limit is None:
        raise EvaluationError(
            f"{unit.name} has no size tolerance: {material} needs its limits; add its size as a characteristic"
        )
    size = 2 * _half(unit, least=material == "L")
    return size - limit if hole == (material == "M") else limit - size


def _half(unit: Unit, *, least: bool) -> float:
    half = size_of(envelope(unit, least=least))
    assert half is not None
    return half


def envelope(unit: Unit, *, least: bool = False) -> Feature:
    """Return the unrelated mating envelope of a feature of size; with `least` the one within the material."""
    if len(unit.measured) == 1:
        return mating_feature(unit.own, least_material=least)
    pair, nominal = _pair(unit), unit.nominal
    points = np.vstack([m.means for m in pair])
    hole = (nominal.outward < 0) != least
    criterion = Criterion.MAXIMUM_INSCRIBED if hole else Criterion.MINIMUM_CIRCUMSCRIBED

    def compute() -> Feature:
        fit = associate(Shape.WIDTH, points, criterion, start=nominal.feature)
        return fit.turned_like(nominal.feature).feature

    try:
        return compute() if least else mating_pair(*pair, compute)
    except AssociationError as error:
        raise EvaluationError(f"{unit.name}: {error}") from None


def _pair(unit: Unit) -> tuple[Measured, Measured]:
    a, b = unit.measured
    if isinstance(a, Built) or isinstance(b, Built):
        raise EvaluationError(f"{unit.name} is constructed: it has no points of its own")
    return a, b


def derived_rows(request: Request, k: int, *, default: str, direction: Vector | None = None) -> Derived:
    """Return what of a unit must lie in the zone.

    Parameters
    ----------
    default : str
        The zone of an axis where the tolerance states none: "cylinder" or "planes" (normal `direction`).
    """
    unit = request.units[k]
    nominal, zone = unit.nominal, request.zone
    bonus = bonus_of(request, unit)
    if material_of(request):
        return _at_material(request, unit, k, bonus)
    feature = nominal.feature
    if zone.projected is not None and axis_of(feature) is None:
        raise EvaluationError(f"{unit.name} has no axis: a projected zone needs one")
    line, plane, place = axis_of(feature), plane_of(feature), place_of(feature)
    if place is not None and not isinstance(feature, ParallelPlanes):
        return _center(request, unit, k, place)
    if line is not None:
        points, how = _axis_points(request, unit)
        return _axis(request, points, how, nominal.center, line.direction, k, default, direction)
    if plane is not None:
        points, how = _plane_points(request, unit)
        return Derived((plane_rows(points, plane.point, plane.normal, unit=k),), how, "planes", plane.normal)
    raise EvaluationError(f"a {feature.shape} cannot carry this tolerance")


def _center(request: Request, unit: Unit, k: int, place: Vector) -> Derived:
    zone, measured = request.zone, unit.measured[0]
    how = "centre of the associated feature"
    own = measured.feature
    if request.standard == "ASME" and isinstance(measured, Measured):
        own, how = _mating_or_associated(measured, "centre")
    found = place_of(own)
    assert found is not None
    point = found[None]
    if zone.shape in ("planes", "rectangle"):
        return _flat(request, point, how, place, None, k)
    if zone.shape == "cylinder":
        axis = unit_direction(request)
        return Derived((RoundRows(point, place, _across(axis), unit=k),), how, "cylinder", axis)
    return Derived((RoundRows(point, place, np.eye(3), unit=k),), how, "sphere")


def _mating_or_associated(measured: Measured, what: str) -> tuple[Feature, str]:
    """Return the mating envelope, or the associated feature where points do not surround it (half a ball, an arc)."""
    try:
        return mating_feature(measured), f"{what} of the mating envelope (ASME Y14.5.1M)"
    except AssociationError:
        return measured.feature, f"{what} of the associated feature: its points hold no mating envelope"


def unit_direction(request: Request) -> Vector:
    """Return the stated direction of the zone.

    Raises
    ------
    EvaluationError
        None is stated.
    """
    if request.zone.direction is None:
        raise EvaluationError("this zone needs a direction: choose the axis that it is measured along")
    return unit(np.array(request.zone.direction))


def _axis_points(request: Request, unit: Unit) -> tuple[Points, str]:
    measured, nominal, height = unit.measured[0], unit.nominal, request.zone.projected
    # The ends of the feature as designed, where the datum system sees them among the measured points.
    center = apply(invert(request.system.part_from_measured), nominal.center)
    if isinstance(measured, Built):
        points, how = axis_ends(measured.feature, center, nominal.length), "constructed axis"
    elif request.standard == "ASME" and has_size(nominal.feature):
        mating, how = _mating_or_associated(measured, "axis")
        points = axis_ends(mating, center, nominal.length)
    elif height is not None:
        points, how = axis_ends(measured.feature, center, nominal.length), "associated axis"
    else:
        points, how = median_line(measured), f"extracted median line (ISO 17450-3); {median_line_words(measured)}"
    if height is None:
        return points, how
    # From the end that faces the primary datum's outside, the projected zone stands outside of the part.
    direction = unit_of(points)
    outside = request.system.direction
    if outside is not None and abs(float(outside @ direction)) > _ALONG and float(outside @ direction) < 0:
        direction = -direction
    top = points[int(np.argmax(points @ direction))]
    return np.array([top, top + height * direction]), f"{how}, projected"


def unit_of(points: Points) -> Vector:
    """Return the direction from the first to the last of some points."""
    return unit(points[-1] - points[0])


def _across(direction: Vector) -> Points:
    first = any_perpendicular(direction)
    return np.array([first, np.cross(direction, first)])


def _axis(
    request: Request, points: Points, how: str, place: Vector, axis: Vector, k: int, default: str,
    normal: Vector | None,
) -> Derived:  # fmt: skip
    shape = request.zone.shape or default
    if shape in ("planes", "rectangle"):
        return _flat(request, points, how, place, axis, k, normal)
    return Derived((RoundRows(points, place, _across(axis), unit=k),), how, "cylinder", axis)


def _flat(
    request: Request, points: Points, how: str, place: Vector, axis: Vector | None, k: int, normal: Vector | None = None
) -> Derived:
    """Between two planes whose normal is the stated direction, square to the axis; a rectangle has two such pairs."""
    if request.zone.direction is not None or normal is None:
        normal = unit_direction(request)
    if axis is not None:
        across = normal - float(normal @ axis) * axis
        if np.linalg.norm(across) < 0.1:
            raise EvaluationError("the direction of the zone lies along the axis: choose one across it")
        normal = unit(across)
    rows = [plane_rows(points, place, normal, unit=k)]
    second = request.zone.second
    if request.zone.shape == "rectangle":
        if second is None or not request.tolerance:
            raise EvaluationError("a rectangular zone needs two widths")
        other = np.cross(axis, normal) if axis is not None else any_perpendicular(normal)
        # Counted in units of the first width, so that both sides fill their zone alike.
        rows.append(plane_rows(points, place, other, scale=2.0 * request.tolerance / second, unit=k))
    return Derived(tuple(rows), how, "planes", normal)


def _plane_points(request: Request, unit: Unit) -> tuple[Points, str]:
    measured = unit.measured[0]
    if len(unit.measured) == 2:
        planes = envelope(unit) if request.standard == "ASME" else _least_squares_pair(unit)
        assert isinstance(planes, ParallelPlanes)
        points = mid_points(_pair(unit), planes)
        if request.standard == "ASME":
            flat = points - ((points - planes.center) @ planes.normal)[:, None] * planes.normal
            return flat, "middle plane of the mating envelope (ASME Y14.5.1M)"
        return points, "extracted median surface (ISO 22432)"
    if isinstance(measured, Built):
        return _plane_corners(measured), "constructed plane"
    if "T" in request.modifiers:
        tangent = measured.as_datum() if measured.by_use else _tangent(measured)
        assert isinstance(tangent, Plane)
        feet = measured.means - ((measured.means - tangent.point) @ tangent.normal)[:, None] * tangent.normal
        return feet, "tangent plane"
    return measured.means, "surface points"


def _tangent(measured: Measured) -> Feature:
    fit = associate(measured.nominal.shape, measured.means, Criterion.ONE_SIDED, start=measured.feature,
                    material=measured.nominal.outward)  # fmt: skip
    return fit.turned_like(measured.nominal.feature).feature


def _plane_corners(built: Built) -> Points:
    plane = plane_of(built.feature)
    assert plane is not None
    x, y = _across(plane.normal) * 0.5 * built.nominal.length
    middle = built.nominal.center
    middle = middle - float((middle - plane.point) @ plane.normal) * plane.normal
    return np.array([middle + x, middle - x, middle + y, middle - y])


def _least_squares_pair(unit: Unit) -> Feature:
    points = np.vstack([m.means for m in _pair(unit)])
    try:
        return associate(Shape.WIDTH, points, start=unit.nominal.feature).feature
    except AssociationError as error:
        raise EvaluationError(f"{unit.name}: {error}") from None


def _at_material(request: Request, unit: Unit, k: int, bonus: float) -> Derived:
    """The surface against the boundary at the true place: how much smaller a gauge there is than one that may float.

    ISO 2692:2021 4.2 (the virtual condition must not be violated); ASME Y14.5.1M-2019 surface interpretation. The value
    is the unrelated mating size less the one at the true place, so that it is at most the tolerance and the bonus
    exactly when the virtual condition holds.
    """
    least = material_of(request) == "L"
    points = surface_points(unit.own) if len(unit.measured) == 1 else np.vstack([m.means for m in _pair(unit)])
    if request.zone.projected is not None:
        raise EvaluationError("a projected zone at maximum material is judged by its axis: take off one of the two")
    reference = with_size(unit.nominal.feature, _half(unit, least=least))
    side = float(unit.nominal.outward * (-1 if least else 1))
    rows = SurfaceRows(points, partial(against, reference), 2.0, (side,), allowance=bonus, unit=k)
    return Derived((rows,), "surface against the boundary at the true place", "surface")


def offsets_of(rows: Rows, pose: Rigid) -> tuple[Points, Points]:
    """Return true places (m, 3) and the offsets (m, 3) of the points from them."""
    if isinstance(rows, RoundRows):
        off, moved = rows.off(pose)
        offsets = off @ rows.along
        return np.asarray(moved - offsets), np.asarray(offsets)
    d, moved, normals = rows.off(pose)
    offsets = d[:, None] * normals
    return np.asarray(apply(np.eye(4), moved) - offsets), np.asarray(offsets)
