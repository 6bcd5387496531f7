"""Worker processes that inspect scans: each holds the plan, has bounded memory, and may die without harm to others."""

import contextlib
import logging
import multiprocessing
import multiprocessing.connection
import os
import resource
import sys
import time
from collections.abc import Iterator
from dataclasses import dataclass, replace
from multiprocessing.connection import Connection
from multiprocessing.process import BaseProcess
from pathlib import Path
from typing import Any

from truegauge.core.errors import TrueGaugeError
from truegauge.jobs.records import Earlier, Record

log = logging.getLogger(__name__)

MEMORY_MB = 3000
RETIRE_SHARE = 0.6  # of the memory: a worker that has needed so much is replaced after its scan
# The last is that of the software that draws without a graphics card.
_THREADS = ("NUMBA_NUM_THREADS", "OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "MKL_NUM_THREADS", "LP_NUM_THREADS")


@dataclass(frozen=True, slots=True)
class Task:
    """One scan to inspect: its outputs are `folder`/`name`.ending."""

    name: str
    scan: Path
    unit: str
    folder: Path
    formats: tuple[str, ...]
    key: str


@dataclass(frozen=True, slots=True)
class Event:
    """What has happened with a task: a step on the way, or (`record`) its end."""

    task: Task
    fraction: float
    text: str
    record: Record | None = None


@dataclass(eq=False)
class _Worker:
    process: BaseProcess
    link: Connection
    task: Task | None = None
    started: float = 0.0
    lost: str = ""  # why it was stopped


class Workers:
    """Up to `jobs` processes that inspect by a plan. Use it from one thread; `close` stops them."""

    def __init__(
        self, plan: Path, jobs: int, *, uncertainty: bool = True, memory_mb: float = MEMORY_MB, threads: int = 0,
        earlier: Earlier | None = None,
    ) -> None:  # fmt: skip
        self._plan, self._jobs, self._uncertainty, self._memory = plan, max(1, jobs), uncertainty, memory_mb
        self._earlier = earlier
        self._threads = threads or max(1, (os.cpu_count() or 1) // self._jobs)
        self._workers: list[_Worker] = []
        self._queue: list[Task] = []

    @property
    def busy(self) -> int:
        """How many tasks are not at their end."""
        return len(self._queue) + sum(w.task is not None for w in self._workers)

    def add(self, task: Task) -> None:
        """Inspect one more scan."""
        self._queue.append(task)
        self._hand_out()

    def events(self, timeout: float) -> list[Event]:
        """Wait up to `timeout` seconds and return what has happened."""
        self._hand_out()
        links = [w.link for w in self._workers]
        ends = [w.process.sentinel for w in self._workers]
        if not links:
            return []
        multiprocessing.connection.wait([*links, *ends], timeout)
        found: list[Event] = []
        for worker in list(self._workers):
            found += self._heard(worker)
            self._watch_memory(worker)
            if not worker.process.is_alive():
                found += self._heard(worker)  # what it had said before
                found += self._lost(worker)
        self._hand_out()
        return found

    def close(self) -> None:
        """Stop all workers at once; their scans have no outputs."""
        for worker in self._workers:
            worker.process.kill()
        for worker in self._workers:
            worker.process.join(5)
            worker.link.close()
        self._workers, self._queue = [], []

    def __enter__(self) -> "Workers":
        return self

    def __exit__(self, *exception: object) -> None:
        self.close()

    def _hand_out(self) -> None:
        while self._queue:
            free = next((w for w in self._workers if w.task is None), None)
            if free is None:
                if len(self._workers) >= self._jobs:
                    return
                free = self._start()
            task = self._queue.pop(0)
            free.task, free.started = task, time.monotonic()
            with contextlib.suppress(OSError):  # it has just died: `events` will notice
                free.link.send(task)

    def _start(self) -> _Worker:
        context = multiprocessing.get_context("spawn")
        ours, theirs = context.Pipe()
        process = context.Process(
            target=_work,
            args=(theirs, self._plan, self._uncertainty, self._memory * RETIRE_SHARE, self._threads, self._earlier),
            daemon=True,
        )
        with _environment(self._threads):
            process.start()
        theirs.close()
        worker = _Worker(process, ours)
        self._workers.append(worker)
        return worker

    @staticmethod
    def _heard(worker: _Worker) -> list[Event]:
        found: list[Event] = []
        while True:
            try:
                if not worker.link.poll():
                    return found
                said = worker.link.recv()
            except (EOFError, OSError):
                return found
            task = worker.task
            if task is None:
                continue
            if isinstance(said, Record):
                worker.task = None
                found.append(Event(task, 1.0, said.reason or "done", said))
            else:
                found.append(Event(task, *said))

    def _watch_memory(self, worker: _Worker) -> None:
        if worker.task is not None and not worker.lost and _resident_mb(worker.process.pid) > self._memory:
            worker.lost = f"it needed more than {self._memory:.0f} MB of memory"
            worker.process.kill()
            worker.process.join(5)

    def _lost(self, worker: _Worker) -> list[Event]:
        """A process has ended: because it was told to, or with its scan."""
        self._workers.remove(worker)
        worker.link.close()
        task = worker.task
        if task is None:
            return []
        code = worker.process.exitcode
        if code == 0 and not worker.lost:
            # It had grown large and retired just when it was handed another scan: the next worker takes that.
            self._queue.insert(0, task)
            return []
        reason = worker.lost or f"the process that inspected it ended unexpectedly (code {code})"
        log.warning("%s: %s", task.scan, reason)
        seconds = time.monotonic() - worker.started
        return [Event(task, 1.0, reason, Record(task.name, str(task.scan), task.key, reason, seconds=seconds))]


@contextlib.contextmanager
def _environment(threads: int) -> Iterator[None]:
    """Let a process that is started here have so many threads."""
    before = {name: os.environ.get(name) for name in _THREADS}
    os.environ.update(dict.fromkeys(_THREADS, str(threads)))
    try:
        yield
    finally:
        for name, value in before.items():
            if value is None:
                os.environ.pop(name, None)
            else:
                os.environ[name] = value


def _resident_mb(pid: int | None) -> float:
    try:
        pages = int(Path(f"/proc/{pid}/statm").read_text().split()[1])
    except (OSError, ValueError, IndexError):
        return 0.0
    return pages * os.sysconf("SC_PAGE_SIZE") / 1e6


def _peak_mb() -> float:
    """Return the most memory that this process had, MB.

    Of the address space it has since it was started: what the kernel counts for the process goes on from the one that
    started it, so that workers of a large window would count as large from the beginning.
    """
    for line in Path("/proc/self/status").read_text().splitlines():
        if line.startswith("VmHWM:"):
            return int(line.split()[1]) / 1024
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


def _work(
    link: Connection, plan: Path, uncertainty: bool, retire_mb: float, threads: int, earlier: Earlier | None
) -> None:
    """Inspect what comes through the pipe, until it closes or the process has grown large."""
    from truegauge.formats.plan_file import read_plan
    from truegauge.jobs.bare_inspection import BareInspector
    from truegauge.jobs.imperfections import scan_of
    from truegauge.jobs.inspection import Inspector

    inspector: Any = None  # of either kind: they inspect, write, and tell what came of it alike
    while True:
        try:
            task: Task = link.recv()
        except (EOFError, OSError):
            return
        started = time.monotonic()
        record = Record(task.name, str(task.scan), task.key)
        try:
            if inspector is None:
                link.send((0.0, "opening the plan"))
                bare = read_plan(plan).plan
                before = None if earlier is None else scan_of(earlier.scan, earlier.unit)
                inspector = BareInspector(bare, before) if bare.part is None and bare.silhouette is None else (
                    Inspector.of_file(plan, uncertainty=uncertainty, threads=threads, earlier=before))  # fmt: skip
            record = _inspect(inspector, link, task, record)
        except TrueGaugeError as error:
            record = replace(record, reason=str(error))
        except MemoryError:
            record = replace(record, reason="there was not enough memory")
        except Exception as error:  # one failed scan never stops the rest
            log.exception("scan %s", task.scan)
            record = replace(record, reason=f"an error in the program: {type(error).__name__}: {error}")
        peak = _peak_mb()
        try:
            link.send(replace(record, seconds=time.monotonic() - started, peak_mb=peak))
        except OSError:
            return
        if peak > retire_mb:
            sys.exit(0)


def _inspect(inspector: Any, link: Connection, task: Task, record: Record) -> Record:
    last = 0.0

    def progress(fraction: float, text: str = "", /) -> None:
        nonlocal last
        if time.monotonic() - last > 0.1:
            last = time.monotonic()
            link.send((fraction, text))

    done = inspector.inspect(task.scan, task.unit, progress=progress)
    refused = inspector.refused(done)
    if refused:  # its numbers would be those of nothing
        return replace(record, reason=refused)
    written = inspector.write(
        done, task.formats, lambda ending: task.folder / f"{task.name}.{ending}", progress=progress
    )
    outputs = tuple(p.name for p in written)
    return replace(record, results=inspector.document(done), outputs=outputs, counts=inspector.counts(done))
