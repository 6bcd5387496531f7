"""What stands on the table of the stand-in beside the part: the reference sphere, a step gauge, the tip's own balls."""

import numpy as np

from truegauge.core.arrays import Floats, Points, Rigid, Vector, unit
from truegauge.core.frames import rigid, rotation_about
from truegauge.core.probing.assembly import StylusPlace
from truegauge.core.probing.length_standard import GaugeObstacle, LengthStandard
from truegauge.core.probing.obstacles import SphereObstacle
from truegauge.core.probing.sphere import ReferenceSphere
from truegauge.devices.cmm_sim.settings import MachineSettings

_SPECK = np.cos(np.radians(16.0))  # how far dirt reaches


class SphereOnTable(SphereObstacle):
    """The reference sphere: its ball is not quite as certified, and may be dirty."""

    def __init__(self, record: ReferenceSphere, center: Vector, true_diameter: float) -> None:
        super().__init__(record, center)
        self.true_diameter = true_diameter
        self.dirt: list[tuple[Vector, float]] = []  # direction, height mm

    @staticmethod
    def somewhere(record: ReferenceSphere, settings: MachineSettings, seed: int) -> "SphereOnTable":
        """Return one where somebody stood it, roughly where there is room for it."""
        rng = np.random.default_rng([seed, 7])
        center = np.array(settings.sphere_center) + rng.uniform(-15, 15, 3)
        center[2] = settings.table_z + 12 + record.radius + record.stem_length * max(0.2, -record.stem[2]) + 40
        return SphereOnTable(record, center, record.diameter + float(rng.normal(0, record.uncertainty)))

    def radii(self, off: Points) -> Floats:
        """Return the radius of the ball in the directions `off` (n, 3) from its centre."""
        found = np.full(len(off), self.true_diameter / 2)
        length = np.maximum(np.linalg.norm(off, axis=1), 1e-9)
        for direction, height in self.dirt:
            found += height * np.sqrt(np.clip(((off @ direction) / length - _SPECK) / (1 - _SPECK), 0, 1))
        return found

    def make_dirty(self, direction: Vector, height: float) -> None:
        """Let something stick to it."""
        self.dirt.append((unit(direction), height))


class GaugeOnTable(GaugeObstacle):
    """A step gauge whose faces are not quite as certified, and that grows when it is warm."""

    def __init__(
        self, standard: LengthStandard, machine_from_gauge: Rigid, errors: Floats, temperature_c: float = 20.0
    ) -> None:  # fmt: skip
        self._errors, self._growth = errors, 1 + standard.expansion * (temperature_c - 20.0)
        super().__init__(standard, machine_from_gauge)

    @staticmethod
    def somewhere(
        standard: LengthStandard, settings: MachineSettings, seed: int, temperature_c: float
    ) -> "GaugeOnTable":
        """Return one where somebody laid it, on two supports, about along X."""
        rng = np.random.default_rng([seed, 9])
        turn = rotation_about(np.array([0.0, 0.0, 1.0]), float(rng.uniform(-0.04, 0.04)))
        lean = rotation_about(np.array([0.0, 1.0, 0.0]), float(rng.uniform(-0.002, 0.002)))
        top = settings.table_z + standard.height + standard.bar + 20.0
        place = np.array([*settings.gauge_origin, top]) + np.array([*rng.uniform(-10, 10, 2), 0.0])
        errors = rng.normal(0, standard.uncertainty, len(standard.lengths))
        return GaugeOnTable(standard, rigid((turn @ lean)[:3, :3], place), errors, temperature_c)

    def boxes(self) -> Points:
        """Return its solids as they are."""
        found = self.standard.boxes()
        found[:-1, 1, 0] += self._errors
        return found * self._growth


def tip_balls(tip: StylusPlace) -> Points:
    """Return where balls stand for the tip: one for a ball or disc, several for a cylinder."""
    if tip.tip.shape != "cylinder":
        return tip.center[None]
    along = np.linspace(-0.5, 0.5, 9)[:, None] * max(0.0, tip.tip.thickness - tip.tip.diameter)
    return np.asarray(tip.center + along * tip.direction, dtype=np.float64)
