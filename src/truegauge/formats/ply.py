"""Points from PLY files (ASCII, binary of either byte order) and binary PLY out.

The header is checked against the size of the file before anything is read, so that a damaged file is an error
message and not a partial cloud.
"""

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Points, Triangles
from truegauge.core.clouds.raw import Colors, RawCloud
from truegauge.core.errors import FormatError
from truegauge.formats.points_check import checked_points

_TYPES = {
    "char": "i1", "int8": "i1", "uchar": "u1", "uint8": "u1", "short": "i2", "int16": "i2", "ushort": "u2",
    "uint16": "u2", "int": "i4", "int32": "i4", "uint": "u4", "uint32": "u4", "float": "f4", "float32": "f4",
    "double": "f8", "float64": "f8",
}  # fmt: skip
_POINT, _NORMAL, _COLOR = ("x", "y", "z"), ("nx", "ny", "nz"), ("red", "green", "blue")
_KEPT = frozenset((*_POINT, *_NORMAL, *_COLOR))
_ORDER = {"binary_little_endian": "<", "binary_big_endian": ">", "ascii": "="}


def points_from_ply(path: Path, data: bytes) -> RawCloud:
    """Return the vertices with their normals and colours, where there are any.

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
        wanted = {c: rows[:, k] for k, c in enumerate(_wanted(labels))}
    else:
        start += sum(n * _record(path, name, p, encoding).itemsize for name, n, p in elements[:at])
        record = _record(path, "vertex", properties, encoding)
        if len(data) < start + count * record.itemsize:
            there = max(0, (len(data) - start) // record.itemsize)
            raise FormatError(
                path, f"cut off: {count:,} points are promised, {there:,} are there; copy or export it again"
            )
        table = np.frombuffer(data, dtype=record, count=count, offset=start)
        wanted = {c: table[c] for c in _wanted(labels)}

    def columns(names: tuple[str, ...]) -> NDArray[np.generic] | None:
        return np.stack([wanted[c] for c in names], axis=1) if all(c in wanted for c in names) else None

    points = columns(_POINT)
    assert points is not None
    return checked_points(path, points.astype(np.float64), columns(_NORMAL), columns(_COLOR))


def _wanted(labels: list[str]) -> list[str]:
    return [c for c in (*_POINT, *_NORMAL, *_COLOR) if labels.count(c) == 1]


def ply_from_points(
    points: Points, *, double: bool = False, comment: str = "", normals: NDArray[np.floating] | None = None,
    colors: Colors | None = None, values: Floats | None = None,
) -> bytes:  # fmt: skip
    """Return a binary little-endian PLY; float32 unless `double`; `values` (n,) become a property `deviation`."""
    if normals is not None or colors is not None or values is not None:
        return _rich_ply(points, double, comment, normals, colors, values)
    kind = "double" if double else "float"
    lines = ["ply", "format binary_little_endian 1.0"]
    lines += [f"comment {comment}"] if comment else []
    lines += [f"element vertex {len(points)}", *(f"property {kind} {c}" for c in "xyz"), "end_header", ""]
    return "\n".join(lines).encode("ascii") + np.ascontiguousarray(points, dtype="<f8" if double else "<f4").tobytes()


def _rich_ply(
    points: Points, double: bool, comment: str, normals: NDArray[np.floating] | None, colors: Colors | None,
    values: Floats | None,
) -> bytes:  # fmt: skip
    number, word = ("<f8", "double") if double else ("<f4", "float")
    fields: list[tuple[str, str, str, NDArray[np.generic]]] = [
        (c, number, word, points[:, k]) for k, c in enumerate(_POINT)
    ]
    if normals is not None:
        fields += [(c, "<f4", "float", normals[:, k]) for k, c in enumerate(_NORMAL)]
    if colors is not None:
        fields += [(c, "u1", "uchar", colors[:, k]) for k, c in enumerate(_COLOR)]
    if values is not None:
        fields.append(("deviation", "<f4", "float", values))
    table = np.empty(len(points), dtype=[(name, kind) for name, kind, _, _ in fields])
    for name, _, _, column in fields:
        table[name] = column
    lines = ["ply", "format binary_little_endian 1.0"]
    lines += [f"comment {comment}"] if comment else []
    lines += [f"element vertex {len(points)}", *(f"property {w} {n}" for n, _, w, _ in fields), "end_header", ""]
    return "\n".join(lines).encode("ascii") + table.tobytes()


def ply_from_mesh(vertices: Points, triangles: Triangles, values: Floats | None = None) -> bytes:
    """Return a mesh as binary PLY, with a deviation (mm, NaN for none) at each vertex if given."""
    fields = [(c, "<f4") for c in _POINT] + ([("deviation", "<f4")] if values is not None else [])
    table = np.empty(len(vertices), dtype=fields)
    for k, name in enumerate(_POINT):
        table[name] = vertices[:, k]
    if values is not None:
        table["deviation"] = values
    faces = np.empty(len(triangles), dtype=[("n", "u1"), ("corners", "<i4", 3)])
    faces["n"], faces["corners"] = 3, triangles
    lines = ["ply", "format binary_little_endian 1.0", "comment lengths in mm", f"element vertex {len(vertices)}"]
    lines += [f"property float {name}" for name, _ in fields]
    lines += [f"element face {len(triangles)}", "property list uchar int vertex_indices", "end_header", ""]
    return "\n".join(lines).encode("ascii") + table.tobytes() + faces.tobytes()


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
    return np.dtype([(label if label in _KEPT else f"{i}:{label}", _ORDER[encoding] + kind)
                     for i, (label, kind) in enumerate(properties)])  # fmt: skip


def _ascii_rows(path: Path, data: bytes, start: int, before: list[_Element], count: int, labels: list[str]) -> Points:
    lines = data[start:].split(b"\n")
    first = sum(n for _, n, _ in before)
    rows = lines[first : first + count]
    if len(rows) < count or (rows and not rows[-1].strip()):
        there = sum(1 for r in rows if r.strip())
        raise FormatError(path, f"cut off: {count:,} points are promised, {there:,} are there; copy or export it again")
    columns = [labels.index(c) for c in _wanted(labels)]
    out = np.empty((count, len(columns)))
    header_lines = data[:start].count(b"\n")
    for i, row in enumerate(rows):
        words = row.split()
        try:
            out[i] = [float(words[c]) for c in columns]
        except (ValueError, IndexError):
            where = header_lines + first + i + 1
            raise FormatError(path, f"line {where} is not a point: {row[:60].decode('latin-1')!r}") from None
    return out
