"""What all readers of points share: checks, and reading many numbers at once."""

import warnings
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Points
from truegauge.core.errors import FormatError

LARGEST = 1e6  # mm or inch; anything larger is no part but damage


def checked_points(path: Path, rows: Points) -> tuple[Points, int]:
    """Return the rows that are numbers, (n, 3) float64, and how many were none.

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
    far = float(np.abs(points).max())
    if far > LARGEST:
        raise FormatError(path, f"a coordinate of {far:g} is no measured point; the file is damaged: export it again")
    return points, skipped


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
