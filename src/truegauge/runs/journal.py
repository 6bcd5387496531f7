"""The journal of a run: every touch is on disk before the next one is made, so that a killed program loses none.

One line an entry: the CRC-32 of the JSON after it, a space, the JSON. The first line says what was run, where.
"""

import contextlib
import json
import os
import threading
import zlib
from pathlib import Path
from types import TracebackType
from typing import Literal, Self

from pydantic import Field, TypeAdapter, ValidationError

from truegauge.core.errors import FormatError
from truegauge.core.frozen_model import Frozen
from truegauge.core.samples.document import SampleData
from truegauge.formats.growing import append_whole, take_alone
from truegauge.formats.plan_file import plain
from truegauge.runs.state import AnyEntry, Entry, Located, RunState

SCHEMA_VERSION = 2
ENDING = ".tgrun"
_ENTRIES: TypeAdapter[AnyEntry] = TypeAdapter(Entry)


class RunAbout(Frozen):
    """What is run: the content of the plan, the machine, the features (ids) chosen, and the sample before the run."""

    schema_version: int = Field(default=SCHEMA_VERSION, le=SCHEMA_VERSION)
    plan: str
    machine: str
    started: str
    features: tuple[str, ...] = ()
    characteristics: tuple[str, ...] = ()
    subset: str = ""
    align: Literal["again", "as before"] = "again"
    sample: SampleData = SampleData()
    origin: str = ""
    piece: int = Field(default=0, ge=0, le=10_000)  # which of several on the table
    original: bool = False  # in the order that the route had before it was made shorter
    first: Located


class Journal:
    """An open journal; one process at a time has it."""

    def __init__(self, path: Path, about: RunAbout, state: RunState, file: int) -> None:
        self.path, self.about, self.state = path, about, state
        self._file = file
        self._writing = threading.Lock()  # another thread may let go of it meanwhile

    def __enter__(self) -> Self:
        """Return itself."""
        return self

    def __exit__(self, kind: type[BaseException] | None, value: BaseException | None, at: TracebackType | None) -> None:
        """Close it."""
        self.close()

    @staticmethod
    def begin(path: Path, about: RunAbout) -> "Journal":
        """Begin a new one.

        Raises
        ------
        FormatError
            There is one already, or it cannot be written.
        """
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            file = os.open(path, os.O_RDWR | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, 0o644)
        except FileExistsError:
            raise FormatError(path, "there is the journal of a run already: go on with it, or give it up") from None
        except OSError as error:
            raise FormatError(path, f"the journal of the run cannot be written ({error.strerror})") from error
        made = Journal(path, about, RunState(about.first), file)
        try:
            _lock(path, file)
            made._append(about.model_dump_json())
        except FormatError:
            made.close()
            with contextlib.suppress(OSError):
                path.unlink()
            raise
        return made

    @staticmethod
    def read(path: Path) -> tuple[RunAbout, RunState]:
        """Return what a journal says, without taking it."""
        journal = Journal.go_on(path, lock=False)
        journal.close()
        return journal.about, journal.state

    @staticmethod
    def go_on(path: Path, *, lock: bool = True) -> "Journal":
        """Open one that was begun; an entry that was not written whole, the last one, is left out.

        Raises
        ------
        FormatError
            It is damaged, of a newer version, or another process has it.
        """
        try:
            file = os.open(path, (os.O_RDWR if lock else os.O_RDONLY) | os.O_CLOEXEC)
        except OSError as error:
            raise FormatError(path, f"the journal of the run cannot be read ({error.strerror})") from error
        try:
            if lock:
                _lock(path, file)
            with os.fdopen(os.dup(file), "rb") as stream:
                stream.seek(0)
                good, size = _whole(path, stream.read().split(b"\n"))
            about = _about(path, good)
            state = RunState(about.first, [_entry(path, k, text) for k, text in enumerate(good[1:], 2)])
            if lock:
                os.ftruncate(file, size)
        except BaseException:
            os.close(file)
            raise
        return Journal(path, about, state, file)

    def keep(self, entry: AnyEntry) -> None:
        """Write an entry; it is on the disk when this returns.

        Raises
        ------
        FormatError
            It cannot be written, and what there was is as before.
        """
        self._append(entry.model_dump_json())

    def close(self) -> None:
        """Let go of it; it can be gone on with."""
        with self._writing:
            if self._file >= 0:
                os.close(self._file)
                self._file = -1

    def end(self) -> None:
        """Take it away: what it says is elsewhere."""
        with contextlib.suppress(OSError):
            self.path.unlink()
        self.close()

    @staticmethod
    def give_up(path: Path) -> None:
        """Take away the journal of a run that nobody goes on with; a damaged one too.

        Raises
        ------
        FormatError
            Another program goes on with it just now, or it cannot be taken away.
        """
        try:
            file = os.open(path, os.O_RDONLY | os.O_CLOEXEC)
        except FileNotFoundError:
            return
        except OSError as error:
            raise FormatError(path, f"the journal of the run cannot be read ({error.strerror})") from error
        try:
            _lock(path, file)
            path.unlink()
        except OSError as error:
            raise FormatError(path, f"the journal of the run cannot be taken away ({error.strerror})") from error
        finally:
            os.close(file)

    def _append(self, text: str) -> None:
        with self._writing:
            self._write(text.encode())

    def _write(self, data: bytes) -> None:
        line = f"{zlib.crc32(data):08x} ".encode() + data + b"\n"
        if self._file < 0:
            raise FormatError(self.path, "the run is over: nothing more of it is kept")
        words = "the journal of the run cannot be written ({}): make room, then go on"
        append_whole(self.path, self._file, line, words)


def _lock(path: Path, file: int) -> None:
    take_alone(path, file, "another program goes on with this run just now")


def _whole(path: Path, lines: list[bytes]) -> tuple[list[str], int]:
    """Return the texts of the lines that are whole, and how many bytes they are."""
    good: list[str] = []
    size = 0
    for k, line in enumerate(lines):
        head, _, data = line.partition(b" ")
        last = k >= len(lines) - 2 and not any(lines[k + 1 :])
        if line and head == f"{zlib.crc32(data):08x}".encode() and k < len(lines) - 1:
            good.append(data.decode())
            size += len(line) + 1
        elif not last:
            raise FormatError(path, f"line {k + 1}: the journal of the run is damaged")
    return good, size


def _about(path: Path, texts: list[str]) -> RunAbout:
    if not texts:
        raise FormatError(path, "the journal of the run is damaged: it says nothing")
    version = json.loads(texts[0]).get("schema_version", 0)
    if isinstance(version, int) and version > SCHEMA_VERSION:
        raise FormatError(path, "the journal of the run is of a newer version of the program")
    try:
        return RunAbout.model_validate_json(texts[0])
    except ValidationError as error:
        raise FormatError(path, f"line 1: the journal of the run is damaged: {plain(error)}") from error


def _entry(path: Path, number: int, text: str) -> AnyEntry:
    try:
        return _ENTRIES.validate_json(text)
    except ValidationError as error:
        raise FormatError(path, f"line {number}: the journal of the run is damaged: {plain(error)}") from error
