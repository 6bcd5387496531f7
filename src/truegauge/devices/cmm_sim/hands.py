"""Hands, eyes and joystick of a user who works with the stand-in; see `hands_server`. Light to import."""

import json
import logging
import socket
import threading
from typing import Any

from truegauge.core.errors import DeviceError

log = logging.getLogger(__name__)


class Hands:
    """Hands, eyes and joystick of a user who works with the stand-in."""

    def __init__(self, port: int, token: str) -> None:
        try:
            self._socket = socket.create_connection(("127.0.0.1", port), timeout=5.0)
        except OSError as error:
            raise DeviceError(f"the stand-in does not answer on port {port}") from error
        self._socket.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self._lines = self._socket.makefile("rw", encoding="utf-8", newline="\n")
        self._lock = threading.Lock()
        try:
            self.do("enter", token=token)
        except DeviceError:
            self.close()
            raise

    def do(self, what: str, **given: Any) -> dict[str, Any]:
        """Do something; returns what was seen (DeviceError: it could not be done)."""
        try:
            with self._lock:
                self._lines.write(json.dumps({"do": what, **given}) + "\n")
                self._lines.flush()
                line = self._lines.readline()
            answer = json.loads(line)
        except (OSError, ValueError) as error:
            raise DeviceError("the stand-in does not answer any more") from error
        if "error" in answer:
            raise DeviceError(str(answer["error"]))
        found: dict[str, Any] = answer
        return found

    def close(self) -> None:
        """Let go."""
        try:
            self._lines.close()
        except OSError:
            log.debug("already gone")
        self._socket.close()
