"""The live readout: the deviation under the tip in digits that can be read from across the room."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QKeyEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from truegauge.app.stages.devices.portable.model import PortableModel
from truegauge.app.widgets.painter_surface import PainterSurface
from truegauge.app.widgets.theme import LiveTheme, font, state_color
from truegauge.core.evaluation.live_reading import Allowed, LiveReading
from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.gauge_bar import BarColors, draw_bar, gauge_bar
from truegauge.drawing.units import NumberFormat

_WORDS = {State.WITHIN: "within", State.NEAR: "near the limit", State.OUTSIDE: "outside"}


class LiveReadout(QWidget):
    """Fills what it is given: the middle of the window, or a window of its own."""

    def __init__(self, model: PortableModel, theme: LiveTheme, close: Callable[[], object]) -> None:
        super().__init__()
        self._model, self._theme, self._close = model, theme, close
        self.setObjectName("window")
        self.setAccessibleName("live readout")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        model.moved.connect(self._on_moved)
        model.changed.connect(self._on_moved)
        theme.changed.connect(self.update)

    def _on_moved(self) -> None:
        if self.isVisible():
            self.update()

    def texts(self, found: tuple[LiveReading, Allowed] | None) -> tuple[str, str, str, State | None]:
        """Return what is read: the number (or what to do first), where, what it is judged by, and how it stands."""
        plan = self._model.session.plan
        if found is None:
            return self._model.why_not(), "", "", None
        numbers = NumberFormat(plan.unit, plan.decimals)
        reading, allowed = found
        value = numbers.signed(reading.deviation)
        feature = next((f.name for f in plan.features if reading.face in f.faces), "the surface")
        low, high = numbers.signed(allowed.lower), numbers.signed(allowed.upper)
        by = f"{low} to {high} {numbers.unit}: {allowed.words}"
        return value, feature, by, allowed.state_of(reading.deviation)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the number as large as there is room for, the bar below it, and where the tip is."""
        painter, t, room = QPainter(self), self._theme, QRectF(self.rect())
        painter.fillRect(room, QColor(t.paper))
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.TextAntialiasing)
        found = self._model.reading()
        value, feature, by, state = self.texts(found)
        small = max(16.0, room.height() / 22)
        margin = 0.04 * room.width()
        inner = room.adjusted(margin, small, -margin, -small)
        if found is None or state is None:
            self._line(painter, inner, value, 0.13 * room.height(), t.ink)
            return
        color = state_color(t, str(state))
        top = QRectF(inner.left(), inner.top(), inner.width(), 1.8 * small)
        self._line(painter, top, feature, 1.5 * small, t.ink, Qt.AlignmentFlag.AlignLeft)
        self._line(painter, top, _WORDS[state], 1.5 * small, color, Qt.AlignmentFlag.AlignRight)
        bottom = QRectF(inner.left(), inner.bottom() - 3.4 * small, inner.width(), 3.4 * small)
        bar = QRectF(inner.left(), bottom.top() - 3.6 * small, inner.width(), 3.0 * small)
        number = QRectF(inner.left(), top.bottom(), inner.width(), bar.top() - top.bottom())
        self._line(painter, number, value, number.height(), color)
        self._bar(painter, bar, found, color)
        upper = bottom.adjusted(0, 0, 0, -1.7 * small)
        self._line(painter, upper, by, 1.1 * small, t.soft, Qt.AlignmentFlag.AlignLeft)
        self._line(painter, bottom.adjusted(0, 1.7 * small, 0, 0), self._places(found[0]), 1.1 * small, t.soft,
                   Qt.AlignmentFlag.AlignLeft)  # fmt: skip

    def _bar(self, painter: QPainter, box: QRectF, found: tuple[LiveReading, Allowed], color: str) -> None:
        reading, allowed = found
        state = allowed.state_of(reading.deviation)
        bar = gauge_bar(reading.deviation, 0.0, allowed.lower, allowed.upper, state)
        painter.save()
        painter.translate(box.topLeft())
        scale = box.height() / 18.0
        painter.scale(scale, scale)
        with PainterSurface(painter) as surface:
            where = (0.0, 0.0, box.width() / scale, box.height() / scale)
            draw_bar(surface, where, bar, BarColors(self._theme.band, self._theme.tick, color))
        painter.restore()

    def _places(self, reading: LiveReading) -> str:
        plan = self._model.session.plan
        numbers = NumberFormat(plan.unit, plan.decimals)
        x, y, z = (numbers.value(float(v)) for v in reading.foot)
        return f"X {x}   Y {y}   Z {z}   {numbers.unit}"

    def _line(
        self, painter: QPainter, box: QRectF, text: str, height: float, color: str,
        side: Qt.AlignmentFlag = Qt.AlignmentFlag.AlignHCenter,
    ) -> None:  # fmt: skip
        """Paint a line of text at most so high, smaller where it is too wide."""
        size = 0.82 * height
        wide = QFontMetricsF(font(size, bold=True)).horizontalAdvance(text)
        if wide > box.width() > 0:
            size *= box.width() / wide
        painter.setFont(font(size, bold=True))
        painter.setPen(QColor(color))
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | side, text)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Escape closes it."""
        if event.key() == Qt.Key.Key_Escape:
            self._close()
        else:
            super().keyPressEvent(event)


class ReadoutWindow(LiveReadout):
    """The same in a window of its own, for another screen; F11 fills it."""

    def __init__(self, model: PortableModel, theme: LiveTheme) -> None:
        super().__init__(model, theme, self.close)
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
