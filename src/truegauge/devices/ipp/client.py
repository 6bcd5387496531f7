"""A connection to an I++ DME server: commands with tags, replies by tag, and what comes unasked."""

import contextlib
import itertools
import logging
import queue
import socket
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field

from truegauge.core.errors import DeviceError
from truegauge.devices.ipp.messages import (
    LONGEST,
    UNASKED,
    Call,
    ErrorSaid,
    ProtocolError,
    Reply,
    Value,
    call,
    read_error,
    read_reply,
)

log = logging.getLogger(__name__)
ANSWER_S = 8.0  # in which the server takes a command, or says why not
_CONNECT_S = 5.0
_WAIT_S = 0.05  # between two looks whether to stop
BEAT_S = 10.0  # of silence after which the machine is asked whether it is still there


_REPORTS = ("OnMoveReportE", "OnMoveReport", "OnPtMeasReport", "OnScanReport")


def _tag(number: int, at_once: bool) -> str:
    return f"E{number:04d}" if at_once else f"{number:05d}"


class ConnectionLost(DeviceError):
    """The connection ended; what was measured so far is kept."""


class MachineRefused(DeviceError):
    """The machine answered with an error."""

    def __init__(self, said: ErrorSaid, command: str) -> None:
        self.said, self.command = said, command
        super().__init__(f"the machine refused {command}: {said.words} (error {said.number:04d})")


@dataclass(slots=True)
class _Waiting:
    name: str
    values: list[tuple[Value, ...]] = field(default_factory=list)
    taken: threading.Event = field(default_factory=threading.Event)
    ended: threading.Event = field(default_factory=threading.Event)
    error: ErrorSaid | None = None


class IppClient:
    """One session with a server. Commands may be sent from any one thread at a time; replies come on its own thread."""

    def __init__(self, host: str, port: int) -> None:
        self.host, self.port = host, port
        self.unasked: queue.SimpleQueue[tuple[Value, ...]] = queue.SimpleQueue()
        self.alarms: queue.SimpleQueue[ErrorSaid] = queue.SimpleQueue()  # emergency stop, door, air: nobody asked
        self.garbage = 0  # lines that could not be read
        self._tags = itertools.cycle(range(1, 10_000))
        self._waiting: dict[str, _Waiting] = {}
        self._reporting: set[str] = set()  # numbers of the tags under which reports come: not used again
        self._lock = threading.Lock()
        self._lost = threading.Event()
        self._why = ""
        self.answer_s = ANSWER_S
        self._asked_at = time.monotonic()
        try:
            self._socket = socket.create_connection((host, port), timeout=_CONNECT_S)
        except OSError as error:
            raise ConnectionLost(
                f"no machine answers at {host}:{port} ({error.strerror or error}): "
                "is its server running, and are host and port right?"
            ) from error
        self._socket.settimeout(None)
        self._socket.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self._reader = threading.Thread(target=self._read, name="ipp-client", daemon=True)
        self._reader.start()

    def watch(self, every_s: float = BEAT_S) -> None:
        """Ask now and then, while nothing else is asked, whether the machine is still there.

        A machine without power closes nothing: who waits for touches by hand would wait for ever. And a machine may
        end sessions that say nothing.
        """
        threading.Thread(target=self._beat, args=(every_s,), name="ipp-beat", daemon=True).start()

    def _beat(self, every_s: float) -> None:
        while not self._lost.wait(every_s / 4):
            if self._waiting or time.monotonic() - self._asked_at < every_s:
                continue
            try:
                self.ask(call("GetErrStatusE"), at_once=True)
            except MachineRefused:
                pass  # it does not know the question, but it is there
            except ConnectionLost:
                self._end("the machine does not answer any more")

    @property
    def is_lost(self) -> bool:
        """Whether the connection has ended."""
        return self._lost.is_set()

    def close(self) -> None:
        """End the connection."""
        self._end("closed")
        with contextlib.suppress(OSError):
            self._socket.shutdown(socket.SHUT_RDWR)
        self._socket.close()
        if threading.current_thread() is not self._reader:
            self._reader.join(2.0)

    def ask(
        self, command: Call, *, at_most_s: float = 120.0, at_once: bool = False,
        check: Callable[[], None] | None = None,
    ) -> list[tuple[Value, ...]]:  # fmt: skip
        """Send a command and wait for its end; returns the values of each line of data.

        `at_once` sends it beside another command that is going on. `check` is called while waiting: what it raises
        stops the machine and is raised.

        Raises
        ------
        ConnectionLost
            The connection ended, or nothing was answered in time.
        MachineRefused
            The machine answered with an error.
        """
        tag, waiting = self._send(command, at_once)
        try:
            self._until(waiting.taken, self.answer_s, f"{command.name} was not answered within {self.answer_s:g} s")
            end = time.monotonic() + at_most_s
            while not waiting.ended.wait(_WAIT_S):
                if self._lost.is_set() and not waiting.ended.is_set():
                    raise ConnectionLost(self._why)
                if time.monotonic() > end:
                    raise ConnectionLost(f"{command.name} did not end within {at_most_s:g} s")
                if check is not None:
                    self._stop_if(check)
        finally:
            self._waiting.pop(tag, None)
        if waiting.error is not None:
            raise MachineRefused(waiting.error, command.name)
        return waiting.values

    def _stop_if(self, check: Callable[[], None]) -> None:
        try:
            check()
        except BaseException:
            try:
                self.ask(call("AbortE"), at_once=True, at_most_s=5.0)
                self.ask(call("ClearAllErrors"), at_most_s=5.0)  # it was we who stopped it
            except DeviceError:
                log.warning("the machine did not take the stop")
            raise

    def _send(self, command: Call, at_once: bool) -> tuple[str, _Waiting]:
        if self._lost.is_set():
            raise ConnectionLost(self._why)
        self._asked_at = time.monotonic()
        at_once = at_once or command.name.endswith("E")
        while (tag := _tag(next(self._tags), at_once)) in self._reporting:
            pass
        if command.name in _REPORTS:
            self._reporting.add(tag)
        waiting = self._waiting[tag] = _Waiting(command.name)
        try:
            with self._lock:
                self._socket.sendall(f"{tag} {command}\r\n".encode("ascii", "replace"))
        except OSError as error:
            self._waiting.pop(tag, None)
            self._end(f"the connection to the machine was cut ({error.strerror or error})")
            raise ConnectionLost(self._why) from error
        return tag, waiting

    def _until(self, event: threading.Event, seconds: float, late: str) -> None:
        end = time.monotonic() + seconds
        while not event.wait(_WAIT_S):
            if self._lost.is_set() and not event.is_set():
                raise ConnectionLost(self._why)
            if time.monotonic() > end:
                raise ConnectionLost(f"{late}: the connection hangs")

    # The reader's thread -------------------------------------------------------------------------------------------

    def _read(self) -> None:
        rest = b""
        while not self._lost.is_set():
            try:
                piece = self._socket.recv(65536)
            except OSError as error:
                self._end(f"the connection to the machine was cut ({error.strerror or error})")
                return
            if not piece:
                self._end("the machine closed the connection")
                return
            rest += piece
            *lines, rest = rest.split(b"\n")
            if len(rest) > LONGEST:
                rest = b""
                self.garbage += 1
            for line in lines:
                self._take(line)

    def _take(self, line: bytes) -> None:
        try:
            text = line.decode("ascii").strip()
            if text:
                self._sort(read_reply(text))
        except (UnicodeDecodeError, ProtocolError) as error:
            self.garbage += 1
            log.warning("a line from the machine cannot be read: %s", error)

    def _sort(self, reply: Reply) -> None:
        if reply.tag == UNASKED:
            if reply.kind == "#":
                self.unasked.put(reply.values)
            elif reply.kind == "!":
                self._alarm(read_error(reply.text))
            return
        waiting = self._waiting.get(reply.tag)
        if reply.kind == "#" and reply.tag in self._reporting:
            self.unasked.put(reply.values)
            return
        if waiting is None:  # of a command that nobody waits for any more, or data of a report that goes on
            if reply.kind == "#":
                self.unasked.put(reply.values)
            return
        waiting.taken.set()
        if reply.kind == "#":
            waiting.values.append(reply.values)
        elif reply.kind == "!":
            waiting.error = read_error(reply.text)
        elif reply.kind == "%":
            waiting.ended.set()

    def _alarm(self, said: ErrorSaid) -> None:
        """Something happened that concerns everything: what waits ends with it."""
        self.alarms.put(said)
        for waiting in list(self._waiting.values()):
            waiting.error = said
            waiting.taken.set()
            waiting.ended.set()

    def _end(self, why: str) -> None:
        if not self._lost.is_set():
            self._why = why
            self._lost.set()
