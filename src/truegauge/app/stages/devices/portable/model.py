"""The portable devices of a window: connected, polled, lent to who measures, and what the tip reads just now."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QObject, QTimer, Signal

from truegauge.app.document.session import Session
from truegauge.app.stages.devices.portable.line import Borrowed, Line
from truegauge.app.stages.devices.portable.stand import ArmStand
from truegauge.core.errors import Cancelled, DeviceError
from truegauge.core.evaluation.live_reading import Allowed, LiveReading, allowed_on, read_tip
from truegauge.core.evaluation.located import Lie
from truegauge.core.progress import Progress
from truegauge.core.registration.alignment import Alignment
from truegauge.devices.live.device import LiveDevice
from truegauge.devices.protocol import Said

_POLL_MS = 250  # beside what tells by itself that it has come


def _nobody() -> None:
    return None


class PortableModel(QObject):
    """Signals: `changed` (devices and their states), `moved` (a tip, or a reading of a gauge)."""

    changed = Signal()
    moved = Signal()
    _waiting = Signal()  # from the threads of the lines

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.stand = ArmStand(session, self)
        self.lines: list[Line] = []
        self._timer = QTimer(self)
        self._timer.setInterval(_POLL_MS)
        self._timer.timeout.connect(self.poll)
        self._seen: object = None
        self._waiting.connect(self.poll)
        session.document.part_changed.connect(self._on_part_changed)

    # Lines ----------------------------------------------------------------------------------------------------------

    @property
    def arm(self) -> Line | None:
        """The first device with a tip."""
        return next((line for line in self.lines if line.device.kind != "gauge"), None)

    def connect_to(self, host: str, port: int) -> None:
        """Connect in the background, to a device that is somewhere else."""
        if any(line.device.address == (host, port) for line in self.lines):
            self.session.notify(f"{host}:{port} is connected already")
            return
        device = LiveDevice(host, port)

        def work(progress: Progress) -> LiveDevice:
            device.connect()
            try:
                progress(1.0)
            except Cancelled:  # it would hold the device for ever
                device.close()
                raise
            return device

        self.session.queue.start(work, lambda made: self._add(Line(made)), "Connecting")

    def start_stand_in(self) -> Line | None:
        """Start the stand-in beside the part, and connect to it; the one that is there, if it is."""
        arm = self.stand.arm()
        if arm is None:
            self.session.notify("open a plan with a part first: the stand-in touches it")
            return None
        known = next((line for line in self.lines if line.stand_in is arm), None)
        if known is not None:
            return known
        device = LiveDevice("127.0.0.1", arm.port)
        try:
            device.connect()
        except DeviceError as error:
            self.session.notify(error)
            return None
        line = Line(device, arm)
        self._add(line)
        return line

    def disconnect_line(self, line: Line) -> None:
        """Give a device back; who has borrowed it is told."""
        line.device.waiting = _nobody
        line.device.close()
        line.is_gone = True
        if line in self.lines:
            self.lines.remove(line)
        if not self.lines:
            self._timer.stop()
        self.changed.emit()

    def close(self) -> None:
        """Give everything back."""
        self._timer.stop()
        for line in tuple(self.lines):
            line.device.waiting = _nobody
            line.device.close()
        self.lines = []
        self.stand.close()

    def _add(self, line: Line) -> None:
        line.device.waiting = self._waiting.emit
        self.lines.append(line)
        self._timer.start()
        self.changed.emit()

    def _on_part_changed(self) -> None:
        """The stand-in touches a part that is open: with another one it goes."""
        for line in tuple(self.lines):
            if line.stand_in is not None:
                self.disconnect_line(line)

    def lend(self) -> Borrowed | None:
        """Return the arm for somebody who measures; the stand-in is started where none is connected."""
        line = self.arm or self.start_stand_in()
        return None if line is None else Borrowed(line, self.poll)

    def poll(self) -> None:
        """Take what came since the last time."""
        for line in tuple(self.lines):
            events = line.device.events()
            line.take(events)
            for event in events:
                if isinstance(event, Said):
                    self.session.notify(DeviceError(event.words))
        seen = tuple((id(x), x.device.is_open, x.touches) for x in self.lines)
        now = (seen, tuple((x.device.at, tuple(x.device.readings.items())) for x in self.lines))
        if now != self._seen:
            before, self._seen = self._seen, now
            self.moved.emit()
            if not isinstance(before, tuple) or before[0] != seen:
                self.changed.emit()

    # What the tip reads ---------------------------------------------------------------------------------------------

    def lie(self) -> Lie | None:
        """How the part lies before the device, by the alignment in force or one that it starts from; None: unknown."""
        line, evaluation, sample = self.arm, self.session.evaluation, self.session.sample
        if line is None or evaluation is None or sample is None:
            return None
        # The stand-in stands where the scan of the demo came from, which names no device.
        theirs = sample.about.device
        if theirs != line.device.identity and (theirs or line.stand_in is None):
            return None
        known = (evaluation.alignments.get(own.id) for own in self.session.plan.chain())
        found = next((a for a in known if isinstance(a, Alignment)), None)
        return None if found is None else Lie.by(self.session.plan, sample, found)

    def why_not(self) -> str:
        """Say why nothing can be read; empty when it can."""
        line = self.arm
        if line is None:
            return "Connect an arm"
        if self.session.evaluator is None or not self.session.evaluator.can_pick:
            return "Open a plan with a part"
        if self.lie() is None:
            return "Align the part"
        return "" if line.device.at is not None else "Move the tip"

    def reading(self) -> tuple[LiveReading, Allowed] | None:
        """Return what the tip reads just now, and what is allowed there."""
        line, pose, evaluator = self.arm, self.lie(), self.session.evaluator
        if line is None or line.device.at is None or pose is None or evaluator is None or not evaluator.can_pick:
            return None
        at = line.device.at
        found = read_tip(evaluator.projector, pose, np.array(at.place), line.device.radius)
        return found, allowed_on(self.session.plan, found.face)
