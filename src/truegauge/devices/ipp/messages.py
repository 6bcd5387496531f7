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
    """A line that is none of the protocol."""


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
            raise ProtocolError(f"cannot be read: {text[:60]!r}")
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
    if len(line) < 7 or line[5] != " " or not re.fullmatch(r"[E\d]\d{4}", line[:5]):
        raise ProtocolError(f"no tag: {line[:40]!r}")
    return line[:5], line[6:]


@dataclass(frozen=True, slots=True)
class ErrorSaid:
    """An error: how severe (0 to 3; from 2 on the machine does nothing until it is cleared), number, who, what."""

    severity: int
    number: int
    source: str
    text: str

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


# The numbers that this program tells apart; other numbers of a server are shown with their text.
TAG, SYNTAX, ABORTED, WRONG_TAG, UNSUPPORTED, ARGUMENT, STATE = 1, 2, 6, 8, 501, 502, 503
NOT_HOMED, MACHINE_ERROR, OUT_OF_LIMITS = 1001, 1002, 1005
UNEXPECTED_CONTACT, COLLISION, NO_SURFACE, NO_TOOL, NOT_IN_RACK = 1006, 1007, 1010, 1500, 1501
