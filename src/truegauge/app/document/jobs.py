"""Long work off the window's thread, with progress and a cancel that works."""

import logging
import threading
from collections.abc import Callable
from concurrent.futures import Executor
from typing import Any

from PySide6.QtCore import QObject, Signal

from truegauge.core.errors import Cancelled, TrueGaugeError
from truegauge.core.progress import Progress

log = logging.getLogger(__name__)


class Job(QObject):
    """One piece of work. It lives in the window's thread; its work does not."""

    # All carry the job itself, so that a method of a QObject can receive them: Qt delivers in that object's thread.
    progressed = Signal(object, float, str)
    done = Signal(object, object)
    failed = Signal(object, object)
    cancelled = Signal(object)

    def __init__(self, work: Callable[[Progress], Any], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._work = work
        self._stop = threading.Event()

    def start(self, executor: Executor) -> None:
        """Hand the work to a thread."""
        self.future = executor.submit(self._run)

    def cancel(self) -> None:
        """Ask to stop; the work notices at its next report."""
        self._stop.set()

    def _report(self, fraction: float, text: str = "", /) -> None:
        if self._stop.is_set():
            raise Cancelled
        self.progressed.emit(self, fraction, text)

    def _run(self) -> None:
        try:
            self._report(0.0)
            result = self._work(self._report)
            if self._stop.is_set():
                raise Cancelled
            self.done.emit(self, result)
        except Cancelled:
            self.cancelled.emit(self)
        except Exception as error:
            if isinstance(error, TrueGaugeError):
                log.info("job refused: %s", error)
            else:
                log.exception("job failed")
            self.failed.emit(self, error)
