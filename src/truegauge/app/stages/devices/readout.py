"""The readout of the machine above the view: where the tip is, by which stylus, and the joystick of the stand-in."""

from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QKeyEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from truegauge.app.stages.devices.joystick import HOW, Joystick
from truegauge.app.stages.devices.touch_model import TouchModel
from truegauge.app.widgets.bench import Choice, button
from truegauge.app.widgets.text_size import keep_size, painter_on, room_of, sized_size
from truegauge.app.widgets.theme import Theme, font
from truegauge.core.frames import apply
from truegauge.core.probing.probing import StylusUse
from truegauge.drawing.units import NumberFormat

_HEIGHT = 84
_ASKED = "which stylus touches?"


class PlaceNumbers(QWidget):
    """X, Y and Z in big type, with what they are counted from."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.texts: tuple[str, ...] = ("-", "-", "-")
        self.frame = "machine"
        keep_size(self, least_width=240)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("place of the tip")

    def sizeHint(self) -> QSize:
        """Return the size."""
        return sized_size(420, 42)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw the three numbers, as large as there is room for."""
        painter, t, room = painter_on(self), self.theme, room_of(self)
        painter.setRenderHint(QPainter.RenderHint.TextAntialiasing)
        column = room.width() / 3
        size = 30.0
        widest = max(self.texts, key=len)
        while size > 13 and QFontMetricsF(font(size, bold=True)).horizontalAdvance(widest) > column - 46:
            size -= 1
        for k, (name, text) in enumerate(zip("XYZ", self.texts, strict=True)):
            cell = QRectF(k * column, 0, column - 12, room.height())
            painter.setPen(QColor(t.soft))
            painter.setFont(font(13))
            painter.drawText(cell.adjusted(8, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, name)
            painter.setPen(QColor(t.ink))
            painter.setFont(font(size, bold=True))
            painter.drawText(cell, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, text)


class MachineReadout(QWidget):
    """Shown in the stages that work with the machine, while one is connected; nothing of the view lies under it."""

    def __init__(self, touches: TouchModel, theme: Theme, wanted: Callable[[], bool]) -> None:
        super().__init__()
        self._touches, self._machine, self.session = touches, touches.machine, touches.session
        self._theme, self._wanted = theme, wanted
        keep_size(self, height=_HEIGHT)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("readout of the machine")
        rows = QVBoxLayout(self)
        rows.setContentsMargins(12, 3, 12, 7)
        rows.setSpacing(2)
        line = QHBoxLayout()
        line.setSpacing(8)
        self.numbers = PlaceNumbers(theme)
        self.frame = button("from the machine", self._on_frame)
        keep_size(self.frame, least_width=132)
        self.frame.setToolTip("What the place is counted from: the machine, or the part as it is aligned")
        self.stylus = Choice()
        self.stylus.setAccessibleName("stylus in use")
        self.stylus.activated.connect(self._on_stylus)
        keep_size(self.stylus, least_width=170)
        self.keys = QPushButton("Joystick")
        self.keys.setCheckable(True)
        self.keys.setToolTip(HOW)
        self.keys.toggled.connect(self._on_keys)
        self.keys.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        rows.addWidget(self.numbers, 1)
        for widget, share in ((self.frame, 0), (self.stylus, 1), (self.keys, 0)):
            keep_size(widget, height=30)
            line.addWidget(widget, share)
        rows.addLayout(line)
        self._in_part = True
        self.joystick = Joystick(self._machine.jog, self)
        self._machine.moved.connect(self._show_place)
        self._machine.changed.connect(self.refresh)
        touches.changed.connect(self.refresh)
        for signal in (self.session.stage_changed, self.session.document.plan_changed, self.session.document.evaluated):
            signal.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show what is known, or nothing while there is no machine."""
        m = self._machine
        there = m.connected and self._wanted()
        self.setVisible(there)
        if not there:
            if self.keys.isChecked():
                self.keys.setChecked(False)
            return
        self.keys.setVisible(m.hands is not None)
        self._show_styli()
        self._show_place()

    # The place ----------------------------------------------------------------------------------------------------

    def _on_frame(self) -> None:
        self._in_part = not self._in_part
        self._show_place()

    def _show_place(self) -> None:
        cmm = self._machine.cmm
        if cmm is None or self.isHidden():
            return
        pose = self._machine.part_from_machine()
        in_part = self._in_part and pose is not None and self.session.stage != "devices"
        self.frame.setText("from the part" if in_part else "from the machine")
        self.frame.setEnabled(pose is not None and self.session.stage != "devices")
        plan = self.session.plan
        numbers = NumberFormat(plan.unit, plan.decimals)
        place = cmm.position
        if place is not None and in_part and pose is not None:
            place = apply(pose, place[None])[0]
        self.numbers.texts = ("-",) * 3 if place is None else tuple(numbers.value(float(v)) for v in place)
        self.numbers.setToolTip(f"The middle of the tip, {numbers.unit}")
        self.numbers.update()

    # The stylus ---------------------------------------------------------------------------------------------------

    def _show_styli(self) -> None:
        """Offer the styli of what is on the machine: in this pose at once, in others by turning the head."""
        m, probing, cmm = self._machine, self.session.plan.probing, self._machine.cmm
        if cmm is None:
            return
        on = [u for u in probing.uses() if probing.assembly(u.assembly).name == cmm.mounted] or list(probing.uses())
        on.sort(key=lambda u: (u.pose != cmm.pose, u.pose.tilt_deg, u.pose.turn_deg))
        rows: list[tuple[str, StylusUse | None]] = [(_ASKED, None)]
        for use in on:
            own = probing.assembly(use.assembly)
            here = use.pose == cmm.pose or not cmm.turns or own.articulation is None
            words = f"{own.name}, stylus {own.stylus(use.stylus, use.pose).name}"
            rows.append((f"{words}, {use.pose}" if here else f"turn to {use.pose}: {words}", use))
        if [(self.stylus.itemText(k), self.stylus.itemData(k)) for k in range(self.stylus.count())] != rows:
            self.stylus.clear()
            for words, row in rows:
                self.stylus.addItem(words, row)
        now = self._touches.hand.stylus_in_use()
        self.stylus.setCurrentIndex(next((k for k, (_, u) in enumerate(rows) if u is not None and u == now), 0))
        self.stylus.setEnabled(not m.busy)
        self.stylus.setToolTip("" if now is None else probing.name_of(now))

    def _on_stylus(self, index: int) -> None:
        use, cmm = self.stylus.itemData(index), self._machine.cmm
        if use is None or cmm is None:
            self._show_styli()
            return
        probing = self.session.plan.probing
        turns = cmm.turns and probing.assembly(use.assembly).articulation is not None
        if turns and use.pose != cmm.pose:
            self._machine.take_stylus(use)  # goes up over everything that is known first
        else:
            self._touches.hand.say_stylus(use)

    # The joystick -------------------------------------------------------------------------------------------------

    def _on_keys(self, on: bool) -> None:
        if on:
            self.setFocus()
        else:
            self.joystick.let_go()
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Hold the joystick, while it is switched on."""
        if event.key() == Qt.Key.Key_Escape and self.keys.isChecked():
            self.keys.setChecked(False)
        elif not (self.keys.isChecked() and self._machine.hands is not None and self.joystick.press(event)):
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        """Let the joystick go."""
        if not self.joystick.release(event):
            super().keyReleaseEvent(event)

    def focusOutEvent(self, event: object) -> None:
        """Switch the joystick off: keys go elsewhere now."""
        self.joystick.let_go()
        self.keys.setChecked(False)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw the ground, and a line that tells it from the view; stronger while keys move the machine."""
        painter, t, room = painter_on(self), self._theme, room_of(self)
        painter.fillRect(room, QColor(t.raised))
        holds = self.keys.isChecked()
        painter.setPen(QPen(QColor(t.accent if holds else t.rule), 3 if holds else 1))
        painter.drawLine(QPointF(0, room.height() - 1), QPointF(room.width(), room.height() - 1))
