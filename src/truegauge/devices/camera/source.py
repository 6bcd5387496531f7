"""What every source of pictures offers: it is connected to, gives the newest picture, and is given back."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray


@dataclass(frozen=True, slots=True, eq=False)
class Taken:
    """A picture: grey values (rows, columns), 0 dark; `name` is that of a file, empty of a camera's."""

    number: int
    pixels: NDArray[np.uint8]
    name: str = ""


@dataclass(frozen=True, slots=True)
class SourceState:
    """Whether pictures come; where they do not, why and what to do is in the words."""

    is_open: bool
    words: str = ""


class Source:
    """Keeps the newest picture until somebody takes it. Subclasses `_offer` pictures and `_say` how it is."""

    is_live = True  # a camera: what is not taken is replaced by what it sees next

    def __init__(self, name: str) -> None:
        self.name = name
        self.waiting: Callable[[], None] = lambda: None  # called, from any thread, when there is something
        self._lock = threading.Lock()
        self._picture: Taken | None = None
        self.state = SourceState(is_open=False)

    def connect(self) -> None:
        """Begin; raises `DeviceError` where it cannot be."""
        raise NotImplementedError

    def close(self) -> None:
        """Give it back."""
        raise NotImplementedError

    @property
    def identity(self) -> str:
        """What tells it, and so its lens, from every other one; empty: pictures from files, of any camera."""
        return self.name

    def take(self) -> Taken | None:
        """Return the newest picture, once; None while there is no new one."""
        with self._lock:
            found, self._picture = self._picture, None
            return found

    def _offer(self, picture: Taken) -> None:
        with self._lock:
            first = self._picture is None
            self._picture = picture
        if first:
            self.waiting()

    def _say(self, *, is_open: bool, words: str = "") -> None:
        self.state = SourceState(is_open, words)
        self.waiting()
