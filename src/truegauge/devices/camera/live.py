"""A camera that speaks the device protocol."""

from __future__ import annotations

import threading

from truegauge.core.errors import DeviceError
from truegauge.devices.camera.source import Source, Taken
from truegauge.devices.live.client import LineState, LiveClient
from truegauge.devices.live.messages import Warned
from truegauge.devices.live.wire import Picture

_WAIT_S = 0.5


class LiveCamera(Source):
    """Connects to a camera; a line that is lost is looked for again."""

    def __init__(self, host: str, port: int) -> None:
        super().__init__(f"{host}:{port}")
        self.host, self.port = host, port
        self._client: LiveClient | None = None
        self._ended = threading.Event()
        self._thread: threading.Thread | None = None
        self._identity = self.name

    @property
    def identity(self) -> str:
        """Name and serial number."""
        return self._identity

    def connect(self) -> None:
        """Open the line.

        Raises
        ------
        DeviceError
            Nobody answers, or it is no camera.
        """
        client = LiveClient(self.host, self.port)
        hello = client.connect()
        if hello.device != "camera":
            client.close()
            raise DeviceError(f"{hello.name} is no camera, but a {hello.device}: connect to it in the Devices stage")
        self.name, self._identity, self._client = hello.name, hello.identity, client
        self._say(is_open=True)
        self._thread = threading.Thread(target=self._work, name="camera-line", daemon=True)
        self._thread.start()

    def close(self) -> None:
        """Give it back."""
        self._ended.set()
        if self._client is not None:
            self._client.close()
        if self._thread is not None:
            self._thread.join(3.0)
        self._say(is_open=False)

    def _work(self) -> None:
        client = self._client
        assert client is not None
        while not self._ended.is_set():
            for event in client.events(_WAIT_S):
                match event:
                    case Picture(number=number, pixels=pixels):
                        self._offer(Taken(number, pixels))
                    case LineState(state=state, words=words):
                        self._say(is_open=state == "open", words=words)
                    case Warned(words=words):
                        self._say(is_open=self.state.is_open, words=words)
                    case _:
                        pass
