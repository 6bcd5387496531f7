"""E57 and LAS/LAZ: checked, then read by their libraries in the reader process."""

import struct
import zipfile
from dataclasses import replace
from pathlib import Path

import numpy as np

from truegauge.core.arrays import Points
from truegauge.core.clouds.raw import RawCloud
from truegauge.core.errors import FormatError
from truegauge.core.progress import Progress, silent
from truegauge.formats.files import temporary_folder
from truegauge.formats.guard import read_in_child
from truegauge.formats.points_check import checked_points

_E57_PAGE = 1024
_MAP = 10_000.0  # m: what lies farther from the origin
_FAR = 20.0  # and as many times its size, is in the coordinates of a map


def points_from_e57(path: Path, data: bytes, progress: Progress = silent) -> RawCloud:
    """Return the points of all its scans, each in its place, with colours and normals; lengths are metres.

    Raises
    ------
    FormatError
        No E57 file, cut off, damaged (a checksum fails), or without points.
    """
    if data[:8] != b"ASTM-E57":
        raise FormatError(path, "this is not an E57 file (it does not begin with ASTM-E57); open an .e57 scan")
    if len(data) < 48:
        raise FormatError(path, "the E57 file is cut off inside its header; copy or export it again")
    length, start, size, page = struct.unpack("<QQQQ", data[16:48])
    if length != len(data):
        raise FormatError(path, f"cut off: {length:,} bytes are promised, {len(data):,} are there; copy it again")
    if page != _E57_PAGE or start >= length or size >= length:
        raise FormatError(path, "byte 24: the E57 header is damaged; export the scan again")
    return _by_library(path, data, ".e57", progress)


def points_from_las(path: Path, data: bytes, progress: Progress = silent) -> RawCloud:
    """Return the points of a LAS or LAZ file with their colours.

    The header is checked against the size of the file first: a damaged count keeps the library busy for minutes.

    Raises
    ------
    FormatError
        No LAS file, cut off, damaged, or without points.
    """
    if data[:4] != b"LASF":
        raise FormatError(path, "this is not a LAS file (it does not begin with LASF); open a .las or .laz scan")
    if len(data) < 227:
        raise FormatError(path, "the LAS file is cut off inside its header; copy or export it again")
    major, minor = data[24], data[25]
    if major != 1 or minor > 4:
        raise FormatError(path, f"byte 24: version {major}.{minor} of LAS is not known; export as LAS 1.2 or 1.4")
    header_size, offset, records = struct.unpack("<HII", data[94:104])
    form, length, count = data[104], *struct.unpack("<HI", data[105:111])
    if minor >= 4:
        if len(data) < 375:
            raise FormatError(path, "the LAS file is cut off inside its header; copy or export it again")
        count = struct.unpack("<Q", data[247:255])[0] or count
    if not 227 <= header_size <= offset <= len(data):
        raise FormatError(path, "byte 94: the sizes in the LAS header do not fit the file; export it again")
    if records * 54 > offset - header_size:
        raise FormatError(path, f"byte 100: {records:,} records are promised before the points; it is damaged")
    if count == 0:
        raise FormatError(path, "the file holds no points; export the scan again")
    packed = form >= 128
    if not packed and offset + count * length > len(data):
        there = (len(data) - offset) // max(1, length)
        raise FormatError(path, f"cut off: {count:,} points are promised, {there:,} are there; copy or export it again")
    # Only LAS 1.4 may carry records behind the points.
    behind = len(data) - offset - count * length
    if not packed and behind > 0 and (minor < 4 or struct.unpack("<I", data[243:247])[0] == 0):
        raise FormatError(path, f"{behind:,} bytes follow its {count:,} points; the count is damaged: export it again")
    if packed and count > 40 * len(data):
        raise FormatError(path, f"{count:,} points do not fit into {len(data):,} bytes; the file is damaged")
    scales = struct.unpack("<3d", data[131:155])
    if not all(np.isfinite(s) and 1e-12 < abs(s) < 1e6 for s in scales):
        raise FormatError(path, "byte 131: the scale of the coordinates is damaged; export the scan again")
    return _by_library(path, data, ".laz" if packed else ".las", progress)


def _by_library(path: Path, data: bytes, ending: str, progress: Progress) -> RawCloud:
    with temporary_folder() as folder:
        source, out = folder / f"scan{ending}", folder / "points.npz"
        source.write_bytes(data)
        try:
            read_in_child("scan", source, out, progress=progress)
        except FormatError as error:
            raise FormatError(path, error.reason) from error
        try:
            with np.load(out, allow_pickle=False) as archive:
                arrays = {name: archive[name] for name in archive.files}
        except (OSError, ValueError, KeyError, zipfile.BadZipFile) as error:
            raise FormatError(path, "the file is damaged (nothing usable was read); export it again") from error
    points, notes = _off_the_map(arrays["points"])
    return replace(checked_points(path, points, arrays.get("normals"), arrays.get("colors")), notes=notes)


def _off_the_map(points: Points) -> tuple[Points, tuple[str, ...]]:
    """Take off the offset of coordinates of a map, in whole metres, and say so.

    Nothing of a part is known better for its place on earth, and near the origin all digits are left for it.
    """
    good = points[np.isfinite(points).all(axis=1)]
    if not len(good):
        return points, ()
    middle = np.median(good, axis=0)
    size = float(np.linalg.norm(np.quantile(good, 0.98, axis=0) - np.quantile(good, 0.02, axis=0)))
    far = np.abs(middle) > max(_MAP, _FAR * size)
    if not far.any():
        return points, ()
    offset = np.where(far, np.round(middle), 0.0)
    told = ", ".join(f"{name} {value:,.0f}" for name, value, off in zip("xyz", offset, far, strict=True) if off)
    return np.asarray(points - offset), (f"the coordinates are those of a map: {told} m were taken off",)
