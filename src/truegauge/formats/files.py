"""What all formats share: reading bytes with a clear message, writing without losing the old file, content keys."""

import hashlib
import mmap
import os
import tempfile
from pathlib import Path

from platformdirs import user_cache_path

from truegauge.core.errors import FormatError

_LARGE = 16 << 20
Content = bytes | mmap.mmap


def read_bytes(path: Path) -> bytes:
    """Return the content of a file.

    Raises
    ------
    FormatError
        Missing, a folder, unreadable, or empty.
    """
    try:
        data = path.read_bytes()
    except FileNotFoundError:
        raise FormatError(path, "there is no such file; check the name and the folder") from None
    except IsADirectoryError:
        raise FormatError(path, "this is a folder, not a file") from None
    except OSError as error:
        raise FormatError(path, f"cannot be read ({error.strerror}); check its permissions") from error
    if not data:
        raise FormatError(path, "the file is empty; export it again")
    return data


def write_whole(path: Path, data: bytes) -> None:
    """Write beside, then replace: a crash or a full disk leaves the old file as it was.

    Raises
    ------
    FormatError
        The folder is missing or not writable, or the disk is full.
    """
    try:
        handle, temporary = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name}.")
    except OSError as error:
        raise FormatError(path, f"cannot be written ({error.strerror}); choose another folder") from error
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        umask = os.umask(0)
        os.umask(umask)
        os.chmod(temporary, 0o666 & ~umask)
        os.replace(temporary, path)
    except OSError as error:
        Path(temporary).unlink(missing_ok=True)
        raise FormatError(path, f"cannot be written ({error.strerror}); the old file is untouched") from error


def set_aside(data: bytes) -> Content:
    """Return large content as a map of a nameless file of our own: it takes no memory until it is written again.

    Where no such file can be made the content stays as it is.
    """
    if len(data) < _LARGE:
        return data
    folder = user_cache_path("truegauge") / "scans"
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryFile(dir=folder) as file:
            file.write(data)
            file.flush()
            return mmap.mmap(file.fileno(), len(data), access=mmap.ACCESS_READ)
    except OSError:
        return data


def content_key(data: bytes) -> str:
    """Return the SHA-256 of `data` in hexadecimal."""
    return hashlib.sha256(data).hexdigest()
