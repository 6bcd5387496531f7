"""Targets of a guided alignment as a machine touches them by itself, once it is known about where the part lies."""

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Vector, any_perpendicular, three, unit
from truegauge.core.cad.projection import Projector
from truegauge.core.plan.alignments import GuidedAlignment, GuideTarget
from truegauge.core.registration.guided import NEEDED, TouchSide
from truegauge.core.routes.document import MeasureStep
from truegauge.core.routes.places import FeatureToTouch
from truegauge.core.routes.strategies import Clicked
from truegauge.core.samples.document import ProbedTouch, Touch

SIDES: dict[TouchSide, str] = {
    "surface": "on the surface", "face": "on the face around the hole", "wall": "in the hole, on its wall",
}  # fmt: skip
_BESIDE, _DEPTH = 2.5, 3.0  # mm that is touched beside the edge of a hole, and into it
_DOWN = np.radians(65.0)  # from the top of a ball to the places around it


@dataclass(frozen=True, slots=True, eq=False)
class Target:
    """One side of a target: the step and the feature that stand for it in a route."""

    name: str
    side: TouchSide
    step: MeasureStep
    feature: FeatureToTouch

    def touched(self, touch: ProbedTouch) -> Touch:
        """Return a touch of it as the sample has it."""
        return Touch(target=self.name, place=touch.place, side=self.side, radius=touch.radius, approach=touch.approach)


def targets_to_touch(own: GuidedAlignment, projector: Projector, touches: Iterable[Touch] = ()) -> tuple[Target, ...]:
    """Return what a machine touches for a guided alignment: the sides of targets that do not have all touches yet."""
    there = [(t.target, t.side) for t in touches]
    found: list[Target] = []
    for target in own.targets:
        for side, count in NEEDED[target.kind]:
            if there.count((target.name, side)) >= count:
                continue
            wanted = np.array([wanted_on(target, side, k)[0] for k in range(count)])
            on = projector.deviations(np.ascontiguousarray(wanted))
            faces = tuple(sorted({int(f) for f in on.face if f >= 0}))
            if not faces:
                continue
            key = f"target:{own.id}:{target.name}:{side}"
            name = target.name if len(NEEDED[target.kind]) == 1 else f"{target.name}, {side}"
            normals = np.asarray(on.normals, dtype=np.float64)
            placed = tuple((three(p), three(n)) for p, n in zip(on.feet, normals, strict=True))
            step = MeasureStep(id=key, feature=key, strategy=Clicked(places=placed))
            found.append(Target(target.name, side, step, FeatureToTouch(key, name, faces, None, first=True)))
    return tuple(found)


def wanted_on(target: GuideTarget, side: TouchSide, number: int) -> tuple[Vector, Vector]:
    """Return where a side of a target is touched for the time `number`, and the direction out of the surface there.

    A ball is touched on its top first, then around below it: places around its middle alone would not tell its height.
    """
    place, out = np.array(target.place), unit(target.direction)
    radius = target.diameter / 2
    if target.kind == "surface":
        return place, out
    if target.kind == "sphere":
        toward = out if number == 0 else np.cos(_DOWN) * out + np.sin(_DOWN) * _around(out, number)
        return place + radius * toward, np.asarray(toward)
    across = _around(out, number)
    if side == "face":
        return place + (radius + _BESIDE) * across, out
    return place + radius * across - _DEPTH * out, -across


def _around(axis: Vector, number: int) -> Vector:
    """Return directions around an axis: a third of a turn apart, and half a radian of that later on."""
    x = any_perpendicular(axis)
    angle = 2 * np.pi * number / 3 + 0.5 * (number // 3)
    return np.asarray(np.cos(angle) * x + np.sin(angle) * np.cross(axis, x))
