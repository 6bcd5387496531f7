"""The keyboard as the joystick of the stand-in: held keys move it, a key whose release is not seen moves nothing."""

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QObject, Qt, QTimer
from PySide6.QtGui import QKeyEvent

from truegauge.core.arrays import Vector

_KEYS = {Qt.Key.Key_Left: (-1, 0, 0), Qt.Key.Key_Right: (1, 0, 0), Qt.Key.Key_Up: (0, 1, 0),
         Qt.Key.Key_Down: (0, -1, 0), Qt.Key.Key_PageUp: (0, 0, 1), Qt.Key.Key_PageDown: (0, 0, -1)}  # fmt: skip
_FAST, _SLOW = 60.0, 4.0  # mm/s
_HOLD_MS = 200
HOW = "Hold the arrow keys for X and Y and Page Up / Page Down for Z; Shift goes slowly. A contact is a touch."


class Joystick(QObject):
    """Takes key events of a widget; `move` is told the velocity (3,) mm/s again and again while keys are held."""

    def __init__(self, move: Callable[[Vector], None], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._move = move
        self._held: dict[int, tuple[int, int, int]] = {}
        self._slowly = False
        self._timer = QTimer(self)
        self._timer.setInterval(_HOLD_MS)
        self._timer.timeout.connect(self._tell)

    def press(self, event: QKeyEvent) -> bool:
        """Take a key that was pressed; False when it is none of the joystick's."""
        direction = _KEYS.get(Qt.Key(event.key()))
        if direction is None:
            return False
        if not event.isAutoRepeat():
            self._held[event.key()] = direction
            self._slowly = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self._tell()
            self._timer.start()
        return True

    def release(self, event: QKeyEvent) -> bool:
        """Take a key that was let go; False when it is none of the joystick's."""
        if event.key() not in self._held:
            return False
        if not event.isAutoRepeat():
            del self._held[event.key()]
            self._tell()
            if not self._held:
                self._timer.stop()
        return True

    def let_go(self) -> None:
        """Let all keys go."""
        self._held.clear()
        if self._timer.isActive():
            self._timer.stop()
            self._move(np.zeros(3))

    def _tell(self) -> None:
        total: Vector = np.sum([np.array(d, dtype=float) for d in self._held.values()], axis=0) + np.zeros(3)
        self._move((_SLOW if self._slowly else _FAST) * total)
