"""Files that grow entry by entry: one program has them, and an entry is there whole or not at all."""

import contextlib
import errno
import fcntl
import os
from pathlib import Path

from truegauge.core.errors import FormatError


def take_alone(path: Path, file: int, taken: str) -> None:
    """Take an open file for this program alone, until it is closed.

    Raises
    ------
    FormatError
        Another program has it: what `taken` says.
    """
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        raise FormatError(path, taken) from None


def append_whole(path: Path, file: int, data: bytes, failed: str) -> None:
    """Write an entry at the end of an open file; it is on the disk when this returns.

    Parameters
    ----------
    failed : str
        What is said where that fails; {} stands for the reason.

    Raises
    ------
    FormatError
        It cannot be written, and what there was is as before.
    """
    size = os.fstat(file).st_size
    try:
        os.lseek(file, size, os.SEEK_SET)
        if os.write(file, data) != len(data):  # at once: others see it whole, or not at all
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        os.fsync(file)
    except OSError as error:
        with contextlib.suppress(OSError):
            os.ftruncate(file, size)
        raise FormatError(path, failed.format(error.strerror)) from error
