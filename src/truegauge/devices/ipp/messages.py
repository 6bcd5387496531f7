"""Lines of the I++ DME text protocol, written and read; ASCII, ended by CR LF.

A command is a tag of five characters, a space, and a call: ``00012 GoTo(X(10), Y(20.5))``. Tags that begin with E are
of commands that are answered at once, whatever else goes on. A reply repeats the tag: ``&`` taken, ``#`` data, ``%``
done, ``!`` error. What nobody asked for (a touch by joystick, a moving machine) comes with the tag E0000.
"""

import re
from dataclasses import dataclass, field
from typing import Literal

from truegauge.core.errors import DeviceError
from truegauge.core.typed_number import MOST

ReplyKind = Literal["&", "#", "%", "!"]
UNASKED = "E0000"
LONGEST = 65_536  # characters of a line
_TOKEN = re.compile(r'\s*(?:(?P<number>[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?)|(?P<text>"[^"]*")|'
                    r"(?P<name>[A-Za-z_][\w.]*)|(?P<mark>[(),=]))")  # fmt: skip


class ProtocolError(DeviceError):
    """A line that is none of the protocol; `number` is the error that says so."""

    def __init__(self, text: str, number: int = 8) -> None:
        self.number = number
        super().__init__(text)


@dataclass(frozen=True, slots=True)
class Call:
    """A name with its arguments: numbers, texts, or calls again (``X(10)``)."""

    name: str
    args: tuple["Value", ...] = ()

    def __str__(self) -> str:
        return f"{self.name}({', '.join(_written(a) for a in self.args)})"

    def numbers(self) -> tuple[float, ...]:
        """Return its arguments, which must be numbers."""
        found = [a for a in self.args if isinstance(a, float)]
        if len(found) != len(self.args):
            raise ProtocolError(f"{self.name} wants numbers")
        return tuple(found)


class Word(str):
    """A name that is written without quotation marks and brackets: ``MachineCsy``."""

    __slots__ = ()


Value = float | str | Call


@dataclass(frozen=True, slots=True)
class Command:
    """One line from the client."""

    tag: str
    call: Call

    def __str__(self) -> str:
        return f"{self.tag} {self.call}"


@dataclass(frozen=True, slots=True)
class Reply:
    """One line from the server; `values` are those of data."""

    tag: str
    kind: ReplyKind
    text: str = ""
    values: tuple[Value, ...] = field(default=())


def _written(value: Value) -> str:
    if isinstance(value, float):
        return f"{value:.6f}".rstrip("0").rstrip(".") if abs(value) < 1e9 else repr(value)
    if isinstance(value, Word):
        return str(value)
    if isinstance(value, str):
        return '"' + value.replace('"', "'") + '"'
    return str(value)


def call(name: str, *args: "float | int | str | Call") -> Call:
    """Make a call; whole numbers are numbers."""
    return Call(name, tuple(float(a) if isinstance(a, int | float) else a for a in args))


def place_calls(place: "tuple[float, float, float]") -> tuple[Call, ...]:
    """Return ``X(..), Y(..), Z(..)``."""
    return tuple(call(name, float(v)) for name, v in zip("XYZ", place, strict=True))


def written(values: "tuple[Value, ...]") -> str:
    """Write data values."""
    return ", ".join(_written(v) for v in values)


def read_values(text: str) -> tuple[Value, ...]:
    """Read values separated by commas.

    Raises
    ------
    ProtocolError
        What stands there is no list of values.
    """
    tokens = _tokens(text)
    values, at = _list(tokens, 0)
    if at != len(tokens):
        raise ProtocolError(f"cannot be read: {text[:60]!r}")
    return values


def _tokens(text: str) -> list[tuple[str, str]]:
    found, at = [], 0
    text = text.rstrip()
    while at < len(text):
        match = _TOKEN.match(text, at)
        if match is None or match.lastgroup is None:
            strange = not text[at:].lstrip()[:1].isascii() or not text[at:].lstrip()[:1].isprintable()
            raise ProtocolError(f"cannot be read: {text[:60]!r}", CHARACTER if strange else WRONG_TAG)
        found.append((match.lastgroup, match.group(match.lastgroup)))
        at = match.end()
    return found


def _list(tokens: list[tuple[str, str]], at: int, depth: int = 0) -> tuple[tuple[Value, ...], int]:
    values: list[Value] = []
    if depth > 8:
        raise ProtocolError("calls inside calls, too deep")
    while at < len(tokens) and tokens[at] != ("mark", ")"):
        if values:
            if tokens[at] != ("mark", ","):
                raise ProtocolError("a comma is missing")
            at += 1
        value, at = _value(tokens, at, depth)
        values.append(value)
    return tuple(values), at


def _value(tokens: list[tuple[str, str]], at: int, depth: int) -> tuple[Value, int]:
    if at >= len(tokens):
        raise ProtocolError("a value is missing")
    kind, text = tokens[at]
    if kind == "number":
        number = float(text)
        if not -MOST <= number <= MOST:
            raise ProtocolError("a number is out of reach")
        return number, at + 1
    if kind == "text":
        return text[1:-1], at + 1
    if kind != "name":
        raise ProtocolError(f"a value is missing before {text}")
    if at + 1 < len(tokens) and tokens[at + 1] == ("mark", "("):
        args, end = _list(tokens, at + 2, depth + 1)
        if end >= len(tokens):
            raise ProtocolError(f"{text} is not closed")
        return Call(text, args), end + 1
    return Call(text), at + 1


def read_command(line: str) -> Command:
    """Read a line from a client.

    Raises
    ------
    ProtocolError
        The tag or the call cannot be read.
    """
    tag, rest = _tag(line)
    values = read_values(rest)
    if len(values) != 1 or not isinstance(values[0], Call):
        raise ProtocolError(f"one command a line: {rest[:60]!r}")
    return Command(tag, values[0])


def read_reply(line: str) -> Reply:
    """Read a line from a server.

    Raises
    ------
    ProtocolError
        The tag, the kind or the data cannot be read.
    """
    tag, rest = _tag(line)
    kind, text = rest[:1], rest[1:].strip()
    if kind == "#":
        return Reply(tag, "#", text, read_values(text))
    if kind == "!":
        return Reply(tag, "!", text)
    if kind == "&" and not text:
        return Reply(tag, "&")
    if kind == "%" and not text:
        return Reply(tag, "%")
    raise ProtocolError(f"not a reply: {line[:60]!r}")


def _tag(line: str) -> tuple[str, str]:
    if not re.fullmatch(r"[E\d]\d{4}", line[:5]) or line[:5] == "00000":
        raise ProtocolError(f"no tag: {line[:40]!r}", TAG)
    if len(line) < 7 or line[5] != " ":
        raise ProtocolError(f"no space after the tag: {line[:40]!r}", NO_SPACE)
    return line[:5], line[6:]


@dataclass(frozen=True, slots=True)
class ErrorSaid:
    """An error: how severe (0 to 3; from 2 on the machine does nothing until it is cleared), number, who, what."""

    severity: int
    number: int
    source: str
    text: str

    @property
    def words(self) -> str:
        """What it is: as the machine says, or as the protocol has the number."""
        return self.text or STANDARD.get(self.number, "it does not say why")

    def __str__(self) -> str:
        source, text = (_ascii(t) for t in (self.source, self.text))
        return f'Error({self.severity}, {self.number:04d}, "{source}", "{text}")'


def _ascii(text: str) -> str:
    """Lines are ASCII: names of components may not be."""
    plain = text.replace('"', "'").replace("Ø", "dia. ").replace("×", "x").replace("°", " deg")
    return plain.encode("ascii", "replace").decode()


def read_error(text: str) -> ErrorSaid:
    """Read what follows the ``!`` (ProtocolError: it is no error)."""
    values = read_values(text)
    if len(values) == 1 and isinstance(values[0], Call) and values[0].name == "Error" and len(values[0].args) == 4:
        severity, number, source, said = values[0].args
        if isinstance(severity, float) and isinstance(number, float) and isinstance(source, str):
            return ErrorSaid(int(severity), int(number), source, str(said))
    raise ProtocolError(f"not an error: {text[:60]!r}")


# Numbers of errors, as the protocol has them (from memory of it).
TAG, NO_SPACE, ABORTED, CHARACTER, WRONG_TAG = 1, 2, 6, 7, 8
EMERGENCY, UNSUPPORTED, ARGUMENT, CONTROLLER, NO_PROPERTY, NO_DAEMON = 500, 501, 502, 503, 509, 512
MACHINE_ERROR, UNEXPECTED_CONTACT, NO_AXIS, HOMING, NO_SURFACE, THETA, OUT_OF_LIMITS = (
    1000, 1001, 1002, 1005, 1006, 1007, 1008)  # fmt: skip
NO_NORM, NOT_HOMED = 1010, 1011
NOT_IN_RACK, NO_PROBE, NO_TOOL, TOOL_NOT_CALIBRATED = 1500, 1501, 1502, 1503
COLLISION, ANGLE = 2504, 2505
STANDARD = {
    TAG: "the tag is none", NO_SPACE: "no space after the tag", ABORTED: "the transaction was aborted",
    CHARACTER: "a character that is not allowed", WRONG_TAG: "not as the protocol wants it",
    EMERGENCY: "emergency stop", UNSUPPORTED: "the command is not known", ARGUMENT: "the arguments cannot be used",
    CONTROLLER: "the controller does not answer", NO_PROPERTY: "there is no such property",
    NO_DAEMON: "nothing reports under that tag", MACHINE_ERROR: "the machine is in its error state",
    UNEXPECTED_CONTACT: "touched where nothing was expected", NO_AXIS: "there is no such axis",
    1003: "nothing was touched", 1004: "the head has fewer angles", HOMING: "it could not be homed",
    NO_SURFACE: "no surface was found", THETA: "Theta is out of its range",
    OUT_OF_LIMITS: "the place is beyond the travel of the machine", 1009: "the pressure of the air is out of its range",
    NO_NORM: "a direction has no length", NOT_HOMED: "it cannot move", NOT_IN_RACK: "the probe could not be changed",
    NO_PROBE: "the probe is not ready", NO_TOOL: "there is no such tool",
    TOOL_NOT_CALIBRATED: "the tool is not qualified", 1504: "too much force on the head",
    1505: "this probe cannot do that", 2500: "the place is beyond the travel of the machine", 2501: "an axis is off",
    2502: "an axis is not where it should be", 2503: "a scale cannot be read", COLLISION: "collision",
    ANGLE: "the angle is out of its range",
}  # fmt: skip
BEYOND = (OUT_OF_LIMITS, 2500)  # the place is out of reach: nothing was moved
