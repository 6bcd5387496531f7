"""What a tip that stands at the part measures just now: its deviation from the nearest surface, and what is allowed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.tolerancing.judgement import State, decide

if TYPE_CHECKING:
    from truegauge.core.arrays import Vector
    from truegauge.core.cad.projection import Projector
    from truegauge.core.evaluation.located import Lie
    from truegauge.core.plan.document import Plan


@dataclass(frozen=True, slots=True)
class Allowed:
    """Limits of a deviation from a face, mm, and where they come from in words."""

    lower: float
    upper: float
    words: str

    def state_of(self, value: float) -> State:
        """Return how a deviation stands, by simple acceptance: nothing is known of its uncertainty."""
        return decide(value, self.lower, self.upper).state


@dataclass(frozen=True, slots=True, eq=False)
class LiveReading:
    """A deviation (mm, positive: material too much) of a tip at `place` (3,), the centre of it, part coordinates.

    `foot` (3,) is the nearest place of the nominal surface, on `face`.
    """

    deviation: float
    place: Vector
    foot: Vector
    face: int


def read_tip(projector: Projector, lie: Lie, center: Vector, radius: float) -> LiveReading:
    """Return what a tip of a radius (mm) measures whose centre (3,) stands there, in coordinates of the device.

    The tip touches where it is nearest: the true surface is a radius from its centre, along the nominal normal.
    """
    place = lie.places(np.asarray(center, dtype=np.float64)[None])
    found = projector.deviations(place)
    return LiveReading(float(found.distance[0]) - radius, place[0], found.feet_at(slice(0, 1))[0], int(found.face[0]))


def allowed_on(plan: Plan, face: int) -> Allowed:
    """Return what is allowed on a face: by its profile of a surface, its own band in the map, or that of all.

    A profile says it only where its zone has one width and one place: not a lower tier of a frame, which may be turned
    or shifted, no zone of an offset that is not stated (OZ), none that varies along the surface.
    """
    for c in plan.characteristics:
        if c.kind != "profile_surface" or c.upper is None or c.tier_of or "OZ" in c.modifiers or c.zone.end is not None:
            continue
        if any(f.id in c.features and face in f.faces for f in plan.features):
            shift = c.zone.offset
            return Allowed(shift - c.upper / 2, shift + c.upper / 2, f"{c.number} {c.name}")
    own = next((f for f in plan.scale.own if face in f.faces), None)
    band = plan.scale.tolerance if own is None else own.tolerance
    return Allowed(-band, band, "the band of the map")
