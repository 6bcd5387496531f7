"""The program's side of the line: connects again by itself, and takes everything once, in its order."""

from __future__ import annotations

import contextlib
import logging
import socket
import threading
import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from truegauge.core.errors import DeviceError
from truegauge.devices.live.messages import (
    PROTOCOL,
    VERSION,
    At,
    Beat,
    Button,
    Confirm,
    Hello,
    Reading,
    Refused,
    Resume,
    Touch,
    Warned,
    from_device,
)
from truegauge.devices.live.server import BEAT_S, QUIET_S
from truegauge.devices.live.wire import BLOCK, PICTURE, Block, Frame, Frames, Picture, WireError, message_frame

log = logging.getLogger(__name__)
_CONNECT_S, _AGAIN_S, _MOST_S = 3.0, 0.1, 2.0
_JUMP_S = 1.0  # that a clock may seem to be off by suddenly: the line has its delays
_STALE_S = 5.0  # after which an answer to "again" is asked for anew


@dataclass(frozen=True, slots=True)
class Gone:
    """Numbers that the device measured and does not have any more: nobody will see them."""

    first: int
    last: int
    words: str


@dataclass(frozen=True, slots=True)
class LineState:
    """How the line is: what to do is in the words where it is not open."""

    state: Literal["open", "lost", "refused"]
    words: str = ""


LiveEvent = Touch | Button | Reading | Block | Picture | At | Warned | Gone | LineState


class LiveClient:
    """A connection to a device. Events wait until they are asked for; what is kept for good is confirmed."""

    def __init__(
        self, host: str, port: int, *, after: int = 0, known: Hello | None = None, program: str = "True Gauge",
        kept_of: Callable[[Hello], int] | None = None,
    ) -> None:  # fmt: skip
        """`after` is the number up to which this program has kept everything of the device that it knows as `known`.

        `kept_of` says the same of a device that is not known yet, once it has said who it is; 0: nothing is kept.
        """
        self.host, self.port, self.program = host, port, program
        self.hello: Hello | None = known  # the last that the device has said
        self.last = after  # the highest number that came
        self._confirmed, self._kept_of = after, kept_of
        self._events: deque[LiveEvent] = deque()
        self._ready = threading.Condition()
        self._socket: socket.socket | None = None
        self._sending = threading.Lock()
        self._closed = threading.Event()
        self._heard = 0.0
        self._clock: float | None = None  # ours less theirs
        self._asked = 0.0  # when something was asked for again
        self.waiting: Callable[[], None] = lambda: None  # called, from any thread, when there is something again
        self.twice = self.asked_again = 0  # numbers that came twice, times that a gap was asked for
        self._threads: list[threading.Thread] = []

    # Connecting -----------------------------------------------------------------------------------------------------

    def connect(self) -> Hello:
        """Connect, and say from where on; afterwards the line is opened again by itself whenever it is lost.

        Raises
        ------
        DeviceError
            Nobody answers there, or another program has the device; what to do is in the text.
        """
        try:
            hello = self._open()
        except (OSError, WireError) as error:
            raise DeviceError(
                f"no device answers at {self.host}:{self.port} ({error}): see that it is switched on and its line is in"
            ) from None
        for work, name in ((self._work, "live-client"), (self._beat, "live-beat")):
            thread = threading.Thread(target=work, name=name, daemon=True)
            self._threads.append(thread)
            thread.start()
        return hello

    def close(self) -> None:
        """Give the device back; what was not confirmed it keeps."""
        self._closed.set()
        self._shut()
        for thread in self._threads:
            if thread is not threading.current_thread():
                thread.join(3.0)

    def _open(self) -> Hello:
        connection = socket.create_connection((self.host, self.port), timeout=_CONNECT_S)
        try:
            connection.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
            frames = Frames()
            first: list[Frame] = []
            while not first:
                data = connection.recv(65536)
                if not data:
                    raise WireError("the line was closed")
                first = frames.feed(data)
            message = from_device(first[0].message())
            if isinstance(message, Refused):
                raise DeviceError(message.why)
            if not isinstance(message, Hello) or message.protocol != PROTOCOL:
                raise WireError("it does not say who it is")
            if message.version > VERSION:
                raise DeviceError(
                    f"{message.name} speaks version {message.version} of the device protocol, this program {VERSION}: "
                    "take a newer version of the program"
                )
            self._greet(message)
            connection.sendall(message_frame(Resume(after=self.last, program=self.program).model_dump()))
            if self._confirmed:
                connection.sendall(message_frame(Confirm(up_to=self._confirmed).model_dump()))
            connection.settimeout(BEAT_S)
        except BaseException:
            connection.close()
            raise
        self._heard, self._clock, self._asked = time.monotonic(), None, 0.0
        self._socket, self._frames, self._early = connection, frames, first[1:]
        self._tell(LineState("open"))
        return message

    def _greet(self, hello: Hello) -> None:
        """See which numbers are gone: the device was switched off, or could not keep so much."""
        before, self.hello = self.hello, hello
        if before is None and self._kept_of is not None:
            # Kept by a program that ended before it could confirm it: it must not come again.
            self.last = self._confirmed = min(self._kept_of(hello), hello.next - 1)
        if before is not None and hello.boot != before.boot:
            self._tell(Warned(words=f"{hello.name} was switched off and on: see that it stands where it stood"))
        if before is not None and (hello.series != before.series or hello.next <= self.last):
            self._tell(Warned(words=f"{hello.name} has lost its memory: what it had not sent is gone"))
            self.last, self._confirmed = hello.oldest - 1, 0
        elif hello.oldest > self.last + 1:
            first, last = self.last + 1, hello.oldest - 1
            if before is not None:  # else it is what was measured before this program
                self._tell(Gone(first, last, f"{hello.name} does not have {last - first + 1} of its measurements any "
                                             "more: measure again what is missing"))  # fmt: skip
            self.last = last

    # What comes -----------------------------------------------------------------------------------------------------

    def events(self, wait_s: float = 0.0) -> list[LiveEvent]:
        """Return what came since the last call, in its order; waits a while for the first."""
        with self._ready:
            if not self._events and wait_s > 0:
                self._ready.wait(wait_s)
            found = list(self._events)
            self._events.clear()
            return found

    def confirm(self, up_to: int) -> None:
        """Say that everything up to a number is kept for good; a line that is lost is told when it is open again."""
        # What was taken of a series before says nothing of this one: no more is confirmed than has come.
        wanted = min(up_to, self.last)
        if wanted > self._confirmed:
            self._confirmed = wanted
            self._send(message_frame(Confirm(up_to=wanted).model_dump()))

    @property
    def is_open(self) -> bool:
        """Whether the line is open."""
        return self._socket is not None and not self._closed.is_set()

    def _tell(self, event: LiveEvent) -> None:
        with self._ready:
            first = not self._events
            # Of pictures, and of where the tip is, only the last counts.
            passing = isinstance(event, At | Picture)
            if passing and self._events and type(self._events[-1]) is type(event):
                self._events[-1] = event
            else:
                self._events.append(event)
            self._ready.notify_all()
        if first:
            self.waiting()

    def _work(self) -> None:
        """Read until the line is lost, then look for it again, for ever."""
        pause = _AGAIN_S
        while not self._closed.is_set():
            try:
                self._read()
            except (OSError, WireError) as error:
                self._shut()
                if self._closed.is_set():
                    return
                self._tell(LineState("lost", f"the line to {self._name} was lost ({error}); it is looked for again"))
            while not self._closed.wait(pause):
                try:
                    self._open()
                except DeviceError as error:
                    self._tell(LineState("refused", f"{self._name}: {error}"))
                    pause = _MOST_S
                except (OSError, WireError):
                    pause = min(2 * pause, _MOST_S)
                else:
                    pause = _AGAIN_S
                    break

    def _read(self) -> None:
        for frame in self._early:
            self._take(frame)
        self._early = []
        while not self._closed.is_set():
            connection = self._socket
            if connection is None:
                raise WireError("closed")
            try:
                data = connection.recv(1 << 20)
            except TimeoutError:
                data = None
            if data == b"":
                raise WireError("it was closed at the other end")
            if data is None:
                if time.monotonic() - self._heard > QUIET_S:
                    raise WireError(f"nothing was heard for {QUIET_S:.1f} s")
                continue
            self._heard = time.monotonic()
            for frame in self._frames.feed(data):
                self._take(frame)

    def _take(self, frame: Frame) -> None:
        if frame.kind == PICTURE:
            self._tell(frame.picture())
            return
        item = frame.block() if frame.kind == BLOCK else from_device(frame.message())
        match item:
            case Touch() | Button() | Reading() | Block():
                self._in_order(item)
            case At() | Warned():
                self._tell(item)
            case Beat():
                self._see_clock(item.time)
                if item.next > self.last + 1 and time.monotonic() - self._asked > _STALE_S:
                    self._ask_again()
            case Hello() | Refused():
                raise WireError("the device began anew")

    def _in_order(self, item: Touch | Button | Reading | Block) -> None:
        if item.seq <= self.last:
            self.twice += 1
            return
        if item.seq > self.last + 1:
            # Something is missing before it: it comes again with that.
            if time.monotonic() - self._asked > _STALE_S or not self._asked:
                self._ask_again()
            return
        self._asked = 0.0
        self.last = item.seq
        self._tell(item)

    def _ask_again(self) -> None:
        self._asked = time.monotonic()
        self.asked_again += 1
        self._send(message_frame(Resume(after=self.last, program=self.program).model_dump()))

    def _see_clock(self, theirs: float) -> None:
        off = time.monotonic() - theirs
        if self._clock is not None and abs(off - self._clock) > _JUMP_S:
            self._tell(Warned(words=f"the clock of {self._name} jumped by {self._clock - off:+.1f} s"))
        self._clock = off

    @property
    def _name(self) -> str:
        return "the device" if self.hello is None else self.hello.name

    # What goes ------------------------------------------------------------------------------------------------------

    def _beat(self) -> None:
        while not self._closed.wait(BEAT_S):
            self._send(message_frame(Beat().model_dump()))

    def _send(self, frame: bytes) -> None:
        connection = self._socket
        if connection is None:
            return
        with self._sending, contextlib.suppress(OSError):  # a line that is lost is seen where it is read
            connection.sendall(frame)

    def _shut(self) -> None:
        connection, self._socket = self._socket, None
        if connection is not None:
            with contextlib.suppress(OSError):
                connection.shutdown(socket.SHUT_RDWR)
            connection.close()
