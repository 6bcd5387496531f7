"""What all formats share: reading bytes with a clear message, writing without losing the old file, content keys."""

import contextlib
import hashlib
import mmap
import os
import stat
import tempfile
from collections.abc import Iterator
from dataclasses import dataclass
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
    require_regular(path)
    try:
        data = path.read_bytes()
    except OSError as error:
        raise FormatError(path, f"cannot be read ({error.strerror}); check its permissions") from error
    if not data:
        raise FormatError(path, "the file is empty; export it again")
    return data


def require_regular(path: Path) -> os.stat_result:
    """Return the status of a file that can be read to its end: no folder, pipe or device, which may never end.

    Raises
    ------
    FormatError
        There is none, or it is something else.
    """
    try:
        status = path.stat()
    except (FileNotFoundError, NotADirectoryError):
        raise FormatError(path, "there is no such file; check the name and the folder") from None
    except ValueError as error:  # a zero byte in the name
        raise FormatError(path, f"no file can have this name ({error})") from None
    except OSError as error:
        raise FormatError(path, f"cannot be read ({error.strerror}); check its name and permissions") from error
    if stat.S_ISDIR(status.st_mode):
        raise FormatError(path, "this is a folder, not a file")
    if not stat.S_ISREG(status.st_mode):
        raise FormatError(path, "this is a pipe or a device, not a file")
    return status


def read_stamped(path: Path) -> tuple[bytes, "Stamp"]:
    """Return the content of a file as `read_bytes`, and what the file was then."""
    status = require_regular(path)
    data = read_bytes(path)
    return data, Stamp(len(data), status.st_mtime_ns, content_key(data))


def write_whole(path: Path, data: bytes) -> "Stamp":
    """Write beside, then replace: a crash or a full disk leaves the old file as it was.

    Where the path is a link, what it leads to is replaced and the link stays; permissions stay as they were. Returns
    what the file is now.

    Raises
    ------
    FormatError
        The folder is missing or not writable, the file is write-protected or no regular one, or the disk is full.
    """
    try:
        target = Path(os.path.realpath(path))
        before = target.stat() if target.exists() else None
        if before is not None and not stat.S_ISREG(before.st_mode):
            raise FormatError(path, "cannot be written: it is a folder, a pipe or a device, not a file")
        if before is not None and not os.access(target, os.W_OK):
            raise FormatError(path, "cannot be written: the file is write-protected; save under another name")
        handle, temporary = tempfile.mkstemp(dir=target.parent, prefix=".part-")  # a long name leaves no room beside it
    except ValueError as error:
        raise FormatError(path, f"cannot be written: no file can have this name ({error})") from None
    except OSError as error:
        raise FormatError(path, f"cannot be written ({error.strerror}); choose another folder") from error
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        _take_over(before, temporary)
        written = Stamp(len(data), os.stat(temporary).st_mtime_ns, content_key(data))
        os.replace(temporary, target)
    except OSError as error:
        Path(temporary).unlink(missing_ok=True)
        raise FormatError(path, f"cannot be written ({error.strerror}); the old file is untouched") from error
    except BaseException:
        Path(temporary).unlink(missing_ok=True)
        raise
    with contextlib.suppress(OSError):  # that the name leads to the new content must outlive a power cut too
        folder = os.open(target.parent, os.O_RDONLY | os.O_DIRECTORY)
        try:
            os.fsync(folder)
        finally:
            os.close(folder)
    return written


def _take_over(before: os.stat_result | None, temporary: str) -> None:
    """Give a new file the permissions, owner and group of the one that it replaces, else the usual ones."""
    if before is None:
        umask = os.umask(0)
        os.umask(umask)
        os.chmod(temporary, 0o666 & ~umask)
        return
    if (before.st_uid, before.st_gid) != (os.getuid(), os.getgid()):
        with contextlib.suppress(PermissionError):  # only its owner, or root, can give a file away
            os.chown(temporary, before.st_uid, before.st_gid)
    os.chmod(temporary, stat.S_IMODE(before.st_mode))


@dataclass(frozen=True, slots=True)
class Stamp:
    """What a file was when it was read or written: enough to notice that somebody else has changed it."""

    size: int
    modified_ns: int
    content: str

    def is_of(self, path: Path) -> bool:
        """Tell whether the file is still so; one that is gone was not changed by anybody."""
        try:
            status = path.stat()
            if (status.st_size, status.st_mtime_ns) == (self.size, self.modified_ns):
                return True
            return status.st_size == self.size and content_key(path.read_bytes()) == self.content
        except FileNotFoundError:
            return True
        except OSError:
            return False


@contextlib.contextmanager
def temporary_folder() -> Iterator[Path]:
    """Give a folder that is gone afterwards.

    Raises
    ------
    FormatError
        Nothing can be written there, while it is in use or before: the disk is full, or there is no such folder.
    """
    try:
        with tempfile.TemporaryDirectory() as folder:
            yield Path(folder)
    except OSError as error:
        raise no_room(error.strerror or str(error)) from error


def no_room(why: str) -> FormatError:
    """Return what is to be said when nothing can be written for a moment."""
    place = Path(tempfile.tempdir or os.environ.get("TMPDIR", "/tmp"))
    return FormatError(
        place, f"nothing can be written in {place} for a moment ({why}); make room, or name another folder in TMPDIR"
    )


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


def make_folder(folder: Path) -> None:
    """Make a folder, with those above it, where there is none (FormatError: it cannot be made)."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FormatError(folder, f"the folder cannot be made ({error.strerror})") from error
