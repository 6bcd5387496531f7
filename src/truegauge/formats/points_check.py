"""What all readers of points share: checks, and reading many numbers at once."""

import warnings
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Points
from truegauge.core.clouds.raw import Colors, RawCloud
from truegauge.core.errors import FormatError
from truegauge.core.typed_number import MOST

LARGEST = MOST  # of any unit; anything larger is no part but damage


def checked_points(
    path: Path, rows: Points, normals: NDArray[Any] | None = None, colors: NDArray[Any] | None = None
) -> RawCloud:
    """Return the rows that are numbers, (n, 3) float64, and how many were none; normals of unit length.

    Raises
    ------
    FormatError
        No point, no usable point, or a coordinate that no part has.
    """
    if len(rows) == 0:
        raise FormatError(path, "the file holds no points; export the scan again")
    good = np.isfinite(rows).all(axis=1)
    skipped = int(len(rows) - good.sum())
    if skipped == len(rows):
        raise FormatError(path, f"none of its {len(rows)} points is a number (NaN); export the scan again")
    points = np.ascontiguousarray(rows[good]) if skipped else np.ascontiguousarray(rows)
    far = float(max(points.max(), -points.min()))
    if far > LARGEST:
        raise FormatError(path, f"a coordinate of {far:g} is no measured point; the file is damaged: export it again")
    if normals is not None:
        normals = normals[good] if skipped else normals
    if colors is not None:
        colors = colors[good] if skipped else colors
    return RawCloud(points, skipped, _unit(normals), None if colors is None else _bytes(colors))


def _unit(normals: NDArray[Any] | None) -> NDArray[np.float64] | None:
    """Return normals of length 1; None when most have none, as files of zeros do."""
    if normals is None:
        return None
    given = np.nan_to_num(np.asarray(normals, dtype=np.float64), nan=0.0, posinf=0.0, neginf=0.0)
    length = np.linalg.norm(given, axis=1)
    there = (length > 1e-6) & (length < 1e6)
    if there.mean() < 0.5:
        return None
    return np.where(there[:, None], given / np.where(there, length, 1.0)[:, None], 0.0)


def _bytes(colors: NDArray[Any]) -> Colors:
    """Return colours of any kind (0 to 1, 0 to 255, 16 bits) as bytes."""
    if colors.dtype == np.uint8:
        return np.ascontiguousarray(colors)
    numbers = np.nan_to_num(np.asarray(colors, dtype=np.float64), nan=0.0, posinf=0.0, neginf=0.0)
    top = float(numbers.max())
    scale = 255.0 if 0 < top <= 1.0 else 1.0 if top <= 255.0 else 255.0 / 65535.0
    return np.clip(np.round(numbers * scale), 0, 255).astype(np.uint8)


def numbers_at_once(text: str, lines: int) -> NDArray[np.float64] | None:
    """Read lines of numbers parted by spaces as (lines, k); None when they are not all alike."""
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        try:
            values = np.fromstring(text, sep=" ")
        except (DeprecationWarning, ValueError):
            return None
    if lines == 0 or len(values) % lines:
        return None
    width = len(values) // lines
    # As many more on one line as fewer on another would go unnoticed by their sum.
    alike = all(len(line.split()) == width for line in text.splitlines() if line and not line.isspace())
    return values.reshape(-1, width) if alike else None
