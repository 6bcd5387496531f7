"""Running a reader in a child process with limits: a damaged file may crash or hang a foreign library."""

import resource
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path
from typing import IO

from truegauge.core.errors import FormatError
from truegauge.core.progress import Progress, silent

TIME_LIMIT = 180.0
MEMORY_LIMIT = 8 << 30


def _limit() -> None:
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY_LIMIT, MEMORY_LIMIT))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))


def read_in_child(module: str, path: Path, out: Path, *, progress: Progress = silent) -> None:
    """Run ``python -m module path out`` and turn every way it can end into a message.

    The child reports a fault of the file by exit code 3 with the message as its last line on standard error.

    Raises
    ------
    FormatError
        The child said so, crashed, ran out of memory, or took longer than `TIME_LIMIT` seconds.
    """
    with tempfile.TemporaryFile("w+") as errors:
        code, spent = _run(module, path, out, errors, progress)
        errors.seek(0)
        said = errors.read().strip().splitlines()
    if code == 0:
        return
    if code == 3 and said:
        raise FormatError(path, said[-1])
    if spent >= TIME_LIMIT:
        raise FormatError(
            path, f"could not be read within {TIME_LIMIT:.0f} s; the file may be damaged: export it again"
        )
    raise FormatError(path, "the file is damaged (the reader stopped on it); export it again from the CAD system")


def _run(module: str, path: Path, out: Path, errors: IO[str], progress: Progress) -> tuple[int, float]:
    """Return the exit code of the child and the seconds that it took."""
    child = subprocess.Popen(
        [sys.executable, "-m", module, str(path), str(out)],
        stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=errors, preexec_fn=_limit,
    )  # fmt: skip
    timer = threading.Timer(TIME_LIMIT, child.kill)
    timer.daemon = True
    timer.start()
    started = time.monotonic()
    try:
        while True:
            try:
                code = child.wait(timeout=0.1)
                break
            except subprocess.TimeoutExpired:
                # No share is known: approach, never reach, the end.
                spent = time.monotonic() - started
                progress(spent / (spent + 3.0), "reading the part")
    except BaseException:
        child.kill()
        child.wait()
        raise
    finally:
        timer.cancel()
    return code, time.monotonic() - started
