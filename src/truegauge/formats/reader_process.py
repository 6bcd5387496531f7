"""The process in which foreign libraries read files: one child for each file, forked from a parent that is warm.

A damaged file may crash or hang a library that is not ours. The parent loads the libraries once (the CAD kernel takes
more than a second) and forks for every job, so that each file is read in a process of its own, within limits.
Run by `formats.guard`: one job a line on standard input, as JSON; one answer a line on standard output.
"""

import json
import os
import resource
import signal
import sys
import time
from pathlib import Path

MEMORY_LIMIT = 8 << 30
WAITING = 6  # times the limit: what a busy machine may take


def _convert(kind: str, source: Path, out: Path) -> int:
    if kind == "part":
        from truegauge.formats.part_child import convert as convert_part

        return convert_part(source, out)
    from truegauge.formats.scan_child import convert as convert_scan

    return convert_scan(source, out)


def _warm(kind: str) -> None:
    """Load what a job needs before forking, so that the next job finds it there."""
    if kind == "part":
        import truegauge.core.cad.kernel.shapes  # noqa: F401
    else:
        import laspy  # noqa: F401
        import pye57  # noqa: F401


def _child(kind: str, source: str, out: str, said: str) -> int:
    """Run one job in a forked process; the message for the user goes to the file `said`."""
    handle = os.open(said, os.O_WRONLY | os.O_CREAT | os.O_TRUNC)
    os.dup2(handle, 2)
    quiet = os.open(os.devnull, os.O_WRONLY)
    os.dup2(quiet, 1)
    sys.stderr = os.fdopen(2, "w", closefd=False)
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY_LIMIT, MEMORY_LIMIT))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    try:
        code = _convert(kind, Path(source), Path(out))
    except MemoryError:
        sys.stderr.write("\nthe file needs more memory than allowed; export it with less detail\n")
        code = 3
    except BaseException as error:  # noqa: BLE001 - the outer edge of a process: say it, end
        sys.stderr.write(f"{type(error).__name__}: {error}\n")
        code = 1
    sys.stderr.flush()
    return code


def _processor_time(pid: int) -> float:
    """Return the seconds that a process has computed."""
    try:
        fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    except OSError:
        return 0.0
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


def _job(kind: str, source: str, out: str, said: str, limit: float) -> tuple[int, bool]:
    """Return the exit code (negative: the signal) of a forked child, and whether its processor time ran out.

    On a machine that is busy with something else a reader may wait; one that does nothing for long hangs.
    """
    pid = os.fork()
    if pid == 0:
        os._exit(_child(kind, source, out, said))
    begin = time.monotonic()
    pause = 0.002
    while True:
        done, status = os.waitpid(pid, os.WNOHANG)
        if done:
            return os.waitstatus_to_exitcode(status), False
        if _processor_time(pid) > limit or time.monotonic() - begin > WAITING * limit:
            os.kill(pid, signal.SIGKILL)
            os.waitpid(pid, 0)
            return -signal.SIGKILL, True
        time.sleep(pause)
        pause = min(0.05, pause * 1.3)


def main() -> int:
    """Answer jobs until standard input ends."""
    for line in sys.stdin:
        job = json.loads(line)
        _warm(job["kind"])
        code, late = _job(job["kind"], job["source"], job["out"], job["said"], job["limit"])
        sys.stdout.write(json.dumps({"code": code, "late": late}) + "\n")
        sys.stdout.flush()
    return 0


if __name__ == "__main__":
    sys.exit(main())
