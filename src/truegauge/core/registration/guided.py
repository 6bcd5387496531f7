"""Guided alignment: targets on the part are measured one after the other; from the third on there is a pose.

A touch on a surface is compared with the true surface, not with the aimed-at place, as nobody hits a place exactly;
only while the touches leave freedoms open, the aimed-at places hold them, weakly. A sphere's centre counts in all
directions, a hole's centre, where its axis meets its spot face, as well.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from truegauge.core.arrays import Floats, Normals, Points, Rigid, Vector
from truegauge.core.association.by_criterion import associate
from truegauge.core.association.features import Plane, Shape, Sphere
from truegauge.core.errors import RegistrationError
from truegauge.core.frames import apply
from truegauge.core.registration.adjustment import Adjustment, Rows, TargetDeviation, determination, solve_rows
from truegauge.core.registration.matched_points import closed_form

TargetKind = Literal["surface", "hole", "sphere"]
TouchSide = Literal["surface", "face", "wall"]
NEEDED: dict[TargetKind, tuple[tuple[TouchSide, int], ...]] = {
    "surface": (("surface", 1),),
    "sphere": (("surface", 4),),
    "hole": (("face", 3), ("wall", 3)),
}
_LEAST = 3
_AIM = 0.02  # how much the aimed-at place counts beside the surface

SurfaceDistance = Callable[[Points], tuple[Floats, Normals]]


@dataclass(frozen=True, slots=True, eq=False)
class GuidedTarget:
    """A target on the part: where (3,) mm, and the surface's normal or the hole's axis, out of the material."""

    name: str
    kind: TargetKind
    place: Vector
    direction: Vector
    diameter: float = 0.0


@dataclass(frozen=True, slots=True, eq=False)
class Touches:
    """The touches of one target, (n, 3) each, in the device's coordinates; compensated for the stylus."""

    surface: Points
    face: Points
    wall: Points

    def of(self, side: TouchSide) -> Points:
        """Return the touches on one side."""
        return self.surface if side == "surface" else self.face if side == "face" else self.wall


NO_TOUCHES = Touches(np.zeros((0, 3)), np.zeros((0, 3)), np.zeros((0, 3)))


def still_needed(target: GuidedTarget, touches: Touches) -> tuple[TouchSide, int] | None:
    """Return on which side the next touch goes, and how many are missing there; None when the target is complete."""
    for side, count in NEEDED[target.kind]:
        there = len(touches.of(side))
        if there < count:
            return side, count - there
    return None


def measured_place(target: GuidedTarget, touches: Touches) -> Vector:
    """Return the point that the touches of a complete target give, in the device's coordinates.

    Raises
    ------
    AssociationError
        Touches that give no sphere or hole.
    """
    if target.kind == "surface":
        return np.asarray(touches.surface.mean(axis=0))
    if target.kind == "sphere":
        sphere = associate(Shape.SPHERE, touches.surface).feature
        assert isinstance(sphere, Sphere)
        return sphere.center
    plane = associate(Shape.PLANE, touches.face).feature
    assert isinstance(plane, Plane)
    circle = associate(Shape.CIRCLE, touches.wall, plane_normal=plane.normal).feature
    center = circle.parameters["center"]
    return np.asarray(center - float((center - plane.point) @ plane.normal) * plane.normal)


def align_by_targets(
    targets: Sequence[GuidedTarget], touches: Sequence[Touches], distance_to: SurfaceDistance, *, length: float
) -> Adjustment:
    """Align by the targets that are complete.

    Parameters
    ----------
    distance_to : callable
        Signed distances (n,) and outward normals (n, 3) of points in part coordinates to the part's surfaces.
    length : float
        Size of the part, mm.

    Raises
    ------
    RegistrationError
        Fewer than three complete targets, or targets on one line.
    """
    complete = [i for i, (t, own) in enumerate(zip(targets, touches, strict=True)) if still_needed(t, own) is None]
    if len(complete) < _LEAST:
        raise RegistrationError(
            f"{len(complete)} of {len(targets)} targets are measured; the alignment starts at three"
        )
    places = [measured_place(targets[i], touches[i]) for i in complete]
    fit = _fitted([targets[i] for i in complete], places, distance_to, length)
    if len(complete) > 4:
        fit = _poor_marked([targets[i] for i in complete], places, distance_to, length, fit)
    told = {t.name: t for t in fit.targets}
    every = tuple(told.get(t.name, TargetDeviation(t.name, t.place, np.zeros(3), used=False)) for t in targets)
    return replace(fit, targets=every)


def _fitted(
    targets: Sequence[GuidedTarget], places: Sequence[Vector], distance_to: SurfaceDistance, length: float
) -> Adjustment:
    nominal, measured = np.array([t.place for t in targets]), np.array(places)
    strength = np.linalg.svd(nominal - nominal.mean(axis=0), compute_uv=False)
    if strength[1] < 0.02 * strength[0]:
        raise RegistrationError("the targets measured so far lie on one line; measure one beside it")
    start, _ = closed_form(nominal, measured, np.ones(len(targets)))
    center = nominal.mean(axis=0)
    strong = _solved(targets, measured, distance_to, start, center, length, aim=0.0)
    freedoms, surplus, weak = determination(strong[1], strong[2], center=center, length=length)
    notes: list[str] = []
    if freedoms.held < 6 or weak:
        # The aimed-at places hold what the touches leave open, until there are enough of them.
        pose, rows, names = _solved(targets, measured, distance_to, start, center, length, aim=_AIM)
        notes.append(f"{freedoms.say_free() or weak} rests on how well the places were aimed at; measure on towards it")
    else:
        pose, rows, names = strong
    off = np.array([d * u for d, u in zip(rows.deviation, rows.direction, strict=True)])
    full = rows.weight == 1.0
    told = []
    for t in targets:
        own = np.array([n == t.name for n in names]) & full
        told.append(TargetDeviation(t.name, t.place, off[own].sum(axis=0)))
    values = rows.deviation[full]
    rms = float(np.sqrt(np.mean(values**2)))
    return Adjustment(pose, rms, float(np.abs(values).max()), tuple(told), freedoms, max(surplus, 0), (), tuple(notes))


def _solved(
    targets: Sequence[GuidedTarget], measured: Points, distance_to: SurfaceDistance, start: Rigid, center: Vector,
    length: float, *, aim: float,
) -> tuple[Rigid, Rows, list[str]]:  # fmt: skip
    """Return pose, rows and the target of each row; `aim` is how much tangents at surface touches count."""
    points = [i for i, t in enumerate(targets) if t.kind != "surface"]
    surface = [i for i, t in enumerate(targets) if t.kind == "surface"]
    names = [targets[i].name for i in surface] + [targets[i].name for i in points for _ in range(3)]
    if aim:
        names += [targets[i].name for i in surface for _ in range(3)]

    def rows_at(pose: Rigid) -> Rows:
        there = apply(pose, measured)
        distance, normals = distance_to(there[surface]) if surface else (np.zeros(0), np.zeros((0, 3)))
        parts = [(distance, normals, there[surface], np.ones(len(surface)))]
        for rows, weight in ((points, 1.0), (surface, aim**2)):
            if weight == 0.0 or not rows:
                continue
            off = there[rows] - np.array([targets[i].place for i in rows])
            parts.append((off.ravel(), np.tile(np.eye(3), (len(rows), 1)), np.repeat(there[rows], 3, axis=0),
                          np.full(3 * len(rows), weight)))  # fmt: skip
        deviation, direction, place, weights = (np.concatenate(p) for p in zip(*parts, strict=True))
        return Rows(deviation, direction, place, weights)

    pose, rows = solve_rows(rows_at, start, center=center, length=length)
    return pose, rows, names


def _poor_marked(
    targets: Sequence[GuidedTarget],
    places: Sequence[Vector],
    distance_to: SurfaceDistance,
    length: float,
    fit: Adjustment,
) -> Adjustment:
    """Mark the target without which the others agree far better."""
    best, best_rms = -1, fit.rms
    for k in range(len(targets)):
        rest = [i for i in range(len(targets)) if i != k]
        try:
            without = _fitted([targets[i] for i in rest], [places[i] for i in rest], distance_to, length)
        except RegistrationError:
            continue
        if without.surplus > 0 and without.rms < best_rms:
            there = apply(without.part_from_base, places[k])
            off = (
                float(np.abs(distance_to(there[None])[0][0]))
                if targets[k].kind == "surface"
                else float(np.linalg.norm(there - targets[k].place))
            )
            if off > 4 * without.rms and off > 1e-4:
                best, best_rms = k, without.rms
    if best < 0 or best_rms > 0.5 * fit.rms:
        return fit
    told = tuple(replace(t, poor=i == best) for i, t in enumerate(fit.targets))
    text = f"{targets[best].name} does not go with the others: measure it again (rms {best_rms:.4f} mm without it)"
    return replace(fit, targets=told, suggestion=targets[best].name, doubts=(*fit.doubts, text))
