"""A session of the I++ server: reads lines, does commands one after the other, stops and tells states at once."""

import logging
import queue
import socket
import threading
import time
from typing import Protocol

from truegauge.devices.cmm_sim.commands import MOVES, Answer, Commands
from truegauge.devices.cmm_sim.scanning import HINTS, SCANS
from truegauge.devices.cmm_sim.settings import LINE_FAULTS
from truegauge.devices.cmm_sim.words import MachineStopped, SensorTouch
from truegauge.devices.cmm_sim.world import CmmWorld
from truegauge.devices.ipp import messages as m
from truegauge.devices.ipp.messages import (
    LONGEST,
    STANDARD,
    UNASKED,
    Call,
    Command,
    ErrorSaid,
    ProtocolError,
    Value,
    call,
    read_command,
    written,
)

log = logging.getLogger(__name__)
VERSION = "1.7"
_REPORT_S = 0.04
_AT_ONCE = ("AbortE", "GetErrStatusE", "GetPropE", "OnMoveReportE")
_BEFORE = ("StartSession", "GetDMEVersion", "AbortE", "EndSession")  # what is answered without a session
_CLEARING = ("ClearAllErrors", "EndSession")


class Server(Protocol):
    """What a session needs of its server."""

    world: CmmWorld
    messages: int
    greeted_s: float

    def power_off(self) -> None:
        """Lose the power."""


class Session:
    """One connection: its reader takes commands, its worker does them."""

    def __init__(self, server: "Server", connection: socket.socket) -> None:
        self._server, self._world, self._connection = server, server.world, connection
        connection.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self._work: queue.SimpleQueue[tuple[int, Command] | None] = queue.SimpleQueue()
        self._taken = self._ended = 0  # commands
        self._aborted: int | None = None  # the last one that was taken before it was aborted
        self._sending = threading.Lock()
        self._late: tuple[int, float] | None = None
        self.user_enabled = True
        self._open = False
        self._report: tuple[str, float] | None = None  # of the moving machine: tag, every how many s
        self._reported_at = 0.0
        self._commands = Commands(server.world)
        self._cut = threading.Event()
        self._heard_at = self._no_session_since = time.monotonic()

    def silent_s(self) -> float:
        """Return for how long nothing was heard, s."""
        return time.monotonic() - self._heard_at

    def turn_away(self) -> None:
        """Answer the first line of somebody who cannot have the machine now."""
        if self._cut.is_set():
            return
        self._connection.settimeout(self._server.greeted_s)
        try:
            line = self._connection.recv(LONGEST).split(b"\n")[0].decode("ascii", "replace").strip()
            tag = read_command(line).tag
        except (OSError, ProtocolError):
            return
        self.send(tag, "&")
        self._refuse(tag, m.CONTROLLER, 1, "server", "another program is connected: the machine serves one at a time")

    def run(self) -> None:
        """Serve until the connection ends, or who connected says nothing without ever opening a session."""
        # Neither may who does not read what is sent hold the machine.
        self._connection.settimeout(self._server.greeted_s)
        self._world.drive.moved = self._on_moved
        worker = threading.Thread(target=self._worker, name="ipp-machine", daemon=True)
        worker.start()
        rest = b""
        while not self._cut.is_set():
            if not self._open and time.monotonic() - self._no_session_since > self._server.greeted_s:
                break
            try:
                piece = self._connection.recv(65536)
            except TimeoutError:
                continue
            except OSError:
                break
            if not piece:
                break
            self._heard_at = time.monotonic()
            rest += piece
            *lines, rest = rest.split(b"\n")
            if len(rest) > LONGEST:
                break
            for line in lines:
                self._take(line.decode("ascii", "replace").strip())
        self.cut()
        self._work.put(None)
        self._world.drive.stop.set()  # nobody is there to stop it any more
        worker.join()
        self._world.drive.stop.clear()
        self._world.drive.moved = lambda: None

    def cut(self) -> None:
        """End the connection at once."""
        self._cut.set()
        try:
            self._connection.shutdown(socket.SHUT_RDWR)
        except OSError:
            log.debug("already cut")

    # Lines --------------------------------------------------------------------------------------------------------

    def send(self, tag: str, kind: str, text: str = "") -> None:
        """Send a line; it may meet one of the faults of a line."""
        line = f"{tag} {kind} {text}".rstrip() + "\r\n"
        with self._sending:
            if self._cut.is_set():
                return
            server = self._server
            server.messages += 1
            fault = self._world.faults.take(LINE_FAULTS, server.messages)
            data = line.encode("ascii", "replace")
            if fault is not None and fault.name == "garbage":
                data = bytes((b ^ 0x55) | 0x80 if 8 <= k < len(data) - 2 else b for k, b in enumerate(data))
            elif fault is not None and fault.name == "late":
                time.sleep(fault.size)
            try:
                if fault is not None and fault.name == "cut":
                    self._connection.sendall(data[: len(data) // 2])
                    self.cut()
                elif fault is not None and fault.name == "power":
                    server.power_off()
                else:
                    self._connection.sendall(data)
            except OSError:
                self._cut.set()

    def _take(self, line: str) -> None:
        if not line:
            return
        try:
            command = read_command(line)
        except ProtocolError as error:
            tag = line[:5] if len(line) >= 5 and line[:5].isalnum() else UNASKED
            self._refuse(tag, error.number, 1, "server", str(error))
            return
        if command.tag.startswith("E") != (command.call.name in _AT_ONCE):
            suits = "tags that begin with E" if command.call.name in _AT_ONCE else "tags of five digits"
            self._refuse(command.tag, m.WRONG_TAG, 1, command.call.name, f"{command.call.name} has {suits}")
            return
        self.send(command.tag, "&")
        if command.tag.startswith("E"):
            self._do(command)
        else:
            self._taken += 1
            self._work.put((self._taken, command))

    def _worker(self) -> None:
        while (item := self._work.get()) is not None:
            number, command = item
            name = command.call.name
            if self._aborted is not None and (number <= self._aborted or name in MOVES) and name not in _CLEARING:
                text = "the transaction was aborted: send ClearAllErrors() first"
                self._refuse(command.tag, m.ABORTED, 1, name, text)
            elif not self._cut.is_set():
                self._do(command)
            self._ended = number
            if self._aborted is not None and number >= self._aborted:
                self._world.drive.stop.clear()

    def _do(self, command: Command) -> None:
        name = command.call.name
        try:
            if not self._open and name not in _BEFORE:
                raise MachineStopped(m.WRONG_TAG, "there is no session: send StartSession() first", 0)
            for values in self._answer(command) or ():
                self.send(command.tag, "#", written(values))
        except MachineStopped as stopped:
            self._refuse(command.tag, stopped.number, stopped.severity, name, stopped.text)
            return
        except (ProtocolError, LookupError, TypeError, ValueError, ArithmeticError) as error:
            self._refuse(command.tag, m.ARGUMENT, 0, name, f"the arguments cannot be used: {error}")
            return
        self.send(command.tag, "%")

    def _answer(self, command: Command) -> Answer:
        """Do what is asked; returns lines of values."""
        name, commands = command.call.name, self._commands
        own = getattr(self, f"_on_{name}", None)
        if own is not None:
            found: Answer = own(command)
            return found
        if name == "GetPropE":
            return commands.on_GetPropE(command.call)
        with self._world.busy:
            commands.tell = lambda values: self.send(command.tag, "#", written(values))
            if name in SCANS:
                commands.scan(command.call)
                return None
            if name in HINTS:
                commands.hint(command.call)
                return None
            handler = getattr(commands, f"on_{name}", None)
            if handler is None:
                raise MachineStopped(m.UNSUPPORTED, f"{name[:60]} is not known here", 0)
            answer: Answer = handler(command.call)
            return answer

    def _refuse(self, tag: str, number: int, severity: int, source: str, text: str) -> None:
        self.send(tag, "!", str(ErrorSaid(severity, number, source, text)))
        self.send(tag, "%")

    # Session ------------------------------------------------------------------------------------------------------

    def _on_StartSession(self, command: Command) -> None:
        self._open, self.user_enabled = True, True

    def _on_EndSession(self, command: Command) -> None:
        self._open, self._report = False, None
        self._no_session_since = time.monotonic()

    def _on_GetDMEVersion(self, command: Command) -> Answer:
        return [(call("DMEVersion", VERSION),)]

    def _on_GetMachineClass(self, command: Command) -> Answer:
        return [(call("GetMachineClass", "CartCMM"),)]

    def _on_AbortE(self, command: Command) -> None:
        if self._ended < self._taken:  # where nothing goes on, there is nothing to stop
            self._aborted = self._taken
            self._world.drive.stop.set()

    def _on_GetErrStatusE(self, command: Command) -> Answer:
        return [(call("ErrStatus", 1 if self._world.fault_text or self._aborted is not None else 0),)]

    def _on_GetErrorInfo(self, command: Command) -> Answer:
        numbers = command.call.numbers()
        if not numbers:
            return [(self._world.fault_text or "no error",)]
        return [(STANDARD.get(int(numbers[0]), "no such error is known here"),)]

    def _on_GetXtdErrStatus(self, command: Command) -> Answer:
        lines: list[tuple[Value, ...]] = [
            (call("IsHomed", float(self._world.homed)),),
            (call("IsUserEnabled", float(self.user_enabled)),),
        ]
        if self._world.fault_text:
            lines.append((Call("Error", (2.0, float(m.MACHINE_ERROR), "machine", self._world.fault_text)),))
        elif self._aborted is not None:
            lines.append((Call("Error", (1.0, float(m.ABORTED), "machine", STANDARD[m.ABORTED])),))
        return lines

    def _on_ClearAllErrors(self, command: Command) -> None:
        self._world.fault_text, self._aborted = "", None

    def _on_EnableUser(self, command: Command) -> None:
        self.user_enabled = True

    def _on_DisableUser(self, command: Command) -> None:
        self.user_enabled = False

    def _on_IsUserEnabled(self, command: Command) -> Answer:
        return [(call("IsUserEnabled", float(self.user_enabled)),)]

    # Reports ------------------------------------------------------------------------------------------------------

    def _on_OnMoveReportE(self, command: Command) -> None:
        every = [a.args[0] for a in command.call.args if isinstance(a, Call) and a.name == "Time"]
        seconds = float(every[0]) if every and isinstance(every[0], float) else _REPORT_S
        self._report = (command.tag, max(seconds, _REPORT_S))

    def _on_StopDaemon(self, command: Command) -> None:
        asked = _tag_of(command.call)
        if self._report is None or (asked and asked != self._report[0]):
            raise MachineStopped(m.NO_DAEMON, f"nothing reports under {asked or 'any tag'}", 0)
        self._report = None

    def _on_StopAllDaemons(self, command: Command) -> None:
        self._report = None

    def _on_moved(self) -> None:
        now = time.monotonic()
        if self._report is not None and now - self._reported_at >= self._report[1]:
            self._reported_at = now
            self.send(self._report[0], "#", written(self._commands.state_values()))

    def hand_touch(self, touch: SensorTouch) -> None:
        """Report a touch made by joystick."""
        self.send(UNASKED, "#", written(self._commands.touched(touch, ("X", "Y", "Z", "IJK"))))


def _tag_of(given: Call) -> str:
    """Return the tag that an argument names: as text, or as a number."""
    if not given.args:
        return ""
    first = given.args[0]
    if isinstance(first, float):
        return f"{int(first):05d}"
    return first.name if isinstance(first, Call) else str(first)
