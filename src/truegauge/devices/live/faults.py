"""What can be made to go wrong on the line of a stand-in: each once, with the frame of a number."""

import re
from dataclasses import dataclass

LINE_FAULTS = {
    "cut": "the line is cut in the middle of a frame",
    "garbage": "a frame is damaged",
    "stall": "nothing comes for SIZE seconds",
    "swap": "a frame comes after the next one",
    "twice": "a frame comes twice",
    "restart": "the device is switched off and on; it still has what was not confirmed",
    "forget": "the same, and what was not confirmed is gone",
    "reset": "the same, and it counts from 1 again",
    "clock": "its clock jumps by SIZE seconds",
}


@dataclass(frozen=True, slots=True)
class LineFault:
    """A fault with the frame numbered `at`, and how bad it is."""

    name: str
    at: int
    size: float = 1.0


def line_fault(text: str) -> LineFault | None:
    """Read ``name@12`` or ``name@12x2.5``; None where that is no fault of a line."""
    match = re.fullmatch(r"([a-z]+)@(\d+)(?:x(\d+(?:\.\d+)?))?", text)
    if match is None or match[1] not in LINE_FAULTS:
        return None
    return LineFault(match[1], int(match[2]), float(match[3] or 1.0))
