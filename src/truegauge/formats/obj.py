"""Points from OBJ files: the vertices. Faces are checked, so that a damaged mesh is no partial import."""

from pathlib import Path

import numpy as np

from truegauge.core.arrays import Points
from truegauge.core.errors import FormatError
from truegauge.formats.points_check import checked_points, numbers_at_once

_KNOWN = frozenset(
    b"v vt vn vp f l p g o s usemtl mtllib cstype deg bmat step curv curv2 surf parm trim hole scrv sp end con".split()
)


def points_from_obj(path: Path, data: bytes) -> tuple[Points, int]:
    """Return the vertices (n, 3) and how many were skipped because they were no numbers.

    Raises
    ------
    FormatError
        No OBJ file, a line that is none, a face of a vertex that is not there; the message names the line.
    """
    lines = data.splitlines()
    vertices = [line[2:] for line in lines if line[:2] == b"v "]
    if len(vertices) == sum(1 for line in lines if line.strip()):  # nothing but vertices, as scans are
        plain = numbers_at_once(b"\n".join(vertices).decode("ascii", "replace"), len(vertices))
        if plain is not None and 3 <= plain.shape[1] <= 7:
            return checked_points(path, np.ascontiguousarray(plain[:, :3]))
    rows: list[list[float]] = []
    highest, highest_line = 0, 0
    for number, line in enumerate(lines, start=1):
        words = line.split()
        if not words or words[0].startswith(b"#"):
            continue
        kind = words[0]
        if kind == b"v":
            rows.append(_vertex(path, number, words))
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
    return checked_points(path, np.array(rows, dtype=np.float64).reshape(-1, 3))


def _vertex(path: Path, number: int, words: list[bytes]) -> list[float]:
    try:
        if not 4 <= len(words) <= 8:  # with a weight or a colour
            raise ValueError
        return [float(w) for w in words[1:4]]
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
