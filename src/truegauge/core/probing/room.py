"""The room in which probes move: all that is known to stand in it, and ways of a stylus through it."""

from collections.abc import Sequence

import numpy as np

from truegauge.core.arrays import Points, Vector
from truegauge.core.probing.assembly import StylusPlace
from truegauge.core.probing.clearance import Obstacle, ProbeShape, probe_shape
from truegauge.core.probing.probing import Probing, StylusUse
from truegauge.core.probing.travel import Surroundings, find_way


class ProbeRoom:
    """Plans every move of a run. Places of tips are those that the plan describes, machine coordinates, mm.

    `top` is a height above everything that is known; `axes` (n, 3) are directions along which probes are likely to get
    out of what stands there (those of the part).
    """

    def __init__(
        self, probing: Probing, obstacles: tuple[Obstacle, ...], top: float, axes: Sequence[Vector] = ()
    ) -> None:  # fmt: skip
        self.probing, self.obstacles, self.top, self._axes = probing, obstacles, top, tuple(axes)
        self._shapes: dict[StylusUse, tuple[ProbeShape, StylusPlace]] = {}

    def shape(self, use: StylusUse) -> tuple[ProbeShape, StylusPlace]:
        """Return a whole probe, with all its tips, as balls; and where the tip of the stylus is."""
        if use not in self._shapes:
            a = self.probing.assembly(use.assembly)
            self._shapes[use] = (probe_shape(a.bodies(use.pose), a.styli(use.pose)), a.stylus(use.stylus, use.pose))
        return self._shapes[use]

    def safe_z(self, use: StylusUse) -> float:
        """Return the height of the quill at which the whole probe, in any pose, is over everything."""
        lowest = []
        for pose in self.probing.assembly(use.assembly).poses:
            shape = self.shape(use.replace(pose=pose))[0]
            lowest.append(float((shape.centers[:, 2] - shape.radii).min()))
        return self.top - min(lowest)

    def ways_out(self, use: StylusUse, normal: Vector | None) -> list[Vector]:
        """Return the directions in which a probe is likely to get out, the best first.

        Back along the stylus, along the axes that come nearest to that, and off the surface.
        """
        back = -self.shape(use)[1].direction
        axes = [sign * axis for axis in self._axes for sign in (1.0, -1.0) if sign * axis @ back > 0.3]
        axes.sort(key=lambda axis: -float(axis @ back))
        return [back, *axes, *([] if normal is None else [normal])]

    def way(
        self, use: StylusUse, start: Vector, end: Vector, leaving: Vector | None, arriving: Vector | None
    ) -> Points:  # fmt: skip
        """Return places (n, 3) of the tip that lead from one to another, without the first.

        `leaving` and `arriving` are the directions out of the surfaces there, None where there is none.

        Raises
        ------
        NoWay
            Something is in the way whatever is tried.
        """
        shape, place = self.shape(use)
        stops = find_way(
            shape, start - place.center, end - place.center, Surroundings(self.obstacles, self.safe_z(use)),
            self.ways_out(use, leaving), self.ways_out(use, arriving),
        )  # fmt: skip
        return np.asarray(stops + place.center)

    def way_up(self, use: StylusUse, start: Vector, leaving: Vector | None) -> Points:
        """Return places of the tip that lead to where the whole probe, in any pose, is over everything (NoWay)."""
        place = self.shape(use)[1]
        z = self.safe_z(use) + place.center[2]
        return self.way(use, start, np.array([start[0], start[1], max(z, float(start[2]))]), leaving, None)
