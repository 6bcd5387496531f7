"""Points from text (CSV, XYZ): three numbers a line, any usual separator; or a reference case in JSON."""

import re
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from truegauge.core.arrays import Floats, Points, Vector, unit
from truegauge.core.association.features import DIRECTIONS, Feature, Point, Shape
from truegauge.core.association.squares import RULES
from truegauge.core.errors import FormatError
from truegauge.core.typed_number import MOST
from truegauge.formats.files import read_bytes
from truegauge.formats.json_object import object_of_json
from truegauge.formats.promised_count import count_notes, promised_count
from truegauge.formats.table_lines import text_of

_SEPARATOR = re.compile(r"[,;\s]+")


@dataclass(frozen=True, slots=True)
class PointFile:
    """Points (n, 3) mm and what a reference case gives along with them (a plane, a rough nominal)."""

    points: Points
    given: dict[str, Any] = field(default_factory=dict)
    weights: Floats | None = None

    @property
    def plane_normal(self) -> Vector | None:
        """The normal of the plane in which straightness is judged, when one is given."""
        try:
            normal = np.array(self.given["plane"]["normal"], dtype=np.float64)
        except (KeyError, TypeError, ValueError):
            return None
        return normal if normal.shape == (3,) and np.isfinite(normal).all() and normal.any() else None

    def nominal(self, shape: Shape) -> Feature | None:
        """The rough feature that a reference case gives, when it is one of this shape."""
        values = self.given.get("nominal")
        kind = RULES[shape].feature if shape in RULES else Point
        try:
            read = {
                name: np.array(value, dtype=np.float64) if isinstance(value, list) else float(value)
                for name, value in values.items()  # type: ignore[union-attr]
                if name in kind.__slots__  # type: ignore[attr-defined]
            }
            feature = kind(**read)
            for name in DIRECTIONS:
                if name in read:
                    feature = feature.with_direction(name, unit(read[name]))
            sound = all(np.isfinite(v).all() and np.shape(v) in ((), (3,)) for v in read.values())
        except (AttributeError, TypeError, ValueError):
            return None
        return feature if sound else None


def read_points(path: Path, weights_column: int | None = None) -> PointFile:
    """Read points from CSV, XYZ or a JSON reference case (of which only `points` and `given` are read).

    Parameters
    ----------
    path : Path
        The file.
    weights_column : int
        The column of a text file that holds weights, counted from 1.

    Raises
    ------
    FormatError
        Nothing readable; the message names the line.
    """
    data = read_bytes(path)
    if data.lstrip()[:1] == b"{":
        if weights_column is not None:
            raise FormatError(path, "a JSON file has no columns; give weights in a text file")
        return _reference_case(path, data)
    if weights_column is None:
        return PointFile(_text_points(path, data, ()))
    if weights_column < 1:
        raise FormatError(path, "columns are counted from 1")
    rows = _text_points(path, data, (weights_column - 1,))
    return PointFile(np.ascontiguousarray(rows[:, :3]), weights=np.ascontiguousarray(rows[:, 3]))


def _reference_case(path: Path, data: bytes) -> PointFile:
    case = object_of_json(path, data, "this JSON file")
    try:
        points = np.array(case["points"], dtype=np.float64)
    except (ValueError, KeyError, TypeError, OverflowError) as error:
        raise FormatError(path, f"this JSON file holds no list of points ({error})") from error
    if points.ndim != 2 or points.shape[1] != 3 or len(points) == 0 or not (np.abs(points) <= MOST).all():
        raise FormatError(path, "its points must be a list of [x, y, z] numbers from -1,000,000 to 1,000,000")
    given = case.get("given")
    return PointFile(points, given if isinstance(given, dict) else {})


def _text_points(path: Path, data: bytes, more: tuple[int, ...]) -> Points:
    """Return the first three numbers of each line, and those of more columns (counted from 0)."""
    text = text_of(path, data, "export points as CSV or XYZ")
    heading: list[tuple[int, str]] = []
    rows: list[list[float]] = []
    for number, line in enumerate(text.splitlines(), start=1):
        line = line.strip()
        if not rows:
            heading.append((number, line))
        if not line or line.startswith("#"):
            continue
        words = [w for w in _SEPARATOR.split(line) if w]
        try:
            row = [float(w) for w in words[:3]]
            if len(row) < 3:
                raise ValueError
            if more and len(words) <= more[0]:
                raise FormatError(path, f"line {number} has no column {more[0] + 1}: {line[:60]!r}")
            row += [float(words[k]) for k in more]
        except ValueError:
            if not rows and (not _is_number(words[0]) or line.isdigit()):  # a heading, or a count of points
                continue
            raise FormatError(path, f"line {number} is not a point (three numbers): {line[:60]!r}") from None
        if not np.isfinite(row).all():
            raise FormatError(path, f"line {number} holds a number that is none (NaN): {line[:60]!r}")
        if max(map(abs, row)) > MOST:
            raise FormatError(path, f"line {number} holds a number that is out of reach: {line[:60]!r}")
        rows.append(row)
    if not rows:
        raise FormatError(path, "the file holds no points; each line needs three numbers")
    count_notes(path, promised_count(heading[:-1]), len(rows))
    return np.array(rows)


def _is_number(word: str) -> bool:
    try:
        float(word)
    except ValueError:
        return False
    return True
