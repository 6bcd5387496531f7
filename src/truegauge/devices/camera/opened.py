"""Any camera that OpenCV opens: of this computer by its number, others by their address."""

from __future__ import annotations

import threading

from truegauge.core.errors import DeviceError
from truegauge.devices.camera.source import Source, Taken

_GONE = 20  # pictures in a row that do not come, until it is gone
_PAUSE_S = 0.1


class OpenedCamera(Source):
    """`which` is the number of a camera of this computer, or an address (or file) that OpenCV takes."""

    def __init__(self, which: str) -> None:
        super().__init__(f"camera {which}" if which.isdigit() else which)
        self._which = which
        self._ended = threading.Event()
        self._thread: threading.Thread | None = None

    def connect(self) -> None:
        """Open it.

        Raises
        ------
        DeviceError
            There is none, or another program has it.
        """
        import cv2

        device = cv2.VideoCapture(int(self._which) if self._which.isdigit() else self._which)
        if not device.isOpened():
            device.release()
            raise DeviceError(f"{self.name} cannot be opened: is it plugged in, and not used by another program?")
        self._say(is_open=True)
        self._thread = threading.Thread(target=self._work, args=(device,), name="camera", daemon=True)
        self._thread.start()

    def close(self) -> None:
        """Give it back."""
        self._ended.set()
        if self._thread is not None:
            self._thread.join(5.0)
        self._say(is_open=False)

    def _work(self, device: object) -> None:
        import cv2

        number, missed = 0, 0
        while not self._ended.is_set():
            there, picture = device.read()  # type: ignore[attr-defined]
            if not there:
                missed += 1
                if missed == _GONE:
                    self._say(is_open=False, words=f"{self.name} gives no pictures any more: is it unplugged?")
                self._ended.wait(_PAUSE_S)
                continue
            if missed >= _GONE:
                self._say(is_open=True)
            number, missed = number + 1, 0
            grey = picture if picture.ndim == 2 else cv2.cvtColor(picture, cv2.COLOR_BGR2GRAY)
            self._offer(Taken(number, grey))
        device.release()  # type: ignore[attr-defined]
