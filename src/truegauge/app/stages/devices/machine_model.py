"""The machine as the window sees it: connection, where it is, what its styli are worth, work in the background."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from datetime import datetime
from typing import Any

import numpy as np
from PySide6.QtCore import QObject, QTimer, Signal

from truegauge.app.document.queue import WorkQueue
from truegauge.app.document.session import Session
from truegauge.core.errors import DeviceError, FormatError
from truegauge.core.evaluation.located import known_alignment, machine_from_part
from truegauge.core.frames import invert
from truegauge.core.probing.obstacles import PartObstacle
from truegauge.core.probing.pointing import pointing_at
from truegauge.core.probing.probing import StylusUse
from truegauge.core.probing.records import MachineRecord, StateSaid, state_of
from truegauge.core.probing.room import ProbeRoom
from truegauge.core.probing.standing import Standing, standing
from truegauge.core.progress import Progress
from truegauge.devices.cmm.machine import Cmm
from truegauge.devices.cmm.words import MachineTouch
from truegauge.devices.cmm_sim.hands import Hands
from truegauge.devices.cmm_sim.process import StandInProcess
from truegauge.devices.protocol import DeviceEvent, Lost, PointBlock, Said
from truegauge.formats.files import temporary_folder
from truegauge.formats.machine_file import read_machine, record_file, record_folder, write_machine
from truegauge.formats.plan_file import write_plan
from truegauge.runs.moving import Moving

_POLL_MS = 60
_POWER_MS = 4000
_ABOVE = 40.0  # mm over everything that a probe goes before it is changed or turned
_LOOK_EVERY = 3  # polls between two looks at the stand-in


class MachineModel(QObject):
    """Signals: `changed` (connection, states, runs), `moved` (position), `touched` (by hand, while nothing runs)."""

    changed = Signal()
    moved = Signal()
    touched = Signal(object)
    record_changed = Signal()

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.cmm: Cmm | None = None
        self.hands: Hands | None = None  # work in a thread of their own: what they do takes its time
        self._eyes: Hands | None = None  # answer at once: what is seen, the joystick, the switch
        self._built: object = None
        self.stand_in: StandInProcess | None = None
        self.seen: dict[str, Any] = {}  # what eyes see of the stand-in
        self.temperature_c: float | None = None
        self.homed = False
        self.error = ""
        self.now: Callable[[], datetime] = datetime.now
        self.queue = WorkQueue(self)
        self.queue.busy_changed.connect(self.changed)
        self.queue.noticed.connect(session.queue.noticed)
        self.hand_queue = WorkQueue(self)
        self.hand_queue.noticed.connect(session.queue.noticed)
        self.record = MachineRecord()  # nothing is known before it is known which machine it is
        self.machine = self._called = ""
        self._timer = QTimer(self)
        self._timer.setInterval(_POLL_MS)
        self._timer.timeout.connect(self.poll)
        self._polls = 0
        self._told: tuple[Any, ...] = ()

    # The record ---------------------------------------------------------------------------------------------------

    def set_record(self, record: MachineRecord) -> None:
        """Keep what is known now, at once on disk too."""
        self.record = record
        if self.cmm is not None:
            self.cmm.names = record.tools
        try:
            write_machine(record_file(record_folder(), self.machine), record, self.machine)
        except FormatError as error:
            self.session.notify(error)
        self.record_changed.emit()
        self.changed.emit()

    def _take_machine(self) -> None:
        """Know of the machine that answers what was learnt on it, and nothing of any other one."""
        cmm = self.cmm
        if cmm is None:
            return
        machine = cmm.identity if cmm.says_who_it_is or not self._called else f"{cmm.identity} {self._called}"
        self.machine, self.record = machine, MachineRecord()
        try:
            self.record = read_machine(record_file(record_folder(), machine), machine)
        except FormatError as error:
            self.session.notify(error)
        cmm.names = self.record.tools
        self.record_changed.emit()

    def state(self, use: StylusUse, touch_speed: float | None = None) -> StateSaid:
        """Return whether a stylus may measure."""
        probing = self.session.plan.probing
        known = self.record.latest(probing, use)
        return state_of(known, self.now(), self.temperature_c, probing.due, touch_speed)

    def may_use(self, use: StylusUse) -> bool:
        """Whether touches with a stylus are taken."""
        return self.session.plan.probing.allow_unqualified or self.state(use).may_measure

    def known(self) -> Standing:
        """What stands on the machine: what was said of it, and the part, or that it may stand anywhere."""
        pose, evaluator = self.part_from_machine(), self.session.evaluator
        if evaluator is None:
            return standing(self.record)
        box = evaluator.model.box
        if pose is None:
            return standing(self.record, unlocated=float(np.linalg.norm(box[1] - box[0])))
        return standing(self.record, PartObstacle(evaluator.projector, box, invert(pose)))

    def sphere_center(self) -> np.ndarray | None:
        """Where the reference sphere stood last: something to keep away from, also where it may have been moved."""
        location = self.record.location
        return None if location is None else np.array(location.center)

    def part_from_machine(self) -> np.ndarray | None:
        """Where the part lies: by the alignment in force, or the one that it starts from, while it is not computed."""
        evaluation, plan, sample = self.session.evaluation, self.session.plan, self.session.sample
        if evaluation is None or sample is None or len(sample.points):
            return None
        if sample.about.device != self.machine:
            return None  # the touches of another device say nothing of where a part lies on this one
        found = known_alignment(plan, evaluation.alignments)
        return None if found is None else invert(machine_from_part(plan, sample, found))

    # The connection -----------------------------------------------------------------------------------------------

    @property
    def connected(self) -> bool:
        """Whether there is a session with a machine."""
        return self.cmm is not None and self.cmm.is_connected

    @property
    def busy(self) -> bool:
        """Whether the machine does something that was asked for."""
        return self.queue.is_busy

    def connect_to(
        self, host: str, port: int, hands_port: int | None = None, token: str = "", name: str = ""
    ) -> None:  # fmt: skip
        """Open a session in the background; `name` is what the user calls a machine that does not say who it is."""
        self.disconnect_machine(keep_stand_in=hands_port is not None)

        def work(progress: Progress) -> Cmm:
            cmm = Cmm(host, port)
            cmm.connect()
            return cmm

        def done(cmm: Cmm) -> None:
            self.cmm, self._called = cmm, name
            self._take_machine()
            if hands_port is not None:
                with contextlib.suppress(DeviceError):
                    self.hands, self._eyes = Hands(hands_port, token), Hands(hands_port, token)
            self._timer.start()
            self.ask_state()
            self.changed.emit()

        self.queue.start(work, done, f"Connecting to {host}:{port}")

    def start_stand_in(self, *, pace: float = 3.0, seed: int = 1, faults: tuple[str, ...] = ()) -> None:
        """Start a stand-in with the plan's probes and part, and connect to it."""
        self.disconnect_machine()
        plan, content = self.session.plan, self.session.document.part_content

        def work(progress: Progress) -> StandInProcess:
            with temporary_folder() as folder:
                path = folder / "stand-in.tgplan"
                write_plan(path, plan, content)
                return StandInProcess(path, seed=seed, pace=pace, faults=faults)

        def done(stand_in: StandInProcess) -> None:
            self.stand_in = stand_in
            self.connect_to("127.0.0.1", stand_in.port, stand_in.hands, stand_in.token)

        self.queue.start(work, done, "Starting the stand-in")

    def disconnect_machine(self, *, keep_stand_in: bool = False) -> None:
        """End the session; the stand-in ends with it."""
        self._timer.stop()
        self.hand_queue.cancel()
        for own in (self.hands, self._eyes):
            if own is not None:
                own.close()
        self.hands, self._eyes, self._built = None, None, None
        if self.cmm is not None:
            self.cmm.close()
            self.cmm = None
        if self.stand_in is not None and not keep_stand_in:
            self.stand_in.close()
            self.stand_in = None
        self.seen, self.homed, self.error = {}, False, ""
        self.changed.emit()

    def close(self) -> None:
        """Stop all work, then let go of the machine."""
        self.queue.close()
        self.hand_queue.close()
        self.disconnect_machine()

    def go_online(self) -> None:
        """Open the session again after it was lost."""
        cmm = self.cmm
        if cmm is not None:

            def done(_: None) -> None:
                self._take_machine()  # it may be another one that answers there now
                self.ask_state()

            self.run(lambda progress: cmm.connect(), done, "Connecting again")

    # Work ---------------------------------------------------------------------------------------------------------

    def run(self, work: Callable[[Progress], Any], done: Callable[[Any], None], text: str) -> None:
        """Have the machine do something, after what it does now."""
        self.queue.start(work, done, text)

    def ask_state(self) -> None:
        """Ask the machine how it is."""
        cmm = self.cmm
        if cmm is None:
            return

        def work(progress: Progress) -> tuple[bool, float | None, bool]:
            cmm.where()
            return cmm.is_homed(), cmm.temperature(), cmm.has_error()

        def done(found: tuple[bool, float | None, bool]) -> None:
            self.homed, self.temperature_c, bad = found
            self.error = "the machine stands still after an error" if bad else ""
            self.changed.emit()
            self.moved.emit()

        self.run(work, done, "Asking the machine")

    def home(self) -> None:
        """Let the machine find its scales' marks."""
        cmm = self.cmm
        if cmm is not None:
            self.run(lambda progress: cmm.home(lambda: progress(0.5, "")), lambda _: self.ask_state(), "Homing")

    def clear_error(self) -> None:
        """Let the machine move again."""
        cmm = self.cmm
        if cmm is not None:
            self.run(lambda progress: cmm.clear_errors(), lambda _: self.ask_state(), "Clearing the error")

    def take_stylus(self, use: StylusUse) -> None:
        """Have a stylus in use; the probe may be changed for it, and the head turns."""
        cmm, probing = self.cmm, self.session.plan.probing
        if cmm is not None:
            name, known, center = probing.name_of(use), self.known(), self.sphere_center()

            def work(progress: Progress) -> None:
                room = ProbeRoom(probing, known, center, above=_ABOVE, ceiling=cmm.highest_quill)
                moving = Moving(cmm, lambda: progress(0.5, ""))
                if cmm.use != use:
                    moving.take(room, use)

            self.run(work, lambda _: self.ask_state(), f"Taking {name}")

    def stop(self) -> None:
        """Stop what the machine does."""
        self.queue.cancel()
        if self.hands is not None:
            self.jog(np.zeros(3))

    # What happens meanwhile -----------------------------------------------------------------------------------------

    def poll(self) -> None:
        """Take what the machine said; a lost connection is told once."""
        cmm = self.cmm
        if cmm is None:
            return
        self._polls += 1
        for event in cmm.events(hand=not self.busy):  # touches by hand are for what is running
            self._take_event(event)
        if self._eyes is not None and self._polls % _LOOK_EVERY == 0:
            with contextlib.suppress(DeviceError):
                self.seen = self._eyes.do("look")
                if (known := self.record.with_seen(self.seen.get("table"), self.seen.get("travel"))) != self.record:
                    self.set_record(known)
        now = (None if cmm.position is None else tuple(cmm.position), cmm.pose, cmm.mounted, cmm.is_connected,
               tuple(self.seen.get("quill", ())), str(self.seen.get("mounted", "")))  # fmt: skip
        if now != self._told:
            connected = bool(self._told) and self._told[3] != now[3]
            self._told = now
            self.moved.emit()
            if connected:
                self.changed.emit()

    def _take_event(self, event: DeviceEvent) -> None:
        match event:
            case PointBlock(places=places, approach=approach) if approach is not None:
                for place, way in zip(places, approach, strict=True):
                    self.touched.emit(MachineTouch(place, -way))
            case Said(words=words):
                self.error = f"the machine says: {words}"
                self.session.notify(DeviceError(self.error), "Clear the error", self.clear_error)
                self.changed.emit()
            case Lost(words=words) if not self.error:
                self.error = words
                self.session.notify(DeviceError(words), "Connect again", self.go_online)

    # Hands --------------------------------------------------------------------------------------------------------

    def jog(self, velocity: np.ndarray) -> None:
        """Hold the joystick (mm/s; zero lets it go)."""
        self._at_once("jog", velocity=[float(v) for v in velocity])

    def switch_power(self, *, on: bool) -> None:
        """Switch the stand-in off, or on again."""
        self._at_once("power", on=on)

    def _at_once(self, what: str, **given: Any) -> None:
        if self._eyes is not None:
            try:
                self._eyes.do(what, **given)
            except DeviceError as error:
                self.session.notify(error)

    def do(self, what: str, then: Callable[[], None] = lambda: None, **given: Any) -> None:
        """Do something by hand at the stand-in, beside what the program does; `then` when it is done."""
        hands = self.hands
        if hands is None:
            self.session.notify("only the stand-in has hands; at a machine use its own joystick")
            return
        self.hand_queue.start(lambda progress: hands.do(what, **given), lambda _: then(), what)

    def operator_touches(self, place: np.ndarray, out: np.ndarray) -> None:
        """Have an operator at the stand-in touch a place of the part (part coordinates) with the stylus in use.

        The head is turned first so that the stylus points at the surface, as an operator would.
        """
        cmm, probing, hands = self.cmm, self.session.plan.probing, self.hands
        if cmm is None or hands is None:
            self.session.notify("touch it with the joystick of the machine")
            return
        seen = self.seen.get("part")
        turn = np.eye(4) if not seen else np.array(seen).reshape(4, 4)
        direction = turn[:3, :3] @ out
        usable = [u for u in probing.uses() if self.may_use(u)]
        best = pointing_at(probing, usable, direction, cmm.mounted)
        if best is None:
            self.session.notify("no stylus on the machine may measure: qualify one in the Devices stage")
            return

        def work(progress: Progress) -> None:
            if cmm.use != best:
                hands.do("raise")
                cmm.take_stylus(probing, best)
            cmm.let_user_move(True)
            hands.do("touch part", place=[float(v) for v in place], out=[float(v) for v in out])

        self.run(work, lambda _: None, "The operator touches")

    def build_probes(self) -> None:
        """Put the assemblies of the plan together at the stand-in, and into its rack, as they are described now."""
        probing = self.session.plan.probing
        now = (probing.assemblies, probing.rack)
        if self.hands is None or now == self._built:
            return
        self._built = now
        for assembly in probing.assemblies:
            if assembly.parts:
                self.do("build", assembly=assembly.model_dump(mode="json"))
        names = {a.id: a.name for a in probing.assemblies}
        self.do("rack", ports=[p.model_dump(mode="json") for p in probing.rack],
                names=[names.get(p.assembly, "") for p in probing.rack])  # fmt: skip

    def power_back_soon(self) -> None:
        """Let the power of the stand-in come back after some seconds."""
        QTimer.singleShot(_POWER_MS, lambda: self.switch_power(on=True))

    def mount(self, assembly_name: str) -> None:
        """Put an assembly on the machine by hand."""
        self.do("mount", self.ask_state, name=assembly_name)
