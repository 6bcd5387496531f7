"""Measured points with names (CSV): what a device that gives single points writes."""

import csv
from pathlib import Path

from truegauge.core.errors import FormatError
from truegauge.core.plan.sample import Touch
from truegauge.core.typed_number import typed_number
from truegauge.formats.files import read_bytes

_SIDES = ("surface", "face", "wall")
_MOST = 100_000


def read_touches(path: Path) -> tuple[Touch, ...]:
    """Read a table of name, x, y, z (mm) and perhaps a side (surface, face, wall); a heading may come first.

    Raises
    ------
    FormatError
        A line that is no measured point, named by its number.
    """
    try:
        text = read_bytes(path).decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise FormatError(path, f"byte {error.start} is no text; save the table as CSV in UTF-8") from None
    lines = [(n, line) for n, line in enumerate(text.splitlines(), start=1) if line.strip() and line[0] != "#"]
    first = lines[0][1] if lines else ""
    separator = max(";\t,", key=first.count)
    touches: list[Touch] = []
    for number, line in lines:
        cells = [c.strip() for c in next(csv.reader([line], delimiter=separator))]
        if not touches and len(cells) >= 4 and [c.lower() for c in cells[1:4]] == ["x", "y", "z"]:
            continue
        touches.append(_touch(path, number, line, cells))
        if len(touches) > _MOST:
            raise FormatError(path, f"more than {_MOST:,} measured points; bring them in as a scan")
    if not touches:
        raise FormatError(path, "no measured points; each line needs a name and x, y, z")
    return tuple(touches)


def _touch(path: Path, number: int, line: str, cells: list[str]) -> Touch:
    try:
        place = tuple(typed_number(c) for c in cells[1:4])
        if len(place) < 3 or not cells[0]:
            raise ValueError
    except ValueError:
        raise FormatError(path, f"line {number} is no name with x, y, z: {line[:60]!r}") from None
    side = cells[4].lower() if len(cells) > 4 and cells[4] else "surface"
    if side not in _SIDES:
        raise FormatError(path, f"line {number}: the side is surface, face or wall, not {cells[4]!r}")
    return Touch(target=cells[0], place=(place[0], place[1], place[2]), side=side)  # type: ignore[arg-type]
