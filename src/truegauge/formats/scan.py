"""A scan as it comes out of a file."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from truegauge.core.arrays import Points, frozen
from truegauge.core.errors import FormatError
from truegauge.formats.files import content_key, read_bytes
from truegauge.formats.obj import points_from_obj
from truegauge.formats.ply import points_from_ply
from truegauge.formats.stl import points_from_stl
from truegauge.formats.text_cloud import points_from_text

MM_PER_UNIT = {"mm": 1.0, "inch": 25.4}
SCAN_READERS: dict[str, Callable[[Path, bytes], tuple[Points, int]]] = {
    ".ply": points_from_ply,
    ".stl": points_from_stl,
    ".obj": points_from_obj,
    **dict.fromkeys((".xyz", ".asc", ".txt", ".csv"), points_from_text),
}


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
    """Read a point cloud from a file of any of the `SCAN_READERS`, whose lengths are in `unit`.

    Raises
    ------
    FormatError
        As the reader, or an unknown unit or ending.
    """
    return scan_from_bytes(path, read_bytes(path), unit)


def scan_from_bytes(path: Path, content: bytes, unit: str, ending: str = "") -> Scan:
    """Build a scan from the content of a file; `path` is for messages, the name, and (without `ending`) the format."""
    if unit not in MM_PER_UNIT:
        raise FormatError(path, f"unit {unit!r} is not known; use mm or inch")
    reader = SCAN_READERS.get((ending or path.suffix).lower())
    if reader is None:
        raise FormatError(path, f"this kind of scan cannot be read; use one of {', '.join(SCAN_READERS)}")
    points, skipped = reader(path, content)
    scaled = points if unit == "mm" else points * MM_PER_UNIT[unit]
    return Scan(path.stem, unit, frozen(scaled), f"{content_key(content)}-{unit}", content, skipped)
