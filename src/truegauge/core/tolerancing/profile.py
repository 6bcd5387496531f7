"""Profile of a surface and of a line (ISO 1660:2017, ISO 1101:2017 17.6 to 17.9; ASME Y14.5-2018, 11).

Deviations are taken square to the true surface, positive out of the material; the zone lies evenly about a surface that
is offset by `Zone.offset` (UZ). Where its width varies, each deviation counts by the share of the local width.
"""

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from truegauge.core.arrays import Floats, Ints, Points, unit
from truegauge.core.constructions.parts import axis_of
from truegauge.core.datums.zone_rows import SurfaceRows
from truegauge.core.errors import EvaluationError
from truegauge.core.frames import apply
from truegauge.core.taken_rows import rows_or_slices
from truegauge.core.tolerancing.derived import surface_points
from truegauge.core.tolerancing.derived_rows import Derived, offsets_of
from truegauge.core.tolerancing.outcome import Outcome, Sketch, UnitValue
from truegauge.core.tolerancing.request import Patch, Request, Unit
from truegauge.core.tolerancing.smallest_zone import smallest_offset_zone, smallest_zone

KINDS = ("profile_surface", "profile_line")
_LEAST = 3
_TANGENT = 0.01  # mm: so near to a place its tangent plane tells the surface to a tenth of a micrometre
_FLAT = 0.1  # mm: touches within this of one place are one line


def derived(request: Request) -> list[Derived]:
    """Return the surface rows of all units, placed by the datum system."""
    if any(m in request.modifiers for m in ("M", "L")):
        raise EvaluationError("a profile tolerance has no material modifier on its value; datums may have one")
    return [
        Derived((_rows(request, one, k),), "surface points, square to the true surface", "surface")
        for k, one in enumerate(request.units)
    ]


def _points_of(one: Unit) -> Points:
    return one.patch.points if one.patch is not None else surface_points(one.own)


def _distances_of(one: Unit) -> Callable[[Points], tuple[Floats, Points]]:
    if one.patch is not None:
        return _to_faces(one.patch)
    nominal = one.nominal
    feature, outward = nominal.feature, nominal.outward
    return lambda points: (outward * feature.distances(points), outward * feature.outward(points))


def _to_faces(patch: Patch) -> Callable[[Points], tuple[Floats, Points]]:
    """Return exact signed distances to the faces of a patch."""

    def distances(points: Points) -> tuple[Floats, Points]:
        found = patch.projector.deviations(np.ascontiguousarray(points))
        return found.distance, np.asarray(found.normals, dtype=np.float64)

    return _flat_around(distances) if patch.settled else distances


def _flat_around(exact: Callable[[Points], tuple[Floats, Points]]) -> Callable[[Points], tuple[Floats, Points]]:
    """Return distances that are exact where first asked for, and to the tangent planes from there."""
    known: list[tuple[Points, Floats, Points]] = []

    def distances(points: Points) -> tuple[Floats, Points]:
        if known and known[0][0].shape == points.shape:
            before, d, normals = known[0]
            moved = points - before
            if float(np.abs(moved).max()) < _TANGENT:
                return d + np.einsum("ij,ij->i", moved, normals), normals
        d, normals = exact(points)
        known[:] = [(points, d, normals)]
        return d, normals

    return distances


def _rows(request: Request, one: Unit, k: int) -> SurfaceRows:
    points = apply(request.system.part_from_measured, _points_of(one))
    return SurfaceRows(
        points, _distances_of(one), _scale(request, points), middle=request.zone.offset, unit=k
    )  # fmt: skip


def _scale(request: Request, points: Points) -> float | Floats:
    """Return 2, or for a zone that varies 2 times the first width over the local one."""
    zone, first = request.zone, request.tolerance
    if zone.end is None:
        return 2.0
    if zone.direction is None or not first:
        raise EvaluationError("a zone that varies needs a direction along which it does, and a width at both ends")
    along = points @ unit(np.array(zone.direction))
    share = (along - along.min()) / (float(np.ptp(along)) or 1.0)
    return np.asarray(2.0 * first / (first + share * (zone.end - first)))


def of_lines(request: Request) -> Outcome:
    """Evaluate every line for itself: sections across `Zone.direction`, or the axis, or the longest extent.

    A line may move in its own plane where no datum holds it: its zone is that of a line, not of the surface.
    """
    units: list[UnitValue] = []
    said: list[str] = []
    worst: tuple[float, int, Sketch] | None = None
    system = request.system
    for k, one in enumerate(request.units):
        rows = _rows(request, one, k)
        way = _way(request, one, rows.points)
        best = -1.0
        lines, how = _lines(rows.points @ way, one)
        said.append(how)
        for own in lines:
            scale = rows.scale if isinstance(rows.scale, float) else rows.scale[own]
            line = replace(rows, points=rows.points[own], scale=scale)
            free = system.free if system.letters else _in_plane(way)
            about = system.about if system.letters else line.points.mean(axis=0)
            if "OZ" in request.modifiers:
                found, offset = smallest_offset_zone([line, *system.limits], free, about, system.length)
                line = replace(line, middle=offset)
            else:
                found = smallest_zone([line, *system.limits], free, about, system.length)
            value, place = line.worst(found.pose)
            best = max(best, value)
            if worst is None or value > worst[0]:
                places, offsets = offsets_of(line, found.pose)
                worst = (value, k, Sketch("surface", places, offsets, place, way))
        if best < 0:
            raise EvaluationError(f"{one.name}: no line has enough points")
        units.append(UnitValue(one.name, best))
    assert worst is not None
    return Outcome(
        worst[0], 0.0, tuple(units), system.freedoms, system.letters, sketch=worst[2], bounded=system.bounded,
        association="; ".join(["lines of the surface, each for itself", *dict.fromkeys(s for s in said if s)]),
    )  # fmt: skip


def _in_plane(way) -> np.ndarray:  # type: ignore[no-untyped-def]
    across = np.linalg.svd(way[None])[2][1:]
    free = np.zeros((6, 3))
    free[:3, 0] = way
    free[3:, 1:] = across.T
    return free


def _way(request: Request, one: Unit, points: Points) -> np.ndarray:
    if request.zone.direction is not None:
        return np.asarray(unit(np.array(request.zone.direction)))
    if one.patch is None and (line := axis_of(one.nominal.feature)) is not None:
        return line.direction
    return np.asarray(np.eye(3)[int(np.argmax(np.ptp(points, axis=0)))])


def _lines(along: Floats, one: Unit) -> tuple[list[Ints], str]:
    """Return the points of each line: the rows in which touches were taken, slices of a cloud as thick as its cells."""
    single = one.patch.single if one.patch is not None else one.own.single
    if single:
        taken = one.patch.taken if one.patch is not None else one.own.taken
        found = rows_or_slices(along, taken, flat=_FLAT)
        if found.count == 0:
            raise EvaluationError(
                f"{one.name}: a profile of lines needs touches in lines; these {len(along)} touches lie in none"
            )
        return [rows for rows in found.each if len(rows) >= _LEAST], found.told
    averaging = 2.5 if one.patch is not None else max(one.own.averaging, 1e-3)
    count = max(1, int(np.ptp(along) / averaging))
    level = np.clip(((along - along.min()) / (float(np.ptp(along)) or 1.0) * count).astype(int), 0, count - 1)
    slices = [np.flatnonzero(level == k) for k in range(count)]
    return [rows for rows in slices if len(rows) >= _LEAST], ""
