"""Why the machine stops, and what its sensor says."""

from dataclasses import dataclass

from truegauge.core.arrays import Vector


class MachineStopped(Exception):
    """The machine will not, or could not; with the number and severity of the protocol."""

    def __init__(self, number: int, text: str, severity: int = 1) -> None:
        self.number, self.text, self.severity = number, text, severity
        super().__init__(text)


@dataclass(frozen=True, slots=True)
class SensorTouch:
    """A touch: the place of the tip as the machine believes it (3,), and the direction of the motion (3,)."""

    place: Vector
    approach: Vector
