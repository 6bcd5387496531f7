"""Tables of nominal features and lists of nominal points (CSV): a part without CAD."""

import csv
import io
from pathlib import Path

from truegauge.core.cad.model import CadModel
from truegauge.core.cad.nominal_part import NominalRow, part_from_rows
from truegauge.core.errors import FormatError, GeometryError
from truegauge.core.typed_number import typed_number
from truegauge.formats.sections_csv import names_sections
from truegauge.formats.table_lines import cells_of, lines_of, separator_of, text_of

# What a column may be called; the first name is the one that is written.
COLUMNS: dict[str, tuple[str, ...]] = {
    "kind": ("type", "kind", "feature"),
    "name": ("name", "label", "id"),
    "x": ("x",), "y": ("y",), "z": ("z",),
    "i": ("i", "nx"), "j": ("j", "ny"), "k": ("k", "nz"),
    "diameter": ("diameter", "size", "d"),
    "second_diameter": ("second diameter", "tube diameter"),
    "length": ("length", "l"), "width": ("width", "w"), "depth": ("depth", "height"),
    "angle": ("angle", "cone angle"),
}  # fmt: skip
NOMINAL_HEADINGS = tuple(names[0] for names in COLUMNS.values())
_WORDS = {"cylinder": "hole", "bore": "hole", "ball": "sphere", "bolt": "pin", "shaft": "boss"}
_MOST = 20_000


def part_from_csv(path: Path, data: bytes, key: str) -> CadModel:
    """Read a table whose first line names its columns; without a type column every line is a nominal point.

    Raises
    ------
    FormatError
        No such table, or a line that makes no feature, named by its number.
    """
    rows = rows_from_csv(path, data)
    try:
        model = part_from_rows(rows, key, path.stem)
    except GeometryError as error:
        raise FormatError(path, str(error)) from error
    if model.diagonal < 1e-3:
        raise FormatError(path, "all its features lie in one place; check the columns x, y and z")
    return model


def rows_from_csv(path: Path, data: bytes) -> tuple[NominalRow, ...]:
    """Return the rows of a table of nominal features."""
    lines = lines_of(text_of(path, data, "save the table as CSV in UTF-8"))
    separator = separator_of(lines)
    if len(lines) < 2:
        raise FormatError(path, "the table holds no features; give a first line of column names and one line each")
    if len(lines) > _MOST:
        raise FormatError(path, f"{len(lines):,} features are more than a table holds ({_MOST:,}); is this a scan?")
    names = [cell.lower() for cell in cells_of(path, *lines[0], separator)]
    places = _places(path, names)
    return tuple(_row(path, number, cells_of(path, number, line, separator), places) for number, line in lines[1:])


def names_features(path: Path) -> bool:
    """Tell whether a CSV file is a part, not a scan: its first line names the type of features, or sections."""
    try:
        with path.open("rb") as file:
            first = file.readline(2000).decode("utf-8-sig", errors="replace")
    except OSError:
        return False
    separator = max(";\t,", key=first.count)
    return names_sections(first) or any(
        cell.strip().strip('"').lower() in COLUMNS["kind"] for cell in first.split(separator)
    )


def rows_to_csv(rows: tuple[NominalRow, ...]) -> bytes:
    """Write a table that `rows_from_csv` reads back."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(NOMINAL_HEADINGS)
    for r in rows:
        sizes = (r.diameter, r.second_diameter, r.length, r.width, r.depth, r.angle)
        numbers = (*r.position, *r.direction, *sizes)
        writer.writerow([r.kind, r.name, *(repr(float(x)) for x in numbers)])
    return out.getvalue().encode()


def _places(path: Path, names: list[str]) -> dict[str, int]:
    places: dict[str, int] = {}
    for field, known in COLUMNS.items():
        there = [i for i, name in enumerate(names) if name in known]
        if len(there) > 1:
            raise FormatError(path, f"two columns are called {names[there[0]]!r}; name each column once")
        if there:
            places[field] = there[0]
    missing = [c for c in "xyz" if c not in places]
    if missing:
        raise FormatError(
            path, f"no column is called {missing[0]}; the first line names the columns: "
            "type, name, x, y, z, i, j, k, diameter, length, width, depth, angle",
        )  # fmt: skip
    return places


def _row(path: Path, number: int, cells: list[str], places: dict[str, int]) -> NominalRow:
    def text(field: str) -> str:
        at = places.get(field, -1)
        return cells[at] if 0 <= at < len(cells) else ""

    def value(field: str, default: float | None) -> float:
        said = text(field)
        if not said:
            if default is None:
                raise FormatError(path, f"line {number}: {field} is empty")
            return default
        try:
            return typed_number(said)
        except ValueError as error:
            raise FormatError(path, f"line {number}: {field}: {error}") from None

    kind = text("kind").lower() or "point"
    if "kind" in places and not text("kind"):
        raise FormatError(path, f"line {number}: the type is empty")
    given = any(text(c) for c in "ijk")
    direction = tuple(value(c, 0.0) for c in "ijk") if given else (0.0, 0.0, 1.0)
    i, j, k = direction
    row = NominalRow(
        _WORDS.get(kind, kind), text("name"), (value("x", None), value("y", None), value("z", None)), (i, j, k),
        *(value(f, 0.0) for f in ("diameter", "second_diameter", "length", "width", "depth", "angle")),
    )  # fmt: skip
    try:
        return row.checked(f"line {number}")
    except GeometryError as error:
        raise FormatError(path, str(error)) from error
