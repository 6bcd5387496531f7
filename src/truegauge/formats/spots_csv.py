"""Tables of places in: spot checks, and nominal points by name.

Columns by their headings: name, x, y, z (mm, part coordinates); for spot checks also i, j, k (a direction to read
along), lower, upper, radius; for nominal points i, j, k is the normal there.
"""

from pathlib import Path

from truegauge.core.authoring.readings import NamedPlace, SpotWish
from truegauge.core.errors import FormatError
from truegauge.core.frozen_model import Three
from truegauge.core.typed_number import typed_number
from truegauge.formats.files import read_bytes
from truegauge.formats.table_lines import cells_of, lines_of, separator_of, text_of

_PLACE = ("x", "y", "z")
_DIRECTION = ("i", "j", "k")
_MOST = 5000


def read_spots(path: Path) -> tuple[SpotWish, ...]:
    """Read spot checks from a table.

    Raises
    ------
    FormatError
        Not a table with x, y and z, or a cell that is no number; with its line.
    """
    made = []
    for line, row in _rows(path):
        place = _three(path, line, row, _PLACE)
        assert place is not None
        plain = SpotWish(place, row.get("name", ""))
        lower = _number(path, line, row, "lower", plain.lower)
        upper = _number(path, line, row, "upper", plain.upper)
        if lower is not None and upper is not None and lower > upper:
            raise FormatError(path, f"line {line}: the lower limit is above the upper limit")
        radius = _number(path, line, row, "radius", plain.radius)
        if radius is None or radius <= 0:
            raise FormatError(path, f"line {line}: the radius must be above zero")
        made.append(SpotWish(place, plain.name, _three(path, line, row, _DIRECTION), lower, upper, radius))
    return tuple(made)


def read_named_places(path: Path) -> tuple[NamedPlace, ...]:
    """Read nominal points from a table; every one needs a name.

    Raises
    ------
    FormatError
        As `read_spots`; or a point without a name, or with that of another.
    """
    made: list[NamedPlace] = []
    for line, row in _rows(path):
        name = row.get("name", "")
        if not name:
            raise FormatError(path, f"line {line}: the point has no name")
        if any(p.name.casefold() == name.casefold() for p in made):
            raise FormatError(path, f"line {line}: there is another point named {name}")
        place = _three(path, line, row, _PLACE)
        assert place is not None
        made.append(NamedPlace(name, place, _three(path, line, row, _DIRECTION)))
    return tuple(made)


def _rows(path: Path) -> list[tuple[int, dict[str, str]]]:
    lines = lines_of(text_of(path, read_bytes(path), "save the table as CSV in UTF-8"))
    separator = separator_of(lines)
    heads = [h.casefold() for h in cells_of(path, *lines[0], separator)] if lines else []
    twice = next((h for h in heads if h and heads.count(h) > 1), "")
    if twice:
        raise FormatError(path, f"line 1: two columns are called {twice!r}; name each column once")
    missing = [c for c in _PLACE if c not in heads]
    if missing:
        raise FormatError(path, f"line 1: the heading has no column {', '.join(missing)}; name, x, y, z are needed")
    if len(lines) > _MOST:
        raise FormatError(path, f"{len(lines) - 1:,} rows; at most {_MOST:,} are read")
    cells = ((number, cells_of(path, number, line, separator)) for number, line in lines[1:])
    rows = [(number, dict(zip(heads, row, strict=False))) for number, row in cells if any(row)]
    if not rows:
        raise FormatError(path, "the table has no row below its heading")
    return rows


def _number(path: Path, line: int, row: dict[str, str], column: str, otherwise: float | None) -> float | None:
    text = row.get(column, "")
    if not text:
        return otherwise
    try:
        return typed_number(text)
    except ValueError as error:
        raise FormatError(path, f"line {line}, column {column}: {error}") from None


def _three(path: Path, line: int, row: dict[str, str], columns: tuple[str, str, str]) -> Three | None:
    if columns is _DIRECTION and not any(row.get(c) for c in columns):
        return None
    values = [_number(path, line, row, c, None) for c in columns]
    if None in values:
        raise FormatError(path, f"line {line}: {columns[values.index(None)]} is missing")
    x, y, z = (float(v or 0.0) for v in values)
    if columns is _DIRECTION and x == y == z == 0.0:
        raise FormatError(path, f"line {line}: the direction has length zero")
    return x, y, z
