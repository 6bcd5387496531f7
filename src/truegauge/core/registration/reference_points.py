"""Alignment by reference points: places on the part, each held in some directions.

The measured point of a place on a surface is where the line along the held direction meets the measured surface; it
moves over the surface while the alignment changes, so that the points are taken anew at every step. A row's derivative
knows the slope of the surface there: the steps are Newton's.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Mask, Points, Rigid, Vector
from truegauge.core.errors import RegistrationError
from truegauge.core.frames import apply, invert, rotate
from truegauge.core.registration.adjustment import Adjustment, Rows, TargetDeviation, determination, solve_rows

RADIUS = 1.5  # mm around the line
REACH = 0.1  # of the part's size: how far the points may have to travel
_LEAST = 6
_SLANT = 0.25  # cosine between the held direction and the surface's normal below which they do not meet
_GAP = 0.3  # of the radius: what lies farther off, with nothing between, is another layer
_AXES = "xyz"


@dataclass(frozen=True, slots=True, eq=False)
class ReferencePoint:
    """A place (3,) mm with the surface's normal there, held along `directions` (k, 3), written as `held`.

    `measured` (3,) is the measured point in the coordinates before where it is not on a surface: a hole's centre.
    """

    name: str
    place: Vector
    normal: Vector
    directions: NDArray[np.float64]
    held: str
    measured: Vector | None = None


def directions_of(held: str, normal: Vector) -> NDArray[np.float64]:
    """Return the directions (k, 3) of a text of x, y, z and n (along the normal).

    Raises
    ------
    RegistrationError
        Another letter, or a letter twice.
    """
    letters = held.replace(" ", "").lower()
    if not letters or set(letters) - set("xyzn") or len(set(letters)) < len(letters):
        raise RegistrationError(f"a point is held along x, y, z or n (its normal), not {held!r}")
    return np.array([normal if k == "n" else np.eye(3)[_AXES.index(k)] for k in letters])


def align_by_reference_points(
    targets: Sequence[ReferencePoint], scan: Points, part_from_base: Rigid, *, length: float, radius: float = RADIUS
) -> Adjustment:
    """Align by reference points, from a pose that is off by no more than a few millimetres and degrees.

    Parameters
    ----------
    scan : (n, 3) float64
        Measured points, in the coordinates before.
    part_from_base : (4, 4) float64
        Where to start.
    length : float
        Size of the part, mm.

    Raises
    ------
    RegistrationError
        No target, a surface that does not face the held direction, or no measured points at the targets.
    """
    if not targets:
        raise RegistrationError("no reference point yet: pick places on the part")
    for t in targets:
        slant = np.abs(t.directions @ t.normal)
        if t.measured is None and (slant < _SLANT).any():
            k = t.held[int(np.argmin(slant))]
            raise RegistrationError(
                f"{t.name} cannot hold {k}: the surface there runs along {k} (it faces {_facing(t.normal)})"
            )
    near = [_near(scan, t, part_from_base, length) for t in targets]
    center = np.mean([t.place for t in targets], axis=0)

    def rows_at(pose: Rigid) -> Rows:
        return _rows(targets, near, pose, radius)[0]

    if len(rows_at(part_from_base).deviation) == 0:
        raise RegistrationError("there are no measured points at the reference points")
    pose, rows = solve_rows(rows_at, part_from_base, center=center, length=length)
    if len(rows.deviation) == 0:
        raise RegistrationError("the reference points slide off the measured surface: start from a better alignment")
    _, owners, found = _rows(targets, near, pose, radius)
    freedoms, surplus, weak = determination(rows, [targets[i].name for i in owners], center=center, length=length)
    rms = float(np.sqrt(np.mean(rows.deviation**2)))
    missing = [t.name for t, p in zip(targets, found, strict=True) if p is None]
    doubts = []
    if freedoms.held < 6:
        doubts.append(
            f"{len(rows.deviation)} held directions fix {freedoms.held} of 6 freedoms: nothing holds the "
            f"{freedoms.say_free() or 'rest'}, which stays as it was"
        )
    if missing:
        doubts.append(f"no measured points at {', '.join(missing)}")
    return Adjustment(
        pose, rms, float(np.abs(rows.deviation).max()),
        tuple(_told(t, p, rms) for t, p in zip(targets, found, strict=True)), freedoms, surplus, tuple(doubts),
        tuple(_notes(len(rows.deviation), surplus, weak)),
    )  # fmt: skip


def _notes(count: int, surplus: int, weak: str) -> list[str]:
    notes = [f"the {weak} is weakly held"] if weak else []
    if surplus > 0:
        notes.append(f"{count} held directions for 6 freedoms: {surplus} to spare, shared as least squares")
    else:
        notes.append("as many held directions as freedoms: every one is met exactly, none can be checked")
    return notes


def _told(target: ReferencePoint, measured: Vector | None, rms: float) -> TargetDeviation:
    if measured is None:
        return TargetDeviation(target.name, target.place, np.zeros(3), used=False, held=target.held)
    off = measured - target.place
    held = float(np.abs(target.directions @ off).max())
    return TargetDeviation(target.name, target.place, off, poor=held > max(3 * rms, 1e-6), held=target.held)


def _near(scan: Points, target: ReferencePoint, part_from_base: Rigid, length: float) -> Points:
    """Return the points that can come to matter for a target while the pose settles, in the coordinates before."""
    if target.measured is not None:
        return np.zeros((0, 3))
    place = apply(invert(part_from_base), target.place)
    reach = REACH * length
    near = np.abs(scan[:, 0] - place[0]) < reach
    near &= np.abs(scan[:, 1] - place[1]) < reach
    near &= np.abs(scan[:, 2] - place[2]) < reach
    return np.asarray(scan[near])


def _rows(
    targets: Sequence[ReferencePoint], near: Sequence[Points], pose: Rigid, radius: float
) -> tuple[Rows, list[int], list[Vector | None]]:
    """Return the rows at a pose, the target of each, and the measured point of each target (part coordinates)."""
    deviation: list[float] = []
    direction: list[Vector] = []
    place: list[Vector] = []
    owner: list[int] = []
    found: list[Vector | None] = []
    for i, (t, points) in enumerate(zip(targets, near, strict=True)):
        if t.measured is not None:
            there = apply(pose, t.measured)
            for d in t.directions:
                deviation.append(float((there - t.place) @ d))
                direction.append(d)
                place.append(there)
                owner.append(i)
            found.append(there)
            continue
        met: list[Vector] = []
        for d in t.directions:
            surface = local_surface(points, pose, t.place, d, t.normal, radius)
            if surface is None:
                continue
            middle, normal = surface
            slope = normal / float(normal @ d)
            off = float((middle - t.place) @ slope)
            deviation.append(off)
            direction.append(slope)
            place.append(t.place + off * d)
            owner.append(i)
            met.append(off * d)
        found.append(t.place + np.sum(met, axis=0) if met else None)
    if not deviation:
        return Rows(np.zeros(0), np.zeros((0, 3)), np.zeros((0, 3)), np.zeros(0)), [], found
    return Rows(np.array(deviation), np.array(direction), np.array(place), np.ones(len(owner))), owner, found


def local_surface(
    scan: Points, pose: Rigid, place: Vector, direction: Vector, normal: Vector, radius: float
) -> tuple[Vector, Vector] | None:
    """Return a point and the normal of the measured surface that a line through `place` meets nearest to it.

    None where there are too few points around the line, or none on a surface that faces as it should.
    """
    if len(scan) == 0:
        return None
    base = invert(pose)
    start, way = apply(base, place), rotate(base, direction)
    between = scan - start
    along = between @ way
    beside = np.einsum("ij,ij->i", between, between) - along**2
    for reach in (radius, 2 * radius):
        chosen = np.flatnonzero(beside < reach**2)
        if len(chosen) < _LEAST:
            continue
        points, height = apply(pose, scan[chosen]), along[chosen]
        left = np.ones(len(chosen), dtype=bool)
        for _ in range(4):  # the nearest surface first, then those behind it
            rows = np.flatnonzero(left)
            if len(rows) < _LEAST:
                break
            nearest = height[rows[np.argmin(np.abs(height[rows]))]]
            here = left & _layer(height, nearest, reach)
            left &= ~here
            fitted = _plane(points[here])
            if fitted is not None and abs(float(fitted[1] @ normal)) > 0.7:
                middle, up = fitted
                return middle, up if float(up @ normal) > 0 else -up
    return None


def _layer(height: Floats, nearest: float, reach: float) -> Mask:
    """Return which points are of the layer of the nearest one: the other side of a sheet is not.

    Layers are told apart by a gap along the line; where that leaves too few points they are too sparse to tell.
    """
    around = np.abs(height - nearest) < 1.5 * reach
    ordered = np.sort(height[around])
    at = int(np.searchsorted(ordered, nearest))
    gaps = np.flatnonzero(np.diff(ordered) > _GAP * reach)  # a gap k lies between k and k + 1
    low = ordered[gaps[gaps < at].max() + 1] if (gaps < at).any() else ordered[0]
    high = ordered[gaps[gaps >= at].min()] if (gaps >= at).any() else ordered[-1]
    own = around & (height >= low) & (height <= high)
    return own if own.sum() >= _LEAST else around


def _plane(points: Points) -> tuple[Vector, Vector] | None:
    """Fit a plane to a small patch, without its strays."""
    for _ in range(3):
        if len(points) < _LEAST:
            return None
        middle = points.mean(axis=0)
        normal = np.linalg.svd(points - middle, full_matrices=False)[2][2]
        off = (points - middle) @ normal
        scale = 1.4826 * float(np.median(np.abs(off - np.median(off))))
        kept = np.abs(off - np.median(off)) <= max(3.5 * scale, 1e-9)
        if kept.all():
            break
        points = points[kept]
    return middle, normal


def _facing(normal: Vector) -> str:
    k = int(np.argmax(np.abs(normal)))
    return f"{'+' if normal[k] > 0 else '-'}{_AXES[k]}"
