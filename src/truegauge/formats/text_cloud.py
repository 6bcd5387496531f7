"""Clouds from text (XYZ, ASC, TXT, CSV): separator, decimal comma and columns are found by themselves."""

import re
from pathlib import Path

import numpy as np

from truegauge.core.arrays import Points
from truegauge.core.errors import FormatError
from truegauge.formats.points_check import checked_points, numbers_at_once

_NUMBER = re.compile(r"^[-+]?(\d+[.,]?\d*|[.,]\d+)([eE][-+]?\d+)?$|^[-+]?(nan|inf)$", re.IGNORECASE)
_LOOK = 50  # lines looked at


def points_from_text(path: Path, data: bytes) -> tuple[Points, int]:
    """Return the points (n, 3) and how many were skipped because they were no numbers.

    Raises
    ------
    FormatError
        No text, no three columns of numbers, columns that cannot be told, or a bad line; the message names it.
    """
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise FormatError(path, f"this is not a text file (byte {error.start}); export the points as text") from error
    if "\0" in text:
        raise FormatError(path, f"this is not a text file (byte {text.index(chr(0))}); export the points as text")
    lines = text.splitlines()
    start, heading = _first_row(path, lines)
    separator, comma = _layout(lines[start])
    width = len(_words(lines[start], separator))
    columns = _columns(path, heading, separator, width)
    fast = _all_numbers(lines[start:], separator, comma, width)
    rows = fast[:, columns] if fast is not None else _line_by_line(path, lines, start, separator, comma, columns)
    return checked_points(path, np.asarray(rows, dtype=np.float64))


def _is_comment(line: str) -> bool:
    return not line.strip() or line.lstrip()[:1] in "#/!;"


def _first_row(path: Path, lines: list[str]) -> tuple[int, str]:
    """Return the first line of numbers and the heading before it (empty for none)."""
    heading = ""
    for index, line in enumerate(lines[: _LOOK * 4]):
        if _is_comment(line):
            if not heading and re.search(r"\bx\b.*\by\b.*\bz\b", line, re.IGNORECASE):
                heading = line.strip().lstrip("#/!; ")
            continue
        words = _words(line, _layout(line)[0])
        numbers = sum(bool(_NUMBER.match(w)) for w in words)
        if numbers >= 3 and numbers == len(words):
            return index, heading
        if numbers >= 3:
            raise FormatError(path, f"line {index + 1} mixes numbers and words: {line.strip()[:60]!r}")
        if len(words) == 1 and numbers == 1:  # a count of points, as some programs write it
            continue
        if numbers and (heading or numbers == len(words)):
            raise FormatError(path, f"line {index + 1} is not a point (three numbers): {line.strip()[:60]!r}")
        heading = line.strip()
    raise FormatError(path, "the file holds no lines of three numbers; export the points as text")


def _layout(line: str) -> tuple[str, bool]:
    """Return the separator of a line (empty: spaces), and whether its numbers have decimal commas."""
    for separator in (";", "\t"):
        if separator in line.strip():
            return separator, "," in line
    if "," in line:
        spaced = line.split()
        # "1,5 2,5 3,5" has decimal commas; "1.5,2.5,3.5" and "1, 2, 3" do not.
        if len(spaced) >= 3 and all("," in w.strip(",") and not w.endswith(",") for w in spaced[:3]):
            return "", True
        return ",", False
    return "", False


def _words(line: str, separator: str) -> list[str]:
    words = line.split(separator) if separator else line.split()
    stripped = [w.strip().strip('"') for w in words]
    while stripped and not stripped[-1]:
        stripped.pop()
    return stripped


def _columns(path: Path, heading: str, separator: str, width: int) -> list[int]:
    """Return where x, y and z stand: by the heading, else the first three."""
    names = [w.lower().split("[")[0].split("(")[0].strip() for w in _words(heading, separator)] if heading else []
    names = names if len(names) == width else [w.lower() for w in heading.replace(",", " ").split()]
    if len(names) == width and all(names.count(c) == 1 for c in "xyz"):
        return [names.index(c) for c in "xyz"]
    if width < 3:
        raise FormatError(path, f"its lines have {width} numbers; a point needs three")
    return [0, 1, 2]


def _all_numbers(lines: list[str], separator: str, comma: bool, width: int) -> Points | None:
    """Read all lines at once; None when a line is not like the others."""
    joined = "\n".join(lines)
    if comma:
        joined = joined.replace(",", ".")
    if separator:
        joined = joined.replace(separator, " ")
    filled = sum(1 for line in lines if line and not line.isspace())
    values = numbers_at_once(joined, filled)
    return values if values is not None and values.shape[1] == width else None


def _line_by_line(
    path: Path, lines: list[str], start: int, separator: str, comma: bool, columns: list[int]
) -> list[list[float]]:
    rows = []
    for number, line in enumerate(lines[start:], start=start + 1):
        if _is_comment(line):
            continue
        words = _words(line.replace(",", ".") if comma else line, separator)
        try:
            rows.append([float(words[c]) for c in columns])
        except (ValueError, IndexError):
            raise FormatError(path, f"line {number} is not a point (three numbers): {line.strip()[:60]!r}") from None
    return rows
