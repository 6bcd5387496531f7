"""Points from STL files (binary and ASCII): the corners of the triangles, each once."""

import re
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Points, Triangles
from truegauge.core.clouds.raw import RawCloud
from truegauge.core.errors import FormatError
from truegauge.formats.points_check import checked_points

_HEAD, _FACET = 84, 50
_VERTEX = re.compile(rb"^\s*vertex\s+(\S+)\s+(\S+)\s+(\S+)\s*$", re.MULTILINE | re.IGNORECASE)


def points_from_stl(path: Path, data: bytes) -> RawCloud:
    """Return the corners, each once, with the mean normals of the triangles around them.

    Raises
    ------
    FormatError
        No STL file, fewer or more bytes than its triangles take, a line that is no corner.
    """
    return _welded(path, corners_from_stl(path, data))


def corners_from_stl(path: Path, data: bytes) -> NDArray[np.floating]:
    """Return the corners (3 n, 3) of the triangles, one triangle after the other (FormatError: as above)."""
    if data[:5].lower() == b"solid" and b"\0" not in data[:_HEAD] and b"facet" in data[:4096].lower():
        return _ascii_corners(path, data)
    if len(data) < _HEAD:
        raise FormatError(path, "this is not an STL file (shorter than its head); export the mesh again")
    count = int.from_bytes(data[80:84], "little")
    wanted = _HEAD + _FACET * count
    if count == 0:
        raise FormatError(path, "the file holds no triangles; export the mesh again")
    if len(data) < wanted:
        there = (len(data) - _HEAD) // _FACET
        raise FormatError(
            path, f"cut off, or not an STL file: {count:,} triangles are promised, {there:,} are there; copy it again"
        )
    if len(data) > wanted + 1024:  # a few bytes behind the last triangle are harmless
        raise FormatError(path, f"{len(data) - wanted:,} bytes follow its {count:,} triangles; it is damaged")
    record = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("rest", "<u2")])
    corners = np.frombuffer(data, dtype=record, count=count, offset=_HEAD)["corners"]
    return np.asarray(corners.reshape(-1, 3))


def _welded(path: Path, corners: NDArray[np.floating]) -> RawCloud:
    """Return each corner once, in the order of the file, with a normal from its triangles."""
    rows = np.ascontiguousarray(corners.astype(np.float32) + np.float32(0))  # -0 and 0 are one corner
    whole = rows.view(np.dtype((np.void, 12))).ravel()
    _, first, inverse = np.unique(whole, return_index=True, return_inverse=True)
    a, b, c = (corners[k::3].astype(np.float64) for k in range(3))
    with np.errstate(invalid="ignore", over="ignore"):
        flat = np.repeat(np.cross(b - a, c - a), 3, axis=0)
    sums = np.column_stack([np.bincount(inverse.ravel(), weights=flat[:, k]) for k in range(3)])
    order = np.argsort(first, kind="stable")
    return checked_points(path, corners[first[order]].astype(np.float64), sums[order])


def stl_from_mesh(vertices: Points, triangles: Triangles, comment: str = "") -> bytes:
    """Return a binary STL of a mesh: vertices (n, 3) mm, triangles (m, 3) counter-clockwise seen from outside."""
    corners = vertices[triangles].astype(np.float32)
    flat = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    length = np.linalg.norm(flat, axis=1, keepdims=True)
    table = np.zeros(len(triangles), dtype=[("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("rest", "<u2")])
    table["normal"] = flat / np.where(length > 0, length, 1)
    table["corners"] = corners
    head = f"binary mesh in mm {comment}".encode("ascii", "replace")[:80].ljust(80)
    return head + len(triangles).to_bytes(4, "little") + table.tobytes()


def _ascii_corners(path: Path, data: bytes) -> Points:
    found = _VERTEX.findall(data)
    lowered = data.lower()
    facets = lowered.count(b"endfacet")
    if b"endsolid" not in lowered[-4096:]:
        raise FormatError(path, f"cut off after {facets:,} triangles (endsolid is missing); copy or export it again")
    if len(found) != 3 * facets:
        line = _first_bad_line(data)
        where = f"line {line} is no corner" if line else f"{facets:,} triangles have {len(found):,} corners"
        raise FormatError(path, f"{where}; the file is damaged")
    if not found:
        raise FormatError(path, "the file holds no triangles; export the mesh again")
    try:
        rows = np.array(found, dtype="S").astype(np.float64)
    except ValueError:
        raise FormatError(path, f"line {_first_bad_line(data)} is no corner (three numbers)") from None
    return np.asarray(rows)


def _first_bad_line(data: bytes) -> int:
    """Return the number of the first line that begins like a corner and is none, 0 when there is none."""
    for number, line in enumerate(data.splitlines(), start=1):
        words = line.split()
        if words and words[0].lower() == b"vertex":
            try:
                if len([float(w) for w in words[1:]]) != 3:
                    return number
            except ValueError:
                return number
    return 0
