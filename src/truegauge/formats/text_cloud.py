"""Clouds from text (XYZ, ASC, TXT, CSV): separator, decimal comma and columns are found by themselves."""

import re
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Points
from truegauge.core.clouds.raw import RawCloud
from truegauge.core.errors import ColumnsUnknownError, FormatError
from truegauge.formats.points_check import checked_points, numbers_at_once
from truegauge.formats.promised_count import count_notes, promised_count
from truegauge.formats.table_lines import text_of

_NUMBER = re.compile(r"^[-+]?(\d+[.,]?\d*|[.,]\d+)([eE][-+]?\d+)?$|^[-+]?(nan|inf)$", re.IGNORECASE)
_NORMALS = (("nx", "ny", "nz"), ("normalx", "normaly", "normalz"), ("i", "j", "k"))
_COLORS = (("r", "g", "b"), ("red", "green", "blue"))
_LOOK = 50  # lines looked at


@dataclass(frozen=True, slots=True)
class _Columns:
    """Where the coordinates, normals and colours of a line stand."""

    points: tuple[int, ...]
    normals: tuple[int, ...] = ()
    colors: tuple[int, ...] = ()

    @property
    def all(self) -> list[int]:
        return [*self.points, *self.normals, *self.colors]


def points_from_text(path: Path, data: bytes, columns: tuple[int, int, int] | None = None) -> RawCloud:
    """Return the points with their normals and colours; `columns` tells where x, y and z stand (from 0).

    Raises
    ------
    ColumnsUnknownError
        More than three columns whose heading names no x, y and z.
    FormatError
        No text, no three columns of numbers, or a bad line; the message names it.
    """
    text = text_of(path, data, "export the points as text")
    lines = text.splitlines()
    start, heading = _first_row(path, lines)
    separator, comma = _layout(lines[start])
    width = len(_words(lines[start], separator))
    if columns is not None and max(columns) >= width:
        raise FormatError(path, f"its lines have {width} columns; column {max(columns) + 1} is not there")
    chosen = _Columns(columns) if columns is not None else _columns(path, heading, lines[start:], separator, comma)
    fast = _all_numbers(lines[start:], separator, comma, width)
    rows = fast[:, chosen.all] if fast is not None else _line_by_line(path, lines, start, separator, comma, chosen.all)
    if text[-1:] not in ("\n", "\r"):
        _require_whole(path, lines, start, separator)
    table = np.asarray(rows, dtype=np.float64)
    notes = count_notes(path, promised_count(enumerate(lines[:start], start=1)), len(table))
    n = len(chosen.normals)
    cloud = checked_points(
        path, np.ascontiguousarray(table[:, :3]), table[:, 3:6] if n else None,
        table[:, 3 + n : 6 + n] if chosen.colors else None,
    )  # fmt: skip
    return replace(cloud, notes=notes)


def _require_whole(path: Path, lines: list[str], start: int, separator: str) -> None:
    """Refuse a last line without an end that is shorter than all before it: there the file was cut off.

    "12.5" may be what is left of "12.512": where every other line has as many decimals, the last one must, too.
    """
    *before, last = [_words(line, separator) for line in lines[max(start, len(lines) - _LOOK) :] if line.strip()]
    if len(before) < 3:
        return
    widths, decimals = {len(words) for words in before}, {_decimals(words) for words in before}
    if len(last) < min(widths) or (len(decimals) == 1 and _decimals(last) < min(decimals)):
        raise FormatError(path, f"cut off in line {len(lines)}: {lines[-1][:60]!r}; copy or export it again")


def _decimals(words: list[str]) -> int:
    return len(words[-1].replace(",", ".").partition(".")[2])


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


def _columns(path: Path, heading: str, lines: list[str], separator: str, comma: bool) -> _Columns:
    """Return what stands where: by the heading, else by what the numbers of the first lines look like."""
    width = len(_words(lines[0], separator))
    if width < 3:
        raise FormatError(path, f"its lines have {width} numbers; a point needs three")
    names = [w.lower().split("[")[0].split("(")[0].strip() for w in _words(heading, separator)] if heading else []
    names = names if len(names) == width else [w.lower() for w in heading.replace(",", " ").split()]
    if len(names) == width and all(names.count(c) == 1 for c in "xyz"):
        return _Columns(tuple(names.index(c) for c in "xyz"), _named(names, _NORMALS), _named(names, _COLORS))
    if width == 3:
        return _Columns((0, 1, 2))
    if len(names) == width and not all(_NUMBER.match(w) for w in names):
        raise ColumnsUnknownError(
            path, f"which of its {width} columns are x, y and z cannot be told from its heading; say which",
            tuple(_words(heading, separator)), tuple(lines[:4]),
        )  # fmt: skip
    return _by_looks(_sample(lines, separator, comma, width))


def _named(names: list[str], groups: tuple[tuple[str, str, str], ...]) -> tuple[int, ...]:
    for group in groups:
        if all(names.count(c) == 1 for c in group):
            return tuple(names.index(c) for c in group)
    return ()


def _sample(lines: list[str], separator: str, comma: bool, width: int) -> NDArray[np.float64]:
    rows = []
    for line in lines[:_LOOK]:
        words = _words(line.replace(",", ".") if comma else line, separator)
        if len(words) == width and all(_NUMBER.match(w) for w in words):
            rows.append([float(w.replace(",", ".")) for w in words])
    return np.array(rows, dtype=np.float64).reshape(-1, width)


def _by_looks(rows: NDArray[np.float64]) -> _Columns:
    """Tell a counting first column, unit vectors and bytes of colour from coordinates; the rest is left out."""
    width = rows.shape[1]
    steps = np.diff(rows[:, 0])
    first = int(width > 3 and len(rows) > 2 and bool(np.all(steps == 1)))
    points = (first, first + 1, first + 2)
    normals: tuple[int, ...] = ()
    colors: tuple[int, ...] = ()
    at = first + 3
    while at < width:
        three = rows[:, at : at + 3]
        if three.shape[1] == 3 and not normals and np.allclose(np.linalg.norm(three, axis=1), 1.0, atol=0.02):
            normals, at = (at, at + 1, at + 2), at + 3
        elif (
            three.shape[1] == 3 and not colors and width - at <= 4
            and np.all((three == np.round(three)) & (three >= 0) & (three <= 255))
        ):  # fmt: skip
            colors, at = (at, at + 1, at + 2), at + 3
        else:
            at += 1
    return _Columns(points, normals, colors)


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
