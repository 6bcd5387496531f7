"""Folders that belong to one process while it lives: others can tell, and take over what it left.

Numbers of processes repeat (in containers at once), so a lock in the folder says that its owner lives.
"""

import contextlib
import fcntl
import os
import shutil
import uuid
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

_LOCK = ".lock"


@dataclass(slots=True, eq=False)
class OwnedFolder:
    """A folder that is ours until it is given up."""

    path: Path
    _lock: int = field(repr=False)

    def remove(self) -> None:
        """Delete it with all that is in it."""
        shutil.rmtree(self.path, ignore_errors=True)
        self.release()

    def release(self) -> None:
        """Leave it to others. Once: the number of a file that is closed is the next one's."""
        lock, self._lock = self._lock, -1
        if lock >= 0:
            with contextlib.suppress(OSError):
                os.close(lock)


def make_owned(parent: Path, prefix: str = "") -> OwnedFolder:
    """Make a folder of our own; nobody sees it before it is locked (OSError where it cannot be made)."""
    parent.mkdir(parents=True, exist_ok=True)
    name = f"{prefix}{uuid.uuid4().hex[:12]}"
    hidden, path = parent / f".{name}", parent / name
    hidden.mkdir(mode=0o700)
    lock = _taken(hidden)
    if lock is None:
        raise OSError(f"{path} cannot be locked")
    hidden.rename(path)
    return OwnedFolder(path, lock)


def take_abandoned(parent: Path) -> Iterator[OwnedFolder]:
    """Yield the folders whose owners are gone; each is ours then."""
    try:
        there = sorted(p for p in parent.iterdir() if not p.name.startswith(".") and p.is_dir())
    except OSError:
        return
    for path in there:
        lock = _taken(path)
        if lock is not None:
            yield OwnedFolder(path, lock)


def _taken(path: Path) -> int | None:
    try:
        handle = os.open(path / _LOCK, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
    except OSError:
        return None
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        os.close(handle)
        return None
    return handle
