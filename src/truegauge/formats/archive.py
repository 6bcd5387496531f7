"""ZIP containers: written the same for the same content, read with checks."""

import io
import json
import zipfile
import zlib
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from truegauge.core.errors import FormatError, UnsupportedVersionError
from truegauge.formats.files import Content, read_bytes, write_whole

_LARGEST = 2 << 30
_TIME = (2026, 1, 1, 0, 0, 0)


def write_archive(path: Path, members: Mapping[str, Content]) -> None:
    """Write the members; the file is replaced only when all is written."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED, compresslevel=4) as archive:
        for name, content in members.items():
            archive.writestr(zipfile.ZipInfo(name, _TIME), memoryview(content), zipfile.ZIP_DEFLATED)
    write_whole(path, buffer.getvalue())


def read_archive(path: Path, what: str) -> dict[str, bytes]:
    """Return all members.

    Raises
    ------
    FormatError
        No ZIP file, a damaged one, or one that would unpack to more than 2 GiB.
    """
    data = read_bytes(path)
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            if sum(info.file_size for info in archive.infolist()) > _LARGEST:
                raise FormatError(path, f"this {what} would unpack to more than 2 GiB; it is damaged")
            return {info.filename: archive.read(info) for info in archive.infolist()}
    except (zipfile.BadZipFile, EOFError, NotImplementedError, RuntimeError, OSError, ValueError, zlib.error) as error:
        raise FormatError(
            path, f"this is not a whole {what} (it is cut off, damaged, or another kind of file)"
        ) from error


def read_document(path: Path, members: dict[str, bytes], name: str, newest: int, what: str) -> dict[str, Any]:
    """Return the JSON object of a container after checking its version."""
    if name not in members:
        raise FormatError(path, f"this is not a {what}: it holds no {name}")
    try:
        document = json.loads(members[name])
    except (ValueError, RecursionError) as error:
        raise FormatError(path, f"{name} in this {what} is damaged: {error}") from error
    if not isinstance(document, dict) or not isinstance(document.get("schema_version"), int):
        raise FormatError(path, f"{name} in this {what} does not tell its version")
    if document["schema_version"] > newest:
        raise UnsupportedVersionError(
            path,
            f"this {what} was written by a newer version ({document['schema_version']} > {newest}); update True Gauge",
        )
    return document
