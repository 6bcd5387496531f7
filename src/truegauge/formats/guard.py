"""Running a reader in a process of its own with limits: a damaged file may crash or hang a foreign library."""

import json
import os
import select
import shutil
import signal
import subprocess
import sys
import threading
import time
from contextlib import suppress
from pathlib import Path

from truegauge.core.errors import FormatError
from truegauge.core.progress import Progress, silent
from truegauge.formats.files import no_room, temporary_folder
from truegauge.formats.reader_process import WAITING as _WAITING

TIME_LIMIT = 180.0  # s of processor time
_PER_MEGABYTE = 90.0
_ROOM = 1 << 20  # bytes: with less the disk was full
_WHAT = {"part": "the part", "scan": "the scan"}


def time_limit(path: Path) -> float:
    """Return the processor time (s) that reading a file may take: more for a large one, which can be cancelled."""
    try:
        size = path.stat().st_size / 1e6
    except OSError:
        size = 0.0
    return max(TIME_LIMIT, _PER_MEGABYTE * size) if size > 1 else TIME_LIMIT


class _Reader:
    """The reader process; started at the first job, and again after one that was cancelled."""

    def __init__(self) -> None:
        self._process: subprocess.Popen[str] | None = None
        self._busy = threading.Lock()

    def run(self, kind: str, path: Path, out: Path, said: Path, progress: Progress) -> tuple[int, bool]:
        """Return the exit code of the job and whether its time ran out."""
        with self._busy:
            process = self._started()
            limit = time_limit(path)
            job = {"kind": kind, "source": str(path), "out": str(out), "said": str(said), "limit": limit}
            assert process.stdin is not None
            assert process.stdout is not None
            started = time.monotonic()
            try:
                process.stdin.write(json.dumps(job) + "\n")
                process.stdin.flush()
                while not select.select([process.stdout], [], [], 0.1)[0]:
                    # No share is known: approach, never reach, the end.
                    spent = time.monotonic() - started
                    progress(spent / (spent + 3.0), f"reading {_WHAT[kind]}")
                    if spent > _WAITING * limit + 10:
                        self._stop()
                        return -signal.SIGKILL, True
                line = process.stdout.readline()
            except BrokenPipeError:
                line = ""
            except BaseException:
                self._stop()
                raise
            if not line:  # the reader process itself is gone
                self._stop()
                return -signal.SIGKILL, False
            answer = json.loads(line)
            return int(answer["code"]), bool(answer["late"])

    def _started(self) -> subprocess.Popen[str]:
        if self._process is None or self._process.poll() is not None:
            # A session of its own: ending it ends the job that it forked as well.
            self._process = subprocess.Popen(
                [sys.executable, "-m", "truegauge.formats.reader_process"],
                stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True,
                start_new_session=True,
            )  # fmt: skip
        return self._process

    def _stop(self) -> None:
        process, self._process = self._process, None
        if process is None:
            return
        with suppress(ProcessLookupError):
            os.killpg(process.pid, signal.SIGKILL)
        process.wait()
        for pipe in (process.stdin, process.stdout):
            if pipe is not None:
                with suppress(BrokenPipeError):
                    pipe.close()


_READER = _Reader()


def read_in_child(kind: str, path: Path, out: Path, *, progress: Progress = silent) -> None:
    """Have a ``part`` or ``scan`` read into the archive `out`, and turn every way it can end into a message.

    The child reports a fault of the file by exit code 3 with the message as its last line on standard error.

    Raises
    ------
    FormatError
        The child said so, crashed, ran out of memory, or computed longer than `time_limit`.
    """
    with temporary_folder() as folder:
        said = folder / "said"
        code, late = _READER.run(kind, path.absolute(), out, said, progress)
        lines = said.read_text(errors="replace").strip().splitlines() if said.exists() else []
    if code == 0:
        return
    if code == 3 and lines:
        raise FormatError(path, lines[-1])
    if late:
        raise FormatError(
            path,
            f"takes too long to read: {time_limit(path):.0f} s of processor time were not enough; export it with less "
            "detail, or in parts",
        )
    if shutil.disk_usage(out.parent).free < _ROOM:  # what it reads it writes there
        raise no_room("No space left on device")
    raise FormatError(path, "the file is damaged (the reader stopped on it); export it again")
