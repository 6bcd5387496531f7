"""Which places of the reference sphere a stylus reaches without another part of its probe meeting sphere or stem."""

from dataclasses import replace

import numpy as np

from truegauge.core.arrays import Mask, Normals, Vector
from truegauge.core.probing.assembly import StylusPlace
from truegauge.core.probing.clearance import Obstacle, ProbeShape
from truegauge.core.probing.obstacles import SphereObstacle
from truegauge.core.probing.sphere import ReferenceSphere

_ROOM = 1.0  # mm: nothing is quite where it is believed to be


def without_tip(shape: ProbeShape, place: StylusPlace) -> ProbeShape:
    """Return a probe without the tip that touches."""
    others = np.array([owner != f"tip {place.name}" for owner in shape.owner], dtype=bool)
    owner = tuple(o for o, keep in zip(shape.owner, others, strict=True) if keep)
    return replace(shape, centers=shape.centers[others], radii=shape.radii[others], owner=owner)


def reachable(
    shape: ProbeShape, place: StylusPlace, sphere: ReferenceSphere, directions: Normals, approach: float,
    center: Vector, others: tuple[Obstacle, ...] = (),
) -> Mask:  # fmt: skip
    """Tell for each direction (n, 3) from the centre whether the tip can touch there, come and go by `approach` mm.

    Only the tip may come near: the tips and shafts of a star reach around a small sphere, and down to the table.
    """
    rest = without_tip(shape, place)
    obstacles = (SphereObstacle(sphere, center), *others)
    free = np.ones(len(directions), dtype=bool)
    for back in np.linspace(0.0, approach, 3):
        tips = center + (sphere.radius + place.radius + back) * directions
        balls = (tips - place.center)[:, None] + rest.centers[None]
        if rest.centers.size:
            flat = np.min([o.distances(balls.reshape(-1, 3)) for o in obstacles], axis=0)
            room = flat.reshape(len(directions), -1) - rest.radii
            # A shaft leads away from its own tip, which is thicker.
            free &= room.min(axis=1) > min(_ROOM, 0.3 * place.radius) if back == 0 else room.min(axis=1) > _ROOM * 0.3
    return free
