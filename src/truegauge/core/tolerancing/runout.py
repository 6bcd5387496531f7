"""Circular and total run-out (ISO 1101:2017 17.16, 17.17; ASME Y14.5-2018, 12) about the axis of the datum system."""

import numpy as np

from truegauge.core.arrays import Floats, Ints, Points, unit
from truegauge.core.association.features import Cone, Cylinder, Plane
from truegauge.core.errors import EvaluationError
from truegauge.core.frames import apply
from truegauge.core.taken_rows import rows_or_slices
from truegauge.core.tolerancing.derived import surface_points
from truegauge.core.tolerancing.outcome import Outcome, Sketch, UnitValue
from truegauge.core.tolerancing.request import Request, Unit
from truegauge.core.tolerancing.rings import need_rings

_AROUND = 72
_FEW = 300  # points of a cloud below which none are averaged
_SQUARE = 1 - 1e-6
_FLAT = 0.1  # mm: touches on a face within this of one radius are one ring


def run_out(request: Request, *, total: bool) -> Outcome:
    """Return the run-out: the largest range of a section (circular), or of the whole surface (total).

    Raises
    ------
    EvaluationError
        The system has no axis, or the feature cannot run out.
    """
    system = request.system
    axis = system.axis
    if axis is None:
        raise EvaluationError("run-out needs a datum axis: put a datum letter on a cylinder or a cone")
    values: list[UnitValue] = []
    said: list[str] = []
    worst: tuple[float, int, Sketch] | None = None
    for k, one in enumerate(request.units):
        points = apply(system.part_from_measured, surface_points(one.own))
        along = (points - axis.point) @ axis.direction
        radial = points - axis.point - along[:, None] * axis.direction
        radius = np.linalg.norm(radial, axis=1)
        x = np.linalg.svd(axis.direction[None])[2][1:]
        angle = np.arctan2(radial @ x[1], radial @ x[0])
        read = _in_direction if request.zone.direction is not None else _coordinates
        height, section, outward = read(request, one, along, radius, radial, axis.direction)
        if total:
            keys = np.zeros(len(section), dtype=np.int64)
        else:
            keys, how = _sections(one, section)
            said.append(how)
        if not one.own.single and one.own.surface is None and len(height) >= _FEW:
            fine = keys if not total else _slices(section, one.own.averaging)
            height, fine, points, outward = _averaged(height, fine, angle, points, outward)
            keys = np.zeros(len(fine), dtype=np.int64) if total else fine
        low, high, value = _largest_range(height, keys)
        values.append(UnitValue(one.name, value))
        if worst is None or value > worst[0]:
            middle = (height[low] + height[high]) / 2
            same = np.flatnonzero(keys == keys[high])
            offsets = (height[same] - middle)[:, None] * outward[same]
            where = int(np.flatnonzero(same == high)[0])
            worst = (value, k, Sketch("surface", points[same] - offsets, offsets, where, axis.direction))
    assert worst is not None
    return Outcome(
        worst[0], 0.0, tuple(values), system.freedoms, system.letters, sketch=worst[2],
        association="; ".join(["surface points about the datum axis", *dict.fromkeys(s for s in said if s)]),
    )  # fmt: skip


def _in_direction(
    request: Request, one: Unit, along: Floats, radius: Floats, radial: Points, axis: np.ndarray
) -> tuple[Floats, Floats, Points]:
    """As `_coordinates`, read in a stated direction: its angle to the axis counts, in every plane through the axis.

    ISO 1101:2017 17.16.4 and 17.16.5: the direction feature is a cone about the datum axis.
    """
    stated = unit(np.array(request.zone.direction))
    cosine = float(stated @ axis)
    sine = float(np.sqrt(max(0.0, 1.0 - cosine * cosine)))
    toward = radial / np.maximum(radius, 1e-12)[:, None]
    outward = cosine * axis + sine * toward
    faces = one.nominal.outward * one.nominal.feature.outward(surface_points(one.own))
    side = 1.0 if float((faces * outward).sum()) >= 0 else -1.0
    return side * (cosine * along + sine * radius), sine * along - cosine * radius, side * outward


def _coordinates(
    request: Request, one: Unit, along: Floats, radius: Floats, radial: Points, axis: np.ndarray
) -> tuple[Floats, Floats, Points]:
    """Return the indicator reading (n,), where its section is (n,), and its direction (n, 3)."""
    feature = one.nominal.feature
    toward = radial / np.maximum(radius, 1e-12)[:, None]
    if isinstance(feature, Cylinder):
        return radius, along, toward
    if isinstance(feature, Plane):
        if abs(float(feature.normal @ axis)) < _SQUARE:
            raise EvaluationError(f"{one.name} is not square to the datum axis")
        side = np.sign(float(feature.normal @ axis))
        return side * along, radius, np.broadcast_to(side * axis, toward.shape)
    if isinstance(feature, Cone):
        cosine, sine = np.cos(feature.half_angle_rad), np.sin(feature.half_angle_rad)
        way = np.sign(float(feature.direction @ axis))
        # Read square to the surface (ISO 1101: the direction of the surface normal unless another is stated).
        return (
            radius * cosine - way * along * sine,
            radius * sine + way * along * cosine,
            toward * cosine - way * sine * axis,
        )
    raise EvaluationError(f"a {feature.shape} cannot run out")


def _sections(one: Unit, place: Floats) -> tuple[Ints, str]:
    """Return the section (n,) of each point, -1 for none: rings as they were touched, slices of a cloud.

    Rings of a cylinder or cone are found along its own axis: seen along a tilted datum axis they would overlap.
    """
    measured = one.own
    if not measured.single:
        if len(place) >= _FEW:
            return _slices(place, measured.averaging), ""
        span = float(np.ptp(place))
        return rows_or_slices(place, None, flat=max(0.02 * span, 0.2)).of, ""
    if isinstance(one.nominal.feature, Cylinder | Cone):
        found = need_rings(measured, "circular run-out").rows
    else:
        found = rows_or_slices(place, measured.taken, flat=_FLAT)
        if found.count == 0:
            raise EvaluationError(
                f"circular run-out needs touches in rings about the axis; these {len(place)} touches lie in none"
            )
    return found.of, found.told


def _slices(place: Floats, averaging: float) -> Ints:
    """Return rings as wide as the points of a cloud are averaged."""
    span = float(np.ptp(place))
    count = max(1, int(span / max(averaging, 1e-3)))
    return np.asarray(np.clip(((place - place.min()) / (span or 1.0) * count).astype(int), 0, count - 1))


def _averaged(
    height: Floats, keys: Ints, angle: Floats, points: Points, outward: Points
) -> tuple[Floats, Ints, Points, Points]:
    """Average clouds over cells of angle, as for form: single points tell the scanner's noise."""
    cell = keys * _AROUND + np.clip(((angle + np.pi) / (2 * np.pi) * _AROUND).astype(int), 0, _AROUND - 1)
    found, inverse, counts = np.unique(cell, return_inverse=True, return_counts=True)
    inverse = inverse.ravel()

    def mean(values: Floats) -> Floats:
        return np.asarray(np.bincount(inverse, weights=values) / counts)

    enough = counts >= max(3, 0.3 * float(np.median(counts)))
    points = np.stack([mean(points[:, c]) for c in range(3)], axis=1)
    outward = np.stack([mean(outward[:, c]) for c in range(3)], axis=1)
    return mean(height)[enough], (found // _AROUND)[enough], points[enough], outward[enough]


def _largest_range(height: Floats, keys: np.ndarray) -> tuple[int, int, float]:
    """Return the rows of the lowest and highest reading of the section with the largest range, and the range."""
    best = (0, 0, -1.0)
    for key in np.unique(keys[keys >= 0]):
        own = np.flatnonzero(keys == key)
        low, high = own[int(np.argmin(height[own]))], own[int(np.argmax(height[own]))]
        span = float(height[high] - height[low])
        if span > best[2]:
            best = (int(low), int(high), span)
    return best
