"""Words over the view of the machine: what is seen, and what the user must do now."""

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPen
from PySide6.QtWidgets import QWidget

from truegauge.app.stages.devices.model import DevicesModel
from truegauge.app.widgets.text_size import room_of
from truegauge.app.widgets.theme import LiveTheme, font
from truegauge.core.probing.assembly import HeadPose, ProbeAssembly
from truegauge.rendering.camera import Camera


class MachineWords:
    """Painted in a widget."""

    def __init__(self, widget: QWidget, model: DevicesModel, theme: LiveTheme) -> None:
        self._widget, self._model, self._theme = widget, model, theme

    @property
    def _room(self) -> QRectF:
        return room_of(self._widget)

    def machine(self, painter: QPainter, *, nothing_known: bool) -> None:
        """Say what to do where there is nothing to see."""
        if self._model.machine.cmm is None or not self._model.machine.connected:
            self._center(painter, "No machine is connected",
                               "Connect to one, or start the stand-in, on the left.")  # fmt: skip
        elif nothing_known:
            words = "Say how high its table is, choose the stylus that is on it, or qualify one."
            self._center(painter, "Nothing is known of this machine yet", words)

    def task(self, painter: QPainter) -> None:
        """What the user must do now."""
        state = self._model.qualifying.run_state
        if state is None or not self._model.machine.connected:
            return
        if state.text and state.use is not None:
            several = self._model.probing.settings.by == "hand"
            big = "Touch the sphere by hand" if several else "Touch the sphere once, along the shaft"
            self._banner(painter, big, f"{state.job.probing.name_of(state.use)}: {state.text}")
        elif state.use is not None and state.of and not state.stopped:  # why it stands is told where it can go on
            self._banner(painter, f"{state.done} of {state.of} touches",
                               state.job.probing.name_of(state.use))  # fmt: skip

    def _banner(self, painter: QPainter, big: str, small: str) -> None:
        t = self._theme
        width = min(self._room.width() - 40.0, 560.0)
        metrics = QFontMetricsF(font(13))
        words = metrics.boundingRect(QRectF(0, 0, width - 36, 400), Qt.TextFlag.TextWordWrap, small)
        high = 54 + words.height()
        box = QRectF((self._room.width() - width) / 2, 72, width, high)
        painter.setPen(QPen(QColor(t.accent), 1.4))
        painter.setBrush(QColor(t.raised))
        painter.drawRoundedRect(box, 10, 10)
        painter.setPen(QColor(t.ink))
        painter.setFont(font(22, bold=True))
        painter.drawText(QRectF(box.x(), box.y() + 8, box.width(), 30), Qt.AlignmentFlag.AlignCenter, big)
        painter.setFont(font(13))
        painter.setPen(QColor(t.soft))
        painter.drawText(QRectF(box.x() + 18, box.y() + 42, box.width() - 36, words.height() + 6),
                         Qt.AlignmentFlag.AlignHCenter | Qt.TextFlag.TextWordWrap, small)  # fmt: skip

    def probe(
        self, painter: QPainter, assembly: ProbeAssembly | None, pose: HeadPose, camera: Camera | None
    ) -> None:  # fmt: skip
        """Name the probe that is built, and its styli where they are seen."""
        t = self._theme
        if assembly is None or not assembly.parts:
            self._center(painter, "Build the probe from the machine outwards",
                               "Choose the first component on the left: a head.")  # fmt: skip
            return
        painter.setPen(QColor(t.ink))
        painter.setFont(font(22, bold=True))
        painter.drawText(QRectF(18, 12, self._room.width() - 36, 30), Qt.AlignmentFlag.AlignLeft, assembly.name)
        painter.setPen(QColor(t.soft))
        painter.setFont(font(13))
        styli = assembly.styli(pose)
        count = f"{len(styli)} {'stylus' if len(styli) == 1 else 'styli'}" if styli else "no stylus yet"
        text = f"pose {pose}   ·   {count}" if assembly.articulation is not None else count
        painter.drawText(QRectF(18, 42, self._room.width() - 36, 22), Qt.AlignmentFlag.AlignLeft, text)
        if camera is None:
            return
        painter.setFont(font(13, bold=True))
        for s in styli:
            x, y, _ = camera.project(s.center[None], self._room.width() / max(1, self._room.height()))[0]
            at = QPointF(x * self._room.width() + 9, y * self._room.height() - 8)
            painter.setPen(QColor(t.ink))
            painter.drawText(at, f"{s.name}  Ø{s.tip.diameter:g}")

    def _center(self, painter: QPainter, big: str, small: str) -> None:
        t, box = self._theme, self._room
        painter.setPen(QColor(t.ink))
        painter.setFont(font(22, bold=True))
        painter.drawText(box.adjusted(20, -30, -20, -30), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, big)
        painter.setPen(QColor(t.soft))
        painter.setFont(font(14))
        painter.drawText(box.adjusted(20, 30, -20, 30), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, small)
