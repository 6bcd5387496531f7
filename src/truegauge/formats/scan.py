"""A scan as it comes out of a file."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from truegauge.core.arrays import Normals, Points, frozen
from truegauge.core.clouds.raw import Colors, RawCloud
from truegauge.core.errors import FormatError
from truegauge.core.progress import Progress, silent
from truegauge.core.typed_number import MOST
from truegauge.formats.files import Content, content_key, read_bytes, set_aside
from truegauge.formats.obj import points_from_obj
from truegauge.formats.ply import points_from_ply
from truegauge.formats.stl import points_from_stl
from truegauge.formats.survey import points_from_e57, points_from_las
from truegauge.formats.text_cloud import points_from_text

MM_PER_UNIT = {"mm": 1.0, "inch": 25.4, "cm": 10.0, "m": 1000.0}
TEXT_ENDINGS = (".xyz", ".asc", ".txt", ".csv")
SCAN_READERS: dict[str, Callable[[Path, bytes], RawCloud]] = {
    ".ply": points_from_ply,
    ".stl": points_from_stl,
    ".obj": points_from_obj,
    ".e57": points_from_e57,
    ".las": points_from_las,
    ".laz": points_from_las,
    **dict.fromkeys(TEXT_ENDINGS, points_from_text),
}
# Formats that define their unit of length, or where another than mm is usual.
UNIT_OF = {".e57": "m", ".las": "m", ".laz": "m"}
Columns = tuple[int, int, int]
# Read by libraries in the reader process, which takes a while and can be stopped.
_SURVEYS = {".e57": points_from_e57, ".las": points_from_las, ".laz": points_from_las}


@dataclass(frozen=True, slots=True, eq=False)
class Scan:
    """Raw points of one scan.

    `points` (n, 3) mm, read-only, with normals and colours where the file has them; `key` identifies content and
    reading; `content` is the file itself, kept so that a saved sample holds the very same bytes; `skipped` points
    were no numbers; `notes` tell what was left out or moved.
    """

    name: str
    unit: str
    points: Points
    key: str
    content: Content
    skipped: int
    normals: Normals | None = None
    colors: Colors | None = None
    notes: tuple[str, ...] = ()


def read_scan(path: Path, unit: str = "", columns: Columns | None = None, *, progress: Progress = silent) -> Scan:
    """Read a point cloud from a file of any of the `SCAN_READERS`, whose lengths are in `unit`.

    Without a unit lengths are mm, or what the format prescribes. `columns` tells where x, y and z stand in a text.

    Raises
    ------
    FormatError
        As the reader, or an unknown unit or ending.
    """
    return scan_from_bytes(path, read_bytes(path), unit, columns=columns, progress=progress)


def scan_from_bytes(
    path: Path, content: bytes, unit: str, ending: str = "", columns: Columns | None = None,
    progress: Progress = silent,
) -> Scan:  # fmt: skip
    """Build a scan from the content of a file; `path` is for messages, the name, and (without `ending`) the format."""
    ending = (ending or path.suffix).lower()
    unit = unit or UNIT_OF.get(ending, "mm")
    if unit not in MM_PER_UNIT:
        raise FormatError(path, f"unit {unit!r} is not known; use one of {', '.join(MM_PER_UNIT)}")
    reader = SCAN_READERS.get(ending)
    if reader is None:
        raise FormatError(path, f"this kind of scan cannot be read; use one of {', '.join(SCAN_READERS)}")
    if columns is not None and ending in TEXT_ENDINGS:
        raw = points_from_text(path, content, columns)
    elif ending in _SURVEYS:
        raw = _SURVEYS[ending](path, content, progress)
    else:
        raw = reader(path, content)
    points = raw.points
    if unit != "mm":
        points = points * MM_PER_UNIT[unit]
        far = float(np.abs(points).max())
        if far > MOST:
            raise FormatError(path, f"a coordinate of {far:g} mm is no measured point; is its unit {unit}?")
    said = "".join(map(str, columns)) if columns else ""
    key = f"{content_key(content)}-{unit}{said}"
    normals = None if raw.normals is None else frozen(raw.normals)
    notes = raw.notes
    if raw.skipped:
        notes = (f"{raw.skipped:,} of {raw.skipped + len(points):,} points were no numbers and are left out", *notes)
    return Scan(path.stem, unit, frozen(points), key, set_aside(content), raw.skipped, normals, raw.colors, notes)
