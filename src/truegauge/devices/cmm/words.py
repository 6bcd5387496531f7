"""What a machine is told and tells: touches, what it can do, why it stands, and the values of its replies."""

from dataclasses import dataclass

from truegauge.core.arrays import Vector
from truegauge.core.errors import DeviceError
from truegauge.core.probing.assembly import HeadPose
from truegauge.devices.ipp.messages import Call, Value

_AT_POSE = 0.06  # degrees


@dataclass(frozen=True, slots=True, eq=False)
class MachineTouch:
    """A touch: the centre of the tip by its nominal place (3,), and the direction out of the surface (3,)."""

    place: Vector
    out: Vector


@dataclass(frozen=True, slots=True)
class Abilities:
    """What a machine can do, as far as it told when it was asked."""

    turns: bool = True  # its head, by command
    scans: bool = False
    tells_moves: bool = True  # where it is while it moves
    tells_temperature: bool = False
    gives_joystick: bool = False  # to the user, and takes it back

    def words(self, tools: int) -> str:
        """Say it in words."""
        said = [
            "turns its head" if self.turns else "has a head that it does not turn by command",
            "scans" if self.scans else "does not scan",
            f"names {tools} tools" if tools else "does not name its tools",
        ]
        missing = [
            word for word, has in (
                ("where it is while it moves", self.tells_moves), ("the temperature", self.tells_temperature),
                ("who has the joystick", self.gives_joystick),
            ) if not has
        ]  # fmt: skip
        return ", ".join(said) + (f"; it does not tell {' or '.join(missing)}" if missing else "")


class ChangeByHand(DeviceError):
    """A probe assembly must be changed by hand."""

    def __init__(self, wanted: str, mounted: str) -> None:
        self.wanted, self.mounted = wanted, mounted
        first = f"take {mounted} off the machine and " if mounted else ""
        super().__init__(f"{first}put {wanted} on the machine, then go on: it has no port in the rack")


class NotHomed(DeviceError):
    """The machine lost its place."""


def tool_named(values: tuple[Value, ...]) -> str:
    """Return the name of a tool in a line: plain, as text, or in a call."""
    first = values[0] if values else ""
    if isinstance(first, Call):
        first = first.args[0] if first.args and isinstance(first.args[0], str) else first.name
    return first if isinstance(first, str) else ""


def pose_told(tilt: float, turn: float, asked: HeadPose | None) -> HeadPose:
    """Return the pose of a head without what its encoders add: the one that it was sent to, where it is there."""
    if asked is not None:
        off = abs((turn - asked.turn_deg + 180) % 360 - 180)
        if abs(tilt - asked.tilt_deg) < _AT_POSE and off < _AT_POSE:
            return asked
    return HeadPose(tilt_deg=round(round(tilt * 20) / 20, 2), turn_deg=round(round(turn * 20) / 20, 2))


def named_values(values: tuple[Value, ...]) -> dict[str, tuple[float, ...]]:
    """Return the numbers in a line by their names."""
    return {v.name: v.numbers() for v in values if isinstance(v, Call) and v.args}
