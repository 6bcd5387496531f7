"""What imperfections are measured from: a smooth surface, a shape, the part, another scan; and how to lay it out."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum
from typing import TYPE_CHECKING, Literal

import numpy as np

from truegauge.core.association.by_criterion import associate
from truegauge.core.association.features import Cone, Cylinder, Plane, Shape, Sphere
from truegauge.core.errors import AssociationError, EvaluationError
from truegauge.core.imperfections.charts import BallChart, Chart, PlaneChart, RoundChart, axes_with
from truegauge.core.imperfections.revolution import axis_of

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats, Normals, Points

_SAMPLE = 20_000  # points that a chart is found by
_TURNS = 6
_FAR = 3.0  # robust scales
_ALONG = np.cos(np.radians(15.0))
_TURNED = np.cos(np.radians(75.0))
_MOST_TURNED = 0.3
_THICK = 0.5  # of its width that what goes around is thick


class Kind(StrEnum):
    """Kinds of reference surfaces."""

    SMOOTH = "smooth"
    PLANE = "plane"
    CYLINDER = "cylinder"
    CONE = "cone"
    SPHERE = "sphere"
    REVOLUTION = "revolution"
    PART = "part"  # as designed: deviations from it are given
    SCAN = "scan"  # another one, in the same coordinates


GIVEN = (Kind.PART, Kind.SCAN)  # references that come from elsewhere


Filter = Literal["spline", "gaussian"]


@dataclass(frozen=True, slots=True)
class Reference:
    """`wavelength` (mm): what is longer is followed by a smooth surface; on other kinds 0 follows nothing."""

    kind: Kind = Kind.SMOOTH
    wavelength: float = 150.0
    by: Filter = "spline"  # by which filter waves are followed (ISO 16610-72, -71)


@dataclass(frozen=True, slots=True, eq=False)
class Given:
    """Deviations (n,) mm of points from the part as designed, NaN off it, and its normals (n, 3) as the scan lies."""

    deviations: Floats
    normals: Normals


@dataclass(frozen=True, slots=True, eq=False)
class Laid:
    """A chart, and which points (n,) it can lay out; `notes` say what was assumed or left out."""

    chart: Chart
    usable: np.ndarray
    notes: tuple[str, ...]


def lay_out(points: Points, normals: Normals | None, kind: Kind) -> Laid:
    """Find how to lay a surface out flat.

    Raises
    ------
    EvaluationError
        Too few points, or a surface that turns so far that this kind cannot lay it out.
    """
    if len(points) < 50:
        raise EvaluationError(f"{len(points)} points are too few: a surface is judged from some hundreds on")
    rng = np.random.default_rng(0)
    rows = rng.choice(len(points), _SAMPLE, replace=False) if len(points) > _SAMPLE else np.arange(len(points))
    some = points[rows]
    known = None if normals is None or not np.any(normals) else np.asarray(normals, dtype=np.float64)
    ways = None if known is None else known[rows]
    notes: tuple[str, ...] = ()
    if known is None:
        notes = ("the points have no normals: out of the material is taken to be upwards, or away from the axis",)
    if kind in GIVEN:
        # How it is laid out changes nothing of what it is measured from.
        flat = _flat(some, ways, straight=False)
        thick = np.linalg.svd(some - some.mean(axis=0), compute_uv=False)
        if ways is None and thick[2] <= _THICK * thick[1]:
            return _laid(points, known, flat, notes)
        try:
            return _laid(points, known, flat if ways is not None else _round(some, ways, Kind.CYLINDER), notes)
        except EvaluationError as error:
            try:
                return _laid(points, known, _round(some, ways, Kind.CYLINDER) if ways is not None else flat, notes)
            except EvaluationError:
                raise error from None
    if kind in (Kind.SMOOTH, Kind.PLANE):
        return _laid(points, known, _flat(some, ways, straight=kind == Kind.PLANE), notes)
    return _laid(points, known, _round(some, ways, kind), notes)


def _laid(points: Points, known: Normals | None, chart: Chart, notes: tuple[str, ...]) -> Laid:
    usable = np.ones(len(points), dtype=bool)
    if known is not None:
        out = chart.out(chart.laid(points))
        there = np.abs(known).sum(axis=1) > 0
        usable = ~there | (np.einsum("ij,ij->i", known, out) > _TURNED)
        gone = 1.0 - usable.mean()
        if gone > _MOST_TURNED:
            raise EvaluationError(
                f"{100 * gone:.0f} % of the surface turns away by more than 75°: it is folded, closed, or seen from "
                "both sides. Choose a smaller area, or a cylinder, cone or sphere as its reference"
            )
        if gone > 0:
            notes += (f"{np.count_nonzero(~usable):,} points that turn away by more than 75° were left out",)
    return Laid(chart, usable, notes)


def _flat(some: Points, ways: Normals | None, *, straight: bool) -> PlaneChart:
    middle = some.mean(axis=0)
    if straight:
        found = _settled(some, Shape.PLANE)
        assert isinstance(found, Plane)
        middle, out = found.point, found.normal
    else:
        _, _, rows = np.linalg.svd(some - middle, full_matrices=False)
        out = rows[2]
    if ways is not None:
        mean = ways.sum(axis=0)
        if not straight and np.linalg.norm(mean) > 0.5 * len(ways):
            out = mean / np.linalg.norm(mean)
        turned = float(mean @ out) < 0
    else:
        turned = out[int(np.argmax(np.abs(out)))] < 0
    out = -out if turned else out
    flat = some - middle
    flat = flat - np.outer(flat @ out, out)
    _, _, rows = np.linalg.svd(flat, full_matrices=False)
    along = rows[0]
    near = int(np.argmax(np.abs(along)))
    # As it lies in its own coordinates, where that is nearly along the surface; and never backwards.
    along = np.eye(3)[near] if abs(along[near]) > _ALONG else along * np.sign(along[near])
    return PlaneChart(middle, axes_with(out, along))


def _round(some: Points, ways: Normals | None, kind: Kind) -> Chart:
    if kind == Kind.REVOLUTION:
        point, direction = axis_of(some, ways)
        away = some - point
        up = away @ direction
        radius = float(np.median(np.linalg.norm(away - np.outer(up, direction), axis=1)))
        point = point + float(np.median(up)) * direction
        return _unrolled(RoundChart(point, axes_with(direction), radius), some, ways)
    shape = {Kind.CYLINDER: Shape.CYLINDER, Kind.CONE: Shape.CONE, Kind.SPHERE: Shape.SPHERE}[kind]
    found = _settled(some, shape)
    if isinstance(found, Sphere):
        toward = some.mean(axis=0) - found.center
        z = np.array([0.0, 0.0, 1.0]) if np.linalg.norm(toward) < 1e-3 * found.radius else toward
        ball = BallChart(found.center, axes_with(z), found.radius)
        return replace(ball, sign=_sign(ball, some, ways))
    if isinstance(found, Cone):
        # The radius of the chart is that in the middle of the points.
        along = float(np.median((some - found.apex) @ found.direction))
        origin = found.apex + along * found.direction
        made = RoundChart(origin, axes_with(found.direction), along * np.tan(found.half_angle_rad),
                          found.half_angle_rad)  # fmt: skip
    else:
        assert isinstance(found, Cylinder)
        made = RoundChart(found.point, axes_with(found.direction), found.radius)
    return _unrolled(made, some, ways)


def _unrolled(made: RoundChart, some: Points, ways: Normals | None) -> RoundChart:
    """Return a chart seen from the right side, cut where there are no points."""
    made = replace(made, sign=_sign(made, some, ways))
    around = np.sort(made.laid(some)[:, 0] / made.radius)
    gaps = np.append(np.diff(around), around[0] + 2 * np.pi - around[-1])
    k = int(np.argmax(gaps))
    open_ = gaps[k] > max(10 * float(np.median(gaps)), np.radians(3.0))
    seam = float(np.mod(around[k] + gaps[k] / 2, 2 * np.pi)) if open_ else 0.0
    return replace(made, seam=seam, is_closed=not open_)


def _sign(chart: Chart, some: Points, ways: Normals | None) -> float:
    if ways is None:
        return 1.0
    return 1.0 if float(np.einsum("ij,ij->i", ways, chart.out(chart.laid(some))).sum()) >= 0 else -1.0


def _settled(some: Points, shape: Shape) -> Plane | Cylinder | Cone | Sphere:
    """Associate a shape with points of which some do not belong to it."""
    used = np.ones(len(some), dtype=bool)
    found = None
    for _ in range(_TURNS):
        try:
            found = associate(shape, some[used], start=found).feature
        except AssociationError as error:
            raise EvaluationError(f"no {shape} was found in the surface: {error}") from error
        off = found.distances(some)
        scale = 1.4826 * float(np.median(np.abs(off - np.median(off[used]))))
        now = np.abs(off) <= max(_FAR * scale, 1e-9)
        if np.array_equal(now, used) or np.count_nonzero(now) < 20:
            break
        used = now
    assert isinstance(found, Plane | Cylinder | Cone | Sphere)
    return found
