"""Measured points with names (CSV): what a device that gives single points writes."""

from pathlib import Path

from truegauge.core.errors import FormatError
from truegauge.core.samples.document import Touch
from truegauge.core.typed_number import typed_number
from truegauge.formats.files import read_bytes
from truegauge.formats.table_lines import cells_of, lines_of, separator_of, text_of

_SIDES = ("surface", "face", "wall")
_MOST = 100_000


def read_touches(path: Path) -> tuple[Touch, ...]:
    """Read a table of name, x, y, z (mm) and perhaps a side (surface, face, wall); a heading may come first.

    Raises
    ------
    FormatError
        A line that is no measured point, named by its number.
    """
    lines = lines_of(text_of(path, read_bytes(path), "save the table as CSV in UTF-8"))
    separator = separator_of(lines)
    touches: list[Touch] = []
    for number, line in lines:
        cells = cells_of(path, number, line, separator)
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
