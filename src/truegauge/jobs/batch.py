"""A batch: many scans by one plan, in worker processes, resumable, ending with a summary."""

import hashlib
import json
import os
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from truegauge.core.errors import FormatError
from truegauge.formats.files import make_folder, write_whole
from truegauge.formats.pictures import SUFFIXES
from truegauge.formats.scan import SCAN_READERS
from truegauge.jobs.inspection import FORMATS, SAMPLE_ENDING, plan_key
from truegauge.jobs.records import Earlier, Record, output_names, read_record, scan_key, write_record
from truegauge.jobs.summary import Summary, summarize, summary_csv, summary_json, summary_xlsx
from truegauge.jobs.workers import MEMORY_MB, Event, Task, Workers

USUAL_FORMATS = ("pdf", "csv", "json")
_POLL = 0.2  # seconds


@dataclass(frozen=True, slots=True)
class BatchSettings:
    """What to inspect, by which plan, and what to write where."""

    plan: Path
    scans: tuple[Path, ...]
    out: Path
    unit: str = ""
    formats: tuple[str, ...] = USUAL_FORMATS
    naming: str = "{scan}"
    jobs: int = field(default_factory=lambda: os.cpu_count() or 1)
    threads: int = 0  # of each worker; 0: the cores shared among them
    uncertainty: bool = True
    again: bool = False  # do what is done already once more
    memory_mb: float = MEMORY_MB
    earlier: Earlier | None = None  # that surface checks measure from


def scans_in(paths: Sequence[Path]) -> tuple[Path, ...]:
    """Return scans and samples: files as they are, of folders all that can be opened, by name.

    Raises
    ------
    FormatError
        A folder holds none, or there is no such file or folder.
    """
    found: list[Path] = []
    for path in paths:
        if path.is_dir():
            inside = sorted(p for p in path.iterdir() if is_scan(p))
            if not inside:
                raise FormatError(path, "the folder holds no scan and no sample")
            found += inside
        elif path.exists():
            found.append(path)
        else:
            raise FormatError(path, "there is no such file or folder; check the name")
    return tuple(dict.fromkeys(found))


def is_scan(path: Path) -> bool:
    """Tell whether a file is a scan or sample by its ending."""
    known = path.suffix.lower() in (*SCAN_READERS, *SUFFIXES, SAMPLE_ENDING)
    return known and path.is_file() and not path.name.startswith(".")


class Batch:
    """One run of a batch. `step` lets it go on; `rows` tell how far each scan is."""

    def __init__(self, settings: BatchSettings) -> None:
        wrong = set(settings.formats) - set(FORMATS)
        if wrong:
            raise FormatError(settings.out, f"no such output: {', '.join(sorted(wrong))}; use {', '.join(FORMATS)}")
        if not settings.scans:
            raise FormatError(settings.out, "there is no scan to inspect")
        if settings.earlier is not None:
            settings.earlier.checked()
        self.settings = settings
        content = plan_key(settings.plan)
        names = output_names(list(settings.scans), settings.naming, settings.plan.stem)
        make_folder(settings.out)
        self.tasks = tuple(
            Task(name, scan, settings.unit, settings.out, settings.formats, self._key(content, scan))
            for name, scan in zip(names, settings.scans, strict=True)
        )
        self.records: dict[str, Record] = {}
        self.progress: dict[str, tuple[float, str]] = {t.name: (0.0, "waiting") for t in self.tasks}
        self.kept = 0  # done before, by an earlier run
        self._workers: Workers | None = None

    def _key(self, plan: str, scan: Path) -> str:
        s = self.settings
        earlier = [] if s.earlier is None else [s.earlier.key]
        content = json.dumps([plan, scan_key(scan), s.unit, s.formats, s.uncertainty, *earlier])
        return hashlib.sha256(content.encode()).hexdigest()

    def start(self) -> None:
        """Hand out what is not done yet."""
        s = self.settings
        self._workers = Workers(
            s.plan, min(s.jobs, len(self.tasks)), uncertainty=s.uncertainty, memory_mb=s.memory_mb, threads=s.threads,
            earlier=s.earlier,
        )  # fmt: skip
        for task in self.tasks:
            before = None if s.again else read_record(s.out, task.name)
            if before is not None and self._still_holds(before, task):
                self.records[task.name] = before
                self.progress[task.name] = (1.0, "done before")
                self.kept += 1
            else:
                self._workers.add(task)

    def _still_holds(self, record: Record, task: Task) -> bool:
        return (
            record.key == task.key
            and not record.failed
            and all((self.settings.out / name).exists() for name in record.outputs)
        )

    @property
    def is_done(self) -> bool:
        """Whether every scan is at its end."""
        return len(self.records) == len(self.tasks)

    def step(self, timeout: float = _POLL) -> list[Event]:
        """Wait for something to happen, note it down, and return it."""
        if self._workers is None:
            return []
        events = self._workers.events(timeout)
        for event in events:
            if event.record is not None:
                write_record(self.settings.out, event.record)
                self.records[event.task.name] = event.record
            self.progress[event.task.name] = (event.fraction, event.text)
        return events

    def close(self) -> None:
        """Stop; what is done stays done."""
        if self._workers is not None:
            self._workers.close()
            self._workers = None

    def summary(self) -> Summary:
        """Return the summary of what is done."""
        return summarize([self.records[t.name] for t in self.tasks if t.name in self.records])

    def write_summary(self) -> tuple[Path, ...]:
        """Write the summary as CSV, XLSX and JSON."""
        made = self.summary()
        written = []
        for ending, write in (("csv", summary_csv), ("xlsx", summary_xlsx), ("json", summary_json)):
            path = self.settings.out / f"summary.{ending}"
            write_whole(path, write(made))
            written.append(path)
        return tuple(written)


def run_batch(settings: BatchSettings, told: Callable[[Event], None] = lambda event: None) -> Batch:
    """Run a batch to its end and write the summary."""
    batch = Batch(settings)
    try:
        batch.start()
        while not batch.is_done:
            for event in batch.step():
                told(event)
    finally:
        batch.close()
        if batch.records:
            batch.write_summary()
    return batch
