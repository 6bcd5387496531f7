"""Statements of a program: labels, words and parameters; lines that go on in the next one; remarks."""

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field

WIDTH = 80  # of a line
_STATEMENT = re.compile(
    r"(?:(?P<kind>[A-Za-z]{1,3})\((?P<label>[^()]{1,120})\)\s*=\s*)?(?P<major>[A-Za-z]{2,12})(?:\s*/\s*(?P<rest>.*))?"
)
_REFERENCE = re.compile(r"(?P<kind>[A-Za-z]{1,3})\((?P<label>[^()]{1,120})\)")
_LABEL = re.compile(r"[^A-Za-z0-9._-]+")


class NotUnderstood(Exception):
    """A statement that says what a plan cannot hold, or not as it can be read; why, in words."""


class Within(NotUnderstood):
    """A statement within what is not read as a whole, which was told already."""


class Broken(Exception):
    """A text that is no program, or of which nothing after some line can be read rightly; why, in words."""


@dataclass(frozen=True, slots=True)
class Statement:
    """One statement: `kind` and `label` of what it defines ("F", "base"; empty for none), its word and parameters.

    `line` is that of its beginning, `text` all of it as it was written.
    """

    major: str
    parameters: tuple[str, ...] = ()
    kind: str = ""
    label: str = ""
    line: int = 0
    text: str = field(default="", compare=False)

    @property
    def key(self) -> str:
        """What it defines: "F(base)"; else its word."""
        return f"{self.kind}({self.label})" if self.kind else self.major

    def at(self, k: int) -> str:
        """Return a parameter, its word in capitals; empty where there is none."""
        return self.parameters[k].upper() if k < len(self.parameters) else ""

    def number(self, k: int) -> float:
        """Return a parameter as a number (NotUnderstood: it is none)."""
        text = self.parameters[k] if k < len(self.parameters) else ""
        try:
            value = float(text)
        except ValueError:
            raise NotUnderstood(f"{text!r} is no number") from None
        if not abs(value) < 1e7:
            raise NotUnderstood(f"{text} is too large")
        return value

    def numbers(self, first: int, count: int) -> tuple[float, ...]:
        """Return some parameters as numbers."""
        return tuple(self.number(k) for k in range(first, first + count))

    def references(self) -> Iterator[tuple[str, str]]:
        """Return what its parameters refer to: ("FA", "base"), ..."""
        for p in self.parameters:
            found = _REFERENCE.fullmatch(p.strip())
            if found:
                yield found["kind"].upper(), found["label"]

    def __str__(self) -> str:
        """Return it as it is written: in lines of 80 characters where it can be parted."""
        head = (f"{self.kind}({self.label})=" if self.kind else "") + self.major
        return "\n".join(_lines(head + ("/" if self.parameters else ""), self.parameters))


@dataclass(frozen=True, slots=True)
class Remark:
    """A remark: what stands behind its two signs."""

    text: str
    line: int = 0


def statement(text: str, line: int = 0) -> Statement:
    """Return a statement of its text in one line (NotUnderstood: it is none)."""
    found = _STATEMENT.fullmatch(text.strip())
    if found is None:
        raise NotUnderstood("it is no statement")
    rest = found["rest"]
    parameters = () if rest is None else tuple(_parted(rest))
    kind, label = (found["kind"] or "").upper(), found["label"] or ""
    return Statement(found["major"].upper(), parameters, kind, label, line, text.strip())


def read_lines(text: str) -> Iterator[tuple[int, str]]:
    """Return statements and remarks (these begin with `$$`) in one line each, with the number of their first line."""
    whole, first = "", 0
    for number, raw in enumerate(text.splitlines(), 1):
        line = raw.strip()
        if not whole and (not line or line.startswith("$$")):
            if line:
                yield number, raw.lstrip()
            continue
        first = first or number
        if line.endswith("$") and not line.startswith("$$"):
            whole += line[:-1]
            continue
        yield first, whole + line
        whole, first = "", 0
    if whole:
        yield first, whole


def number_text(value: float) -> str:
    """Return a number as it is written: nine decimals at most, no exponent."""
    text = f"{value:.9f}".rstrip("0").rstrip(".")
    return "0" if text in ("-0", "") else text


def numbers_text(values: Iterable[float]) -> tuple[str, ...]:
    """Return numbers as they are written."""
    return tuple(number_text(float(v)) for v in values)


def quoted(text: str) -> str:
    """Return a text as a parameter."""
    return "'" + " ".join(text.split()).replace("'", "''") + "'"


def unquoted(text: str) -> str:
    """Return the text of a parameter (NotUnderstood: it is none)."""
    text = text.strip()
    if len(text) < 2 or text[0] != "'" or text[-1] != "'":
        raise NotUnderstood(f"{text!r} is no text")
    return text[1:-1].replace("''", "'")


def label_of(text: str) -> str:
    """Return a label for a name: letters, digits, points, hyphens."""
    return _LABEL.sub("-", text)[:60] or "-"


def _parted(rest: str) -> list[str]:
    """Return the parameters: commas within texts and brackets do not part them."""
    parts, deep, quote, current = list[str](), 0, False, ""
    for sign in rest:
        if sign == "'":
            quote = not quote
        elif not quote:
            deep += (sign == "(") - (sign == ")")
            if sign == "," and deep <= 0:
                parts.append(current.strip())
                current = ""
                continue
        current += sign
    if quote:
        raise NotUnderstood("a text does not end")
    return [*parts, current.strip()]


def _lines(head: str, parameters: tuple[str, ...]) -> list[str]:
    lines, current = list[str](), head
    for k, p in enumerate(parameters):
        piece = p + ("," if k < len(parameters) - 1 else "")
        if len(current) + len(piece) + 1 > WIDTH and current != head:
            lines.append(current + "$")
            current = "  "
        current += piece
    return [*lines, current]
