"""Tables of text in: what all readers of CSV and of lists of points share."""

import csv
from pathlib import Path

from truegauge.core.errors import FormatError

_LONGEST = 1000  # characters of a cell: more is no name and no number


def text_of(path: Path, data: bytes, instead: str) -> str:
    """Return the text of a file in UTF-8.

    Raises
    ------
    FormatError
        It is none: where, and what to do (`instead`).
    """
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise FormatError(path, f"this is not a text file (byte {error.start}); {instead}") from error
    if "\0" in text:
        raise FormatError(path, f"this is not a text file (byte {text.index(chr(0))}); {instead}")
    return text


def lines_of(text: str) -> list[tuple[int, str]]:
    """Return the lines that hold something and are no comment, with their numbers from 1."""
    return [(n, line) for n, line in enumerate(text.splitlines(), start=1) if line.strip() and line[0] != "#"]


def separator_of(lines: list[tuple[int, str]]) -> str:
    """Return what parts the cells: by the first line."""
    first = lines[0][1] if lines else ""
    return max(";\t,", key=first.count)


def cells_of(path: Path, number: int, line: str, separator: str) -> list[str]:
    """Return the cells of a line, without the space around them.

    Raises
    ------
    FormatError
        Quotation marks that do not close, or a cell that is longer than anything that is said in one.
    """
    _require_short(path, number, line.split(separator))
    try:
        cells = next(csv.reader([line], delimiter=separator, strict=True), [])
    except csv.Error as error:
        raise FormatError(path, f"line {number}: {error}; check its quotation marks") from None
    _require_short(path, number, cells)  # also those with separators in them
    return [cell.strip() for cell in cells]


def _require_short(path: Path, number: int, cells: list[str]) -> None:
    for k, cell in enumerate(cells, start=1):
        if len(cell) > _LONGEST:
            raise FormatError(path, f"line {number}: cell {k} has {len(cell):,} characters (at most {_LONGEST:,})")
