"""ZIP containers: written the same for the same content, read with checks."""

import io
import zipfile
import zlib
from collections.abc import Mapping
from pathlib import Path
from typing import Any, NamedTuple

from truegauge.core.errors import FormatError
from truegauge.formats.files import Content, Stamp, read_stamped, write_whole
from truegauge.formats.json_object import object_of_json, require_version

_MOST_MEMBERS, _LARGEST = 1000, 2 << 30
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
    require_version(path, document, newest, f"{name} in this {what}")
    return document
