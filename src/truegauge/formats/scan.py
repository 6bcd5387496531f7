"""A scan as it comes out of a file."""

from dataclasses import dataclass
from pathlib import Path

from truegauge.core.arrays import Points, frozen
from truegauge.core.errors import FormatError
from truegauge.formats.files import content_key, read_bytes
from truegauge.formats.ply import points_from_ply

MM_PER_UNIT = {"mm": 1.0, "inch": 25.4}


@dataclass(frozen=True, slots=True, eq=False)
class Scan:
    """Raw points of one scan.

    `points` (n, 3) mm, read-only; `key` identifies content and unit; `content` is the file itself, kept so that a
    saved sample holds the very same bytes; `skipped` points were no numbers.
    """

    name: str
    unit: str
    points: Points
    key: str
    content: bytes
    skipped: int


def read_scan(path: Path, unit: str = "mm") -> Scan:
    """Read a point cloud from a PLY file whose lengths are in `unit`.

    Raises
    ------
    FormatError
        As `points_from_ply`, or an unknown unit.
    """
    return scan_from_bytes(path, read_bytes(path), unit)


def scan_from_bytes(path: Path, content: bytes, unit: str) -> Scan:
    """Build a scan from the content of a file; `path` is for messages and the name."""
    if unit not in MM_PER_UNIT:
        raise FormatError(path, f"unit {unit!r} is not known; use mm or inch")
    points, skipped = points_from_ply(path, content)
    scaled = points if unit == "mm" else points * MM_PER_UNIT[unit]
    return Scan(path.stem, unit, frozen(scaled), f"{content_key(content)}-{unit}", content, skipped)
