"""What the scanner is like: its line, what it sees well, its noise, and the hand that leads it."""

from dataclasses import dataclass, field

from truegauge.devices.arm_sim.settings import ArmSettings


@dataclass(frozen=True, slots=True)
class ScannerSettings:
    """The scanner: lengths mm, speeds mm/s."""

    width: float = 90.0  # of its line at the usual distance
    standoff: float = 110.0  # the usual distance
    depth: float = 40.0  # that it sees nearer and farther
    line_points: int = 500
    lines_per_s: float = 240.0
    noise: float = 0.012  # standard deviation along the beam, on a matt surface that faces it
    stray_share: float = 0.0005  # points that are nowhere
    speed: float = 70.0  # of the hand
    tremble: float = 0.4  # of the hand
    tilt: float = 0.07  # rad, by which a hand does not hold it as it wants
    pace: float = 0.0  # times as fast as a hand; 0: at once
    arm: ArmSettings = field(default_factory=ArmSettings)  # that it sits on
