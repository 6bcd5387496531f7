"""Live readouts: what is told of the tip in digits that can be read from across the room; one, or several at once."""

from __future__ import annotations

import math
from collections.abc import Callable

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from truegauge.app.stages.devices.portable.model import PortableModel
from truegauge.app.stages.devices.portable.tile import TileTexts, paint_tile
from truegauge.app.widgets.theme import LiveTheme
from truegauge.core.evaluation.readouts import Told
from truegauge.core.plan.readouts import Readout
from truegauge.drawing.units import NumberFormat

USUAL = Readout(id="usual")  # the deviation from the surface, where the plan has no readout


class LiveReadout(QWidget):
    """Fills what it is given: the middle of the window, or a window of its own. Shows the plan's readouts, or one."""

    def __init__(self, model: PortableModel, theme: LiveTheme, close: Callable[[], object], only: str = "") -> None:
        super().__init__()
        self._model, self._theme, self._close, self.only = model, theme, close, only
        self.setObjectName("window")
        self.setAccessibleName("live readout")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        model.moved.connect(self._on_moved)
        model.changed.connect(self._on_moved)
        theme.changed.connect(self.update)
        model.session.document.plan_changed.connect(self._on_moved)

    def _on_moved(self) -> None:
        if self.isVisible():
            self.update()

    def shown(self) -> tuple[Readout, ...]:
        """Return the readouts that are shown."""
        own = self._model.session.plan.readouts
        if self.only:
            return tuple(r for r in own if r.id == self.only) or (USUAL,)
        return own or (USUAL,)

    def texts(self, readout: Readout = USUAL) -> TileTexts:
        """Return what a readout says: its number (or what to do first), towards what, by what, and how it stands."""
        plan, told = self._model.session.plan, self._model.told(readout)
        if not isinstance(told, Told):
            return TileTexts(told)
        numbers = NumberFormat(plan.unit, plan.decimals if readout.decimals is None else readout.decimals)

        def say(value: float) -> str:
            return numbers.signed(value) if told.signed else numbers.value(value)

        many = len(told.cells) > 1 and readout.subject == "tip"
        value = "\n".join(f"{name} {say(v)}" for name, v in told.cells) if many else say(told.value)
        by, bar = "", None
        if told.lower is not None and told.upper is not None:
            by = f"{say(told.lower)} to {say(told.upper)} {numbers.unit}: {told.by}"
            bar = (told.value, told.lower, told.upper)
        rest = [] if many else [f"{name} {numbers.signed(v)}" for name, v in told.cells[1:]]
        if told.foot is not None and readout.subject == "surface":
            rest = [f"{a} {numbers.value(float(v))}" for a, v in zip("XYZ", told.foot, strict=True)]
        kind = "" if readout.subject == "surface" else f"{told.cells[0][0]}: " if not many else ""
        below = "   ".join([*rest, numbers.unit] if rest or not by else [])
        return TileTexts(value, f"{kind}{told.of}", by, below, told.state, bar)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint every readout, the number of each as large as there is room for."""
        painter, t, room = QPainter(self), self._theme, QRectF(self.rect())
        painter.fillRect(room, QColor(t.paper))
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.TextAntialiasing)
        shown = self.shown()
        across = 1 if len(shown) <= 2 else 2 if len(shown) <= 6 else 3
        down = math.ceil(len(shown) / across)
        wide, high = room.width() / across, room.height() / down
        for k, readout in enumerate(shown):
            paint_tile(painter, QRectF((k % across) * wide, (k // across) * high, wide, high), self.texts(readout), t)
        painter.setPen(QPen(QColor(t.rule), 1.0))
        for k in range(1, down):
            painter.drawLine(0, round(k * high), self.width(), round(k * high))
        for k in range(1, across):
            painter.drawLine(round(k * wide), 0, round(k * wide), self.height())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Escape closes it."""
        if event.key() == Qt.Key.Key_Escape:
            self._close()
        else:
            super().keyPressEvent(event)


class ReadoutWindow(LiveReadout):
    """The same in a window of its own, for another screen; F11 fills it."""

    def __init__(self, model: PortableModel, theme: LiveTheme, only: str = "") -> None:
        super().__init__(model, theme, self.close, only)
        self.setWindowTitle("Live readout - True Gauge")
        self.resize(1000, 640)

    def open(self) -> None:
        """Show it, in front."""
        self.show()
        self.raise_()
        self.activateWindow()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """F11 fills the screen, or not any more."""
        if event.key() == Qt.Key.Key_F11:
            self.setWindowState(self.windowState() ^ Qt.WindowState.WindowFullScreen)
        else:
            super().keyPressEvent(event)
