"""Errors whose text can be shown to an inspector: what, where, what was needed."""

from collections.abc import Iterable

_LONGEST_NAME = 120


def printable(name: str) -> str:
    """Return a name in which bytes that are no text, and characters that would break a line, are written out."""
    readable = name.encode("utf-8", "surrogateescape").decode("utf-8", "backslashreplace")
    return "".join(c if c.isprintable() else c.encode("unicode_escape").decode() for c in readable)


def shortened(name: str) -> str:
    """Return a name that fits on a line: of a very long one the middle is left out."""
    half = _LONGEST_NAME // 2
    return name if len(name) <= _LONGEST_NAME else f"{name[: half - 2]} … {name[-half + 2 :]}"


class TrueGaugeError(Exception):
    """Base of every error that the application shows as it is."""


class FormatError(TrueGaugeError):
    """A file cannot be used.

    Parameters
    ----------
    path : object
        The file (its name is put in front of the message).
    reason : str
        What is wrong, where, and what to do.
    """

    def __init__(self, path: object, reason: str) -> None:
        self.path, self.reason = printable(str(path)), reason
        super().__init__(f"{shortened(self.path.rsplit('/', 1)[-1])}: {reason}")

    def __reduce__(self) -> tuple[object, ...]:
        return type(self), (self.path, self.reason)


class ColumnsUnknownError(FormatError):
    """Which columns of a text are x, y and z cannot be told: `names` of the columns, and some lines to show."""

    def __init__(self, path: object, reason: str, names: tuple[str, ...], lines: tuple[str, ...]) -> None:
        super().__init__(path, reason)
        self.names, self.lines = names, lines

    def __reduce__(self) -> tuple[object, ...]:
        return type(self), (self.path, self.reason, self.names, self.lines)


class UnsupportedVersionError(FormatError):
    """A file was written by a newer program."""


class GeometryError(TrueGaugeError):
    """The CAD kernel could not do what was asked."""


class AssociationError(TrueGaugeError):
    """A feature cannot be associated with the points."""


class TooFewPointsError(AssociationError):
    """Fewer points than the shape has unknowns."""


class IndeterminateError(AssociationError):
    """The points do not determine the feature: on one line, on too short an arc, ..."""


class ConvergenceError(AssociationError):
    """The points do not resemble the shape, so that the search for it does not end."""


class RegistrationError(TrueGaugeError):
    """A scan could not be aligned."""


class DatumError(RegistrationError):
    """Datums cannot place the part: which of them, and why."""


class DeviceError(TrueGaugeError):
    """A device does not answer, or says something that it should not."""


class EvaluationError(TrueGaugeError):
    """A result cannot be computed; the text is the reason shown in its place."""


class Cancelled(BaseException):
    """The user asked to stop. Not an error: no ``except Exception`` on the way may eat it."""


def one_of(text: str, kinds: Iterable[object], what: str) -> str:
    """Return a text that must be one of some."""
    values = [str(k) for k in kinds]
    if text not in values:
        raise TrueGaugeError(f"{what} {text!r} is not known; use one of {', '.join(values)}")
    return text
