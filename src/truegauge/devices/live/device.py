"""A device of the protocol as one that points are measured with (`devices.protocol.PointDevice`)."""

from collections.abc import Callable

import numpy as np

from truegauge.core.scanning.advice import ScannerLimits
from truegauge.core.uncertainty.stated_errors import StatedErrors
from truegauge.devices.live.client import Gone, LineState, LiveClient, LiveEvent
from truegauge.devices.live.messages import At, Button, Hello, Reading, Touch, Warned
from truegauge.devices.live.wire import Block
from truegauge.devices.protocol import DeviceEvent, PointBlock, Said


class LiveDevice:
    """Touches and blocks become blocks of points; a line that is lost is looked for, and nothing is given up."""

    def __init__(self, host: str, port: int, kept_of: Callable[[Hello], int] | None = None) -> None:
        """`kept_of` says up to which number everything of a device was kept before, once it has said who it is."""
        self._host, self._port, self._kept_of = host, port, kept_of
        self.taken = 0  # the highest number that was asked for; it may be confirmed once it is kept
        self._client: LiveClient | None = None
        self._hello: Hello | None = None
        self.at: At | None = None  # where the tip was last
        self.readings: dict[str, float] = {}  # of a gauge, the last of each
        self.readings_taken = 0
        self.is_open = False
        self.waiting: Callable[[], None] = lambda: None  # called, from any thread, when something has come

    @property
    def name(self) -> str:
        """The name shown."""
        return f"{self._host}:{self._port}" if self._hello is None else self._hello.name

    @property
    def identity(self) -> str:
        """What tells it, and so its coordinates, from every other one."""
        return self.name if self._hello is None else self._hello.identity

    @property
    def own_identity(self) -> str:
        """What tells the device itself, also where its points are in the coordinates of another one."""
        return f"{self.name} {self.serial}".strip()

    @property
    def address(self) -> tuple[str, int]:
        """Host and port."""
        return self._host, self._port

    @property
    def kind(self) -> str:
        """What it is: arm, scanner, tracker, gauge; empty while nobody knows."""
        return "" if self._hello is None else self._hello.device

    @property
    def serial(self) -> str:
        """Its serial number."""
        return "" if self._hello is None else self._hello.serial

    @property
    def radius(self) -> float:
        """The radius of its tip, mm."""
        return 0.0 if self._hello is None else self._hello.radius

    @property
    def limits(self) -> ScannerLimits:
        """What it sees well, where it is a scanner."""
        h = self._hello
        return ScannerLimits() if h is None else ScannerLimits(h.near, h.far, h.lines_per_s)

    @property
    def stated(self) -> StatedErrors:
        """What its maker states of its errors."""
        return StatedErrors() if self._hello is None else self._hello.stated

    def connect(self) -> None:
        """Open the connection; raises `DeviceError` when there is none."""
        client = LiveClient(self._host, self._port, kept_of=self._kept_of)
        client.waiting = lambda: self.waiting()
        self._hello = client.connect()
        self._client, self.is_open = client, True

    def close(self) -> None:
        """Give the device back."""
        client, self._client = self._client, None
        if client is not None:
            client.close()

    def has(self, seq: int) -> bool:
        """Whether what the device has numbered so is on this side of the line."""
        return self._client is not None and self._client.last >= seq

    def events(self) -> list[DeviceEvent]:
        """Return what came since the last call, in its order; does not wait. It is to be kept, then confirmed."""
        if self._client is None:
            return []
        came = self._client.events()
        found = [made for event in came if (made := self._made(event)) is not None]
        numbers = [e.seq for e in came if isinstance(e, Touch | Button | Reading | Block)]
        if numbers:
            # The last, not the highest: a device that lost its memory counts from 1 again.
            self.taken = numbers[-1]
        return found

    def confirm(self, up_to: int) -> None:
        """Say that everything up to a number is kept for good: the device may forget it."""
        if self._client is not None and up_to:
            self._client.confirm(up_to)

    @property
    def series(self) -> str:
        """What numbers belong to: the device counts from 1 again in another one."""
        hello = self._client.hello if self._client is not None else self._hello
        return "" if hello is None else hello.series

    def _made(self, event: LiveEvent) -> DeviceEvent | None:
        match event:
            case Touch():
                way = -np.array(event.out)[None]
                return PointBlock(np.array(event.place)[None], event.radius, way if np.any(way) else None)
            case Block():
                return PointBlock(event.places, beams=event.beams, intensities=event.intensities, time=event.time)
            case At():
                self.at = event
            case Reading(of=of, value=value):
                self.readings[of] = value
                self.readings_taken += 1
            case Warned(words=words) | Gone(words=words):
                return Said(words)
            case LineState(state=state, words=words):
                self.is_open = state == "open"
                return Said(words) if words else None
        return None
