"""Points from text (CSV, XYZ): three numbers a line, any usual separator; or a reference case in JSON."""

import json
import re
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from truegauge.core.arrays import Floats, Points, Vector, unit
from truegauge.core.association.features import DIRECTIONS, Feature, Point, Shape
from truegauge.core.association.squares import RULES
from truegauge.core.errors import FormatError
from truegauge.formats.files import read_bytes

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
    try:
        case = json.loads(data)
        points = np.array(case["points"], dtype=np.float64)
    except (ValueError, KeyError, TypeError, RecursionError) as error:
        raise FormatError(path, f"this JSON file holds no list of points ({error})") from error
    if points.ndim != 2 or points.shape[1] != 3 or len(points) == 0 or not np.isfinite(points).all():
        raise FormatError(path, "its points must be a list of [x, y, z] numbers")
    given = case.get("given")
    return PointFile(points, given if isinstance(given, dict) else {})


def _text_points(path: Path, data: bytes, more: tuple[int, ...]) -> Points:
    """Return the first three numbers of each line, and those of more columns (counted from 0)."""
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise FormatError(path, f"this is not a text file (byte {error.start}); export points as CSV or XYZ") from error
    rows: list[list[float]] = []
    for number, line in enumerate(text.splitlines(), start=1):
        line = line.strip()
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
            if not rows and not _is_number(words[0]):  # a heading
                continue
            raise FormatError(path, f"line {number} is not a point (three numbers): {line[:60]!r}") from None
        if not np.isfinite(row).all():
            raise FormatError(path, f"line {number} holds a number that is none (NaN): {line[:60]!r}")
        rows.append(row)
    if not rows:
        raise FormatError(path, "the file holds no points; each line needs three numbers")
    return np.array(rows)


def _is_number(word: str) -> bool:
    try:
        float(word)
    except ValueError:
        return False
    return True
