"""An inbox: a folder whose new scans are inspected by themselves.

A scan is claimed by moving it into a folder of this inbox's own, which only one of several inboxes can do; what an
inbox that ended had claimed is given back.
"""

import contextlib
import os
import shutil
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from truegauge.core.errors import FormatError
from truegauge.formats.files import write_whole
from truegauge.formats.owned_folder import OwnedFolder, make_owned, take_abandoned
from truegauge.jobs.batch import USUAL_FORMATS, is_scan
from truegauge.jobs.inspection import SAMPLE_ENDING, plan_key
from truegauge.jobs.records import Earlier, Record
from truegauge.jobs.workers import MEMORY_MB, Event, Task, Workers

DONE, FAILED, RESULTS, CLAIMED = "done", "failed", "results", ".claimed"
_LOOK_S = 0.5
_LONGEST = 180  # bytes of a name: endings and numbers are put behind it

State = tuple[int, int]  # size, time of the last change


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
    earlier: Earlier | None = None  # that surface checks measure from

    @property
    def results(self) -> Path:
        """Where the outputs go."""
        return self.out or self.folder / RESULTS


class Inbox:
    """Watches a folder. `step` looks once; a stop in the middle leaves scans where they were."""

    def __init__(self, settings: InboxSettings) -> None:
        if not settings.folder.is_dir():
            raise FormatError(settings.folder, "there is no such folder; make it first")
        if settings.results.resolve() == settings.folder.resolve():
            raise FormatError(settings.results, "outputs cannot go into the folder that is watched; choose another one")
        if settings.earlier is not None:
            settings.earlier.checked()
        plan_key(settings.plan)  # a plan that cannot be read is told at once
        self.settings = settings
        self.finished: list[Record] = []
        self._seen: dict[Path, tuple[State, float]] = {}
        self._claimed: dict[Path, tuple[str, State]] = {}  # where it is now: its name, and what it was when claimed
        self._again: dict[Path, tuple[Task, State, float]] = {}  # changed while it was inspected
        self._refused: dict[Path, tuple[State, str]] = {}
        self._names: set[str] = set()
        self._told: list[Event] = []
        self._missing = False
        self._own: OwnedFolder | None = None
        self._make_folders()
        self._give_back_of_others()
        self._workers = Workers(settings.plan, settings.jobs, memory_mb=settings.memory_mb, earlier=settings.earlier)
        self._looked = -_LOOK_S

    @property
    def waiting(self) -> tuple[Path, ...]:
        """Scans that are still arriving."""
        return (*self._seen, *self._again)

    @property
    def refused(self) -> tuple[tuple[Path, str], ...]:
        """Files that are left where they are, and why."""
        return tuple((path, reason) for path, (_, reason) in self._refused.items())

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
            time.sleep(0 if self._told else timeout)
        events = self._workers.events(timeout) if self._workers.busy else []
        for event in events:
            if event.record is not None and not self._changed_meanwhile(event.task):
                self._put_away(event.task, event.record)
        # A record of what changed while it was read is of neither file.
        told = [e for e in events if e.record is None or e.task.scan not in self._again]
        told, self._told = self._told + told, []
        return told

    def close(self) -> None:
        """Stop watching; what was not finished goes back."""
        self._workers.close()
        for path, (name, _) in list(self._claimed.items()):
            with contextlib.suppress(OSError):
                moved_apart(path, self.settings.folder, name)
        self._claimed.clear()
        for name in tuple(self._names):
            self._give_up(name)
        if self._own is not None:
            self._own.remove()
            self._own = None

    def _make_folders(self) -> Path:
        """Make what is not there (any more); returns this inbox's own folder."""
        s = self.settings
        place = s.folder
        try:
            for place in (s.folder / DONE, s.folder / FAILED, s.results):
                place.mkdir(parents=True, exist_ok=True)
            place = s.folder / CLAIMED
            if self._own is None or not self._own.path.is_dir():
                if self._own is not None:
                    self._own.release()
                self._own = make_owned(place)
        except OSError as error:
            raise FormatError(place, f"the folder cannot be made ({error.strerror or error})") from error
        return self._own.path

    def _give_back_of_others(self) -> None:
        """Put scans back that an inbox had claimed which ended without finishing them."""
        for other in take_abandoned(self.settings.folder / CLAIMED):
            try:
                for path in sorted(other.path.glob("*/*")):
                    moved_apart(path, self.settings.folder, path.name)
                    self._reservation(path.parent.name).unlink(missing_ok=True)
            except OSError:
                other.release()  # what could not be moved stays
            else:
                other.remove()

    def _look(self) -> None:
        now = time.monotonic()
        try:
            there = sorted(p for p in self.settings.folder.iterdir() if is_scan(p))
        except OSError as error:
            if not self._missing:
                self._missing = True
                self._tell(self.settings.folder, f"the folder cannot be looked into ({error.strerror}); waiting for it")
            self._seen.clear()
            return
        self._missing = False
        for known in (self._seen, self._refused):
            for gone in set(known) - set(there):
                del known[gone]
        for path in there:
            state = _state(path)
            refused = self._refused.get(path)
            if state is None or (refused is not None and refused[0] == state):
                self._seen.pop(path, None)
                continue
            before = self._seen.get(path)
            # Two looks apart by our own clock: times in the file may be of another machine, or of a copy.
            if before is None or before[0] != state:
                self._seen[path] = (state, now)
            elif now - before[1] >= self.settings.settle:
                del self._seen[path]
                self._begin(path, state)
        self._begin_again(now)

    def _begin(self, path: Path, state: State) -> None:
        s = self.settings
        if state[0] == 0:
            self._refuse(path, state, "the file is empty; it is left where it is until it changes")
            return
        name = ""
        try:
            own = self._make_folders()
            name = self._free_name(path.stem)
            claimed = own / name / path.name
            claimed.parent.mkdir()
            os.rename(path, claimed)  # of several inboxes one succeeds
        except (OSError, FormatError) as error:
            self._give_up(name)
            if not isinstance(error, FileNotFoundError):  # else another one was faster
                reason = error.reason if isinstance(error, FormatError) else error.strerror
                self._refuse(path, state, f"cannot be taken ({reason}); it is left where it is until it changes")
            return
        self._claimed[claimed] = (path.name, state)
        self._workers.add(Task(name, claimed, s.unit, s.results, s.formats, ""))

    def _give_up(self, name: str) -> None:
        """Leave a name for outputs to others."""
        if name:
            self._names.discard(name)
            self._reservation(name).unlink(missing_ok=True)

    def _free_name(self, stem: str) -> str:
        """Return a name for outputs that are not there, and that no other inbox takes meanwhile."""
        s, stem = self.settings, _cut(stem)
        endings = [SAMPLE_ENDING if f == "sample" else f".{f}" for f in s.formats]
        n = 1
        while True:
            name = stem if n == 1 else f"{stem}-{n}"
            n += 1
            if any((s.results / f"{name}{e}").exists() for e in endings):
                continue
            with contextlib.suppress(FileExistsError):
                os.close(os.open(self._reservation(name), os.O_CREAT | os.O_EXCL | os.O_WRONLY))
                self._names.add(name)
                return name

    def _reservation(self, name: str) -> Path:
        return self.settings.results / f".{name}.taken"

    def _refuse(self, path: Path, state: State, reason: str) -> None:
        """Tell once that a file cannot be inspected as it is."""
        self._refused[path] = (state, reason)
        self._tell(path, reason)

    def _tell(self, path: Path, reason: str) -> None:
        task = Task(path.stem, path, self.settings.unit, self.settings.results, self.settings.formats, "")
        self._told.append(Event(task, 1.0, reason, Record(path.stem, str(path), "", reason)))

    def _changed_meanwhile(self, task: Task) -> bool:
        """Tell whether a scan was still written when it was read; then it is inspected again."""
        known, state = self._claimed.get(task.scan), _state(task.scan)
        if known is None or state is None or state == known[1]:
            return False
        self._again[task.scan] = (task, state, time.monotonic())
        return True

    def _begin_again(self, now: float) -> None:
        for path, (task, before, since) in list(self._again.items()):
            state = _state(path)
            if state is None:
                del self._again[path]
            elif state != before:
                self._again[path] = (task, state, now)
            elif now - since >= self.settings.settle:
                del self._again[path]
                self._claimed[path] = (self._claimed[path][0], state)
                self._workers.add(task)

    def _put_away(self, task: Task, record: Record) -> None:
        name, _ = self._claimed.pop(task.scan, (task.scan.name, (0, 0)))
        self.finished.append(record)
        self._give_up(task.name)
        try:
            self._make_folders()
            target = moved_apart(task.scan, self.settings.folder / (FAILED if record.failed else DONE), name)
            shutil.rmtree(task.scan.parent, ignore_errors=True)
            if record.failed:
                write_whole(target.with_name(f"{_cut(target.name)}.reason.txt"), f"{record.reason}\n".encode())
        except (OSError, FormatError) as error:
            self._tell(task.scan, f"it was inspected but cannot be put away ({error})")


def _state(path: Path) -> State | None:
    try:
        status = path.stat()
    except OSError:
        return None
    return status.st_size, status.st_mtime_ns


def moved_apart(path: Path, folder: Path, name: str) -> Path:
    """Move a file into a folder, under a number besides its name where that is taken; nothing is replaced."""
    stem, ending = Path(name).stem, Path(name).suffix
    n = 1
    while True:
        target = folder / (name if n == 1 else f"{_cut(stem)}-{n}{ending}")
        try:
            os.close(os.open(target, os.O_CREAT | os.O_EXCL | os.O_WRONLY))
            break
        except FileExistsError:
            n += 1
    try:
        os.replace(path, target)
    except OSError:
        try:
            shutil.move(str(path), str(target))  # another disk
        except OSError:
            target.unlink(missing_ok=True)
            raise
    return target


def _cut(name: str) -> str:
    """Return a name short enough for an ending behind it."""
    raw = os.fsencode(name)
    return name if len(raw) <= _LONGEST else raw[:_LONGEST].decode("utf-8", "ignore")


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
