"""E57 and LAS/LAZ by their libraries, inside the reader process: scan file in, NumPy archive out."""

import sys
from pathlib import Path
from typing import Any

import numpy as np

_MOST = 400_000_000


def convert(source: Path, out: Path) -> int:
    """Read ``source``, write ``out``; 0, or 3 with a message for the user on standard error."""
    try:
        arrays = _e57(source) if source.suffix.lower() == ".e57" else _las(source)
    except MemoryError:
        sys.stderr.write("\nthe scan needs more memory than allowed; thin it out before exporting\n")
        return 3
    except Exception as error:  # noqa: BLE001 - the libraries have no common base for what a damaged file causes
        sys.stderr.write(f"\nthe file is damaged: {' '.join(str(error).split())[:160]}; export it again\n")
        return 3
    np.savez(out, **arrays)
    return 0


def _e57(source: Path) -> dict[str, Any]:
    """Return the points of all scans of an E57 file in its common frame; lengths in metres (ASTM E2807)."""
    import pye57

    points, colors, normals = [], [], []
    file = pye57.E57(str(source))
    for index in range(file.scan_count):
        header = file.get_header(index)
        if header.point_count > _MOST:
            raise ValueError(f"scan {index + 1} promises {header.point_count:,} points")
        fields = header.point_fields
        if not ({"cartesianX", "cartesianY", "cartesianZ"} <= set(fields) or "sphericalRange" in fields):
            raise ValueError(f"scan {index + 1} holds no coordinates")
        data = file.read_scan(index, ignore_missing_fields=True, colors="colorRed" in fields)
        points.append(np.column_stack([data[f"cartesian{c}"] for c in "XYZ"]))
        if "colorRed" in fields:
            colors.append(np.column_stack([data[f"color{c}"] for c in ("Red", "Green", "Blue")]))
        names = [f"nor:normal{c}" for c in "XYZ"]
        if set(names) <= set(fields):
            raw = file.read_scan_raw(index)
            given = np.column_stack([raw[n] for n in names])
            valid = raw.get("cartesianInvalidState")
            given = given if valid is None else given[valid == 0]
            normals.append(given @ header.rotation_matrix.T)
    arrays: dict[str, Any] = {"points": np.vstack(points) if points else np.zeros((0, 3))}
    for name, parts in (("colors", colors), ("normals", normals)):
        if parts and sum(map(len, parts)) == len(arrays["points"]):
            arrays[name] = np.vstack(parts)
    return arrays


def _las(source: Path) -> dict[str, Any]:
    """Return the points of a LAS or LAZ file in its own unit."""
    import laspy

    with laspy.open(str(source)) as file:
        header = file.header
        if header.point_count > _MOST:
            raise ValueError(f"{header.point_count:,} points are promised")
        las = file.read()
    if len(las.points) != header.point_count:
        raise ValueError(f"{header.point_count:,} points are promised, {len(las.points):,} are there")
    arrays: dict[str, Any] = {"points": np.column_stack([np.asarray(las[c], dtype=np.float64) for c in "xyz"])}
    names = set(las.point_format.dimension_names)
    if {"red", "green", "blue"} <= names:
        colors = np.column_stack([np.asarray(las[c]) for c in ("red", "green", "blue")])
        if colors.any():
            arrays["colors"] = colors
    if {"normal_x", "normal_y", "normal_z"} <= names:
        arrays["normals"] = np.column_stack([np.asarray(las[f"normal_{c}"]) for c in "xyz"])
    return arrays
