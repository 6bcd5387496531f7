"""What the arm is like: its reach and errors, its hand, and what can be made to go wrong."""

import re
from dataclasses import dataclass, field

from truegauge.devices.live.faults import LINE_FAULTS, LineFault, line_fault

ARM_FAULTS = {
    "moved": "the arm is pushed by SIZE mm with the touch of that number",
    "slip": "the tip stands SIZE mm off the surface at the touch of that number: a chip is under it",
}


@dataclass(frozen=True, slots=True)
class ArmSettings:
    """The arm: lengths mm, speeds mm/s. What its maker states is `probing` and `constant` + L x `per_metre`."""

    reach: float = 1500.0
    radius: float = 1.5  # of the tip
    stem: float = 60.0  # length of it
    noise: float = 0.004  # standard deviation of a place that is held still
    probing: float = 0.030
    constant: float = 0.020
    per_metre: float = 0.025
    aim: float = 1.2  # standard deviation of where a hand touches, mm beside the place that it wants
    speed: float = 220.0  # of a hand that goes somewhere
    touch_speed: float = 12.0
    dwell_s: float = 0.35  # that a hand rests before it presses
    tremble: float = 0.05  # of a hand in the air
    pace: float = 0.0  # times as fast as a hand; 0: at once


@dataclass(slots=True)
class ArmFaults:
    """Faults of the arm by the number of the touch, and of its line."""

    of_arm: dict[tuple[str, int], float] = field(default_factory=dict)
    of_line: list[LineFault] = field(default_factory=list)

    @staticmethod
    def read(texts: list[str] | tuple[str, ...]) -> "ArmFaults":
        """Read ``name@12`` or ``name@12x2.5`` (ValueError: no such fault)."""
        found = ArmFaults()
        for text in texts:
            on_line = line_fault(text)
            match = re.fullmatch(r"([a-z]+)@(\d+)(?:x(\d+(?:\.\d+)?))?", text)
            if on_line is not None:
                found.of_line.append(on_line)
            elif match is not None and match[1] in ARM_FAULTS:
                found.of_arm[match[1], int(match[2])] = float(match[3] or 1.0)
            else:
                known = ", ".join([*ARM_FAULTS, *LINE_FAULTS])
                raise ValueError(f"{text!r} is no fault; known: {known}, each with @NUMBER and perhaps xSIZE")
        return found

    def take(self, name: str, number: int) -> float:
        """Return how bad a fault is that happens with a number, and forget it; 0 for none."""
        return self.of_arm.pop((name, number), 0.0)
