"""Sections of a blade as a table of their points: columns x, y, z (mm), a section after the other, each in order."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.errors import FormatError
from truegauge.formats.table_lines import cells_of, lines_of, separator_of, text_of

if TYPE_CHECKING:
    from pathlib import Path

    from truegauge.core.arrays import Floats, Points

_MOST = 500_000
_LEAST = 12
_NAMES = ("section", "x", "y", "z")


def names_sections(first: str) -> bool:
    """Tell whether the first line of a CSV file is that of a table of sections: it names section, x, y and z."""
    separator = max(";\t,", key=first.count)
    cells = {cell.strip().strip('"').lower() for cell in first.lstrip("\ufeff").split(separator)}
    return set(_NAMES) <= cells


def sections_from_csv(path: Path, data: bytes) -> tuple[Points, ...]:
    """Return the points (n, 3) of each section, mm.

    The first line may name the columns: x, y, z, and perhaps section, by which they are told apart. Without that column
    a section is what stands at one z.

    Raises
    ------
    FormatError
        No such table: which line, and what is wrong.
    """
    lines = lines_of(text_of(path, data, "save the table as CSV in UTF-8"))
    if len(lines) > _MOST:
        raise FormatError(path, f"{len(lines):,} points are more than a table holds ({_MOST:,}); is this a scan?")
    if not lines:
        raise FormatError(path, "the table is empty: it needs the columns x, y, z with the points of sections")
    separator = separator_of(lines)
    names = [cell.lower() for cell in cells_of(path, *lines[0], separator)]
    columns = {name: names.index(name) for name in _NAMES if name in names}
    if columns:
        lines = lines[1:]
        missing = [name for name in "xyz" if name not in columns]
        if missing:
            raise FormatError(path, f"the table has no column {', '.join(missing)}")
    else:
        columns = {"x": 0, "y": 1, "z": 2}
    groups: dict[object, list[Floats]] = {}
    for number, line in lines:
        cells = cells_of(path, number, line, separator)
        place = np.array([_number(path, number, cells, columns[name]) for name in "xyz"])
        own: object = round(float(place[2]), 6)
        if "section" in columns:
            own = cells[columns["section"]] if columns["section"] < len(cells) else ""
        groups.setdefault(own, []).append(place)
    for own, places in groups.items():
        if len(places) < _LEAST:
            raise FormatError(path, f"the section {own} has {len(places)} points: {_LEAST} are the least")
    return tuple(np.array(places) for places in groups.values())


def _number(path: Path, number: int, cells: list[str], column: int) -> float:
    text = cells[column] if column < len(cells) else ""
    try:
        value = float(text)
    except ValueError:
        raise FormatError(path, f"line {number}: {text!r} is no number (column {column + 1})") from None
    if not abs(value) < 1e6:
        raise FormatError(path, f"line {number}: {text!r} is no place on a part (column {column + 1})")
    return value
