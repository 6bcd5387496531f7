"""The room in which probes move: all that is known to stand in it, and ways of a stylus through it."""

from collections.abc import Sequence

import numpy as np

from truegauge.core.arrays import Points, Vector
from truegauge.core.probing.assembly import HeadPose, StylusPlace
from truegauge.core.probing.clearance import Obstacle, ProbeShape, probe_shape
from truegauge.core.probing.escape import DeadEnds
from truegauge.core.probing.obstacles import ParkedProbe, SphereObstacle, UnlocatedPart
from truegauge.core.probing.probing import Probing, StylusUse
from truegauge.core.probing.standing import Standing, parked
from truegauge.core.probing.travel import Surroundings, find_way

_BESIDE = 20.0  # mm beside where a tip approaches the sphere from: on its way around, and to spare
_FROM_RACK, _SHIFTS = 5.0, 12  # mm that a head keeps from the rack while it turns; steps until it does
_UNDER = 3.0  # mm that travel keeps over a part that is not located


class ProbeRoom:
    """Plans every move of a run. Places of tips are those that the plan describes, machine coordinates, mm.

    Parameters
    ----------
    center : (3,) or None
        Of the reference sphere, where it is located.
    above : float
        How far over everything that is known travel goes.
    axes : (n, 3)
        Directions along which probes are likely to get out of what stands there (those of the part).
    ceiling : float
        The highest place of the quill that is known to be within the travel of the machine: what may stand where
        nobody knows asks for no more than that.
    """

    def __init__(
        self, probing: Probing, known: Standing, center: Vector | None = None, *, above: float,
        axes: Sequence[Vector] = (), ceiling: float = np.inf,
    ) -> None:  # fmt: skip
        self.probing, self._axes, self._center, self._ceiling = probing, tuple(axes), center, ceiling
        self._above = above
        self._standing, self.top = known.obstacles, known.top + above
        sphere = probing.sphere
        if center is not None:
            self._standing = (*self._standing, SphereObstacle(probing.sphere, center))
            self.top = max(self.top, float(center[2]) + sphere.radius + above)
        self._free = np.zeros((0, 3)) if known.free is None else known.free
        if center is not None:
            self._free = np.vstack([self._free, center])
        self._hidden = -np.inf  # how high a part reaches that stands nobody knows where
        ground = known.table_z
        if ground is None and center is not None:
            ground = float((center + sphere.stem * (sphere.radius + sphere.stem_length))[2])
        if known.unlocated > 0 and ground is not None:
            self._hidden = ground + known.unlocated
        self._shapes: dict[StylusUse, tuple[ProbeShape, StylusPlace]] = {}
        self._dead: dict[tuple[str, HeadPose], DeadEnds] = {}
        self._low: dict[str, float] = {}
        self._around: dict[StylusUse, tuple[Obstacle, ...]] = {}

    def obstacles(self, use: StylusUse) -> tuple[Obstacle, ...]:
        """Return what a probe may meet: what stands there, and the probes that hang in the rack meanwhile."""
        if use not in self._around:
            every = (*self._standing, *parked(self.probing, self.probing.assembly(use.assembly)))
            if len(self._free) and np.isfinite(self._hidden):
                z = min(self._hidden, self.safe_z(use) + self._lowest(use) - _UNDER)
                every = (*every, UnlocatedPart(z, self._free, self.free_radius(use)))
            self._around[use] = every
        return self._around[use]

    def knows(self, use: StylusUse) -> bool:
        """Tell whether there is such a stylus in the plan, in whatever pose."""
        own = next((a for a in self.probing.assemblies if a.id == use.assembly), None)
        return own is not None and any(s.id == use.stylus for s in own.styli())

    def free_radius(self, use: StylusUse) -> float:
        """Return how far around a sphere or gauge nothing may stand for a probe to touch it, mm."""
        shape, place = self.shape(use)
        reach = np.linalg.norm(shape.centers[:, :2] - place.center[:2], axis=1) + shape.radii
        tip = self.probing.sphere.radius + place.radius + self.probing.settings.approach
        return float(reach.max()) + tip + _BESIDE

    def shape(self, use: StylusUse) -> tuple[ProbeShape, StylusPlace]:
        """Return a whole probe, with all its tips, as balls; and where the tip of the stylus is."""
        if use not in self._shapes:
            a = self.probing.assembly(use.assembly)
            self._shapes[use] = (probe_shape(a.bodies(use.pose), a.styli(use.pose)), a.stylus(use.stylus, use.pose))
        return self._shapes[use]

    def _lowest(self, use: StylusUse) -> float:
        """Return how far below the quill the probe reaches while its head turns (negative)."""
        if use.assembly not in self._low:
            assembly = self.probing.assembly(use.assembly)
            shape = self.shape(use)[0]
            low = float((shape.centers[:, 2] - shape.radii).min())
            sweep = assembly.sweep()
            # On the way between two poses an arm may reach lower than in either.
            self._low[use.assembly] = low if sweep is None else min(low, float(sweep[0][2]) - sweep[1])
        return self._low[use.assembly]

    def safe_z(self, use: StylusUse) -> float:
        """Return the height of the quill at which the whole probe, in any pose, is over everything."""
        lowest = self._lowest(use)
        hidden = min(self._hidden + self._above - lowest, self._ceiling)
        return max(self.top - lowest, hidden)

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
        dead = self._dead.setdefault((use.assembly, use.pose), DeadEnds())
        around = Surroundings(self.obstacles(use), self.safe_z(use), dead)
        stops = find_way(
            shape, start - place.center, end - place.center, around, self.ways_out(use, leaving),
            self.ways_out(use, arriving),
        )  # fmt: skip
        return np.asarray(stops + place.center)

    def way_up(self, use: StylusUse, start: Vector, leaving: Vector | None) -> Points:
        """Return places of the tip that lead to where the whole probe, in any pose, is over everything (NoWay)."""
        place = self.shape(use)[1]
        z = max(self.safe_z(use), float(start[2] - place.center[2]))
        quill = np.array([*(start - place.center)[:2], z])
        return self.way(use, start, self._beside_rack(use, quill) + place.center, leaving, None)

    def _beside_rack(self, use: StylusUse, quill: Vector) -> Vector:
        """Return a place (3,) of the quill near one over everything else where the head can turn beside the rack.

        The rack may stand higher than part and sphere; what hangs there is not gone over, but kept away from.
        """
        sweep = self.probing.assembly(use.assembly).sweep()
        hanging = [o for o in self.obstacles(use) if isinstance(o, ParkedProbe)]
        if sweep is None or not hanging:
            return quill
        pivot, radius = sweep
        wanted = radius + _FROM_RACK
        for _ in range(_SHIFTS):
            at = quill + pivot
            near = min(hanging, key=lambda o: float(o.distances(at[None], wanted)[0]))
            room = float(near.distances(at[None], wanted)[0])
            if room >= wanted:
                break
            away = at[:2] - near.middle[:2]
            length = float(np.linalg.norm(away))
            step = away / length if length > 1e-6 else np.array([1.0, 0.0])
            quill = quill + np.array([*((wanted - room + 1.0) * step), 0.0])
        return quill
