"""The portable devices of a window: connected, polled, lent to who measures, and what the tip reads just now."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QObject, QTimer, Signal

from truegauge.app.document.session import Session
from truegauge.app.stages.devices.portable.line import COLORS, Borrowed, Line
from truegauge.app.stages.devices.portable.stand import Stands
from truegauge.app.stages.devices.portable.temperatures import TemperatureLog
from truegauge.core.errors import Cancelled, DeviceError
from truegauge.core.evaluation.live_reading import Allowed, LiveReading, allowed_on, read_tip
from truegauge.core.evaluation.located import Lie
from truegauge.core.evaluation.readouts import Told, read_out
from truegauge.core.frames import apply
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.plan.readouts import Readout
from truegauge.core.progress import Progress
from truegauge.core.samples.stations import sample_from_device
from truegauge.devices.gauge_sim.gauge import GaugeStandIn
from truegauge.devices.live.device import LiveDevice
from truegauge.devices.live.messages import Hello
from truegauge.devices.protocol import PointBlock, Said

if TYPE_CHECKING:
    from truegauge.core.arrays import Rigid, Vector

_CONFIRM_MS = 300  # after a touch: those that follow at once are kept with it
_POLL_MS = 250  # beside what tells by itself that it has come


def _nobody() -> None:
    return None


class PortableModel(QObject):
    """Signals: `changed` (devices and their states), `moved` (a tip, or a reading of a gauge)."""

    changed = Signal()
    moved = Signal()
    lent = Signal()  # somebody begins to measure with a device, or ends
    _kept = Signal(object)  # from the thread that keeps: lines, and up to which number of each
    _waiting = Signal()  # from the threads of the lines

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.stand = Stands(session, self)
        self.lines: list[Line] = []
        self.chosen: Line | None = None
        self.log = TemperatureLog(session, lambda: self.lines, self)
        self._timer = QTimer(self)
        self._timer.setInterval(_POLL_MS)
        self._timer.timeout.connect(self.poll)
        self._seen: object = None
        self._waiting.connect(self.poll)
        self._confirming = QTimer(self)
        self._confirming.setSingleShot(True)
        self._confirming.setInterval(_CONFIRM_MS)
        self._confirming.timeout.connect(self._keep)
        self._kept.connect(self._on_kept)
        session.document.part_changed.connect(self._on_part_changed)

    # Lines ----------------------------------------------------------------------------------------------------------

    @property
    def arm(self) -> Line | None:
        """The device that touches: the one chosen, else the first with a tip."""
        with_tip = [line for line in self.lines if line.has_tip]
        return self.chosen if self.chosen in with_tip else next(iter(with_tip), None)

    @property
    def scanner(self) -> Line | None:
        """The first scanner."""
        return next((line for line in self.lines if line.kind == "scanner"), None)

    def choose(self, line: Line) -> None:
        """Let a device be the one that touches, and that is read."""
        self.chosen = line
        self.changed.emit()

    def connect_to(self, host: str, port: int) -> None:
        """Connect in the background, to a device that is somewhere else."""
        if any(line.device.address == (host, port) for line in self.lines):
            self.session.notify(f"{host}:{port} is connected already")
            return
        device = LiveDevice(host, port, self._kept_of)

        def work(progress: Progress) -> LiveDevice:
            device.connect()
            try:
                progress(1.0)
            except Cancelled:  # it would hold the device for ever
                device.close()
                raise
            return device

        self.session.queue.start(work, lambda made: self._add(Line(made)), "Connecting")

    def start_stand_in(self, kind: str = "arm") -> Line | None:
        """Start a stand-in beside the part, and connect to it; the one that is there, if it is."""
        made = self.stand.get(kind)
        if made is None:
            self.session.notify("open a plan with a part first: the stand-in measures it")
            return None
        known = next((line for line in self.lines if line.device.address == ("127.0.0.1", made.port)), None)
        if known is not None:
            return known
        device = LiveDevice("127.0.0.1", made.port, self._kept_of)
        try:
            device.connect()
        except DeviceError as error:
            self.session.notify(error)
            return None
        line = Line(device, None if isinstance(made, GaugeStandIn) else made)
        self._add(line)
        return line

    def disconnect_line(self, line: Line) -> None:
        """Give a device back; who has borrowed it is told."""
        line.device.waiting = _nobody
        line.device.close()
        line.is_gone = True
        if line in self.lines:
            self.lines.remove(line)
        self.lent.emit()
        if not self.lines:
            self._timer.stop()
        self.changed.emit()

    def close(self) -> None:
        """Give everything back."""
        self._timer.stop()
        self._confirming.stop()
        for line in tuple(self.lines):
            line.device.waiting = _nobody
            if self.session.document.sample_is_saved:
                line.device.confirm(line.device.taken)
            line.device.close()
        self.lines = []
        self.stand.close()

    def _add(self, line: Line) -> None:
        line.device.waiting = self._waiting.emit
        line.color = next(k for k in range(COLORS) if k not in {x.color for x in self.lines} or k == COLORS - 1)
        line.lent = self.lent.emit
        self.lines.append(line)
        self._timer.start()
        self.changed.emit()

    def _on_part_changed(self) -> None:
        """The stand-in touches a part that is open: with another one it goes."""
        for line in tuple(self.lines):
            if line.stand_in is not None:
                self.disconnect_line(line)
        self.stand.leave_part()

    def lend(self) -> Borrowed | None:
        """Return the arm for somebody who measures; the stand-in is started where none is connected."""
        line = self.arm or self.start_stand_in()
        return None if line is None else self.borrow(line)

    def borrow(self, line: Line, *, as_measured: bool = False) -> Borrowed:
        """Return a device for somebody who measures; with `as_measured` in its own coordinates, not in the sample's."""
        return Borrowed(line, self.poll, lambda: self._coordinates(line), as_measured=as_measured)

    def _coordinates(self, line: Line) -> str:
        """Return whose coordinates the points of a line are in: where others measured the sample, theirs."""
        sample, own = self.session.sample, line.device.identity
        if sample is None or not sample.about.device or self.placement(line) is None:
            return own
        return sample.about.device

    def placement(self, line: Line) -> Rigid | None:
        """Return what takes the points of a device to the coordinates of the sample; None: it is not joined yet."""
        sample = self.session.sample
        return np.eye(4) if sample is None else sample_from_device(sample.about, line.device.identity)

    def poll(self) -> None:
        """Take what came since the last time."""
        for line in tuple(self.lines):
            events = line.device.events()
            self._see_taken(line)
            pose = self.placement(line)
            line.take(events, pose)
            came = any(isinstance(e, PointBlock) for e in events)
            if pose is not None:
                line.was_told = False
            elif came and not line.borrowed_raw and not line.was_told:
                line.was_told = True
                self.session.notify(f"{line.device.name} is not joined to this sample: measure the reference points "
                                    "with it first; what it measured now is left out")  # fmt: skip
            for event in events:
                if isinstance(event, Said):
                    self.session.notify(DeviceError(event.words))
        self.log.look()
        seen = tuple((id(x), x.device.is_open, x.touches) for x in self.lines)
        now = (seen, tuple((x.device.at, tuple(x.device.readings.items())) for x in self.lines))
        if now != self._seen:
            before, self._seen = self._seen, now
            self.moved.emit()
            if not isinstance(before, tuple) or before[0] != seen:
                self.changed.emit()

    # What is kept ---------------------------------------------------------------------------------------------------

    def _kept_of(self, hello: Hello) -> int:
        """Return up to which number the work that is open has what a device measured."""
        series, number = self.session.document.devices.get(f"{hello.name} {hello.serial}".strip(), ("", 0))
        return number if series == hello.series else 0

    def _see_taken(self, line: Line) -> None:
        """Have touches kept soon; a device may forget at once what nobody keeps: readings, points of no scan."""
        if not line.has_tip and not line.holders:
            line.device.confirm(line.device.taken)
        elif line.has_tip and line.device.taken != line.kept and not self._confirming.isActive():
            self._confirming.start()

    def _keep(self) -> None:
        due = [line for line in self.lines if line.has_tip and line.device.taken != line.kept]
        marks = [(line, line.device.series, line.device.taken) for line in due]
        for line, series, number in marks:
            self.session.document.devices[line.device.own_identity] = (series, number)
        if marks:
            self.session.document.keep(lambda: self._kept.emit(marks))

    def _on_kept(self, marks: list[tuple[Line, str, int]]) -> None:
        for line, series, number in marks:
            if line.device.series == series:  # else it has lost its memory since, and the number means something else
                line.kept = number
                line.device.confirm(number)

    # What the tip reads ---------------------------------------------------------------------------------------------

    def lie(self, line: Line | None = None, alignment: str = "") -> Lie | None:
        """How the part lies in the sample's coordinates, by an alignment (in force, without) or one it starts from.

        None: unknown, or the device (the one that touches, without another) is not joined to the sample.
        """
        line = line or self.arm
        evaluation, sample = self.session.evaluation, self.session.sample
        if line is None or evaluation is None or sample is None or self.placement(line) is None:
            return None
        # The stand-in stands where the scan of the demo came from, which names no device.
        if not sample.about.device and line.stand_in is None:
            return None
        return Lie.best_known(self.session.plan, sample, evaluation.alignments, alignment)

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

    def tip(self) -> Vector | None:
        """Return where the centre of the tip is, (3,) mm in coordinates of the sample; None: unknown."""
        line = self.arm
        pose = None if line is None else self.placement(line)
        if line is None or line.device.at is None or pose is None:
            return None
        return np.asarray(apply(pose, np.array(line.device.at.place)[None])[0])

    def told(self, readout: Readout) -> Told | str:
        """Return what a readout tells of the tip just now; in words, where it cannot, what to do first."""
        line, evaluator = self.arm, self.session.evaluator
        if line is None or evaluator is None or not evaluator.can_pick:
            return self.why_not()
        if readout.alignment and not self.session.plan.has_alignment(readout.alignment):
            return "Its alignment is not in the plan any more"
        pose, place = self.lie(line, readout.alignment), self.tip()
        if pose is None or place is None:
            return self.why_not() or "Its alignment is not there"
        found = read_out(readout, self.session.plan, evaluator, pose, place, line.device.radius)
        return found.reason if isinstance(found, NotComputed) else found

    def reading(self) -> tuple[LiveReading, Allowed] | None:
        """Return what the tip reads just now, and what is allowed there."""
        line, pose, evaluator = self.arm, self.lie(), self.session.evaluator
        if line is None or line.device.at is None or pose is None or evaluator is None or not evaluator.can_pick:
            return None
        place = self.tip()
        assert place is not None
        found = read_tip(evaluator.projector, pose, place, line.device.radius)
        return found, allowed_on(self.session.plan, found.face)
