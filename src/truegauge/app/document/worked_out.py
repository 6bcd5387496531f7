"""A value that takes a moment: worked out on the queue when it is asked for, and kept until it is of something else."""

from collections.abc import Callable
from typing import Generic, TypeVar

from truegauge.app.document.document import Document

T = TypeVar("T")
Key = tuple[object, ...]
_PLAIN = (str, int, float, tuple)


class WorkedOut(Generic[T]):
    """Values of one kind, one at a time; `there` is called when it has come.

    What it is of is told by a key: objects count by identity, plain values by what they are. What was stopped is worked
    out when it is asked for again; of a sample that went nothing is kept.
    """

    def __init__(self, document: Document, text: str, there: Callable[[], object]) -> None:
        self._document, self._queue, self._text, self._there = document, document.queue, text, there
        document.queue.stopped.connect(self._on_stopped)
        document.sample_changed.connect(self._on_sample_changed)
        self._key: Key = ()
        self._wanted: Key = ()
        self.last: T | None = None  # of whatever it was asked for before

    def _on_stopped(self) -> None:
        self._wanted = ()

    def _on_sample_changed(self) -> None:
        if self._document.sample is None:
            self._key, self._wanted, self.last = (), (), None

    @property
    def is_waiting(self) -> bool:
        """Whether a value is on its way."""
        return bool(self._wanted) and not _same(self._wanted, self._key)

    def get(self, key: Key, work: Callable[[], T]) -> T | None:
        """Return the value of a key, None while it is worked out."""
        if _same(key, self._key):
            return self.last
        if not _same(key, self._wanted):
            self._wanted = key

            def done(value: T) -> None:
                if _same(key, self._wanted):
                    self._key, self.last = key, value
                    self._there()

            self._queue.start(lambda progress: work(), done, self._text)
        return None


def _same(one: Key, other: Key) -> bool:
    pairs = zip(one, other, strict=False)
    return len(one) == len(other) and all(a is b or (isinstance(a, _PLAIN) and a == b) for a, b in pairs)
