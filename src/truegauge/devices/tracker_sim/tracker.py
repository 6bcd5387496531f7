"""The tracker on its line: a distance and two angles to the middle of a reflector that a hand holds to the part."""

import numpy as np

from truegauge.core.arrays import Points, Rigid, Vector, unit
from truegauge.core.frames import rigid, rotation_about
from truegauge.core.uncertainty.stated_errors import StatedErrors
from truegauge.devices.arm_sim.arm import ArmStandIn
from truegauge.devices.arm_sim.settings import ArmFaults, ArmSettings
from truegauge.devices.live.messages import Hello
from truegauge.devices.made_part import MadePart

RADIUS = 6.35  # mm, of the reflector
SETTINGS = ArmSettings(
    reach=4000.0, radius=RADIUS, noise=0.004, probing=0.015, constant=0.010, per_metre=0.012, aim=2.0, dwell_s=0.5
)


class BeamError:
    """Distances are wrong by a little and in proportion, angles by a little that waves with the direction."""

    def __init__(self, settings: ArmSettings, rng: np.random.Generator) -> None:
        self._offset = 0.3 * settings.constant * float(rng.uniform(-1, 1))
        self._scale = 0.15e-3 * settings.per_metre * float(rng.uniform(-1, 1))
        self._angle = 0.15e-3 * settings.per_metre
        self._phases = rng.uniform(0, 2 * np.pi, 2)

    def at(self, places: Points) -> Points:
        """Return the errors (n, 3) mm at places (n, 3) of the tracker."""
        far = np.linalg.norm(places, axis=1)[:, None]
        beam = places / np.maximum(far, 1e-9)
        upright = np.array([0.0, 0.0, 1.0])
        beside = np.cross(upright, beam)
        turn = np.arctan2(places[:, 1], places[:, 0])[:, None]
        off = (self._offset + self._scale * far) * beam
        off = off + self._angle * far * np.sin(2 * turn + self._phases[0]) * beside
        return np.asarray(off + self._angle * far * np.sin(3 * turn + self._phases[1]) * np.cross(beam, beside))


class TrackerStandIn(ArmStandIn):
    """Serves the device protocol until it is closed; `touch` has its hand hold the reflector to the part."""

    def __init__(
        self, part: MadePart, seed: int = 1, settings: ArmSettings | None = None, faults: ArmFaults | None = None, *,
        port: int = 0, device_from_part: Rigid | None = None,
    ) -> None:  # fmt: skip
        rng = np.random.default_rng([seed, 41])
        pose = somewhere_far(part, rng) if device_from_part is None else device_from_part
        super().__init__(part, seed, settings or SETTINGS, faults, port=port, device_from_part=pose)
        self.world.error = BeamError(self.settings, rng)

    def about(self, seed: int) -> Hello:
        """Return what it says of itself."""
        s = self.settings
        return Hello(
            device="tracker", name="Tracker stand-in", serial=f"T-{seed}", boot="-", series="-", time=0.0,
            radius=s.radius, stated=StatedErrors(name="Tracker stand-in", probing=s.probing, constant=s.constant,
                                                 per_metre=s.per_metre),
        )  # fmt: skip

    def leads_to_hand(self, at: Vector, stem: Vector) -> Vector:
        """Return the direction of the beam, from the reflector to the tracker."""
        return -unit(at)


def somewhere_far(part: MadePart, rng: np.random.Generator) -> Rigid:
    """Return a pose of the part one and a half to two and a half metres before the tracker, upright."""
    turn = rotation_about(np.array([0.0, 0.0, 1.0]), float(rng.uniform(-np.pi, np.pi)))[:3, :3]
    angle, far = rng.uniform(-np.pi, np.pi), rng.uniform(1500.0, 2500.0)
    place = np.array([far * np.cos(angle), far * np.sin(angle), rng.uniform(-400, 100)])
    return rigid(turn, place - turn @ part.box.mean(axis=0))
