"""Works out the uncertainties of the characteristics in the background, when nothing else is going on."""

from __future__ import annotations

import logging
import threading
import time
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal

from truegauge.app.document.jobs import background_thread
from truegauge.core.errors import Cancelled

if TYPE_CHECKING:
    from truegauge.app.document.document import Document
    from truegauge.core.evaluation.evaluator import Evaluator
    from truegauge.core.plan.document import Plan
    from truegauge.core.samples.sample import Sample

log = logging.getLogger(__name__)
_TOLD_EVERY = 2.5  # s: results are shown again with what is known by then
_LATER_MS = 200  # where other work is going on when there is something to show
_HELD_S = 0.1


class UncertaintyWorker(QObject):
    """One thread beside the work queue: a change of plan or sample makes it start anew."""

    told = Signal(object)
    failed = Signal(str)
    DELAY_MS = 1200

    def __init__(self, document: Document, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._executor = background_thread("uncertainty")
        self._stop, self._free = threading.Event(), threading.Event()
        self._free.set()
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self._begin)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(_LATER_MS)
        self._later.timeout.connect(lambda: self._show(document.plan))
        document.evaluated.connect(self._wait)
        self.told.connect(self._show)
        self.failed.connect(document.notify)

    def hold(self, held: bool) -> None:
        """Let it rest while the machine has something to keep up with, or go on."""
        if held:
            self._free.clear()
        else:
            self._free.set()

    @property
    def waits(self) -> bool:
        """Whether it is about to begin."""
        return self._timer.isActive()

    def close(self) -> None:
        """Stop and wait for the thread."""
        self._timer.stop()
        self._later.stop()
        self._stop.set()
        self._free.set()
        self._executor.shutdown(wait=True, cancel_futures=True)

    def _wait(self) -> None:
        evaluation = self._document.evaluation
        if evaluation is None or self._document.sample is None:
            self._stop.set()
            return
        if any(r.measured is not None and r.uncertainty is None for r in evaluation.results):
            self._timer.start(self.DELAY_MS)

    def _begin(self) -> None:
        d = self._document
        if d.queue.is_busy:
            self._timer.start(self.DELAY_MS)
            return
        if d.evaluator is None or d.sample is None:
            return
        self._stop.set()
        self._stop = threading.Event()
        self._executor.submit(self._work, d.evaluator, d.plan, d.sample, self._stop)

    def _work(self, evaluator: Evaluator, plan: Plan, sample: Sample, stop: threading.Event) -> None:
        last, new = time.monotonic(), False

        def go_on(fraction: float, text: str = "", /) -> None:
            while not stop.is_set() and not self._free.wait(_HELD_S):
                pass
            if stop.is_set():
                raise Cancelled

        for c in plan.characteristics:
            try:
                go_on(0.0)
            except Cancelled:
                return
            if not evaluator.knows_uncertainty(plan, sample, c):
                try:
                    evaluator.uncertainty(plan, sample, c, progress=go_on)
                except Cancelled:
                    return
                except Exception as error:  # a pool hides what nobody fetches: it is told, and the others go on
                    log.exception("uncertainty of %s", c.name)
                    self.failed.emit(f"the uncertainty of {c.number} {c.name} could not be worked out: {error}")
                    continue
                new = True
            if new and time.monotonic() - last > _TOLD_EVERY:
                self.told.emit(plan)
                last, new = time.monotonic(), False
        evaluator.forget_trials()
        if new:
            self.told.emit(plan)

    def _show(self, plan: Plan) -> None:
        """Judge again with what is known now; only results change, nothing is computed."""
        d = self._document
        if d.queue.is_busy:
            self._later.start()
            return
        if plan is not d.plan or d.evaluator is None or not d.evaluator.is_quick(plan, d.sample):
            return  # it will be judged with what is known when it is evaluated
        d.evaluation = d.evaluator.evaluate(plan, d.sample)
        self._timer.stop()
        d.evaluated.disconnect(self._wait)
        d.evaluated.emit()
        d.evaluated.connect(self._wait)
