"""Points taken by the window where the tip is: by a key (a foot switch is one), at rest, every so far or so often."""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QEvent, QObject, QSettings, Signal
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import QApplication

from truegauge.app.stages.devices.portable.line import Line
from truegauge.app.stages.devices.portable.model import PortableModel
from truegauge.core.probing.taking import PointTaker, Way
from truegauge.devices.protocol import PointBlock

KEY = "F8"
_SETTING = "portable/key"
_NEAR = 5.0  # mm from the part: a tip that rests in the air touches nothing


class TakingModel(QObject):
    """Works while somebody measures with the arm: the points go where its touches go."""

    changed = Signal()

    def __init__(self, portable: PortableModel, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.portable = portable
        self._settings = QSettings("truegauge", "truegauge")
        self.key = str(self._settings.value(_SETTING, KEY))
        self.taker = PointTaker(Way.BUTTON)
        self._held = False
        self._seen: object = None
        self._listens = False
        self.clock: Callable[[], float] = time.monotonic
        portable.moved.connect(self._on_moved)
        portable.lent.connect(self._on_lent)

    @property
    def line(self) -> Line | None:
        """The device whose touches somebody takes just now."""
        line = self.portable.arm
        return line if line is not None and any(not b.as_measured for b in line.borrowers) else None

    def set_way(self, way: Way) -> None:
        """Take points in another way."""
        old = self.taker
        self.taker = PointTaker(way, distance=old.distance, seconds=old.seconds, rest_s=old.rest_s, ball=old.ball)
        self.changed.emit()

    def set_numbers(self, distance: float, seconds: float, rest_s: float) -> None:
        """Set how far (mm), how often (s), and how long a tip must rest (s)."""
        self.taker = PointTaker(self.taker.way, distance=distance, seconds=seconds, rest_s=rest_s, ball=self.taker.ball)
        self.changed.emit()

    def set_key(self, key: str) -> None:
        """Let another key take points, as a foot switch sends it."""
        if key:
            self.key = key
            self._settings.setValue(_SETTING, key)
            self.changed.emit()

    def take_point(self) -> None:
        """Take a point where the tip is now."""
        line = self.line
        if line is not None and line.device.at is not None:
            self._give(line, np.array(line.device.at.place))

    def close(self) -> None:
        """Listen to no key any more."""
        self._listen(False)

    def _on_moved(self) -> None:
        line = self.line
        at = None if line is None else line.device.at
        if line is None or at is None or at is self._seen:
            return
        self._seen = at
        place = self.taker.moved(self.clock(), np.array(at.place), held=self._held or 1 in at.pressed)
        if place is not None and (self.taker.way is not Way.REST or self._is_at_part(line)):
            self._give(line, place)

    def _is_at_part(self, line: Line) -> bool:
        """Whether the tip is at the part; where nobody knows how that lies, it is."""
        found = self.portable.reading() if self.portable.lie(line) is not None else None
        return found is None or abs(found[0].deviation) < _NEAR

    def _give(self, line: Line, place: np.ndarray) -> None:
        block = PointBlock(place[None], line.device.radius, time=self.clock())
        line.take([block], self.portable.placement(line))
        self.portable.moved.emit()  # who takes its touches looks again

    # The key --------------------------------------------------------------------------------------------------------

    def _on_lent(self) -> None:
        self._listen(self.line is not None)

    def _listen(self, on: bool) -> None:
        app = QApplication.instance()
        if on == self._listens or app is None:
            return
        self._listens, self._held = on, False
        (app.installEventFilter if on else app.removeEventFilter)(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Take the key wherever the focus is: the foot does not know of it."""
        if event.type() not in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease, QEvent.Type.ShortcutOverride):
            return False
        if not isinstance(event, QKeyEvent) or QKeySequence(event.keyCombination()).toString() != self.key:
            return False
        if event.type() == QEvent.Type.ShortcutOverride:
            event.accept()  # no command of the window takes it
            return True
        if event.isAutoRepeat():
            return True
        pressed = event.type() == QEvent.Type.KeyPress
        if pressed and not self._held and self.taker.way in (Way.BUTTON, Way.REST):
            self.take_point()
        self._held = pressed
        return True
