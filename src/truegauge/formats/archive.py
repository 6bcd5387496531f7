"""ZIP containers: written the same for the same content, read with checks."""

import io
import json
import zipfile
import zlib
from collections.abc import Mapping
from pathlib import Path
from typing import Any, NamedTuple

from truegauge.core.errors import FormatError, UnsupportedVersionError
from truegauge.formats.files import Content, Stamp, read_stamped, write_whole

_MOST_MEMBERS, _LARGEST = 1000, 2 << 30
_MOST_PARTS = 1_000_000  # objects and lists of a document
_TIME = (2026, 1, 1, 0, 0, 0)


def write_archive(path: Path, members: Mapping[str, Content]) -> Stamp:
    """Write the members; the file is replaced only when all is written. Returns what it is now."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED, compresslevel=4) as archive:
        for name, content in members.items():
            archive.writestr(zipfile.ZipInfo(name, _TIME), memoryview(content), zipfile.ZIP_DEFLATED)
    return write_whole(path, buffer.getvalue())


class Archive(NamedTuple):
    """The members of a container by name, and what its file was when it was read."""

    members: dict[str, bytes]
    stamp: Stamp


def read_archive(path: Path, what: str, limits: Mapping[str, int]) -> Archive:
    """Return the members that are asked for.

    Parameters
    ----------
    limits : mapping
        By the beginnings of the names: how large (bytes) such a member may be. Others are left alone.

    Raises
    ------
    FormatError
        No ZIP file, a damaged one, a member that is there twice, or that would unpack to more than it may.
    """
    data, stamp = read_stamped(path)
    members: dict[str, bytes] = {}
    left = _LARGEST
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            for info in archive.infolist():
                limit = next((n for start, n in limits.items() if info.filename.startswith(start)), None)
                if limit is None:
                    continue
                if info.filename in members:
                    raise FormatError(path, f"this {what} is damaged: it holds {info.filename!r} twice")
                left -= info.file_size
                if info.file_size > limit or left < 0 or len(members) == _MOST_MEMBERS:
                    size = f"{info.file_size / 1e6:.0f} MB"
                    raise FormatError(
                        path, f"this {what} is damaged or too large: {info.filename!r} would unpack to {size}"
                    )
                members[info.filename] = _unpacked(archive, info, path, what)
    except (zipfile.BadZipFile, EOFError, NotImplementedError, RuntimeError, OSError, ValueError, zlib.error) as error:
        raise FormatError(
            path, f"this is not a whole {what} (it is cut off, damaged, or another kind of file)"
        ) from error
    return Archive(members, stamp)


def _unpacked(archive: zipfile.ZipFile, info: zipfile.ZipInfo, path: Path, what: str) -> bytes:
    """Unpack no more than the member says that it holds: a lie must not fill the memory."""
    with archive.open(info) as file:
        content = file.read(info.file_size + 1)
        if len(content) > info.file_size:
            raise FormatError(path, f"this {what} is damaged: {info.filename!r} is larger than it says")
    return content


def read_document(path: Path, members: dict[str, bytes], name: str, newest: int, what: str) -> dict[str, Any]:
    """Return the JSON object of a container after checking its version."""
    if name not in members:
        raise FormatError(path, f"this is not a {what}: it holds no {name}")
    document = object_of_json(path, members[name], f"{name} in this {what}")
    version = document.get("schema_version")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise FormatError(path, f"{name} in this {what} does not tell its version")
    if version > newest:
        raise UnsupportedVersionError(
            path,
            f"this {what} was written by a newer version ({version} > {newest}); update True Gauge",
        )
    return document


def object_of_json(path: Path, data: bytes, what: str) -> dict[str, Any]:
    """Return a JSON object, with limits: of how deep it nests, how many parts it has, and that numbers are numbers.

    Raises
    ------
    FormatError
        It is damaged, too large, or holds what JSON does not have (NaN, Infinity).
    """
    if data.count(b"{") + data.count(b"[") > _MOST_PARTS:
        raise FormatError(path, f"{what} is damaged: it has more than {_MOST_PARTS:,} parts")

    def no_number(text: str) -> float:
        raise ValueError(f"{text} is no number")

    try:
        document = json.loads(data, parse_constant=no_number)
    except (ValueError, RecursionError) as error:
        raise FormatError(path, f"{what} is damaged: {error}") from error
    if not isinstance(document, dict):
        raise FormatError(path, f"{what} is damaged: it is no JSON object")
    return document
