"""An inbox: a folder whose new scans are inspected by themselves."""

import contextlib
import os
import shutil
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from truegauge.core.errors import FormatError
from truegauge.formats.files import write_whole
from truegauge.jobs.batch import USUAL_FORMATS, is_scan
from truegauge.jobs.inspection import plan_key
from truegauge.jobs.records import Record
from truegauge.jobs.workers import MEMORY_MB, Event, Task, Workers

DONE, FAILED, RESULTS = "done", "failed", "results"
_LOOK_S = 0.5


@dataclass(frozen=True, slots=True)
class InboxSettings:
    """Which folder is watched, by which plan, and what is written; `out` is `folder`/results unless another is given.

    A file counts as complete when it has not changed for `settle` seconds.
    """

    plan: Path
    folder: Path
    out: Path | None = None
    unit: str = ""
    formats: tuple[str, ...] = USUAL_FORMATS
    jobs: int = 1
    settle: float = 3.0
    memory_mb: float = MEMORY_MB

    @property
    def results(self) -> Path:
        """Where the outputs go."""
        return self.out or self.folder / RESULTS


class Inbox:
    """Watches a folder. `step` looks once; a stop in the middle leaves scans where they were."""

    def __init__(self, settings: InboxSettings) -> None:
        if not settings.folder.is_dir():
            raise FormatError(settings.folder, "there is no such folder; make it first")
        plan_key(settings.plan)  # a plan that cannot be read is told at once
        self.settings = settings
        for place in (settings.folder / DONE, settings.folder / FAILED, settings.results):
            try:
                place.mkdir(parents=True, exist_ok=True)
            except OSError as error:
                raise FormatError(place, f"the folder cannot be made ({error.strerror})") from error
        self.finished: list[Record] = []
        self._seen: dict[Path, tuple[tuple[int, int], float]] = {}
        self._under_way: set[Path] = set()
        self._names: set[str] = set()
        self._workers = Workers(settings.plan, settings.jobs, memory_mb=settings.memory_mb)
        self._looked = -_LOOK_S

    @property
    def waiting(self) -> tuple[Path, ...]:
        """Scans that are still arriving."""
        return tuple(p for p in self._seen if p not in self._under_way)

    @property
    def busy(self) -> int:
        """How many scans are being inspected, or wait for that."""
        return self._workers.busy

    def step(self, timeout: float = _LOOK_S) -> list[Event]:
        """Look into the folder, and tell what has happened with the scans in it."""
        if time.monotonic() - self._looked >= _LOOK_S:
            self._looked = time.monotonic()
            self._look()
        if not self._workers.busy:
            time.sleep(timeout)
            return []
        events = self._workers.events(timeout)
        for event in events:
            if event.record is not None:
                self._put_away(event.task, event.record)
        return events

    def close(self) -> None:
        """Stop watching."""
        self._workers.close()

    def _look(self) -> None:
        now = time.monotonic()
        there = sorted(p for p in self.settings.folder.iterdir() if is_scan(p))
        for gone in set(self._seen) - set(there):
            del self._seen[gone]
        for path in there:
            if path in self._under_way:
                continue
            try:
                status = path.stat()
            except OSError:
                continue
            state = (status.st_size, status.st_mtime_ns)
            before = self._seen.get(path)
            if before is None or before[0] != state:
                # A file that was complete long before is not waited for again.
                age = max(0.0, time.time() - status.st_mtime) if before is None else 0.0
                self._seen[path] = (state, now - age)
                before = self._seen[path]
            if now - before[1] >= self.settings.settle and status.st_size > 0:
                self._begin(path)

    def _begin(self, path: Path) -> None:
        s = self.settings
        self._under_way.add(path)
        name = _free(s.results, path.stem, s.formats, self._names)
        self._names.add(name)
        self._workers.add(Task(name, path, s.unit, s.results, s.formats, ""))

    def _put_away(self, task: Task, record: Record) -> None:
        self._under_way.discard(task.scan)
        self._seen.pop(task.scan, None)
        self.finished.append(record)
        folder = self.settings.folder / (FAILED if record.failed else DONE)
        target = folder / task.scan.name
        n = 2
        while target.exists():
            target, n = folder / f"{task.scan.stem}-{n}{task.scan.suffix}", n + 1
        try:
            os.replace(task.scan, target)
        except OSError:
            with contextlib.suppress(OSError):
                shutil.move(str(task.scan), str(target))
        if record.failed:
            write_whole(target.with_name(f"{target.name}.reason.txt"), f"{record.reason}\n".encode())


def _free(folder: Path, stem: str, formats: tuple[str, ...], taken: set[str]) -> str:
    name, n = stem, 2
    while name in taken or any((folder / f"{name}.{f}").exists() for f in formats):
        name, n = f"{stem}-{n}", n + 1
    return name


def run_inbox(
    settings: InboxSettings, told: Callable[[Event], None], *, stop: Callable[[], bool] = lambda: False,
    once: bool = False,
) -> Inbox:  # fmt: skip
    """Watch until `stop` says so; with `once` only until everything that is in the folder is put away."""
    inbox = Inbox(settings)
    try:
        while not stop():
            for event in inbox.step():
                told(event)
            if once and not inbox.busy and not inbox.waiting:
                break
    finally:
        inbox.close()
    return inbox
