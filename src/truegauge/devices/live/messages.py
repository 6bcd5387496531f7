"""The messages of the device protocol, each strict in what it holds. See docs/formats.md."""

import json
from typing import Annotated, Any, Literal

from pydantic import Field, TypeAdapter, ValidationError

from truegauge.core.frozen_model import Frozen, Three
from truegauge.core.uncertainty.stated_errors import StatedErrors
from truegauge.devices.live.wire import WireError

PROTOCOL: Literal["truegauge-device"] = "truegauge-device"
VERSION = 1
DeviceClass = Literal["arm", "scanner", "tracker", "gauge", "camera"]
_Seq = Annotated[int, Field(ge=1)]


class Hello(Frozen):
    """What a device says first: who it is, since when it runs, and which numbers it still has.

    `boot` changes when the device was switched on anew, `series` when it has lost its memory and counts from 1 again:
    the same number is something else then. `oldest` to `next` - 1 are the numbers of what nobody has
    confirmed; `next` is that of what is measured next. `radius` is that of the tip (of a tracker's reflector), mm.
    `coordinates` is the identity of the device that it sits on, where its points are in the coordinates of that. A
    scanner sees distances `near` to `far` mm, and takes `lines_per_s`; 0: it does not tell. A camera takes pictures of
    so many `rows` and `columns`.
    """

    type: Literal["hello"] = "hello"
    protocol: Literal["truegauge-device"] = PROTOCOL
    version: int = Field(default=VERSION, ge=1)
    device: DeviceClass
    name: str = Field(min_length=1, max_length=80)
    serial: str = Field(default="", max_length=80)
    boot: str = Field(min_length=1, max_length=80)
    series: str = Field(min_length=1, max_length=80)
    oldest: _Seq = 1
    next: _Seq = 1
    time: float
    radius: float = Field(default=0.0, ge=0, le=100)
    stated: StatedErrors = StatedErrors()
    coordinates: str = Field(default="", max_length=200)
    near: float = Field(default=0.0, ge=0, le=100_000)
    far: float = Field(default=0.0, ge=0, le=100_000)
    lines_per_s: float = Field(default=0.0, ge=0, le=1_000_000)
    rows: int = Field(default=0, ge=0, le=30_000)
    columns: int = Field(default=0, ge=0, le=30_000)

    @property
    def identity(self) -> str:
        """What tells its coordinates from those of every other device."""
        return self.coordinates or f"{self.name} {self.serial}".strip()


class Refused(Frozen):
    """The device does not serve this program, and why: another one has it."""

    type: Literal["refused"] = "refused"
    why: str


class Resume(Frozen):
    """The program wants all that was measured after a number; 0: all that the device still has."""

    type: Literal["resume"] = "resume"
    after: int = Field(ge=0)
    program: str = Field(default="", max_length=200)


class Confirm(Frozen):
    """The program keeps everything up to a number: the device may forget it."""

    type: Literal["confirm"] = "confirm"
    up_to: _Seq


class Beat(Frozen):
    """Sent by both twice a second: the line is alive. Of a device: its clock, and the number that it sends next."""

    type: Literal["beat"] = "beat"
    time: float = 0.0
    next: int = Field(default=0, ge=0)


class Touch(Frozen):
    """A touch: the centre of the tip, mm in device coordinates; `stem` leads from it along the stem to the hand.

    `out` is the way (unit) that the hand drew the tip back from the surface, zeros where the device does not tell.
    `by` says how it was taken: by a button, one of a trace, by itself.
    """

    type: Literal["touch"] = "touch"
    seq: _Seq
    time: float
    place: Three
    stem: Three
    out: Three = (0.0, 0.0, 0.0)
    radius: float = Field(ge=0, le=100)
    by: Literal["button", "trace", "dwell"] = "button"


class Button(Frozen):
    """A button of the device was pressed or let go: 1 takes points, 2 takes the last back."""

    type: Literal["button"] = "button"
    seq: _Seq
    time: float
    number: int = Field(ge=1, le=9)
    down: bool


class Reading(Frozen):
    """What a gauge reads: a temperature in °C, or a dial gauge in mm."""

    type: Literal["reading"] = "reading"
    seq: _Seq
    time: float
    of: Literal["air", "part", "device", "dial"]
    value: float


class At(Frozen):
    """Where the tip is just now; the next one replaces it, none is kept. Of a scanner: where its light comes from."""

    type: Literal["at"] = "at"
    time: float
    place: Three
    stem: Three = (0.0, 0.0, 1.0)
    pressed: tuple[int, ...] = ()


class Warned(Frozen):
    """What the device says by itself: out of reach, moved, too fast. Not numbered."""

    type: Literal["warned"] = "warned"
    words: str = Field(max_length=400)


Item = Touch | Button | Reading  # numbered, kept until they are confirmed; so are blocks
FromDevice = Hello | Refused | Beat | Touch | Button | Reading | At | Warned
FromProgram = Resume | Confirm | Beat
_FROM_DEVICE: TypeAdapter[FromDevice] = TypeAdapter(Annotated[FromDevice, Field(discriminator="type")])
_FROM_PROGRAM: TypeAdapter[FromProgram] = TypeAdapter(Annotated[FromProgram, Field(discriminator="type")])


def from_device(message: dict[str, Any]) -> FromDevice:
    """Return a message of a device (WireError: what is wrong with it)."""
    found: FromDevice = _read(_FROM_DEVICE, message)
    return found


def from_program(message: dict[str, Any]) -> FromProgram:
    """Return a message of a program (WireError: what is wrong with it)."""
    found: FromProgram = _read(_FROM_PROGRAM, message)
    return found


def _read(adapter: TypeAdapter[Any], message: dict[str, Any]) -> Any:
    try:
        return adapter.validate_json(json.dumps(message))  # strict models take lists for tuples from JSON only
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(p) for p in first["loc"]) or "it"
        raise WireError(
            f"a message ({message.get('type', 'without a type')}) is wrong: {where}: {first['msg']}"
        ) from None
