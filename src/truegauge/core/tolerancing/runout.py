"""Circular and total run-out (ISO 1101:2017 17.16, 17.17; ASME Y14.5-2018, 12) about the axis of the datum system."""

import numpy as np

from truegauge.core.arrays import Floats, Points
from truegauge.core.association.features import Cone, Cylinder, Plane
from truegauge.core.errors import EvaluationError
from truegauge.core.extraction import Measured
from truegauge.core.frames import apply
from truegauge.core.tolerancing.outcome import Outcome, Sketch, UnitValue
from truegauge.core.tolerancing.request import Request, Unit

_AROUND = 72
_FEW = 300  # points below which none are averaged: touches
_TURNS = 1e-6


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
    worst: tuple[float, int, Sketch] | None = None
    for k, one in enumerate(request.units):
        points = apply(system.part_from_measured, _points(one.own))
        along = (points - axis.point) @ axis.direction
        radial = points - axis.point - along[:, None] * axis.direction
        radius = np.linalg.norm(radial, axis=1)
        x = np.linalg.svd(axis.direction[None])[2][1:]
        angle = np.arctan2(radial @ x[1], radial @ x[0])
        height, section, outward = _coordinates(one, along, radius, radial, axis.direction)
        keys = _sections(section, one.own.averaging)
        height, keys, points, outward = _averaged(height, keys, angle, points, outward, one.own.averaging)
        low, high, value = _largest_range(height, np.zeros(len(keys), dtype=int) if total else keys)
        values.append(UnitValue(one.name, value))
        if worst is None or value > worst[0]:
            middle = (height[low] + height[high]) / 2
            same = np.flatnonzero(keys == keys[high]) if not total else np.arange(len(keys))
            offsets = (height[same] - middle)[:, None] * outward[same]
            where = int(np.flatnonzero(same == high)[0])
            worst = (value, k, Sketch("surface", points[same] - offsets, offsets, where, axis.direction))
    assert worst is not None
    return Outcome(
        worst[0], 0.0, tuple(values), system.freedoms, system.letters, sketch=worst[2],
        association="surface points about the datum axis",
    )  # fmt: skip


def _points(measured: Measured) -> Points:
    return measured.points


def _coordinates(
    one: Unit, along: Floats, radius: Floats, radial: Points, axis: np.ndarray
) -> tuple[Floats, Floats, Points]:
    """Return the indicator reading (n,), where its section is (n,), and its direction (n, 3)."""
    feature = one.nominal.feature
    toward = radial / np.maximum(radius, 1e-12)[:, None]
    if isinstance(feature, Cylinder):
        return radius, along, toward
    if isinstance(feature, Plane):
        if abs(float(feature.normal @ axis)) < 1 - 1e-6:
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


def _sections(place: Floats, averaging: float) -> np.ndarray:
    """Return the section (n,) of each point: rings as wide as points are averaged; touches by their places."""
    span = float(np.ptp(place))
    if len(place) < _FEW:
        order = np.argsort(place)
        new = np.diff(place[order], prepend=place[order[0]]) > max(0.02 * span, 0.2)
        keys = np.zeros(len(place), dtype=int)
        keys[order] = np.cumsum(new)
        return keys
    count = max(1, int(span / max(averaging, 1e-3)))
    return np.asarray(np.clip(((place - place.min()) / (span or 1.0) * count).astype(int), 0, count - 1))


def _averaged(
    height: Floats, keys: np.ndarray, angle: Floats, points: Points, outward: Points, averaging: float
) -> tuple[Floats, np.ndarray, Points, Points]:
    """Average clouds over cells of angle, as for form: single points tell the scanner's noise."""
    if len(height) < _FEW or averaging <= 0:
        return height, keys, points, outward
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
    for key in np.unique(keys):
        own = np.flatnonzero(keys == key)
        low, high = own[int(np.argmin(height[own]))], own[int(np.argmax(height[own]))]
        span = float(height[high] - height[low])
        if span > best[2]:
            best = (int(low), int(high), span)
    return best
