"""Work in the background, one thing after the other, with progress, a way to stop it, and messages about its end."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, QTimer, QUrl, Signal
from PySide6.QtGui import QDesktopServices

from truegauge.app.document.jobs import Job, background_thread, waited_for
from truegauge.core.errors import ColumnsUnknownError, FormatError, TrueGaugeError, shortened
from truegauge.core.progress import Progress
from truegauge.formats.scan import Columns

_SHOWN_MS = 12


@dataclass(frozen=True, slots=True, eq=False)
class Notice:
    """A message for the user: what happened, and possibly one or two things to do about it."""

    text: str
    action: str = ""
    callback: Callable[[], None] | None = None
    second: str = ""
    second_callback: Callable[[], None] | None = None
    calm: bool = False  # nothing is wrong
    passing: bool = False  # it goes by itself


class WrongUnit(FormatError):
    """The size of a scan speaks for another unit than the one that it was read by."""

    def __init__(self, path: object, reason: str, unit: str, read_as: str) -> None:
        super().__init__(path, reason)
        self.unit, self.read_as = unit, read_as


Again = Callable[[str, Columns | None], None]


class WorkQueue(QObject):
    """Runs jobs on one worker thread; what they return comes back on the window's thread."""

    busy_changed = Signal()
    noticed = Signal(object)
    columns_wanted = Signal(object, object)
    stopped = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.busy_text, self.busy_fraction = "", 0.0
        self._executor = background_thread("truegauge")
        self._job: Job | None = None
        self._waiting: list[tuple[Callable[[Progress], Any], Callable[[Any], None], str, Again | None, bool]] = []
        self._must, self._held = False, 0
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(_SHOWN_MS)
        self._soon.timeout.connect(self._begin)
        self._again: Again | None = None
        self._then: Callable[[Any], None] = lambda _: None
        self._job_text = ""
        self._closed = False

    @property
    def is_busy(self) -> bool:
        """Whether work is going on."""
        return self._job is not None or bool(self._waiting)

    def notify(
        self, problem: Exception | str, action: str = "", callback: Callable[[], None] | None = None,
        second: str = "", second_callback: Callable[[], None] | None = None,
    ) -> None:  # fmt: skip
        """Show a message."""
        calm = isinstance(problem, str)
        self.noticed.emit(Notice(_words(problem), action, callback, second, second_callback, calm))

    def tell_saved(self, path: Path) -> None:
        """Say where something was saved; a button opens the folder."""

        def show() -> None:
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(path.absolute().parent)))

        said = f"{shortened(path.name)} is saved in {shortened(str(path.absolute().parent))}"
        self.noticed.emit(Notice(said, "Show in folder", show, calm=True, passing=True))

    @property
    def must_go_on(self) -> bool:
        """Whether something is going on, or waits, that must be done."""
        waits = self._held > 0 or any(must for *_, must in self._waiting)
        return waits or (self._job is not None and self._must)

    @property
    def can_stop(self) -> bool:
        """Whether what is going on can be stopped."""
        return self._job is not None and not self._must

    def cancel(self) -> None:
        """Stop the work that is going on, and what waits behind it, but for what must be done."""
        self._waiting = [waiting for waiting in self._waiting if waiting[-1]]
        if self._job is not None and not self._must:
            self._job.cancel()

    def close(self) -> None:
        """Stop all work and wait for it; before, `must_go_on` tells whether it is too early."""
        self._closed = True
        self._soon.stop()
        self.cancel()
        self._executor.shutdown(wait=True, cancel_futures=True)
        self._job, self.busy_text = None, ""

    def hold_for(self, work: Callable[[Progress], Any], then: Callable[[Any], None]) -> bool:
        """Save something before anything else happens: the window is drawn meanwhile, takes no input and stays open.

        `then` gets what the work returns, or it is told why it cannot be (False), before a window that was closed
        meanwhile may close.
        """
        self._held += 1
        try:
            then(waited_for(work, "saving"))
        except FormatError as error:
            self.notify(error)
            return False
        else:
            return True
        finally:
            self._held -= 1
            self.busy_changed.emit()

    def start(
        self, work: Callable[[Progress], Any], done: Callable[[Any], None], text: str, again: Again | None = None,
        *, must: bool = False,
    ) -> None:  # fmt: skip
        """Work in the background; what it returns is handed to `done` in the window's thread.

        `again` does the same with a unit or columns that had to be asked for. What `must` be done goes before all that
        waits, cannot be stopped, and keeps the window open until it is done.
        """
        if self._closed:
            return
        at = sum(waiting[-1] for waiting in self._waiting) if must else len(self._waiting)
        self._waiting.insert(at, (work, done, text, again, must))
        if self._job is None:
            self._next()

    def _next(self) -> None:
        if not self._waiting:
            self.busy_text, self.busy_fraction = "", 0.0
            self.busy_changed.emit()
            return
        work, done, text, self._again, self._must = self._waiting.pop(0)
        job = Job(work, self)
        self._job, self._then, self._job_text = job, done, text
        self.busy_text, self.busy_fraction = text, 0.0
        job.progressed.connect(self._on_progressed)
        job.done.connect(self._on_done)
        job.failed.connect(self._on_failed)
        job.cancelled.connect(self._on_cancelled)
        self.busy_changed.emit()
        if self._must:
            job.start(self._executor)
        else:
            self._soon.start()  # what led to it is shown first: work beside it makes the window slow to answer

    def _begin(self) -> None:
        if self._job is not None:
            self._job.start(self._executor)

    def _on_progressed(self, job: Job, fraction: float, detail: str) -> None:
        if job is self._job:
            self.busy_text = f"{self._job_text}: {detail}" if detail else self._job_text
            self.busy_fraction = fraction
            self.busy_changed.emit()

    def _on_done(self, job: Job, result: object) -> None:
        if self._closed:
            return
        then = self._then
        self._end(job)
        then(result)
        self._go_on()

    def _on_failed(self, job: Job, error: Exception) -> None:
        if self._closed:
            return
        self._end(job)
        again = self._again
        if isinstance(error, WrongUnit) and again is not None:
            unit, as_it_is = error.unit, error.read_as
            self.notify(error, f"Read as {unit}", lambda: again(unit, None), f"Keep {as_it_is}",
                        lambda: again(as_it_is, None))  # fmt: skip
        elif isinstance(error, ColumnsUnknownError) and again is not None:
            self.columns_wanted.emit(error, lambda columns: again("", columns))
        else:
            self.notify(error)
        self._go_on()

    def _on_cancelled(self, job: Job) -> None:
        if self._closed:
            return
        self._end(job)
        self.stopped.emit()
        self._go_on()

    def _end(self, job: Job) -> None:
        self._job = None
        job.deleteLater()

    def _go_on(self) -> None:
        if self._job is None:
            self._next()


def _words(problem: Exception | str) -> str:
    if isinstance(problem, str | TrueGaugeError):
        return str(problem)
    errors = getattr(problem, "errors", None)
    if callable(errors):
        return str(errors()[0]["msg"]).removeprefix("Value error, ")
    return f"something went wrong inside the program ({type(problem).__name__}: {problem}); your work is kept"
