"""Which places of the reference sphere a stylus reaches without another part of its probe meeting sphere or stem."""

import numpy as np

from truegauge.core.arrays import Mask, Normals, Vector
from truegauge.core.probing.assembly import StylusPlace
from truegauge.core.probing.clearance import Obstacle, ProbeShape, nearest_solid, room_of_each
from truegauge.core.probing.sphere import ReferenceSphere

_ROOM = 1.0  # mm: nothing is quite where it is believed to be


def without_tip(shape: ProbeShape, place: StylusPlace) -> ProbeShape:
    """Return a probe without the tip that touches; its own stylus is left out of the solids, which it would hide."""
    others = np.array([owner != f"tip {place.name}" for owner in shape.owner], dtype=bool)
    return shape.only(others, place.id.partition(".")[0])


def reachable(
    shape: ProbeShape, place: StylusPlace, sphere: ReferenceSphere, directions: Normals, approach: float,
    center: Vector, obstacles: tuple[Obstacle, ...],
) -> Mask:  # fmt: skip
    """Tell for each direction (n, 3) from the centre whether the tip can touch there, come and go by `approach` mm.

    Only the tip may come near: the tips and shafts of a star reach around a small sphere, and down to the table.
    `obstacles` are all that stands there, with the sphere.
    """
    rest = without_tip(shape, place)
    free = np.ones(len(directions), dtype=bool)
    # With the tip in the middle of the sphere every ball is at most so far from where it is at a touch.
    reach = sphere.radius + place.radius + approach
    middle = room_of_each(rest.centers + center - place.center, rest.radii, obstacles)[0]
    # Balls miss the rims of thick solids: those are looked at on the last piece of the way to each touch.
    if nearest_solid(rest, center - place.center, center - place.center, obstacles, reach + _ROOM) is not None:
        for k, d in enumerate(directions):
            way = [center + (sphere.radius + place.radius + b) * d - place.center for b in (0.0, approach)]
            free[k] = nearest_solid(rest, way[0], way[1], obstacles, 0.3 * _ROOM) is None
    asked = np.flatnonzero(middle - reach <= _ROOM)
    if not len(asked):
        return free
    for back in np.linspace(0.0, approach, 3):
        rows = np.flatnonzero(free)
        tips = center + (sphere.radius + place.radius + back) * directions[rows]
        balls = ((tips - place.center)[:, None] + rest.centers[asked][None]).reshape(-1, 3)
        room = room_of_each(balls, np.tile(rest.radii[asked], len(rows)), obstacles)[0].reshape(-1, len(asked))
        # A shaft leads away from its own tip, which is thicker.
        free[rows] = room.min(axis=1, initial=np.inf) > (min(_ROOM, 0.3 * place.radius) if back == 0 else 0.3 * _ROOM)
    return free
