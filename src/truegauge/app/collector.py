"""Collects cyclic garbage on the window's thread only.

Python collects garbage in whatever thread happens to allocate. Widgets in a cycle (a button whose click calls a
function that knows the button) would then be destroyed by the worker thread, which Qt does not survive. So the
automatic collection is turned off, and the window's thread collects when enough has gathered.
"""

import gc

from PySide6.QtCore import QObject, QTimer

from truegauge.app.document.calm import calm_is_wanted

_EVERY_MS = 500


class Collector(QObject):
    """Runs the collections that are due, by the interpreter's own thresholds."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._thresholds = gc.get_threshold() if any(gc.get_threshold()) else (700, 10, 10)
        gc.disable()
        gc.freeze()  # what is there at the start stays, and is not looked through again and again
        self._timer = QTimer(self)
        self._timer.timeout.connect(self.collect_if_due)
        self._timer.start(_EVERY_MS)

    def collect_if_due(self) -> None:
        """Collect the oldest generation that is due, with the younger ones; the oldest not while calm is wanted."""
        counts = gc.get_count()
        for generation in (1, 0) if calm_is_wanted() else (2, 1, 0):
            if counts[generation] > self._thresholds[generation]:
                gc.collect(generation)
                return
