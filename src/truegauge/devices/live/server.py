"""The device's side of the line: one program at a time, and what it has not confirmed is sent again."""

from __future__ import annotations

import contextlib
import logging
import socket
import threading
import time
import uuid
from collections.abc import Callable, Sequence

from truegauge.devices.live.faults import LineFault
from truegauge.devices.live.messages import At, Beat, Confirm, Hello, Item, Refused, Resume, Warned, from_program
from truegauge.devices.live.outbox import MOST_BYTES, Outbox
from truegauge.devices.live.wire import (
    Block,
    Frames,
    Picture,
    WireError,
    block_frame,
    message_frame,
    picture_frame,
)

log = logging.getLogger(__name__)
BEAT_S = 0.5
QUIET_S = 2.5  # of silence after which a line is given up
_GREETED_S = 5.0
_BATCH = 32  # frames


class LiveServer:
    """Listens on a port of this computer until it is closed. `about` says who the device is."""

    def __init__(
        self, about: Hello, port: int = 0, host: str = "127.0.0.1", faults: Sequence[LineFault] = (),
        most_bytes: int = MOST_BYTES,
    ) -> None:  # fmt: skip
        self._about, self._faults, self._most = about, list(faults), most_bytes
        self.boot, self.series = uuid.uuid4().hex, uuid.uuid4().hex
        self._outbox = Outbox(most_bytes)
        self._changed = threading.Condition()
        self._at: At | None = None
        self._picture: Picture | None = None
        self._said: list[Warned] = []
        self._began, self._jumped = time.monotonic(), 0.0
        self._line: _Line | None = None
        self._closed = False
        self.frames = 0  # numbered ones that were sent
        self._listening = socket.create_server((host, port))
        self.port = int(self._listening.getsockname()[1])
        self._thread = threading.Thread(target=self._serve, name="live-server", daemon=True)
        self._thread.start()

    def close(self) -> None:
        """Stop listening."""
        self._closed = True
        # A thread that waits for a connection is woken by one: closing the socket alone would leave it waiting.
        with contextlib.suppress(OSError):
            socket.create_connection(("127.0.0.1", self.port), timeout=0.5).close()
        self._listening.close()
        if self._line is not None:
            self._line.cut()
        with self._changed:
            self._changed.notify_all()
        if threading.current_thread() is not self._thread:
            self._thread.join(3.0)

    # What the device has to say -----------------------------------------------------------------------------------

    def clock(self) -> float:
        """Return the device's time, s."""
        return time.monotonic() - self._began + self._jumped

    def put(self, made: Callable[[int, float], Item | Block]) -> int:
        """Measure something: `made` gets its number and time. Returns the number."""

        def framed(seq: int) -> bytes:
            item = made(seq, self.clock())
            return block_frame(item) if isinstance(item, Block) else message_frame(item.model_dump())

        with self._changed:
            seq = self._outbox.put(framed)
            self._changed.notify_all()
        return seq

    def show(self, at: At) -> None:
        """Tell where the tip is; only the last is told."""
        with self._changed:
            self._at = at
            self._changed.notify_all()

    def show_picture(self, picture: Picture) -> None:
        """Show what a camera sees; only the last is shown."""
        with self._changed:
            self._picture = picture
            self._changed.notify_all()

    def warn(self, words: str) -> None:
        """Say something in words."""
        with self._changed:
            self._said.append(Warned(words=words))
            self._changed.notify_all()

    @property
    def unconfirmed(self) -> int:
        """How many numbers nobody has confirmed."""
        with self._changed:
            return self._outbox.next - self._outbox.oldest

    @property
    def is_used(self) -> bool:
        """Whether a program is connected."""
        return self._line is not None

    def hello(self) -> Hello:
        """Return what is said first."""
        with self._changed:
            return self._about.replace(boot=self.boot, series=self.series, oldest=self._outbox.oldest,
                                       next=self._outbox.next, time=self.clock())  # fmt: skip

    # The line -------------------------------------------------------------------------------------------------------

    def _serve(self) -> None:
        while not self._closed:
            try:
                connection, _ = self._listening.accept()
            except OSError:
                return
            if self._closed:
                connection.close()
                return
            threading.Thread(target=self._talk, args=(connection,), name="live-line", daemon=True).start()

    def _talk(self, connection: socket.socket) -> None:
        line = _Line(self, connection)
        with self._changed:
            other = self._line
            taken = other is not None and other.is_alive
            if not taken:
                self._line = line
        if taken:
            line.refuse("another program is connected to it: close it there first")
            return
        if other is not None:
            other.cut()
        try:
            line.run()
        except (OSError, WireError) as error:
            log.debug("the line ended: %s", error)
        finally:
            line.cut()
            with self._changed:
                if self._line is line:
                    self._line = None

    def due_fault(self) -> LineFault | None:
        """Return the fault that comes with the next numbered frame."""
        self.frames += 1
        found = next((f for f in self._faults if f.at == self.frames), None)
        if found is not None:
            self._faults.remove(found)
        return found

    def restart(self, how: str = "restart") -> None:
        """Switch it off and on again: "forget" loses what nobody has confirmed, "reset" counts from 1 again too."""
        with self._changed:
            self.boot = uuid.uuid4().hex
            self._began = time.monotonic()
            if how == "forget":
                self._outbox.confirm(self._outbox.next)
            elif how == "reset":
                self._outbox, self.series = Outbox(self._most), uuid.uuid4().hex

    def jump(self, seconds: float) -> None:
        """Set the clock wrong."""
        self._jumped += seconds


class _Line:
    """One connection of a program."""

    def __init__(self, server: LiveServer, connection: socket.socket) -> None:
        self._server, self._socket = server, connection
        self._told = 1  # the oldest number there was when the line was opened: what is before it was told as gone
        self._sent = 0  # the highest number that was sent on this line
        self._wanted: int | None = None  # what the program asks for: all after it
        self._heard = time.monotonic()
        self._cut = False
        self._resumed = threading.Event()

    @property
    def is_alive(self) -> bool:
        """Whether the program was heard lately."""
        return not self._cut and time.monotonic() - self._heard < QUIET_S

    def refuse(self, why: str) -> None:
        """Say why not, and close."""
        with contextlib.suppress(OSError):
            self._socket.sendall(message_frame(Refused(why=why).model_dump()))
        self.cut()

    def cut(self) -> None:
        """Close it."""
        self._cut = True
        with contextlib.suppress(OSError):
            self._socket.shutdown(socket.SHUT_RDWR)
        self._socket.close()

    def run(self) -> None:
        """Say who the device is, then send what there is until the line ends."""
        self._socket.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        hello = self._server.hello()
        self._told = hello.oldest
        self._socket.sendall(message_frame(hello.model_dump()))
        threading.Thread(target=self._listen, name="live-listener", daemon=True).start()
        if not self._resumed.wait(_GREETED_S):
            raise WireError("the program did not say what it wants")
        beat = 0.0
        while not self._cut:
            self._send_items()
            beat = self._send_others(beat)
            if not self.is_alive:
                raise WireError("nothing is heard of the program any more")

    def _send_items(self) -> None:
        server = self._server
        with server._changed:
            if self._wanted is not None:
                self._sent, self._wanted = max(self._wanted, self._told - 1), None
            batch = list(server._outbox.since(self._sent, _BATCH))
        if batch and batch[0][0] > self._sent + 1:
            # The line is slower than what is measured, and the oldest had to go. Sent without a word it would be a gap
            # that nothing ever fills; the next greeting says which numbers are gone.
            raise WireError("what was to be sent is not kept any more")
        waiting: bytes | None = None  # a frame that comes after the next one
        for seq, frame in batch:
            sent, waiting = frame, self._send(frame, seq, waiting)
            if waiting is not sent:
                self._sent = max(self._sent, seq)
        if waiting is not None:
            self._socket.sendall(waiting)
            self._sent = batch[-1][0]

    def _send(self, frame: bytes, seq: int, waiting: bytes | None) -> bytes | None:
        """Send a frame, as the fault that is due wants it; returns a frame that is to come after the next."""
        server = self._server
        fault = server.due_fault()
        name = "" if fault is None else fault.name
        if fault is not None and name == "stall":
            time.sleep(fault.size)
        if fault is not None and name == "clock":
            server.jump(fault.size)
        if name == "cut":
            self._socket.sendall(frame[: len(frame) // 2])
            raise WireError("cut")
        if name in ("restart", "forget", "reset"):
            server.restart(name)
            raise WireError("switched off")
        if name == "garbage":
            frame = frame[:12] + bytes([frame[12] ^ 0x55]) + frame[13:]
        if name == "swap" and waiting is None:
            return frame
        self._socket.sendall(frame)
        if name == "twice":
            self._socket.sendall(frame)
        if waiting is not None:
            self._socket.sendall(waiting)
        return None

    def _send_others(self, beat: float) -> float:
        """Send where the tip is, words and beats; waits until there is something to send."""
        server = self._server
        with server._changed:
            idle = self._wanted is None and server._at is None and not server._said and server._picture is None
            if idle and server._outbox.next - 1 <= self._sent:
                server._changed.wait(max(0.0, min(BEAT_S, beat + BEAT_S - time.monotonic())))
            at, server._at = server._at, None
            picture, server._picture = server._picture, None
            said, server._said = server._said, []
            # Of what was sent on this line: what was measured since is on its way, and would look like a gap.
            number = self._sent + 1
        for message in (*([at] if at is not None else []), *said):
            self._socket.sendall(message_frame(message.model_dump()))
        if picture is not None:
            self._show(picture)
        if time.monotonic() - beat >= BEAT_S:
            beat = time.monotonic()
            self._socket.sendall(message_frame(Beat(time=server.clock(), next=number).model_dump()))
        return beat

    def _show(self, picture: Picture) -> None:
        """Send a picture, as the fault that is due wants it."""
        frame, fault = picture_frame(picture), self._server.due_fault()
        name = "" if fault is None else fault.name
        if fault is not None and name == "stall":
            time.sleep(fault.size)
        if name == "cut":
            self._socket.sendall(frame[: len(frame) // 2])
            raise WireError("cut")
        if name == "restart":
            self._server.restart(name)
            raise WireError("switched off")
        if name == "garbage":
            frame = frame[:40] + bytes([frame[40] ^ 0x55]) + frame[41:]
        self._socket.sendall(frame)

    def _listen(self) -> None:
        server, frames = self._server, Frames()
        try:
            while data := self._socket.recv(65536):
                self._heard = time.monotonic()
                for frame in frames.feed(data):
                    match from_program(frame.message()):
                        case Resume(after=after):
                            with server._changed:
                                self._wanted = after
                                server._changed.notify_all()
                            self._resumed.set()
                        case Confirm(up_to=up_to):
                            with server._changed:
                                server._outbox.confirm(up_to)
                        case Beat():
                            pass
        except (OSError, WireError) as error:
            log.debug("a program is not heard any more: %s", error)
        self.cut()
        with server._changed:
            server._changed.notify_all()
