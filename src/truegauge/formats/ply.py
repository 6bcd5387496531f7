"""Points from PLY files (ASCII, binary of either byte order) and binary PLY out.

The header is checked against the size of the file before anything is read, so that a damaged file is an error
message and not a partial cloud.
"""

from pathlib import Path

import numpy as np

from truegauge.core.arrays import Points
from truegauge.core.errors import FormatError
from truegauge.formats.points_check import checked_points

_TYPES = {
    "char": "i1", "int8": "i1", "uchar": "u1", "uint8": "u1", "short": "i2", "int16": "i2", "ushort": "u2",
    "uint16": "u2", "int": "i4", "int32": "i4", "uint": "u4", "uint32": "u4", "float": "f4", "float32": "f4",
    "double": "f8", "float64": "f8",
}  # fmt: skip
_ORDER = {"binary_little_endian": "<", "binary_big_endian": ">", "ascii": "="}


def points_from_ply(path: Path, data: bytes) -> tuple[Points, int]:
    """Return the vertices (n, 3) and how many were skipped because they were no numbers.

    Raises
    ------
    FormatError
        No PLY file, a damaged or contradictory header, fewer bytes than the header promises, no usable point.
    """
    encoding, elements, start = _header(path, data)
    names = [name for name, _, _ in elements]
    if "vertex" not in names:
        raise FormatError(path, "the PLY file has no vertex element; export the scan as points")
    at = names.index("vertex")
    count, properties = elements[at][1], elements[at][2]
    if count == 0:
        raise FormatError(path, "the file holds no points; export the scan again")
    if any(kind == "list" for _, kind in properties):
        raise FormatError(path, "its vertices have properties of varying length; export plain points")
    labels = [label for label, _ in properties]
    if not {"x", "y", "z"} <= set(labels) or len(labels) != len(set(labels)):
        raise FormatError(path, "its vertices need one x, one y and one z; export the scan as points")
    if encoding == "ascii":
        rows = _ascii_rows(path, data, start, elements[:at], count, labels)
    else:
        start += sum(n * _record(path, name, p, encoding).itemsize for name, n, p in elements[:at])
        record = _record(path, "vertex", properties, encoding)
        if len(data) < start + count * record.itemsize:
            there = max(0, (len(data) - start) // record.itemsize)
            raise FormatError(
                path, f"cut off: {count:,} points are promised, {there:,} are there; copy or export it again"
            )
        table = np.frombuffer(data, dtype=record, count=count, offset=start)
        rows = np.stack([table[c].astype(np.float64) for c in "xyz"], axis=1)
    return checked_points(path, rows)


def ply_from_points(points: Points, *, double: bool = False, comment: str = "") -> bytes:
    """Return a binary little-endian PLY; float32 unless `double`."""
    kind = "double" if double else "float"
    lines = ["ply", "format binary_little_endian 1.0"]
    lines += [f"comment {comment}"] if comment else []
    lines += [f"element vertex {len(points)}", *(f"property {kind} {c}" for c in "xyz"), "end_header", ""]
    return "\n".join(lines).encode("ascii") + np.ascontiguousarray(points, dtype="<f8" if double else "<f4").tobytes()


_Element = tuple[str, int, list[tuple[str, str]]]


def _header(path: Path, data: bytes) -> tuple[str, list[_Element], int]:
    if data[:3] != b"ply" or data[3:4] not in (b"\n", b"\r"):
        raise FormatError(path, "this is not a PLY file (it does not begin with ply); open a .ply scan")
    end = data.find(b"end_header", 0, 1 << 16)
    line_end = data.find(b"\n", end) if end >= 0 else -1
    if line_end < 0:
        raise FormatError(path, "the PLY header has no end; the file is cut off or damaged: export it again")
    encoding, elements = "", list[_Element]()
    for number, line in enumerate(data[:end].decode("latin-1").splitlines(), start=1):
        words = line.split()
        try:
            match words:
                case [] | ["ply"] | ["comment", *_] | ["obj_info", *_]:
                    continue
                case ["format", name, _] if name in _ORDER:
                    encoding = name
                case ["element", name, amount] if int(amount) >= 0:
                    elements.append((name, int(amount), []))
                case ["property", "list", size, item, label] if size in _TYPES and item in _TYPES:
                    elements[-1][2].append((label, "list"))
                case ["property", kind, label] if kind in _TYPES:
                    elements[-1][2].append((label, _TYPES[kind]))
                case _:
                    raise ValueError
        except (ValueError, IndexError):
            raise FormatError(path, f"line {number} of the PLY header is not understood: {line[:60]!r}") from None
    if not encoding:
        raise FormatError(path, "the PLY header does not tell its format; export the scan again")
    return encoding, elements, line_end + 1


def _record(path: Path, name: str, properties: list[tuple[str, str]], encoding: str) -> np.dtype[np.void]:
    if any(kind == "list" for _, kind in properties):
        raise FormatError(path, f"element {name!r} of varying length stands before the points; export points only")
    return np.dtype([(f"{label}" if label in "xyz" else f"{i}:{label}", _ORDER[encoding] + kind)
                     for i, (label, kind) in enumerate(properties)])  # fmt: skip


def _ascii_rows(path: Path, data: bytes, start: int, before: list[_Element], count: int, labels: list[str]) -> Points:
    lines = data[start:].split(b"\n")
    first = sum(n for _, n, _ in before)
    rows = lines[first : first + count]
    if len(rows) < count or (rows and not rows[-1].strip()):
        there = sum(1 for r in rows if r.strip())
        raise FormatError(path, f"cut off: {count:,} points are promised, {there:,} are there; copy or export it again")
    columns = [labels.index(c) for c in "xyz"]
    out = np.empty((count, 3))
    header_lines = data[:start].count(b"\n")
    for i, row in enumerate(rows):
        words = row.split()
        try:
            out[i] = [float(words[c]) for c in columns]
        except (ValueError, IndexError):
            where = header_lines + first + i + 1
            raise FormatError(path, f"line {where} is not a point: {row[:60].decode('latin-1')!r}") from None
    return out
