"""Points from OBJ files: the vertices. Faces are checked, so that a damaged mesh is no partial import."""

from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from truegauge.core.clouds.raw import RawCloud
from truegauge.core.errors import FormatError
from truegauge.formats.points_check import checked_points, numbers_at_once
from truegauge.formats.promised_count import count_notes, promised_count

_KNOWN = frozenset(
    b"v vt vn vp f l p g o s usemtl mtllib cstype deg bmat step curv curv2 surf parm trim hole scrv sp end con".split()
)


def points_from_obj(path: Path, data: bytes) -> RawCloud:
    """Return the vertices with their colours, and normals where there is one for each.

    Raises
    ------
    FormatError
        No OBJ file, a line that is none, a face of a vertex that is not there; the message names the line.
    """
    cloud = _vertices(path, data.splitlines())
    comments = ((n, line.decode("ascii", "replace")) for n, line in enumerate(data.splitlines(), start=1)
                if line.startswith(b"#"))  # fmt: skip
    return replace(cloud, notes=count_notes(path, promised_count(comments), len(cloud.points) + cloud.skipped))


def _vertices(path: Path, lines: list[bytes]) -> RawCloud:
    vertices = [line[2:] for line in lines if line[:2] == b"v "]
    if len(vertices) == sum(1 for line in lines if line.strip()):  # nothing but vertices, as scans are
        plain = numbers_at_once(b"\n".join(vertices).decode("ascii", "replace"), len(vertices))
        if plain is not None and 3 <= plain.shape[1] <= 7:
            return checked_points(path, np.ascontiguousarray(plain[:, :3]), None, _colors(plain))
    normals: list[list[float]] = []
    rows: list[list[float]] = []
    highest, highest_line = 0, 0
    for number, line in enumerate(lines, start=1):
        words = line.split()
        if not words or words[0].startswith(b"#"):
            continue
        kind = words[0]
        if kind == b"v":
            rows.append(_vertex(path, number, words))
        elif kind == b"vn":
            normals.append(_vertex(path, number, words[:4])[:3])
        elif kind == b"f":
            top = _face(path, number, words, len(rows))
            if top > highest:
                highest, highest_line = top, number
        elif kind not in _KNOWN:
            raise FormatError(path, f"line {number} is not of an OBJ file: {line[:40].decode('ascii', 'replace')!r}")
    if highest > len(rows):
        raise FormatError(
            path, f"line {highest_line} refers to vertex {highest:,}, there are {len(rows):,}; the file is cut off"
        )
    if not rows:
        return checked_points(path, np.zeros((0, 3)))
    widths = {len(r) for r in rows}
    if len(widths) > 1:
        rows = [r[:3] for r in rows]
    table = np.array(rows, dtype=np.float64).reshape(len(rows), -1)
    given = np.array(normals) if len(normals) == len(rows) else None
    return checked_points(path, np.ascontiguousarray(table[:, :3]), given, _colors(table))


def _colors(table: NDArray[np.float64]) -> NDArray[np.float64] | None:
    """Return the colours behind the coordinates, alone or behind a weight."""
    return table[:, -3:] if table.ndim == 2 and table.shape[1] in (6, 7) else None


def _vertex(path: Path, number: int, words: list[bytes]) -> list[float]:
    try:
        if not 4 <= len(words) <= 8:  # with a weight or a colour
            raise ValueError
        return [float(w) for w in words[1:]]
    except ValueError:
        text = b" ".join(words)[:50].decode("ascii", "replace")
        raise FormatError(path, f"line {number} is no vertex (three numbers): {text!r}") from None


def _face(path: Path, number: int, words: list[bytes], there: int) -> int:
    """Return the highest vertex that a face refers to; negative numbers count back from the last one."""
    try:
        corners = [int(w.split(b"/", 1)[0]) for w in words[1:]]
        if len(corners) < 3 or 0 in corners or min(corners) < -there:
            raise ValueError
    except ValueError:
        raise FormatError(path, f"line {number} is no face of this file's vertices") from None
    return max(corners)
