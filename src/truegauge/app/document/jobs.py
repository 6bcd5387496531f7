"""Long work off the window's thread, with progress and a cancel that works."""

import logging
import os
import threading
from collections.abc import Callable
from concurrent.futures import Executor, ThreadPoolExecutor
from typing import Any

from PySide6.QtCore import QEventLoop, QObject, Signal

from truegauge.core.errors import Cancelled, TrueGaugeError
from truegauge.core.progress import Progress

log = logging.getLogger(__name__)
_NICER = 3


def background_thread(name: str) -> ThreadPoolExecutor:
    """Return a thread for long work that lets the window go first.

    On Linux each thread has a priority of its own, which the threads of kernels that it starts inherit.
    """
    return ThreadPoolExecutor(1, thread_name_prefix=name, initializer=_go_second)


def _go_second() -> None:
    try:
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), _NICER)
    except OSError:  # not allowed here: then it goes side by side
        log.debug("the priority of a thread stays as it is", exc_info=True)


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
        self.result: Any = None
        self.error: Exception | None = None

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
            self.result = result
            self.done.emit(self, result)
        except Cancelled:
            self.cancelled.emit(self)
        except Exception as error:
            if isinstance(error, TrueGaugeError):
                log.info("job refused: %s", error)
            else:
                log.exception("job failed")
            self.error = error
            self.failed.emit(self, error)


def waited_for(work: Callable[[Progress], Any], name: str) -> Any:
    """Do something that must be done before anything else, beside the window, which is drawn and takes no input.

    Returns what the work returns, and raises what it raises.
    """
    job, loop, thread = Job(work), QEventLoop(), ThreadPoolExecutor(1, thread_name_prefix=f"truegauge-{name}")
    for ended in (job.done, job.failed, job.cancelled):
        ended.connect(loop.quit)
    job.start(thread)
    loop.exec(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
    thread.shutdown()
    if job.error is not None:
        raise job.error
    return job.result
