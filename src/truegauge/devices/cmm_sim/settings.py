"""What the stand-in is like: its size, errors, speeds, and what can be made to go wrong."""

import re
from dataclasses import dataclass, field

import numpy as np

from truegauge.core.arrays import Vector
from truegauge.core.routes.kinematics import Kinematics


@dataclass(frozen=True, slots=True)
class MachineSettings:
    """The machine. Lengths mm, speeds mm/s, angles rad; MPE of a length L is A + L / K (ISO 10360-2), A in mm."""

    travel: tuple[tuple[float, float, float], tuple[float, float, float]] = ((0.0, 0.0, -650.0), (800.0, 1000.0, 0.0))
    mpe_a: float = 0.0016
    mpe_k: float = 350_000.0  # mm of length for 1 mm of error
    noise: float = 0.0003  # standard deviation of a touch
    kinematics: Kinematics = field(default_factory=Kinematics)
    pose_error: float = 150e-6  # fixed for a pose, standard deviation
    pose_repeat: float = 1.5e-6  # each time that the head is moved there
    temperature_c: float = 20.0
    table_z: float = -760.0
    sphere_center: tuple[float, float, float] = (620.0, 300.0, -520.0)
    part_origin: tuple[float, float, float] = (330.0, 420.0, -700.0)  # roughly where the middle of its base stands
    gauge_origin: tuple[float, float] = (150.0, 680.0)  # roughly where a step gauge begins that is laid there
    pace: float = 0.0  # times as fast as a real machine; 0: as fast as it can


PROBE_FAULTS = ("bent-stylus", "wrong-diameter", "dirty-sphere", "moved-sphere")
LINE_FAULTS = ("cut", "garbage", "late", "power")
OTHER_FAULTS = ("warm", "obstacle")
FAULTS = (*PROBE_FAULTS, *LINE_FAULTS, *OTHER_FAULTS)


@dataclass(frozen=True, slots=True)
class Fault:
    """Something that goes wrong: from the start, or (line faults: once) with the message or touch number `at`."""

    name: str
    at: int = 0
    size: float = 1.0

    @staticmethod
    def read(text: str) -> "Fault":
        """Read ``name``, ``name@12`` or ``name@12x2.5`` (ValueError: no such fault)."""
        match = re.fullmatch(r"([a-z-]+)(?:@(\d+))?(?:x(\d+(?:\.\d+)?))?", text)
        if match is None or match[1] not in FAULTS:
            raise ValueError(f"{text!r} is no fault; known: {', '.join(FAULTS)}, each with @NUMBER and xSIZE")
        return Fault(match[1], int(match[2] or 0), float(match[3] or 1.0))


@dataclass(slots=True)
class Faults:
    """The faults that are in force."""

    every: list[Fault] = field(default_factory=list)

    def size(self, name: str, count: int = 0) -> float:
        """Return how bad a fault is by now (the `count`th touch); 0 when it is not in force."""
        return next((f.size for f in self.every if f.name == name and count >= f.at), 0.0)

    def take(self, names: tuple[str, ...], count: int) -> Fault | None:
        """Return a fault that happens once, with this message, and forget it."""
        for f in self.every:
            if f.name in names and f.at == count:
                self.every.remove(f)
                return f
        return None


class VolumetricError:
    """Where the machine really is when its scales say a place: smooth, within A + L / K over any length L."""

    def __init__(self, settings: MachineSettings, rng: np.random.Generator) -> None:
        # Scale and squareness errors give 0.6 L / K at most, two waves an axis 0.4 A.
        linear = rng.normal(size=(3, 3))
        linear = (linear + linear.T) / 2
        self._linear = 0.6 / settings.mpe_k * linear / np.abs(np.linalg.eigvalsh(linear)).max()
        self._amplitude = 0.4 * settings.mpe_a / 2 * rng.uniform(0.3, 1.0, 3) / np.sqrt(3)
        self._phase = rng.uniform(0, 2 * np.pi, 3)
        self._length = rng.uniform(180, 420, 3)
        self._middle = np.mean(settings.travel, axis=0)

    def at(self, scales: Vector) -> Vector:
        """Return true place minus place by the scales, (3,) or (n, 3)."""
        off = scales - self._middle
        waves = self._amplitude * np.sin(2 * np.pi * off / self._length + self._phase)
        return np.asarray(off @ self._linear.T + waves)
