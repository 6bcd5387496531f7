"""Temperatures of gauges: logged, given to the sample that is measured meanwhile, and told when they run away."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject

if TYPE_CHECKING:
    from truegauge.app.document.session import Session
    from truegauge.app.stages.devices.portable.line import Line

_KEPT = 20_000  # readings of each: half a day, one every two seconds
_STEP_K = 0.05  # by which the mean must differ from what the sample says
LIMIT_K = 0.5  # that a temperature may change by while a sample is measured


class TemperatureLog(QObject):
    """What is measured of a sample is taken as measured at the mean of the temperatures meanwhile.

    Temperatures that somebody has typed stay as they are.
    """

    def __init__(self, session: Session, lines: Callable[[], list[Line]], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session, self._lines = session, lines
        self.limit = LIMIT_K
        self.follows = True
        self._log: dict[str, deque[tuple[float, float]]] = {}
        self._taken: dict[int, int] = {}  # readings of each line that were logged
        self._sample = ""  # that the means are of
        self._means: dict[str, tuple[float, int, float]] = {}  # sum, how many, the first
        self._given: dict[str, float] = {}
        self._warned: set[str] = set()
        self.clock: Callable[[], float] = time.monotonic

    def of(self, what: str) -> list[tuple[float, float]]:
        """Return times (s) and temperatures (°C) of air, part or device, the latest last."""
        return list(self._log.get(what, ()))

    def look(self) -> None:
        """Take what gauges have read since the last time."""
        sample = self._session.sample
        if (sample.origin if sample is not None else "") != self._sample:
            self._sample = "" if sample is None else sample.origin
            self._means, self._given, self._warned = {}, {}, set()
        for line in self._lines():
            device = line.device
            if self._taken.get(id(line)) == device.readings_taken:
                continue
            self._taken[id(line)] = device.readings_taken
            for what, value in device.readings.items():
                if what != "dial":
                    self._log.setdefault(what, deque(maxlen=_KEPT)).append((self.clock(), value))
                    total, count, first = self._means.get(what, (0.0, 0, value))
                    self._means[what] = (total + value, count + 1, first)
                    self._see_change(what, value - first)
        self._give()

    def _is_measured_here(self) -> bool:
        sample = self._session.sample
        own = {line.device.identity for line in self._lines() if line.kind != "gauge"}
        return sample is not None and bool(sample.contributions) and sample.about.device in own

    def _see_change(self, what: str, change: float) -> None:
        if abs(change) > self.limit and what not in self._warned and self._is_measured_here():
            self._warned.add(what)
            self._session.notify(f"the {what} is {change:+.1f} K from where it was when this sample was begun: lengths "
                                 "change by what that means; let it settle, or measure the sample again")  # fmt: skip

    def _give(self) -> None:
        """Give the sample the means, where nobody has typed others."""
        sample = self._session.sample
        if not self.follows or sample is None or not self._is_measured_here():
            return
        changes: dict[str, Any] = {}
        for what, name in (("part", "temperature_c"), ("device", "scale_temperature_c")):
            total, count, _ = self._means.get(what, (0.0, 0, 0.0))
            said = getattr(sample.about, name)
            if not count or (said is not None and said != self._given.get(name)):
                continue
            mean = round(total / count, 2)
            if said is None or abs(mean - said) >= _STEP_K:
                changes[name] = self._given[name] = mean
        if changes:
            self._session.document.set_sample_data(**changes)
